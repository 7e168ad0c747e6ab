"""The places of all classes as arrays: those on the ways of items, and their categories."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Hashable, Sequence
from threading import RLock
from typing import Any, Final, NamedTuple

import numpy as np

from prim_lantern.decide.engine.asked import Filed, FiledCase, ItemClass, Joined
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.rights import Spot
from prim_lantern.decide.engine.several import Numbers, Several

# Where a place stands, seen from an item: what holds on the item alone, and what below it alone,
# tells these apart.
_ABOVE, _OWN, _CATEGORY = range(3)

_Found = tuple["array[int]", int]


class Standing(NamedTuple):
    """Some classes: their numbers, those of the places at which each stands, the nearest first,
    and those of their cases."""

    classes: Numbers
    places: Several
    cases: Numbers

    def some(self, at: Numbers) -> Standing:
        """Some of them."""
        return Standing(self.classes[at], self.places.some(at), self.cases[at])


class ClassPlaces:
    """The places of the classes of a ground; it grows as the ground does.

    `at` has the places by their numbers, each with the side on which it stands; `cases` have all
    else that words may ask of a class.
    """

    def __init__(self, classes: Sequence[ItemClass], filed: Sequence[Filed | Joined]) -> None:
        self.at: Numbered[tuple[Spot, int]] = Numbered()
        self.cases: Numbered[FiledCase] = Numbered()
        self._known: dict[Hashable, array[int]] = {}
        self._ways = _Growing(classes, self._of_way)
        self._filed = _Growing(filed, self._of_categories)

    def ways(self, numbers: Numbers) -> Standing:
        """Some classes of items."""
        return self._ways.standing(numbers)

    def filed(self, numbers: Numbers) -> Standing:
        """Some classes of categories, none of them joined."""
        return self._filed.standing(numbers)

    def _of_way(self, item: ItemClass) -> _Found:
        case = FiledCase(item.kinds, item.state, allows=True, page_kinds=item.page_kinds)
        key = item.chain, item.own, item.filed
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = array("q")
            for at, path in enumerate(item.chain):
                side = _OWN if at < item.own else _ABOVE
                found.append(self.at.number_of((("path", path), side)))
            found.extend(self._numbers_of(item.filed or frozenset()))
        return found, self.cases.number_of(case)

    def _of_categories(self, filed: Filed | Joined) -> _Found:
        if isinstance(filed, Joined):
            return _NOWHERE, 0
        categories, case = filed
        found = self._known.get(categories)
        if found is None:
            found = self._known[categories] = self._numbers_of(categories)
        return found, self.cases.number_of(case)

    def _numbers_of(self, categories: frozenset[str]) -> array[int]:
        number = self.at.number_of
        return array("q", (number((("category", each), _CATEGORY)) for each in sorted(categories)))


class _Growing:
    """What is known of each of some classes, of new ones where it is asked."""

    def __init__(self, classes: Sequence[Any], find: Callable[[Any], _Found]) -> None:
        self._classes, self._find = classes, find
        self._places, self._counts, self._cases = array("q"), array("q"), array("q")
        self._lock = RLock()

    def standing(self, numbers: Numbers) -> Standing:
        """Some of them, by their numbers."""
        with self._lock:
            for each in self._classes[len(self._cases) :]:
                found, case = self._find(each)
                self._places.extend(found)
                self._counts.append(len(found))
                self._cases.append(case)
            places = Several.of(_copied(self._places), _copied(self._counts))
            cases = _copied(self._cases)
        return Standing(np.arange(len(cases)), places, cases).some(numbers)


def _copied(numbers: array[int]) -> Numbers:
    return np.array(numbers, dtype=np.int64)


_NOWHERE: Final = array("q")
