"""Formulas about one item: of what is said of it, by and, or, not."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final, NamedTuple


class Among(NamedTuple):
    """The kind, the state, … of the item is one of some. `what` is "kind", "page kind" (that of the
    page of a part), "state", or "page" (the path of the page of a part)."""

    what: str
    values: frozenset[str]


class Filed(NamedTuple):
    """It is filed under a category, or under one below it."""

    category: str


class Hand(NamedTuple):
    """The person is among its authors, or among those who changed it. `what` is "authors" or
    "changed_by"."""

    what: str


class Not(NamedTuple):
    """A formula does not hold."""

    of: Formula


class All(NamedTuple):
    """Each of some formulas holds."""

    of: frozenset[Formula]


class Any(NamedTuple):
    """At least one of some formulas holds."""

    of: frozenset[Formula]


Formula = bool | Among | Filed | Hand | Not | All | Any

AUTHOR: Final = Hand("authors")
CHANGED: Final = Hand("changed_by")


def both(*some: Formula) -> Formula:
    """Each of them, as simple as that can be said."""
    return each_of(some)


def either(*some: Formula) -> Formula:
    """One of them at least, as simple as that can be said."""
    return one_of(some)


def each_of(some: Iterable[Formula]) -> Formula:
    """Each of some formulas."""
    return _joined(some, All, if_none=True)


def one_of(some: Iterable[Formula]) -> Formula:
    """At least one of some formulas."""
    return _joined(some, Any, if_none=False)


def negated(formula: Formula) -> Formula:
    """The contrary."""
    if isinstance(formula, bool):
        return not formula
    if isinstance(formula, Not):
        return formula.of
    if isinstance(formula, All):
        return one_of(map(negated, formula.of))
    if isinstance(formula, Any):
        return each_of(map(negated, formula.of))
    return Not(formula)


def _joined(some: Iterable[Formula], join: type[All | Any], *, if_none: bool) -> Formula:
    """Some formulas as one: what is said twice is said once, what contradicts itself ends it."""
    found: set[Formula] = set()
    for each in some:
        if isinstance(each, bool):
            if each is not if_none:
                return each
        elif isinstance(each, join):
            found |= each.of
        else:
            found.add(each)
    values = _values_of(found, join)
    if values is None:
        return not if_none
    found = values
    if any(negated(each) in found for each in found if not isinstance(each, All | Any)):
        return not if_none
    other = Any if join is All else All
    found = {
        each for each in found if not (isinstance(each, other) and not found.isdisjoint(each.of))
    }
    if len(found) < 2:
        return next(iter(found), if_none)
    return join(frozenset(found))


def _values_of(found: set[Formula], join: type[All | Any]) -> set[Formula] | None:
    """The same with one set of values for each thing of which several are said; None where no value
    fits all (or, of one or another, where every value fits)."""
    among: dict[str, frozenset[str]] = {}
    but: dict[str, frozenset[str]] = {}
    rest: set[Formula] = set()
    for each in found:
        if isinstance(each, Among):
            kept = among.get(each.what)
            values = each.values
            if kept is not None:
                values = kept & values if join is All else kept | values
            among[each.what] = values
        elif isinstance(each, Not) and isinstance(each.of, Among):
            kept = but.get(each.of.what)
            values = each.of.values
            if kept is not None:
                values = kept | values if join is All else kept & values
            but[each.of.what] = values
        else:
            rest.add(each)
    for what in among.keys() & but.keys():
        if join is All:
            among[what] -= but.pop(what)
        else:
            but[what] -= among.pop(what)
    if join is All and not all(among.values()):
        return None
    if join is Any and not all(but.values()):
        return None
    rest |= {Among(what, values) for what, values in among.items() if values}
    rest |= {Not(Among(what, values)) for what, values in but.items() if values}
    return rest
