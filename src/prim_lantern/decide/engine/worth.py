"""What a combination of codes counts for: what the way says, and up to two roots of categories."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Numbers
from prim_lantern.decide.engine.programs import FILED, MORE

_UNKNOWN = np.iinfo(np.int64).min
_ROOM = 64  # codes that the table of values has room for at first


class Worth:
    """Small numbers for what is said to somebody in one or more plans at once, and a table of what
    they count for together, which is filled as it is asked.

    `value` says what an answer of all plans (YES, NO or SILENT each) counts for.
    """

    def __init__(self, plans: Sequence[Plan], value: Callable[[tuple[int, ...]], int]) -> None:
        self._plans = plans
        self._value = value
        self._ways: dict[tuple[int, ...], int] = {}
        self._filed: dict[tuple[int, ...], int] = {(0,) * len(plans): 0}
        self._table = np.full((_ROOM, _ROOM, _ROOM), _UNKNOWN, dtype=np.int64)

    def way_number(self, keys: tuple[int, ...]) -> int:
        """The number of what the site and the way say, in the key of each plan."""
        return self._ways.setdefault(keys, len(self._ways))

    def filed_number(self, codes: tuple[int, ...]) -> int:
        """The number of what a root of categories says, in the code of each plan."""
        return self._filed.setdefault(codes, len(self._filed))

    @property
    def ways(self) -> int:
        """How many numbers of ways there are."""
        return len(self._ways)

    def of(self, way: Any, filed: Any, more: Any) -> NDArray[np.int64]:
        """The value for numbers of the way and of both roots of categories, which broadcast."""
        if len(self._ways) > len(self._table) or len(self._filed) > self._table.shape[1]:
            self._make_room()
        room = self._table.shape[1]
        place = (way * room + filed) * room + more
        found = self._table.reshape(-1).take(place)
        if found.min(initial=0) == _UNKNOWN:
            self._find_out(np.unique(place[found == _UNKNOWN]))
            found = self._table.reshape(-1).take(place)
        worth: NDArray[np.int64] = found
        return worth

    def _find_out(self, places: Numbers) -> None:
        ways, codes, room = list(self._ways), list(self._filed), self._table.shape[1]
        for place in places.tolist():
            rest, three = divmod(place, room)
            one, two = divmod(rest, room)
            answers = (
                plan.answers[key | first << FILED | second << MORE]
                for plan, key, first, second in zip(
                    self._plans, ways[one], codes[two], codes[three], strict=True
                )
            )
            self._table[one, two, three] = self._value(tuple(answers))

    def _make_room(self) -> None:
        old = self._table
        ways = max(old.shape[0], 2 * len(self._ways))
        filed = max(old.shape[1], 2 * len(self._filed))
        self._table = np.full((ways, filed, filed), _UNKNOWN, dtype=np.int64)
        self._table[: old.shape[0], : old.shape[1], : old.shape[2]] = old
