"""Whether everybody may do the very same by other words: it is proved near the words that differ,
where a few people and items stand for all that are alike."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import product
from typing import Any, Final, NamedTuple

from prim_lantern.change.effects.creating_and_managing import all_creating_is_counted
from prim_lantern.decide.engine import Engine
from prim_lantern.insight.around import Around
from prim_lantern.insight.look import Look
from prim_lantern.insight.nearby import Near, Nearby, clauses_of, places_of
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import Place
from prim_lantern.site.rights import Given, PlaceSetting, Rule
from prim_lantern.site.who import EVERYONE, Who

_FEW: Final = 300  # words of a small site, where all people and items can be looked at
_SMALL: Final = 50  # items that are looked at together without a look at fewer before
_PARTS: Final = ("rules", "given", "roles", "places", "groups", "users")

_Word = Rule | Given | PlaceSetting


class _Asked(NamedTuple):
    """Whether it is asked for anybody new in some groups and anything new at some places, and for
    later moments."""

    groups: Sequence[Who]
    places: Sequence[Place]
    newcomers: bool
    ever: bool


class Alike:
    """Compares a site with others of the same items that differ in words, or in groups for some
    people: whether everybody may do the same, who is there or new in a group that a word names, at
    anything that is there or new in the places of the words."""

    def __init__(self, look: Look, like: Alike | None = None) -> None:
        """Take the site; `like` is the same of one that differs little, to go on from."""
        self._look, self.data = look, look.data
        self._nearby: Nearby = Nearby(look.engine, None if like is None else like._nearby)

    def decides_as(
        self, other: SiteData, *, ever: bool = True, newcomers: bool = True
    ) -> bool | None:
        """Whether another site decides the same now, after every turn of its words, and for those
        who are there at every later moment (`ever`); None where the words speak to too many about
        too much to be compared."""
        words = list(_differing(self.data, other))
        whos = [*self._whos(words, other)]
        places = [each for word in words for each in places_of(word)]
        actions = self._actions(words, other)
        around = Around(self._nearby, whos, places, actions)
        groups = [who for who in whos if who.kind == "group"]
        if any(isinstance(each, PlaceSetting) for each in words):
            groups = around.groups  # of all, those of which anything near speaks
        how = _Asked(groups, places, newcomers=newcomers, ever=ever)
        some = self._both(around.some, other)
        if _shows(*some, actions):
            return False  # as mostly
        near = around.whole
        big = near is None or len(near.paths) > _SMALL
        if big and _same(*some, how._replace(ever=False)) is False:
            return False
        if near is not None:
            return _same(*self._both(near, other), how)
        look, few = self._look, len(self.data.rules) + len(self.data.given) <= _FEW
        if few and all_creating_is_counted(self.data):
            return _same(look, other, how)
        return None

    def _both(self, near: Near, other: SiteData) -> tuple[Look, SiteData]:
        """What is near in both, of the same people and items where these are the same."""
        before, after = near.of(self.data), near.of(other)
        same = {
            part: getattr(before, part)
            for part in ("users", "groups")
            if getattr(other, part) is getattr(self.data, part)
        }
        return Look(Engine(before, self._look.at)), after.with_parts(items=before.items, **same)

    def _whos(self, words: Iterable[_Word], other: SiteData) -> Iterator[Who]:
        """Of whom the words speak, and who is in other groups."""
        data, groups = self.data, [Who("group", name) for name in self.data.groups]
        for word in words:
            everybody = (EVERYONE, *groups)  # a readership speaks of whoever may come, too
            for who in everybody if isinstance(word, PlaceSetting) else word.to:
                if who.kind != "group" or who.name in data.groups:
                    yield who
        if other.users is not data.users:
            for login, user in other.users.items():
                if data.users[login] is not user:
                    yield Who("user", login)

    def _actions(self, words: Iterable[_Word], other: SiteData) -> set[str]:
        """The actions that the words decide of; a readership decides of reading."""
        ours = set(map(id, (*self.data.rules, *self.data.given)))
        found = set[str]()
        for word in words:
            if isinstance(word, PlaceSetting):
                found.add("read")
            else:
                data = self.data if id(word) in ours else other
                found.update(action for each in clauses_of(data, word) for action in each.actions)
        return found


def _shows(look: Look, other: SiteData, actions: Iterable[str]) -> bool:
    """Whether another site answers otherwise about any of some actions: a look at what is there
    alone."""
    engine = look.engine.after(other, look.at)
    asked = [e for e in look.data.item_actions if e in actions and e not in NEED_MORE]
    return any(
        look.engine.allows(login, action, path) != engine.allows(login, action, path)
        for path, login, action in product(look.data.items, [None, *look.active], asked)
    )


def _same(look: Look, other: SiteData, asked: _Asked) -> bool | None:
    """Whether a site decides as another one of the same items; None where there are too many later
    moments to look at."""
    parts: dict[str, Any] = {
        part: getattr(other, part)
        for part in _PARTS
        if getattr(other, part) is not getattr(look.data, part)
    }
    if not asked.newcomers and not look.is_the_same(other):
        return False
    if asked.newcomers and not look.changes_nothing(parts, asked.groups, asked.places):
        return False
    if look.files_otherwise(other):
        return False
    if not asked.ever:
        return True
    return look.stays_the_same(other) if look.looks_ahead else None


def _differing(one: SiteData, other: SiteData) -> Iterator[_Word]:
    """The words that one of two sites has and the other has not."""
    for part in ("rules", "given", "places"):
        some, others = getattr(one, part), getattr(other, part)
        for words, there in ((some, others), (others, some)):
            known = set(map(id, there))
            yield from (each for each in words if id(each) not in known)
