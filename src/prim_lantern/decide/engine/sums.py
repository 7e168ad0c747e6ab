"""Rows of numbers told apart, gathered and summed."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.int64]
_AT_HAND: Final = 4  # how much longer than what is looked at a table of all may be


def distinct(numbers: NDArray[Any], below: int) -> tuple[Numbers, Numbers]:
    """The distinct ones of some numbers below another, in order, and which of them each is.

    >>> [each.tolist() for each in distinct(np.array([3, 1, 3]), 5)]
    [[1, 3], [1, 0, 1]]
    """
    if below > _AT_HAND * len(numbers):
        found, which = np.unique(numbers, return_inverse=True)
        return found, which
    there = np.zeros(below, dtype=np.bool_)  # quicker than putting them in order
    there[numbers] = True
    return np.flatnonzero(there), (np.cumsum(there) - 1).take(numbers)


def counted(numbers: Numbers, below: int) -> tuple[Numbers, Numbers]:
    """The distinct ones of some numbers below another, in order, and how often each is there.

    >>> [each.tolist() for each in counted(np.array([3, 1, 3]), 5)]
    [[1, 3], [1, 2]]
    """
    if below > _AT_HAND * len(numbers):
        found, counts = np.unique(numbers, return_counts=True)
        return found, counts
    counts = np.bincount(numbers, minlength=below)
    found = np.flatnonzero(counts)
    return found, counts.take(found)


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


def padded(rows: Sequence[Numbers]) -> Numbers:
    """Rows as one array: the shorter ones are filled up with 0.

    >>> padded([np.array([1, 2]), np.array([3])]).tolist()
    [[1, 2], [3, 0]]
    """
    found: Numbers = np.zeros((len(rows), max(map(len, rows), default=0)), dtype=np.int64)
    for row, each in zip(found, rows, strict=True):
        row[: len(each)] = each
    return found
