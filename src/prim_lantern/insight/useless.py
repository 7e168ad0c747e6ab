"""Words that decide nothing: without them everybody may do just what they may."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import Any, Final, NamedTuple, TypeVar

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.readerships import ClearReadership
from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.decide.explain import words
from prim_lantern.insight.fixes import remove_rule, take_back_only
from prim_lantern.insight.look import Look
from prim_lantern.insight.returning import with_all_back
from prim_lantern.insight.said_already import Words
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from prim_lantern.values import replace

MOST_WORDS: Final = 300  # rules, given roles and readerships that are tried one by one

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


def count_of_words(data: SiteData) -> int:
    """How many rules, given roles and readerships stand on a site."""
    standing = sum(1 for each in data.places if each.readership is not None)
    return len(data.rules) + len(data.given) + standing


def tries_each(look: Look) -> bool:
    """Whether each word can be tried without the others, and at every later moment."""
    return count_of_words(look.data) <= MOST_WORDS and look.looks_ahead


def useless_words(look: Look, *, guards: bool = True) -> Iterator[Useless]:
    """The rules, given roles and readerships whose removal changes no answer: to nobody who is
    there, nor to anybody new in the groups that they name, at anything that is there or new in
    their places, now or when words begin or end later; nor, guards aside, to those who are there at
    any later moment; whoever is suspended or invited counts as if they acted. All-access, and what
    is over, are left, and guards if wanted. Where each cannot be tried, they are those that say
    only what others at the same place say."""
    said, tried = Words(look.data, look.at), tries_each(look)
    few = count_of_words(look.data) <= MOST_WORDS
    back = with_all_back(look.data) if few else look.data
    if back is not look.data:
        look = Look(look.engine.after(back, look.at))
    yield from _rules(look, said, allows=tried, denies=few and guards)
    yield from _given_roles(look, said, try_each=tried)
    if tried:
        yield from _readerships(look)


def _rules(look: Look, said: Words, *, allows: bool, denies: bool) -> Iterator[Useless]:
    data = look.data
    for rule in data.rules:
        if _in_force_yet(look, rule.period) and said.say_without(rule):
            yield _useless_rule(data, rule)
        elif allows if rule.allow else denies:
            parts = {"rules": but(data.rules, rule)}
            nothing = _nothing(look, parts, rule.period, list(clauses_of_rule(data, rule)))
            if nothing and (not rule.allow or _ever(look, parts)):
                yield _useless_rule(data, rule, guard=not rule.allow)


def _useless_rule(data: SiteData, rule: Rule, *, guard: bool = False) -> Useless:
    return Useless(words.rule(data, rule), rule.origin, (remove_rule(data, rule),), guard)


def _given_roles(look: Look, said: Words, *, try_each: bool) -> Iterator[Useless]:
    data = look.data
    for given in data.given:
        if data.roles[given.role].all_access:
            continue
        useless = _in_force_yet(look, given.period) and said.say_without(given)
        if not useless and try_each:
            parts = {"given": but(data.given, given)}
            useless = _nothing(look, parts, given.period, list(clauses_of_given(data, given)))
            useless = useless and _ever(look, parts)
        if useless:
            named = words.given_name(data, given).rstrip(",")
            yield Useless(named, given.origin, take_back_only(data, look.at, given))


def _readerships(look: Look) -> Iterator[Useless]:
    data = look.data
    groups = [Who("group", each) for each in data.groups]
    for setting in data.places:
        if setting.readership is None:
            continue
        bare = replace(setting, readership=None, readership_from_above=True)
        places = tuple(bare if each is setting else each for each in data.places)
        parts = {"places": places}
        if look.changes_nothing(parts, groups, [setting.place]) and _ever(look, parts):
            called = data.readership(setting.readership).called
            text = f"The readership {called} {words.where(setting.place)}"
            yield Useless(text, setting.origin, (ClearReadership(setting.place.name),))


def _nothing(
    look: Look, parts: Mapping[str, Any], period: Period, clauses: Sequence[Clause]
) -> bool:
    """Whether a word that is not over changes nothing by going."""
    if not _in_force_yet(look, period):
        return False
    whos, places = [each.who for each in clauses], [each.place for each in clauses]
    if not look.changes_nothing(parts, whos, places):
        return False
    return not look.files_otherwise(look.data.with_parts(**parts))


def _in_force_yet(look: Look, period: Period) -> bool:
    """Whether a period is not over."""
    return period.until is None or period.until > look.at


def _ever(look: Look, parts: Mapping[str, Any]) -> bool:
    """Whether a word changes nothing by going at any later moment either."""
    return look.stays_the_same(look.data.with_parts(**parts))


def but(some: tuple[_T, ...], one: _T) -> tuple[_T, ...]:
    """All of some things but one."""
    return tuple(each for each in some if each is not one)
