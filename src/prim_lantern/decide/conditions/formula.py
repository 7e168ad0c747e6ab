"""Formulas about one item: of what is said of it, by and, or, not."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable
from typing import Final, NamedTuple


class Among(NamedTuple):
    """The kind, the state, … of the item is one of some. `what` is "kind", "page kind" (that of the
    page of a part), "state", or "page" (the path of the page of a part)."""

    what: str
    values: frozenset[str]


class Filed(NamedTuple):
    """It is filed under one of some categories, or under one below them."""

    categories: frozenset[str]


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
    found = _factored(
        {each for each in found if not (isinstance(each, other) and found & each.of)}, join, other
    )
    if len(found) < 2:
        return next(iter(found), if_none)
    return join(frozenset(found))


def _factored(found: set[Formula], join: type[All | Any], other: type[All | Any]) -> set[Formula]:
    """The same with what several share said once: (a or b) and (a or c) is a or (b and c)."""
    inner: list[All | Any] = [each for each in found if isinstance(each, other)]
    if len(inner) < 2:
        return found
    counts = Counter(part for each in inner for part in each.of)
    most, times = max(counts.items(), key=lambda counted: (counted[1], repr(counted[0])))
    if times < 2:
        return found
    sharing: list[All | Any] = [each for each in inner if most in each.of]
    rests = (_joined(each.of.difference({most}), other, if_none=other is All) for each in sharing)
    one = _joined((most, _joined(rests, join, if_none=join is All)), other, if_none=other is All)
    kept = {each for each in found if each not in sharing}
    return _factored({*kept, one}, join, other)


class _Values:
    """What is said of the kind, the state and the categories in several formulas at once."""

    def __init__(self, join: type[All | Any]) -> None:
        self._join = join
        self.among: dict[str, frozenset[str]] = {}
        self.but: dict[str, frozenset[str]] = {}
        self.filed: frozenset[str] = frozenset()
        self.rest: set[Formula] = set()

    def add(self, each: Formula) -> None:
        """Take one more."""
        meet = self._join is All
        inner = each.of if isinstance(each, Not) else each
        if isinstance(inner, Filed) and meet == isinstance(each, Not):
            self.filed |= inner.categories
        elif isinstance(each, Among):
            self._take(self.among, each, meet=meet)
        elif isinstance(inner, Among):
            self._take(self.but, inner, meet=not meet)
        else:
            self.rest.add(each)

    @staticmethod
    def _take(into: dict[str, frozenset[str]], one: Among, *, meet: bool) -> None:
        kept = into.get(one.what, one.values)
        into[one.what] = kept & one.values if meet else kept | one.values


def _values_of(found: set[Formula], join: type[All | Any]) -> set[Formula] | None:
    """The same with one set of values for each thing of which several are said; None where no value
    fits all (or, of one or another, where every value fits)."""
    values = _Values(join)
    for each in found:
        values.add(each)
    among, but, rest = values.among, values.but, values.rest
    for what in among.keys() & but.keys():
        if join is All:
            among[what] -= but.pop(what)
        else:
            but[what] -= among.pop(what)
    if not all((among if join is All else but).values()):
        return None
    if values.filed:
        some = Filed(values.filed)
        rest.add(some if join is Any else Not(some))
    rest |= {Among(what, values) for what, values in among.items() if values}
    rest |= {Not(Among(what, values)) for what, values in but.items() if values}
    return rest
