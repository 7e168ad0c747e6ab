"""The tree that the paths of a site make."""

from __future__ import annotations

from array import array
from bisect import bisect_left
from collections.abc import Iterator, Mapping, Sequence
from itertools import pairwise

from prim_lantern.site.columns import Moved

# Sorts before every letter that a path can hold, so that what is below a path follows it.
_STEP, _AFTER_STEP = "\x00", "\x01"


def _key(path: str) -> str:
    return "" if path == "/" else path.replace("/", _STEP)


class Tree:
    """Rows of items in tree order: each path right before what is below it.

    `rows` has the number of the item's row by its place in that order.
    """

    def __init__(self, paths: Sequence[str], index: Mapping[str, int]) -> None:
        self._paths = paths
        self._index = index
        keys = list(map(_key, paths))
        in_order = all(a < b for a, b in pairwise(keys))
        self.rows: Sequence[int] = (
            range(len(paths))
            if in_order
            else array("i", sorted(range(len(paths)), key=keys.__getitem__))
        )

    def after(self, paths: Sequence[str], index: Mapping[str, int], moved: Moved) -> Tree:
        """The tree of paths of which few came, and any went."""
        found = object.__new__(Tree)
        found._paths, found._index = paths, index
        rows = array("i", self.rows)
        if moved.gone:
            import numpy as np

            kept = np.frombuffer(rows, dtype=np.int32)
            kept = kept[~np.isin(kept, moved.gone)]
            kept = kept - np.searchsorted(moved.gone, kept).astype(np.int32)
            rows = array("i", kept.astype(np.int32).tobytes())
        found.rows = rows
        for row in moved.new:
            rows.insert(found._at(_key(paths[row])), row)
        return found

    def __iter__(self) -> Iterator[str]:
        return map(self._paths.__getitem__, self.rows)

    def __len__(self) -> int:
        return len(self.rows)

    def _at(self, key: str, start: int = 0) -> int:
        """The place of the first path that does not sort before a key."""
        return bisect_left(self.rows, key, lo=start, key=lambda row: _key(self._paths[row]))

    def within(self, path: str) -> tuple[int, int]:
        """Where what is at or below a path begins and ends."""
        if path == "/":
            return 0, len(self.rows)
        return self._at(_key(path)), self._at(_key(path) + _AFTER_STEP)

    def holds(self, path: str) -> bool:
        """Whether an item stands at a path or below it; the root always counts."""
        start, end = self.within(path)
        return path == "/" or start < end

    def below(self, path: str) -> Iterator[str]:
        """The paths below a path, at any depth."""
        start, end = self.within(path)
        for place in range(start, end):
            found = self._paths[self.rows[place]]
            if found != path:
                yield found

    def steps_below(self, path: str) -> Iterator[str]:
        """The paths one step below a path at or below which items stand."""
        top = "" if path == "/" else path
        place, end = self.within(path)
        while place < end:
            found = self._paths[self.rows[place]]
            if found == path:
                place += 1
                continue
            step = found.find("/", len(top) + 1)
            child = found if step < 0 else found[:step]
            yield child
            place = self._at(_key(child) + _AFTER_STEP, place)

    def sections_from(self, top: str) -> Iterator[str]:
        """A path and every path below it that an item stands at or below, in tree order."""
        if top == "/":
            yield "/"
            return
        waiting = [top]
        while waiting:
            at = waiting.pop()
            yield at
            waiting += reversed([*self.steps_below(at)])

    def sections(self) -> Iterator[str]:
        """Every path that an item stands at or below, in tree order; the root always."""
        yield "/"
        way: list[str] = []
        for path in self:
            while way and not (path == way[-1] or path.startswith(way[-1] + "/")):
                way.pop()
            start = len(way[-1]) if way else 0
            while path != "/" and start < len(path):
                step = path.find("/", start + 1)
                start = len(path) if step < 0 else step
                way.append(path[:start])
                yield way[-1]
