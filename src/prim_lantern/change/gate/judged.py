"""A change as it is judged: the site without it and with it, and what differs."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Any, NamedTuple

from prim_lantern.change.operations.base import Made
from prim_lantern.change.pieces import Piece, differences
from prim_lantern.change.removal import without_people
from prim_lantern.change.renames import Misfit, Renames, renamed
from prim_lantern.decide import subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.engine import Engine
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import PlaceSetting, Readership
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who
from prim_lantern.values import replace

_WORDS = frozenset({"rules", "given", "roles", "readerships", "kinds", "actions", "category_sets"})
_PEOPLE = frozenset({"users", "groups", "plans"})


class Judged:
    """One change, whole.

    `before` and `after` are the sites without and with it; `base` is the site before in which what
    moves has moved, what gets another name has it, and people who go are gone with every word
    about them, so that all that is left to compare is what was said anew. `then` is the site
    before a change of one's own that is taken back, if this does so.
    """

    def __init__(
        self,
        engine: Engine,
        after: SiteData,
        renames: Sequence[Renames],
        made: Made,
        *,
        then: SiteData | None = None,
        taking_back: bool = False,
    ) -> None:
        """Take the engine of the site before, at the moment of the change."""
        self.engine = engine
        self.before = engine.data
        self.after = after
        self.made = made
        self.then = then
        self.taking_back = taking_back
        self.renames: list[Renames] = []
        self._gone_and_come: dict[str, tuple[list[Any], list[Any]]] = {}
        base = self.before
        for each in renames:
            if each.paths or each.groups:
                try:
                    base = renamed(base, each)
                except Misfit:  # it came with this very change, or what was there goes
                    continue
                self.renames.append(each)
        self.moved = base
        gone = self.people_gone
        self.base = without_people(base, gone) if gone else base

    # Who makes it ------------------------------------------------------------------------

    @property
    def by(self) -> str:
        """The login of whoever makes it."""
        return self.made.by

    @cached_property
    def is_owner(self) -> bool:
        """Whether the owner makes it."""
        return self.engine.is_owner(self.by)

    @cached_property
    def is_top(self) -> bool:
        """Whether the owner makes it, or somebody who acts with all access to the whole site."""
        return self.top(self.by)

    def top(self, login: str) -> bool:
        """Whether somebody is the owner, or acts with all access to the whole site."""
        data, acting = self.before, self.engine.acting(login)
        if acting is None or login == data.owner:
            return acting is not None
        whos = self.belonging.whos(login)
        return any(
            data.roles[given.role].all_access
            and SITE in given.within_any
            and given.period.holds(self.made.at)
            and not whos.isdisjoint(given.to)
            for given in data.given
        )

    @cached_property
    def belonging(self) -> Belonging:
        """Who belongs where before."""
        return self.engine.crowd.belonging

    def manages(self, action: str, where: Place = SITE, login: str | None = None) -> bool:
        """Whether they may manage, at a place as it is called before."""
        return self.engine.may_manage(login or self.by, action, where)

    def manages_rights(self, where: Place) -> bool:
        """Whether they may manage rights at a place as it is called after."""
        return self.manages("manage-rights", self.earlier_place(where))

    def is_steward(self, group: str) -> bool:
        """Whether they look after the members of a group, before."""
        found = self.before.groups.get(group)
        whos = self.belonging.whos(self.engine.acting(self.by))
        return found is not None and not whos.isdisjoint(found.stewards)

    # Names -----------------------------------------------------------------------------------

    def earlier(self, path: str) -> str:
        """A path of after, as it was before."""
        for each in reversed(self.renames):
            path = each.inverse.path(path)
        return path

    def earlier_place(self, where: Place) -> Place:
        """A place of after, as it was called before."""
        return where._replace(name=self.earlier(where.name)) if where.kind == "path" else where

    def earlier_who(self, who: Who) -> Who:
        """A who of after, as it was called before."""
        for each in reversed(self.renames):
            who = each.inverse.who(who)
        return who

    def later_who(self, who: Who) -> Who:
        """A who of before, as it is called after."""
        for each in self.renames:
            who = each.who(who)
        return who

    @cached_property
    def people_gone(self) -> frozenset[str]:
        """The logins of those who are no longer there."""
        if self.before.users is self.after.users:
            return frozenset()
        return frozenset(login for login in self.before.users if login not in self.after.users)

    # What differs ----------------------------------------------------------------------------

    @cached_property
    def pieces(self) -> tuple[Piece, ...]:
        """What differs between base and after."""
        return differences(self.base, self.after)

    def of(self, part: str) -> list[Piece]:
        """What differs in one part of the site."""
        return [piece for piece in self.pieces if piece.part == part]

    def gone_and_come(self, part: str) -> tuple[list[Any], list[Any]]:
        """What is no longer listed in a part, and what is newly: each known by itself, never by
        its place in the list."""
        found = self._gone_and_come.get(part)
        if found is None:
            was, now = getattr(self.base, part), getattr(self.after, part)
            kept = Counter(map(id, was)) & Counter(map(id, now))  # most are the very same
            was, now = (Counter(_without(some, kept)) for some in (was, now))
            found = list((was - now).elements()), list((now - was).elements())
            self._gone_and_come[part] = found
        return found

    @cached_property
    def settings(self) -> list[tuple[PlaceSetting | None, PlaceSetting | None]]:
        """The settings of places that differ, those written with an item among them."""
        was, now = _by_spot(self.base), _by_spot(self.after)
        return [
            (was.get(spot), now.get(spot))
            for spot in dict.fromkeys((*was, *now))
            if was.get(spot) != now.get(spot)
        ]

    @cached_property
    def sorts(self) -> frozenset[str]:
        """Of which sorts the change is: "words", "people", "items"."""
        parts = {piece.part for piece in self.pieces if not _renames_only(piece)}
        found = set()
        named = {piece.name for piece in self.of("site")}
        if parts & _WORDS or self.settings or "default_readership" in named:
            found.add("words")
        if parts & _PEOPLE or self.people_gone:
            found.add("people")
        if "items" in parts or any(each.paths for each in self.renames):
            found.add("items")
        return frozenset(found)

    @cached_property
    def words_differ(self) -> bool:
        """Whether words that decide differ at all: not a readership, say, that stands nowhere."""
        was, now = self.base, self.after
        parts = ("roles", "kinds", "actions", "rights_cut_at")
        return (
            any(getattr(was, part) != getattr(now, part) for part in parts)
            or any(any(self.gone_and_come(part)) for part in ("rules", "given"))
            or _standing(was) != _standing(now)
        )

    @cached_property
    def only_narrows(self) -> bool:
        """Whether the words that differ can give nobody anything: denies that come, allows that
        go, readerships that let in fewer."""
        was, now = self.base, self.after
        parts = ("roles", "kinds", "actions", "rights_cut_at")
        if any(getattr(was, part) != getattr(now, part) for part in parts):
            return False
        gone, come = self.gone_and_come("rules")
        given = any(self.gone_and_come("given"))
        narrows = all(rule.allow for rule in gone) and not any(rule.allow for rule in come)
        return narrows and not given and _lets_in_fewer(_standing(was), _standing(now))

    @cached_property
    def new_authors(self) -> list[tuple[str, frozenset[str]]]:
        """Items whose authors differ, each with those who are an author on one side only."""
        return [
            (piece.name, frozenset(piece.before.authors) ^ frozenset(piece.after.authors))
            for piece in self.of("items")
            if piece.before and piece.after and piece.before.authors != piece.after.authors
        ]

    def subject_before(self, path: str) -> subject.Subject:
        """An item that is there before, by its path of before."""
        return self.engine.subject(path)


def _without(some: Iterable[Any], kept: Mapping[int, int]) -> Iterator[Any]:
    """Those of some things that are not among the kept, each as often as it is kept."""
    left = dict(kept)
    for each in some:
        if left.get(id(each), 0):
            left[id(each)] -= 1
        else:
            yield each


def _by_spot(data: SiteData) -> dict[tuple[str, str], PlaceSetting]:
    """What is set at each place: the readership, however it is written, and what comes from
    above."""
    found = {each.place.spot: replace(each, origin=None) for each in data.places}
    for row in data.content.filled("readership"):
        path = data.content.names[row]
        standing = data.readerships_at["path", path]
        beside = found.get(("path", path))
        found["path", path] = replace(
            standing, rights_from_above=beside.rights_from_above if beside else True, origin=None
        )
    return found


def _renames_only(piece: Piece) -> bool:
    """Whether a piece of a part of words says nothing that decides."""
    if piece.part == "category_sets" and piece.before and piece.after:
        return bool(piece.before.categories.keys() == piece.after.categories.keys())
    return False


class _Standing(NamedTuple):
    """A readership that stands at a place."""

    place: Place
    from_above: bool
    readership: Readership


def _standing(data: SiteData) -> dict[tuple[str, str], _Standing]:
    """The readerships that stand at places, and how."""
    default = _Standing(SITE, True, data.readership(data.default_readership))
    return {
        ("site", "site"): default,
        **{
            spot: _Standing(
                each.place, each.readership_from_above, data.readership(each.readership or "")
            )
            for spot, each in data.readerships_at.items()
        },
    }


def _lets_in_fewer(
    were: Mapping[tuple[str, str], _Standing], are: Mapping[tuple[str, str], _Standing]
) -> bool:
    """Whether nobody passes a readership anywhere who did not before: to read, one passes all that
    are met, so that each that comes keeps out only."""
    for spot in {**were, **are}:
        was, now = were.get(spot), are.get(spot)
        if was == now:
            continue
        if now is None or (was is None and not now.from_above):
            return False
        if was is not None and not (
            was.place == now.place
            and now.from_above >= was.from_above
            and was.readership.no_exceptions == now.readership.no_exceptions
            and _narrower(now.readership, was.readership)
        ):
            return False
    return True


def _narrower(one: Readership, other: Readership) -> bool:
    """Whether whoever is in one readership is surely in the other, too."""
    return (
        all(_is_among(who, other.readers) for who in one.readers)
        and set(other.all_of) <= set(one.all_of)
        and set(other.but_not) <= set(one.but_not)
    )


def _is_among(who: Who, readers: Sequence[Who]) -> bool:
    signed_in = SIGNED_IN in readers and who not in (EVERYONE, GUESTS)
    return who in readers or EVERYONE in readers or signed_in
