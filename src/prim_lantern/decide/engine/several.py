"""Short rows of numbers, each as long as it is, as arrays."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from itertools import chain
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

Numbers = NDArray[np.int64]


class Several(NamedTuple):
    """Rows of numbers: those of all, one row after the other; how many each has; and of each
    number, whose it is."""

    values: Numbers
    counts: Numbers
    owners: Numbers

    @classmethod
    def of(cls, values: Numbers, counts: Numbers) -> Several:
        """Rows by their values and how many each has."""
        return cls(values, counts, np.repeat(np.arange(len(counts)), counts))

    @classmethod
    def from_rows(cls, rows: Iterable[Sequence[int]]) -> Several:
        """The same from tuples and the like.

        >>> Several.from_rows([(7, 8), (), (7,)]).some(np.array([2, 0])).values.tolist()
        [7, 7, 8]
        """
        rows = list(rows)
        values = np.fromiter(chain.from_iterable(rows), np.int64)
        return cls.of(values, np.fromiter(map(len, rows), np.int64, len(rows)))

    def some(self, at: Numbers) -> Several:
        """Some of the rows."""
        counts = self.counts[at]
        starts = (np.cumsum(self.counts) - self.counts)[at]
        owners = np.repeat(np.arange(len(at)), counts)
        within = np.arange(len(owners)) - (np.cumsum(counts) - counts)[owners]
        return Several(self.values[starts[owners] + within], counts, owners)

    def only(self, wanted: NDArray[np.bool_]) -> Several:
        """All rows, each with those of its numbers alone that are wanted."""
        owners = self.owners[wanted]
        counts = np.bincount(owners, minlength=len(self.counts))
        return Several(self.values[wanted], counts, owners)

    def alike(self) -> Numbers:
        """A number for each row; rows that are equal share it.

        >>> Several.from_rows([(7, 8), (), (7,), (7, 8)]).alike().tolist()
        [2, 0, 1, 2]
        """
        found = np.zeros(len(self.counts), dtype=np.int64)
        starts = np.cumsum(self.counts) - self.counts
        values = int(self.values.max(initial=0)) + 1
        longer, taken = np.flatnonzero(self.counts), 1
        step = 0
        while len(longer):  # what begins alike, and goes on alike, is alike
            both = found[longer] * values + self.values[starts[longer] + step]
            distinct, which = np.unique(both, return_inverse=True)
            found[longer] = taken + which
            taken += len(distinct)
            step += 1
            longer = longer[self.counts[longer] > step]
        return found

    def listed(self, at: Numbers) -> list[list[int]]:
        """Some of the rows, as lists.

        >>> Several.from_rows([(7, 8), (), (7,)]).listed(np.array([2, 1]))
        [[7], []]
        """
        values, ends = self.values.tolist(), np.cumsum(self.counts)
        starts = ends - self.counts
        spans = zip(starts[at].tolist(), ends[at].tolist(), strict=True)
        return [values[start:end] for start, end in spans]
