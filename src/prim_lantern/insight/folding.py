"""Many paths told as few places: whole sections where everything in them is meant."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from typing import NamedTuple

import numpy as np

from prim_lantern.site.tree import Tree


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


def folded(tree: Tree, paths: Collection[str]) -> list[Spot]:
    """Some paths of a tree as the fewest places, from broad to narrow."""
    wanted = paths if isinstance(paths, (set, frozenset)) else set(paths)
    order = list(tree)
    flags = np.fromiter((path in wanted for path in order), np.int64, len(order))
    before = np.concatenate([np.zeros(1, np.int64), np.cumsum(flags)])
    found = list(_spots(tree, order, before.tolist()))
    return sorted(found, key=lambda each: -each.items)


def _spots(tree: Tree, order: list[str], before: list[int]) -> Iterator[Spot]:
    waiting = ["/"]
    while waiting:
        at = waiting.pop()
        start, end = tree.within(at)
        among, there = before[end] - before[start], end - start
        if not among:
            continue
        if among == there and there > 1:
            yield Spot("site" if at == "/" else at, there, whole=True, first=order[start])
            continue
        if order[start] == at and before[start + 1] > before[start]:
            yield Spot(at, 1, whole=False, first=at)
            if among == 1:
                continue
        waiting += reversed([*tree.steps_below(at)])
