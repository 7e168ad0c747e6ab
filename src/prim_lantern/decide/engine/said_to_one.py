"""What is said to one person at many classes at once: what is said alike is worked out once."""

from __future__ import annotations

from collections.abc import Callable
from threading import Lock

import numpy as np

from prim_lantern.decide.engine.plan import WAY, Plan, Program
from prim_lantern.decide.engine.population import Numbers

_Programs = tuple[Program, ...]


class SaidToOne:
    """The programs of a plan at some classes of items and of categories, told apart once for all
    people: many classes share them."""

    def __init__(self, plan: Plan, ways: list[int], filed: list[int]) -> None:
        """Take the numbers of the classes; what is asked names places among them."""
        self._ways = _Distinct(len(ways), lambda at: plan.programs(ways[at]) if ways[at] else ())
        self._filed = _Distinct(
            len(filed), lambda at: (plan.filed_program(filed[at]),) if filed[at] else ()
        )

    def on_ways(self, mask: int, places: Numbers) -> Numbers:
        """The part of the key that the site and the way give to a mask; 0 where nothing stands."""

        def code(programs: _Programs) -> int:
            site, way = programs
            return site[mask & site.asks] | way[mask & way.asks] << WAY

        return self._ways.each(places, code)

    def at_categories(self, mask: int, places: Numbers) -> Numbers:
        """What the categories say to a mask; 0 where there are none."""
        return self._filed.each(places, lambda programs: programs[0][mask & programs[0].asks])


class _Distinct:
    """Which of a few things stands at each of many places, found out where it is asked."""

    def __init__(self, size: int, find: Callable[[int], _Programs]) -> None:
        self._find = find
        self._at = np.full(size, -1, dtype=np.int64)
        self._things: list[_Programs] = []
        self._numbers: dict[tuple[int, ...], int] = {}
        self._lock = Lock()

    def each(self, places: Numbers, code: Callable[[_Programs], int]) -> Numbers:
        """The code of what stands at each place; that of nothing is 0."""
        at = self._at[places]
        unknown = places[at < 0]
        if len(unknown):
            with self._lock:  # of several threads each numbers for all
                for place in unknown.tolist():
                    self._at[place] = self._number_of(self._find(place))
            at = self._at[places]
        codes = np.zeros(len(self._things), dtype=np.int64)
        for number in np.flatnonzero(np.bincount(at)).tolist():
            if self._things[number]:
                codes[number] = code(self._things[number])
        return codes[at]

    def _number_of(self, thing: _Programs) -> int:
        key = tuple(each.number for each in thing)
        found = self._numbers.get(key)
        if found is None:
            found = self._numbers[key] = len(self._things)
            self._things.append(thing)
        return found
