"""Words that decide nothing: without them everybody may do just what they may."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any, NamedTuple, TypeVar

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.readerships import ClearReadership
from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.decide.explain import words
from prim_lantern.insight.fixes import remove_rule, take_back_only
from prim_lantern.insight.look import Look
from prim_lantern.site.moments import Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.who import Who

_T = TypeVar("_T")


class Useless(NamedTuple):
    """A word that decides nothing: what it says, where it is written, and what takes it away.

    A `guard` is a deny: it stops nobody so far, and may stand there for what is to come.
    """

    says: str
    origin: Origin | None
    removal: tuple[Operation, ...]
    guard: bool = False


def useless_words(look: Look) -> Iterator[Useless]:
    """The rules, given roles and readerships whose removal changes no answer: to nobody who is
    there, nor to anybody new in the groups that they name, at anything that is there or new in
    their places, now or when words begin or end later; nor, guards aside, to those who are there at
    any later moment. All-access, and what is over, are left."""
    data = look.data
    parts: Mapping[str, Any]
    for rule in data.rules:
        clauses = list(clauses_of_rule(data, rule))
        parts = {"rules": but(data.rules, rule)}
        if _nothing(look, parts, rule.period, clauses):
            removal = (remove_rule(data, rule),)
            if not rule.allow or _ever(look, parts):
                yield Useless(words.rule(data, rule), rule.origin, removal, not rule.allow)
    for given in data.given:
        clauses = list(clauses_of_given(data, given))
        if data.roles[given.role].all_access:
            continue
        parts = {"given": but(data.given, given)}
        if _nothing(look, parts, given.period, clauses) and _ever(look, parts):
            named = words.given_name(data, given).rstrip(",")
            yield Useless(named, given.origin, take_back_only(data, look.at, given))
    for setting in data.places:
        if setting.readership is None:
            continue
        bare = replace(setting, readership=None, readership_from_above=True)
        places = tuple(bare if each is setting else each for each in data.places)
        groups = [Who("group", each) for each in data.groups]
        parts = {"places": places}
        if look.changes_nothing(parts, groups, [setting.place]) and _ever(look, parts):
            called = data.readership(setting.readership).called
            text = f"The readership {called} {words.where(setting.place)}"
            yield Useless(text, setting.origin, (ClearReadership(setting.place.name),))


def _nothing(
    look: Look, parts: Mapping[str, Any], period: Period, clauses: Sequence[Clause]
) -> bool:
    """Whether a word that is not over changes nothing by going."""
    if period.until is not None and period.until <= look.at:
        return False
    whos, places = [each.who for each in clauses], [each.place for each in clauses]
    if not look.changes_nothing(parts, whos, places):
        return False
    return not look.files_otherwise(look.data.with_parts(**parts))


def _ever(look: Look, parts: Mapping[str, Any]) -> bool:
    """Whether a word changes nothing by going at any later moment either."""
    return look.stays_the_same(look.data.with_parts(**parts))


def but(some: tuple[_T, ...], one: _T) -> tuple[_T, ...]:
    """All of some things but one."""
    return tuple(each for each in some if each is not one)
