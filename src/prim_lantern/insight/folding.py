"""Many items told as few places: whole sections where everything in them is meant."""

from __future__ import annotations

import re
from collections.abc import Collection, Iterable, Sequence
from typing import NamedTuple, overload
from weakref import WeakKeyDictionary

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.site.data import SiteData
from prim_lantern.site.tree import Tree

_STEP = re.compile("/")
_NONE = np.empty(0, np.int64)


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


class Spots(Sequence[Spot]):
    """Places from broad to narrow. There may be a million: those of one item each are made when
    they are looked at."""

    def __init__(
        self,
        wide: Iterable[Spot],
        order: Sequence[str] = (),
        single: NDArray[np.int64] = _NONE,
    ) -> None:
        """Take the sections, and which paths of an order stand alone."""
        self._wide, self._order, self._single = tuple(wide), order, single

    def __len__(self) -> int:
        return len(self._wide) + len(self._single)

    @overload
    def __getitem__(self, at: int) -> Spot: ...
    @overload
    def __getitem__(self, at: slice) -> tuple[Spot, ...]: ...
    def __getitem__(self, at: int | slice) -> Spot | tuple[Spot, ...]:
        if isinstance(at, slice):
            return tuple(self[number] for number in range(*at.indices(len(self))))
        number = range(len(self))[at]
        if number < len(self._wide):
            return self._wide[number]
        path = self._order[self._single[number - len(self._wide)]]
        return Spot(path, 1, whole=False, first=path)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and tuple(self) == tuple(other)

    def __hash__(self) -> int:
        return hash((len(self), *self[:1]))

    def __repr__(self) -> str:
        return f"<Spots: {len(self):,}, the broadest {self[0]}>" if self else "<Spots: none>"


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
        """That of an engine's site, made once as long as the same items stand in it."""
        found = _MADE.get(engine.data.tree)
        if found is None:
            found = _MADE[engine.data.tree] = cls(engine.data)
        return found

    def of_paths(self, paths: Collection[str]) -> Spots:
        """Some paths as the fewest places, from broad to narrow."""
        flags = np.zeros(len(self._index), np.bool_)
        for path in paths:
            flags[self._index[path]] = True
        return self.of_rows(flags)

    def of_rows(self, flags: NDArray[np.bool_]) -> Spots:
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
        wide = [
            Spot(self._sections[at], size, whole=True, first=order[start])
            for at, size, start in zip(
                topmost.tolist(),
                sizes[topmost].tolist(),
                self._starts[topmost].tolist(),
                strict=True,
            )
        ]
        wide.sort(key=lambda each: -each.items)
        return Spots(wide, order, single)


class _Sections:
    """The paths with something below them, in tree order: from which number in that order to
    which each reaches, and which stands above it (-1: none). Also where no page stands, and the
    section of everything."""

    def __init__(self, order: list[str]) -> None:
        self.paths, self.starts, self.ends, self.above = ["site"], [0], [len(order)], [-1]
        waiting, inside = [0], ["/"]  # the open ones, and what the paths in each begin with
        for number, (path, following) in enumerate(zip(order, [*order[1:], ""], strict=True)):
            while not path.startswith(inside[-1]):
                self.ends[waiting.pop()] = number
                inside.pop()
            size, start = len(path), len(inside[-1])
            heads = following[size : size + 1] == "/" and following.startswith(path)
            if path == "/" or not (heads or "/" in path[start:]):
                continue  # a page alone: most are
            steps = [each.start() for each in _STEP.finditer(path, start)]
            for step in [*steps, size] if heads else steps:
                self.paths.append(path[:step])
                self.starts.append(number)
                self.ends.append(len(order))
                self.above.append(waiting[-1])
                waiting.append(len(self.paths) - 1)
                inside.append(f"{path[:step]}/")


_MADE: WeakKeyDictionary[Tree, Folding] = WeakKeyDictionary()
