"""A rule, a given role or a readership decides nothing: without it everything would be as it is.

It was proved by taking it away: nobody gains or loses anything, now or when words begin or end
later; neither would anybody new in the groups that it names, nor at anything new in its places. A
deny that stops nobody may stand guard against what comes, and is only told.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any, TypeVar

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.readerships import ClearReadership
from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.fixes import remove_rule, take_back
from prim_lantern.insight.look import Look, written
from prim_lantern.site.moments import Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.who import Who

NAME = "never-decides"
_AT_MOST = 300  # words that are tried one by one
_GROUPS = 30  # in each of which somebody new is pictured
_T = TypeVar("_T")


def find(look: Look) -> Iterator[Finding]:
    """Each of them whose removal changes no answer."""
    data = look.data
    standing = [each for each in data.places if each.readership is not None]
    count = len(data.rules) + len(data.given) + len(standing)
    if count > _AT_MOST:
        yield Finding(
            NAME,
            NOTE,
            f"There are {count:,} rules, given roles and readerships: too many to try each without "
            f"the others (up to {_AT_MOST} are).",
        )
        return
    for rule in data.rules:
        clauses = list(clauses_of_rule(data, rule))
        if _nothing(look, {"rules": _but(data.rules, rule)}, rule.period, clauses):
            fix = remove_rule(data, rule)
            yield _found(look, words.rule(data, rule), rule.origin, fix, guard=not rule.allow)
    for given in data.given:
        clauses = list(clauses_of_given(data, given))
        if data.roles[given.role].all_access:
            continue
        if _nothing(look, {"given": _but(data.given, given)}, given.period, clauses):
            named = words.given_name(data, given).rstrip(",")
            yield _found(look, named, given.origin, take_back(given))
    for setting in standing:
        bare = replace(setting, readership=None, readership_from_above=True)
        places = tuple(bare if each is setting else each for each in data.places)
        groups = [Who("group", each) for each in list(data.groups)[:_GROUPS]]
        if look.changes_nothing({"places": places}, groups, [setting.place]):
            called = data.readership(setting.readership or "").called
            text = f"The readership {called} {words.where(setting.place)}"
            yield _found(look, text, setting.origin, ClearReadership(setting.place.name))


def _nothing(
    look: Look, parts: Mapping[str, Any], period: Period, clauses: Sequence[Clause]
) -> bool:
    """Whether a word that is not over changes nothing by going."""
    if period.until is not None and period.until <= look.at:
        return False
    files = any("file-under" in each.actions for each in clauses)
    whos, places = [each.who for each in clauses], [each.place for each in clauses]
    return look.changes_nothing(parts, whos, places) and not (
        files and look.files_otherwise(look.data.with_parts(**parts))
    )


def _found(
    look: Look, text: str, origin: Origin | None, fix: Operation, *, guard: bool = False
) -> Finding:
    """A deny that stops nobody so far may stand guard: it is told, and nothing is advised."""
    told = f"{text[:1].lower()}{text[1:]}."
    if guard:
        return Finding(NAME, NOTE, f"Stops nobody so far: {told}", written([origin]))
    return Finding(
        NAME, MISTAKE, f"Decides nothing: {told}", written([origin]), fix=look.tried(fix)
    )


def _but(some: tuple[_T, ...], one: _T) -> tuple[_T, ...]:
    return tuple(each for each in some if each is not one)
