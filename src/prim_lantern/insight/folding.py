"""Many items told as few places: whole sections where everything in them is meant."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.site.data import SiteData


class Spot(NamedTuple):
    """A path, or a section of which all is meant (`whole`), with how many items that are; `first`
    is the path of one of them. The section of everything is called "site"."""

    where: str
    items: int
    whole: bool
    first: str

    def __str__(self) -> str:
        if not self.whole:
            return self.where
        if self.where == "site":
            return f"the whole site ({self.items:,} items)"
        return f"{self.where} and below ({self.items:,} items)"


class Folding:
    """The tree of a site, made ready to tell items as places."""

    def __init__(self, data: SiteData) -> None:
        tree = data.tree
        self._rows = np.fromiter(tree.rows, np.int64, len(tree))
        self._order = list(tree)
        self._index = data.content.index
        # where what is below each item ends, in tree order
        ends = [len(self._order)] * len(self._order)
        open_items: list[int] = []
        for number, path in enumerate(self._order):
            while open_items and not path.startswith(self._below(open_items[-1])):
                ends[open_items.pop()] = number
            open_items.append(number)
        self._ends = ends

    @classmethod
    def of(cls, engine: Engine) -> Folding:
        """That of an engine's site, made once."""
        return engine.beside(_of_engine)

    def _below(self, number: int) -> str:
        path = self._order[number]
        return "/" if path == "/" else f"{path}/"

    def of_paths(self, paths: Collection[str]) -> tuple[Spot, ...]:
        """Some paths as the fewest places, from broad to narrow."""
        flags = np.zeros(len(self._index), np.bool_)
        for path in paths:
            flags[self._index[path]] = True
        return self.of_rows(flags)

    def of_rows(self, flags: NDArray[np.bool_]) -> tuple[Spot, ...]:
        """The items of some rows of the content as the fewest places, from broad to narrow."""
        before = np.concatenate([np.zeros(1, np.int64), np.cumsum(flags[self._rows])]).tolist()
        return tuple(sorted(self._spots(before), key=lambda each: -each.items))

    def _spots(self, before: list[int]) -> Iterator[Spot]:
        order, waiting = self._order, [("/", 0, len(self._order))]
        while waiting:
            at, start, end = waiting.pop()
            among = before[end] - before[start]
            if not among:
                continue
            if among == end - start > 1:
                where = "site" if at == "/" else at
                yield Spot(where, among, whole=True, first=order[start])
                continue
            if order[start] == at:
                if before[start + 1] > before[start]:
                    yield Spot(at, 1, whole=False, first=at)
                start += 1
            waiting += reversed([*self._steps(at, start, end)])

    def _steps(self, at: str, start: int, end: int) -> Iterator[tuple[str, int, int]]:
        """The paths one step below, each with where it begins and ends."""
        skip = 1 if at == "/" else len(at) + 1
        while start < end:
            path = self._order[start]
            step = path.find("/", skip)
            child = path if step < 0 else path[:step]
            stop = self._ends[start]
            inside = f"{child}/"
            while stop < end and self._order[stop].startswith(inside):  # no page stands there
                stop = self._ends[stop]
            yield child, start, stop
            start = stop


def _of_engine(engine: Engine) -> Folding:
    return Folding(engine.data)
