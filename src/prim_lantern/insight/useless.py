"""Words that decide nothing: without them everybody may do just what they may."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final, NamedTuple, TypeVar

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.readerships import ClearReadership
from prim_lantern.decide.explain import words
from prim_lantern.insight.alike import Alike
from prim_lantern.insight.fixes import remove_rule, take_back_only
from prim_lantern.insight.look import Look
from prim_lantern.insight.returning import with_all_back
from prim_lantern.insight.said_already import Words
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.rights import Given, PlaceSetting, Rule
from prim_lantern.values import replace

MOST_WORDS: Final = 300  # that are tried one by one, unless more are asked for

_T = TypeVar("_T")


class Useless(NamedTuple):
    """A word that decides nothing: what it says, where it is written, and what takes it away.

    A `guard` is a deny that no other says as well: it stops nobody so far, and may stand there for
    what is to come.
    """

    says: str
    origin: Origin | None
    removal: tuple[Operation, ...]
    guard: bool = False


def tries_each(look: Look) -> bool:
    """Whether each word is tried without the others."""
    data = look.data
    standing = sum(1 for each in data.places if each.readership is not None)
    return look.each_word or len(data.rules) + len(data.given) + standing <= MOST_WORDS


class Tried:
    """Each word of a site tried without: going through it finds those that decide nothing.

    Those are the rules, given roles and readerships whose removal changes no answer: to nobody who
    is there, nor to anybody new in the groups that they name, at anything that is there or new in
    their places, now or when words begin or end later; nor, guards aside, to those who are there at
    any later moment; whoever is suspended or invited counts as if they acted. All-access, and what
    is over, are left, and guards if wanted.

    Where there are too many words to try each, those are found that say only what others at the
    same place say. `left` has what was not tried once all is gone through: all other words then,
    and those that speak to too many about too much.
    """

    def __init__(self, look: Look, *, guards: bool = True) -> None:
        self.left: list[Rule | Given | PlaceSetting] = []
        self._guards = guards
        self._said = Words(look.data, look.at)
        self._tries_each = tries_each(look)
        back = with_all_back(look.data) if self._tries_each else look.data
        self._look = look if back is look.data else Look(look.engine.after(back, look.at))
        self._data = self._look.data
        self._alike = Alike(self._look)

    def __iter__(self) -> Iterator[Useless]:
        self.left.clear()
        yield from self._rules()
        yield from self._given_roles()
        yield from self._readerships()

    def _rules(self) -> Iterator[Useless]:
        data = self._data
        for rule in data.rules:
            if not _in_force_yet(self._look, rule.period):
                continue
            if self._said.say_without(rule):
                yield _useless_rule(data, rule)
            elif rule.allow or self._guards:
                without = data.with_parts(rules=but(data.rules, rule))
                if self._decides_nothing(rule, without, ever=rule.allow):
                    yield _useless_rule(data, rule, guard=not rule.allow)

    def _given_roles(self) -> Iterator[Useless]:
        data = self._data
        for given in data.given:
            if data.roles[given.role].all_access or not _in_force_yet(self._look, given.period):
                continue
            without = data.with_parts(given=but(data.given, given))
            if self._said.say_without(given) or self._decides_nothing(given, without):
                named = words.given_name(data, given).rstrip(",")
                yield Useless(named, given.origin, take_back_only(data, self._look.at, given))

    def _readerships(self) -> Iterator[Useless]:
        data = self._data
        for setting in data.places:
            if setting.readership is None:
                continue
            bare = replace(setting, readership=None, readership_from_above=True)
            places = tuple(bare if each is setting else each for each in data.places)
            if self._decides_nothing(setting, data.with_parts(places=places)):
                called = data.readership(setting.readership).called
                text = f"The readership {called} {words.where(setting.place)}"
                yield Useless(text, setting.origin, (ClearReadership(setting.place.name),))

    def _decides_nothing(
        self, word: Rule | Given | PlaceSetting, without: SiteData, *, ever: bool = True
    ) -> bool:
        found = self._alike.decides_as(without, ever=ever) if self._tries_each else None
        if found is None:
            self.left.append(word)
        return bool(found)


def _useless_rule(data: SiteData, rule: Rule, *, guard: bool = False) -> Useless:
    return Useless(words.rule(data, rule), rule.origin, (remove_rule(data, rule),), guard)


def _in_force_yet(look: Look, period: Period) -> bool:
    """Whether a period is not over."""
    return period.until is None or period.until > look.at


def but(some: tuple[_T, ...], one: _T) -> tuple[_T, ...]:
    """All of some things but one."""
    return tuple(each for each in some if each is not one)
