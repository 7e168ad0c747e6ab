"""The places of all classes: those on the ways of items, and their categories."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Hashable, Sequence
from threading import RLock
from typing import Any, Final

from prim_lantern.decide.engine.asked import Filed, FiledCase, ItemClass, Joined
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.rights import Spot

# Where a place stands, seen from an item: what holds on the item alone, and what below it alone,
# tells these apart.
_ABOVE, _OWN, _CATEGORY = range(3)

Stands = tuple[tuple[int, ...], int]
"""The numbers of the places at which a class stands, the nearest first, and that of its case."""


class ClassPlaces:
    """The places of the classes of a ground; it grows as the ground does.

    `at` has the places by their numbers, each with the side on which it stands; `cases` have all
    else that words may ask of a class. `kept` is what engines that follow one another know of it.
    """

    def __init__(self, classes: Sequence[ItemClass], filed: Sequence[Filed | Joined]) -> None:
        self.at: Numbered[tuple[Spot, int]] = Numbered()
        self.cases: Numbered[FiledCase] = Numbered()
        self.kept: dict[Hashable, Any] = {}
        self._known: dict[Hashable, tuple[int, ...]] = {}
        self.ways = Growing(classes, self._of_way)
        self.filed = Growing(filed, self._of_categories)

    def _of_way(self, item: ItemClass) -> Stands:
        case = FiledCase(item.kinds, item.state, allows=True, page_kinds=item.page_kinds)
        key = item.chain, item.own, item.filed
        found = self._known.get(key)
        if found is None:
            number = self.at.number_of
            sides = (_OWN if at < item.own else _ABOVE for at in range(len(item.chain)))
            paths = zip(item.chain, sides, strict=True)
            found = self._known[key] = (
                *(number((("path", path), side)) for path, side in paths),
                *self._numbers_of(item.filed or frozenset()),
            )
        return found, self.cases.number_of(case)

    def _of_categories(self, filed: Filed | Joined) -> Stands:
        if isinstance(filed, Joined):
            return _NOWHERE
        categories, case = filed
        found = self._known.get(categories)
        if found is None:
            found = self._known[categories] = self._numbers_of(categories)
        return found, self.cases.number_of(case)

    def _numbers_of(self, categories: frozenset[str]) -> tuple[int, ...]:
        number = self.at.number_of
        return tuple(number((("category", each), _CATEGORY)) for each in sorted(categories))


class Growing:
    """Where each of some classes stands, found for new ones when it is asked."""

    def __init__(self, classes: Sequence[Any], find: Callable[[Any], Stands]) -> None:
        self._classes, self._find = classes, find
        self._found: list[Stands] = []
        self._places, self._counts, self._cases = array("q"), array("q"), array("q")
        self._lock = RLock()

    def __getitem__(self, number: int) -> Stands:
        if number >= len(self._found):
            self._grow()
        return self._found[number]

    def laid_out(self) -> tuple[array[int], array[int], array[int]]:
        """The places of all, one class after the other; how many each has; and their cases."""
        with self._lock:  # all three of as many
            self._grow()
            return self._places[:], self._counts[:], self._cases[:]

    def _grow(self) -> None:
        with self._lock:
            for each in self._classes[len(self._found) :]:
                places, case = self._find(each)
                self._places.extend(places)
                self._counts.append(len(places))
                self._cases.append(case)
                self._found.append((places, case))


_NOWHERE: Final[Stands] = ((), 0)
