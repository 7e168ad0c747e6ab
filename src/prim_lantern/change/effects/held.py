"""Which items some places hold: paths with all below them, and categories with all filed there."""

from __future__ import annotations

from collections.abc import Collection

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.subject import with_above
from prim_lantern.site.data import SiteData

_Flags = NDArray[np.bool_]


class Held:
    """The items of a site, made ready to be asked which of them many places hold."""

    def __init__(self, data: SiteData) -> None:
        self._data = data
        self._in_order = np.fromiter(data.tree.rows, np.int64, len(data.tree))
        numbers: dict[tuple[str, ...], int] = {}
        filed = data.content.values_of("categories")
        self._filed = np.fromiter(
            (numbers.setdefault(each, len(numbers)) for each in filed), np.int64, len(filed)
        )
        self._above = [frozenset(with_above(each)) for each in numbers]

    def by(self, spots: Collection[tuple[str, str]]) -> _Flags:
        """Whether the places hold the item of each row; parts are filed as their pages are."""
        size = len(self._in_order)
        ends = np.zeros(size + 1, dtype=np.int64)
        for name in {name for kind, name in spots if kind == "path"}:
            start, end = self._data.tree.within(name)
            ends[start] += 1
            ends[end] -= 1
        found: _Flags = np.zeros(size, dtype=np.bool_)
        found[self._in_order] = np.cumsum(ends)[:size] > 0
        categories = {name for kind, name in spots if kind == "category"}
        if categories:
            wanted = [not categories.isdisjoint(above) for above in self._above]
            there = np.array(wanted, dtype=np.bool_)[self._filed]
            found |= there
            for part, page in self._data.pages.items():
                found[part] |= there[page]
        return found
