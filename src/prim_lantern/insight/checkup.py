"""A checkup: everything that looks wrong with a site, what matters most first."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from inspect import getdoc
from typing import Final, NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.errors import UnknownName
from prim_lantern.insight.checks import (
    all_access,
    cannot_create,
    closed_one_by_one,
    could_break_promises,
    ending_soon,
    equally_near,
    fits_nobody,
    gone_but_listed,
    hidden_targets,
    higher_than_needed,
    look_alikes,
    looked_after_by_nobody,
    more_than_used,
    named_but_gone,
    nearly_the_same,
    never_decides,
    nobody_may,
    open_to_all,
    out_of_reach,
    over,
    risky_for_many,
    same_twice,
    stewards_gone,
    still_closed,
    used_nowhere,
    waits_for_nobody,
    wider_than_page,
)
from prim_lantern.insight.finding import SEVERITIES, Finding
from prim_lantern.insight.look import Look
from prim_lantern.site.findings import Accepted
from prim_lantern.site.moments import written
from prim_lantern.site.names import Near


class Check(NamedTuple):
    """One sort of finding: its name, what it means and why it matters, and what finds it."""

    name: str
    means: str
    find: Callable[[Look], Iterator[Finding]]


_MODULES: Final = (
    open_to_all,
    risky_for_many,
    all_access,
    look_alikes,
    could_break_promises,
    closed_one_by_one,
    still_closed,
    equally_near,
    never_decides,
    used_nowhere,
    cannot_create,
    fits_nobody,
    hidden_targets,
    wider_than_page,
    out_of_reach,
    nobody_may,
    waits_for_nobody,
    stewards_gone,
    looked_after_by_nobody,
    gone_but_listed,
    named_but_gone,
    more_than_used,
    higher_than_needed,
    same_twice,
    nearly_the_same,
    over,
    ending_soon,
)
CHECKS: Final = {each.NAME: Check(each.NAME, getdoc(each) or "", each.find) for each in _MODULES}
"""All checks by name, in the order in which their findings of one severity are told."""


def checkup(engine: Engine, only: str | None = None, *, each_word: bool = False) -> list[Finding]:
    """What the checks (or `only` one) find on a site at the moment of an engine: what is serious
    first, and what concerns more before what concerns less. Those that are accepted say so. With
    `each_word`, each word is tried without the others, however many there are."""
    look = Look(engine, each_word=each_word)
    some = CHECKS.values() if only is None else [check_named(only)]
    accepted = {each.finding: _why(each) for each in look.data.accepted if each.holds(look.at)}
    found = [
        finding._replace(accepted=accepted.get(finding.key, ""))
        for check in some
        for finding in check.find(look)
    ]
    order = {name: number for number, name in enumerate(CHECKS)}

    def weight(each: Finding) -> tuple[int, int, int]:
        return SEVERITIES.index(each.severity), -sum(each.touches.values()), order[each.name]

    return sorted(found, key=weight)


def _why(each: Accepted) -> str:
    until = f" (until {written(each.until)})" if each.until is not None else ""
    return f"{each.because}{until}"


def check_named(name: str) -> Check:
    """A check by its name; raises `UnknownName`."""
    found = CHECKS.get(name)
    if found is None:
        raise UnknownName("The check", name, Near(name, CHECKS))
    return found
