"""Many items told as few places: whole sections where everything in them is meant."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.site.data import SiteData

_STEP = re.compile("/")


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
        self._index = data.content.index
        self._order = list(tree)
        sections = _Sections(self._order)
        self._sections = sections.paths
        self._starts = np.array(sections.starts, np.int64)
        self._ends = np.array(sections.ends, np.int64)
        self._above = np.array(sections.above, np.int64)

    @classmethod
    def of(cls, engine: Engine) -> Folding:
        """That of an engine's site, made once."""
        return engine.beside(_of_engine)

    def of_paths(self, paths: Collection[str]) -> tuple[Spot, ...]:
        """Some paths as the fewest places, from broad to narrow."""
        flags = np.zeros(len(self._index), np.bool_)
        for path in paths:
            flags[self._index[path]] = True
        return self.of_rows(flags)

    def of_rows(self, flags: NDArray[np.bool_]) -> tuple[Spot, ...]:
        """The items of some rows of the content as the fewest places, from broad to narrow."""
        meant = flags[self._rows]
        before = np.concatenate([np.zeros(1, np.int64), np.cumsum(meant)])
        sizes = self._ends - self._starts
        whole = (before[self._ends] - before[self._starts] == sizes) & (sizes > 1)
        topmost = np.flatnonzero(whole & ~(whole[self._above] & (self._above >= 0)))
        inside = np.zeros(len(meant) + 1, np.int64)  # of how many of those each item is one
        np.add.at(inside, self._starts[topmost], 1)
        np.add.at(inside, self._ends[topmost], -1)
        single = np.flatnonzero(meant & (np.cumsum(inside)[:-1] == 0))
        order = self._order
        spots = [
            Spot(self._sections[at], size, whole=True, first=order[start])
            for at, size, start in zip(
                topmost.tolist(),
                sizes[topmost].tolist(),
                self._starts[topmost].tolist(),
                strict=True,
            )
        ]
        spots.sort(key=lambda each: -each.items)
        found = (order[number] for number in single.tolist())
        return *spots, *(Spot(path, 1, whole=False, first=path) for path in found)


class _Sections:
    """The paths with something below them, in tree order: from which number in that order to
    which each reaches, and which stands above it (-1: none). Also where no page stands, and the
    section of everything."""

    def __init__(self, order: list[str]) -> None:
        self.paths, self.starts, self.ends, self.above = ["site"], [0], [len(order)], [-1]
        names, waiting = [""], [0]  # the path of each without a slash at the end; the open ones
        for number, path in enumerate(order):
            while not path.startswith(f"{names[waiting[-1]]}/"):
                self.ends[waiting.pop()] = number
            at, below = names[waiting[-1]], order[number + 1 : number + 2]
            # every step of the way down to it, and itself where the next is below it
            steps = [m.start() for m in _STEP.finditer(path, len(at) + 1)] if path != "/" else []
            if below and path != "/" and below[0].startswith(f"{path}/"):
                steps.append(len(path))
            for step in steps:
                names.append(path[:step])
                self.paths.append(path[:step])
                self.starts.append(number)
                self.ends.append(len(order))
                self.above.append(waiting[-1])
                waiting.append(len(names) - 1)


def _of_engine(engine: Engine) -> Folding:
    return Folding(engine.data)
