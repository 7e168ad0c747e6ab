"""Everybody's answer in every situation, one by one but in arrays: for where these are few."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.counting.tally import Told
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Answers, Numbers, Population
from prim_lantern.decide.engine.programs import FILED, MORE, WAY, Program
from prim_lantern.decide.engine.sums import distinct_rows

Codes = NDArray[np.int32]

MOST: Final = 40_000_000  # pairs of a person and a situation: more are counted together
_AT_ONCE: Final = 2_000_000
_TABLE: Final = 50_000_000  # combinations for which there is a table
_FEW_PEOPLE: Final = 100  # for whom a program is asked one by one


class _Said(NamedTuple):
    """What is said to everybody, a row each: small numbers, and the keys that these stand for."""

    numbers: Codes
    keys: list[int]


class EveryPair:
    """Some people, and what programs say to each of them."""

    def __init__(self, population: Population) -> None:
        self.population = population
        self._known: dict[int, tuple[Program, Codes]] = {}

    def changes(self, plans: Sequence[Plan], told: Told) -> tuple[Numbers, Numbers]:
        """How many may by the second plan and not by the first, in each situation; and how many the
        other way round."""
        gained, lost = (np.zeros(len(told.way_at), dtype=np.int64) for _ in range(2))
        rows = max(1, _AT_ONCE // self.population.size)
        looks = [self._looks(plan, told, number) for number, plan in enumerate(plans)]
        for start in range(0, len(gained), rows):
            some = slice(start, start + rows)
            was, now = (look(some) for look in looks)
            gained[some] = (now & ~was).sum(axis=1)
            lost[some] = (was & ~now).sum(axis=1)
        return gained, lost

    def _looks(self, plan: Plan, told: Told, number: int) -> _Look:
        pairs, pair_at = distinct_rows([told.filed_at, told.more_at])
        programs = [plan.programs(each[number]) for each in told.ways]
        filed = [plan.filed_program(each[number]) if each[number] else None for each in told.filed]
        both = np.array(pairs, dtype=np.int64)
        on_way = _joined(
            self._said(site for site, _ in programs), self._said(way for _, way in programs), WAY
        )
        of_root = self._said(filed)
        one, two = (_Said(of_root.numbers[both[:, at]], of_root.keys) for at in (0, 1))
        return _Look(plan, on_way, told.way_at, _joined(one, two, MORE - FILED), pair_at)

    def _said(self, programs: Any) -> _Said:
        """What some programs say; nothing, where there is none."""
        return _compact(np.stack([self._codes(each) for each in programs]))

    def _codes(self, program: Program | None) -> Codes:
        if program is None:
            return np.zeros(self.population.size, dtype=np.int32)
        found = self._known.get(id(program))
        if found is None:
            found = self._known[id(program)] = program, self._spread(program)
        return found[1]

    def _spread(self, program: Program) -> Codes:
        masks, asks = self.population.masks, program.asks
        if len(masks) <= _FEW_PEOPLE:
            return np.array([program[mask & asks] for mask in masks], dtype=np.int32)
        return self.population.dense(self.population.spread(program)).astype(np.int32)


class _Look:
    """The answers of one plan, for some situations at a time."""

    def __init__(
        self, plan: Plan, on_way: _Said, way_at: Numbers, filed: _Said, filed_at: Numbers
    ) -> None:
        self._plan = plan
        self._on_way, self._way_at = on_way, way_at
        self._filed, self._filed_at = filed, filed_at
        size = len(on_way.keys) * len(filed.keys)
        self._table = np.zeros(size if size <= _TABLE else 0, dtype=np.bool_)
        self._known = np.zeros(len(self._table), dtype=np.bool_)

    def __call__(self, some: slice) -> Answers:
        """Whether each may, a row for each situation."""
        of_way = self._on_way.numbers[self._way_at[some]].astype(np.int64)
        place = of_way * len(self._filed.keys) + self._filed.numbers[self._filed_at[some]]
        if not len(self._table):
            distinct, which = np.unique(place, return_inverse=True)
            said = np.array([self._may(each) for each in distinct.tolist()], dtype=np.bool_)
            found: Answers = said[which.reshape(place.shape)]
            return found
        asked = np.zeros(len(self._table), dtype=np.bool_)
        asked[place] = True
        for each in np.flatnonzero(asked & ~self._known).tolist():
            self._table[each] = self._may(each)
        self._known |= asked
        answers: Answers = self._table[place]
        return answers

    def _may(self, place: int) -> bool:
        way, filed = divmod(place, len(self._filed.keys))
        key = self._on_way.keys[way] | self._filed.keys[filed] << FILED
        return bool(self._plan.answers[key] == YES)


def _compact(codes: NDArray[Any]) -> _Said:
    """The same by numbers from 0 on without gaps."""
    if codes.max(initial=0) > _TABLE:
        known, found = np.unique(codes, return_inverse=True)
        return _Said(found.reshape(codes.shape).astype(np.int32), known.tolist())
    seen = np.zeros(int(codes.max(initial=0)) + 1, dtype=np.bool_)
    seen[codes] = True
    keys = np.flatnonzero(seen)
    numbers = np.zeros(len(seen), dtype=np.int32)
    numbers[keys] = np.arange(len(keys))
    return _Said(numbers[codes], keys.tolist())


def _joined(low: _Said, high: _Said, shift: int) -> _Said:
    """What two say together, row by row; the keys of the second stand further up."""
    both = _compact(low.numbers.astype(np.int64) * len(high.keys) + high.numbers)
    parts: Iterator[tuple[int, int]] = (divmod(each, len(high.keys)) for each in both.keys)
    return _Said(both.numbers, [low.keys[one] | high.keys[two] << shift for one, two in parts])
