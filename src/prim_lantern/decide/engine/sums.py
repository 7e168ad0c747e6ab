"""Rows of numbers told apart, gathered and summed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.int64]


def distinct_rows(columns: Sequence[NDArray[Any]]) -> tuple[list[tuple[int, ...]], Numbers]:
    """The distinct rows of some columns, in order, and which of them each row is."""
    joined = columns[0].astype(np.int64)
    for each in columns[1:]:
        joined = joined * (int(each.max(initial=0)) + 1) + each
    _, first, which = np.unique(joined, return_index=True, return_inverse=True)
    rows = zip(*(column[first].tolist() for column in columns), strict=True)
    return list(rows), which


def groups_of(which: Numbers, count: int) -> Iterable[tuple[int, Numbers]]:
    """For each number, where it stands."""
    order = np.argsort(which, kind="stable")
    starts = np.searchsorted(which[order], np.arange(count + 1))
    for number in range(count):
        yield number, order[starts[number] : starts[number + 1]]


def sums(values: Numbers, sizes: Numbers) -> Numbers:
    """The sum of each run of values."""
    sums = np.concatenate([[0], np.cumsum(values)])
    ends = np.cumsum(sizes)
    found: Numbers = sums[ends] - sums[ends - sizes]
    return found


def sums_by(which: Numbers, values: Numbers, count: int) -> Numbers:
    """The sum of the values of each number."""
    found: Numbers = np.zeros(count, dtype=np.int64)
    np.add.at(found, which, values)
    return found
