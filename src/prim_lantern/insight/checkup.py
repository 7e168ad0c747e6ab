"""A checkup: everything that looks wrong with a site, what matters most first."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from inspect import getdoc
from typing import Final, NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.errors import UnknownName
from prim_lantern.insight.checks import (
    all_access,
    ending_soon,
    fits_nobody,
    gone_but_listed,
    hidden_targets,
    more_than_used,
    never_decides,
    nobody_may,
    open_to_all,
    over,
    risky_for_many,
    same_twice,
    stewards_gone,
    waits_for_nobody,
)
from prim_lantern.insight.finding import SEVERITIES, Finding
from prim_lantern.insight.look import Look
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
    never_decides,
    fits_nobody,
    hidden_targets,
    nobody_may,
    waits_for_nobody,
    stewards_gone,
    gone_but_listed,
    more_than_used,
    same_twice,
    over,
    ending_soon,
)
CHECKS: Final = {each.NAME: Check(each.NAME, getdoc(each) or "", each.find) for each in _MODULES}
"""All checks by name, in the order in which their findings of one severity are told."""


def checkup(engine: Engine, only: str | None = None) -> list[Finding]:
    """What the checks (or `only` one) find on a site at the moment of an engine: what is serious
    first, and what concerns more before what concerns less."""
    look = Look(engine)
    some = CHECKS.values() if only is None else [check_named(only)]
    found = [finding for check in some for finding in check.find(look)]
    order = {name: number for number, name in enumerate(CHECKS)}

    def weight(each: Finding) -> tuple[int, int, int]:
        return SEVERITIES.index(each.severity), -sum(each.touches.values()), order[each.name]

    return sorted(found, key=weight)


def check_named(name: str) -> Check:
    """A check by its name; raises `UnknownName`."""
    found = CHECKS.get(name)
    if found is None:
        raise UnknownName("The check", name, Near(name, CHECKS))
    return found
