"""What is joined: words that differ in one part alone."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from functools import partial
from itertools import chain
from typing import Any, Final, TypeVar

from prim_lantern.decide.explain import words
from prim_lantern.insight.fixes import say_again, take_back
from prim_lantern.insight.tidying.work import Step, Work, given_again
from prim_lantern.site.rights import Given, Rule
from prim_lantern.values import replace

_T = TypeVar("_T")
_LISTS: Final = ("actions", "to", "kinds", "in_state")  # of a rule, in which two may differ


def joined_rules(work: Work) -> Iterator[Step]:
    """Rules that differ in one part alone, the most first."""
    found = [
        (part, rules)
        for part in _LISTS
        for some in _alike(work.data.rules, partial(_rest_of_rule, part))
        for rules in _by_note(some)
    ]
    for part, rules in sorted(found, key=lambda each: -len(each[1])):
        if not work.has(rules):
            continue
        draft = work.draft()
        for rule in rules:
            draft.remove(rule)
        joined = _as_one(rules, part)
        draft.add(say_again(joined))
        says = f"One rule for {_number(rules)}: {words.rule(work.data, joined)}"
        yield Step(says, tuple(draft.operations))


def _rest_of_rule(part: str, rule: Rule) -> object:
    """All that a rule says but for one part, and but for why it is there."""
    lists = (frozenset(getattr(rule, each)) for each in _LISTS if each != part)
    return rule.allow, rule.place, rule.whose, rule.period, rule.no_exceptions, *lists


def _by_note(rules: Sequence[Rule]) -> Iterator[list[Rule]]:
    """Those of some rules that do not each say another reason why they are there."""
    for number, note in enumerate(dict.fromkeys(rule.note for rule in rules if rule.note) or [""]):
        some = [rule for rule in rules if rule.note == note or (number == 0 and not rule.note)]
        if len(some) > 1:
            yield some


def _as_one(rules: Sequence[Rule], part: str) -> Rule:
    """One rule that says what some say that differ in one part."""
    lists = [getattr(rule, part) for rule in rules]
    unlimited = part in ("kinds", "in_state") and not all(lists)
    union = () if unlimited else tuple(dict.fromkeys(chain.from_iterable(lists)))
    change: dict[str, Any] = {part: union}
    named = next((rule.id for rule in rules if rule.id), None)
    why = next((rule.note for rule in rules if rule.note), "")
    return replace(rules[0], id=named, note=why, **change)


def joined_given(work: Work) -> Iterator[Step]:
    """A role given more than once, to others or within other places, the most often first."""
    data = work.data
    found = [
        (part, some)
        for part, rest in (("within_any", "to"), ("to", "within_any"))
        for some in _alike(data.given, partial(_rest_of_given, rest))
    ]
    for part, some in sorted(found, key=lambda each: -len(each[1])):
        if not work.has(some):
            continue
        union = tuple(dict.fromkeys(chain.from_iterable(getattr(e, part) for e in some)))
        change: dict[str, Any] = {part: union}
        joined = replace(some[0], **change)
        says = f"Given once for {_number(some, 'twice', ' times')}: "
        says += words.given_name(data, joined).rstrip(",")
        yield Step(says, (*map(take_back, some), given_again(joined)))


def _rest_of_given(part: str, given: Given) -> object:
    return given.role, given.period, frozenset(getattr(given, part))


def _alike(some: Iterable[_T], what: Callable[[_T], object]) -> Iterator[list[_T]]:
    """Those that have something alike, where there are several of them."""
    sorts: dict[object, list[_T]] = {}
    for each in some:
        sorts.setdefault(what(each), []).append(each)
    yield from (alike for alike in sorts.values() if len(alike) > 1)


def _number(some: Sequence[object], two: str = "two", more: str = "") -> str:
    return two if len(some) == 2 else f"{len(some)}{more}"
