"""What a combination of codes counts for: what the way says, and up to two roots of categories."""

from __future__ import annotations

from collections.abc import Callable, Sequence, Sized
from typing import Any, Final

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Numbers
from prim_lantern.decide.engine.programs import FILED, WAY

_UNKNOWN: Final = np.iinfo(np.int64).min
_ROOM: Final = 64  # for so many numbers there is room in a table at first

Said = tuple[int, ...]
"""A code for each of several plans."""


class Table:
    """Numbers by two small numbers, found out as they are asked for.

    `rows` and `columns` are what these are numbers of.
    """

    def __init__(self, tell: Callable[[int, int], int], rows: Sized, columns: Sized) -> None:
        self._tell, self._rows, self._columns = tell, rows, columns
        self._table = np.full((_ROOM, _ROOM), _UNKNOWN, dtype=np.int64)
        self._flat = self._table.reshape(-1)

    def of(self, one: Any, two: Any) -> NDArray[np.int64]:
        """The numbers for two arrays or numbers, which broadcast."""
        rows, columns = self._table.shape
        if len(self._rows) > rows or len(self._columns) > columns:
            self._make_room()
        place = np.asarray(one) * self._table.shape[1] + two
        found: NDArray[np.int64] = self._flat.take(place)
        if found.min(initial=0) == _UNKNOWN:
            self._find_out(np.unique(place[found == _UNKNOWN]))
            found = self._flat.take(place)
        return found

    def _find_out(self, places: Numbers) -> None:
        room = self._table.shape[1]
        for place in places.tolist():
            one, two = divmod(place, room)
            self._table[one, two] = self._tell(one, two)

    def _make_room(self) -> None:
        old = self._table
        rows, columns = max(old.shape[0], 2 * len(self._rows)), old.shape[1]
        columns = max(columns, 2 * len(self._columns))
        self._table = np.full((rows, columns), _UNKNOWN, dtype=np.int64)
        self._table[: old.shape[0], : old.shape[1]] = old
        self._flat = self._table.reshape(-1)


class Worth:
    """Small numbers for what is said to somebody in one or more plans at once, and what they count
    for together.

    `value` says what an answer of all plans (YES, NO or SILENT each) counts for.
    """

    def __init__(self, plans: Sequence[Plan], value: Callable[[Said], int]) -> None:
        self._plans = plans
        self._value = value
        self._ways: Numbered[Said] = Numbered()
        self._filed = Numbered((0,) * len(plans))
        self._together = Table(self._roots_together, self._filed, self._filed)
        self._values = Table(self._valued, self._ways, self._filed)

    def way_number(self, site: Said, way: Said) -> int:
        """The number of what the site and the way say."""
        keys = (one | two << WAY for one, two in zip(site, way, strict=True))
        return self._ways.number_of(tuple(keys))

    def filed_number(self, codes: Said) -> int:
        """The number of what a root of categories says."""
        return self._filed.number_of(codes)

    @property
    def ways(self) -> int:
        """How many numbers of ways there are."""
        return len(self._ways)

    def together(self, filed: Any, more: Any) -> NDArray[np.int64]:
        """The numbers of what two roots of categories say together, as if one root said it all."""
        return self._together.of(filed, more)

    def of(self, way: Any, filed: Any) -> NDArray[np.int64]:
        """The value for numbers of the way and of a root of categories."""
        return self._values.of(way, filed)

    def _roots_together(self, one: int, two: int) -> int:
        pairs = zip(self._plans, self._filed[one], self._filed[two], strict=True)
        return self.filed_number(
            tuple(plan.together([code for code in both if code]) for plan, *both in pairs)
        )

    def _valued(self, way: int, filed: int) -> int:
        keys = zip(self._plans, self._ways[way], self._filed[filed], strict=True)
        return self._value(tuple(plan.answers[key | code << FILED] for plan, key, code in keys))
