"""How many people may do something to how many items, without asking for each pair.

An item's answer follows from three things: what the site and the way say to somebody, and
what each of up to two roots of categories says. Most people are spoken to by none of the
words at a place. So each situation is counted for the most first, and then set right for
the few whom its categories speak to, and for those whom both roots speak to.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.plan import FILED, MORE, WAY, Plan, Program
from prim_lantern.decide.engine.population import Numbers, Population

Codes = NDArray[np.int32]
_ROOM = 64  # codes that the table of values has room for at first


class Places(NamedTuple):
    """Situations to count in: for each of several plans, the classes of each situation.

    `way[k]`, `filed[k]` and `more[k]` belong to plan k; all have one entry a situation.
    """

    way: Sequence[Numbers]
    filed: Sequence[Numbers]
    more: Sequence[Numbers]


class _Said(NamedTuple):
    """What categories say: `base` to most, to `users` something else."""

    base: int
    users: Numbers
    codes: Codes


class _Together(NamedTuple):
    """Programs of several plans as one, with a code of its own for each combination."""

    programs: tuple[Program, ...]
    number: Callable[[tuple[int, ...]], int]

    @property
    def asks(self) -> int:
        found = 0
        for program in self.programs:
            found |= program.asks
        return found

    def code(self, mask: int) -> int:
        return self.number(tuple(each[mask & each.asks] for each in self.programs))


class Tally:
    """Counts over all users for one or more plans at once.

    `value` says what an answer of all plans (YES, NO or SILENT each) counts for.
    """

    def __init__(
        self,
        population: Population,
        plans: Sequence[Plan],
        value: Callable[[tuple[int, ...]], int],
    ) -> None:
        self.population = population
        self.plans = plans
        self._value = value
        self._ways: dict[tuple[int, ...], int] = {}
        self._filed: dict[tuple[int, ...], int] = {(0,) * len(plans): 0}
        self._values = np.full((_ROOM, _ROOM, _ROOM), -1, dtype=np.int64)
        self._of_filed: dict[tuple[int, ...], _Said] = {}
        for plan in plans:
            plan.grow()

    # Codes and values -----------------------------------------------------------------

    def _way_number(self, keys: tuple[int, ...]) -> int:
        return self._ways.setdefault(keys, len(self._ways))

    def _filed_number(self, codes: tuple[int, ...]) -> int:
        return self._filed.setdefault(codes, len(self._filed))

    def _worth(self, way: Any, filed: Any, more: Any) -> NDArray[np.int64]:
        """The value for codes of the way and of both roots of categories, which broadcast."""
        room = self._values.shape
        if len(self._ways) > room[0] or len(self._filed) > room[1]:
            self._make_room()
        found = self._values[way, filed, more]
        if found.min(initial=0) < 0:
            at = np.broadcast_arrays(way, filed, more)
            missing = np.unique(np.stack([each[found < 0] for each in at]), axis=1)
            ways, codes = list(self._ways), list(self._filed)
            for one, two, three in missing.T.tolist():
                answers = (
                    plan.answers[key | first << FILED | second << MORE]
                    for plan, key, first, second in zip(
                        self.plans, ways[one], codes[two], codes[three], strict=True
                    )
                )
                self._values[one, two, three] = self._value(tuple(answers))
            found = self._values[way, filed, more]
        return found

    def _make_room(self) -> None:
        old = self._values
        ways = max(old.shape[0], 2 * len(self._ways))
        filed = max(old.shape[1], 2 * len(self._filed))
        self._values = np.full((ways, filed, filed), -1, dtype=np.int64)
        self._values[: old.shape[0], : old.shape[1], : old.shape[2]] = old

    # What is said to everybody ----------------------------------------------------------

    def way_codes(self, classes: tuple[int, ...]) -> Codes:
        """What the site and the way say to each user, for a class of items."""
        programs = [plan.programs(each) for plan, each in zip(self.plans, classes, strict=True)]
        keys = [self.population.says(site).astype(np.int64) for site, _ in programs]
        spreads = [self.population.spread(way) for _, way in programs]
        for key, spread in zip(keys, spreads, strict=True):
            codes = np.full(len(key), spread.base << WAY, dtype=np.int64)
            codes[spread.users] = spread.codes << WAY
            key |= codes
        return self._numbered(keys)

    def _numbered(self, keys: Sequence[Numbers]) -> Codes:
        """Small numbers for the combinations of keys."""
        joined = keys[0]
        for each in keys[1:]:
            joined = np.unique(joined, return_inverse=True)[1] * (1 << 32) + each
        first, which = np.unique(joined, return_index=True, return_inverse=True)[1:]
        numbers = [self._way_number(tuple(int(k[n]) for k in keys)) for n in first.tolist()]
        return np.array(numbers, dtype=np.int32)[which]

    def filed_said(self, classes: tuple[int, ...]) -> _Said:
        """What one root of categories says; nothing where the classes are 0."""
        found = self._of_filed.get(classes)
        if found is None:
            if not any(classes):
                found = _Said(0, _NOBODY, _NOBODY.astype(np.int32))
            else:
                programs = tuple(
                    plan.filed_program(each)
                    for plan, each in zip(self.plans, classes, strict=True)
                )
                spread = self.population.spread(_Together(programs, self._filed_number))
                other = spread.codes != spread.base
                found = _Said(
                    spread.base, spread.users[other], spread.codes[other].astype(np.int32)
                )
            self._of_filed[classes] = found
        return found

    # Counting -------------------------------------------------------------------------

    def counts(self, at: Places) -> Numbers:
        """What all users count for together, in each situation."""
        ways, way_at = _distinct(at.way)
        filed, filed_at = _distinct([np.concatenate(e) for e in zip(at.filed, at.more, strict=True)])
        size = len(way_at)
        one, two = filed_at[:size], filed_at[size:]
        said = [self.filed_said(each) for each in filed]
        bases = np.array([each.base for each in said], dtype=np.int64)
        both = self._spoken_to_twice(said, one, two)
        found = np.zeros(size, dtype=np.int64)
        order = np.argsort(way_at, kind="stable")
        starts = np.searchsorted(way_at[order], np.arange(len(ways) + 1))
        for number, classes in enumerate(ways):
            here = order[starts[number] : starts[number + 1]]
            codes = self.way_codes(classes)
            found[here] = self._for_most(codes, bases[one[here]], bases[two[here]])
            found[here] += self._for_those_filed(codes, said, one[here], bases[two[here]])
            found[here] += self._for_those_filed(codes, said, two[here], bases[one[here]])
            found[here] += self._for_those_of_both(codes, both, one[here], two[here], bases)
        return found

    def _for_most(self, codes: Codes, one: Numbers, two: Numbers) -> Numbers:
        """As if no user were spoken to by categories beyond what they say to most."""
        counts = np.bincount(codes)
        way = np.flatnonzero(counts)
        pairs, which = _distinct([one, two])
        each = np.array(pairs, dtype=np.int64)
        worth = self._worth(way[:, None], each[:, 0][None, :], each[:, 1][None, :])
        found: Numbers = (counts[way] @ worth)[which]
        return found

    def _for_those_filed(
        self, codes: Codes, said: Sequence[_Said], filed: Numbers, other: Numbers
    ) -> Numbers:
        """The difference for those to whom the categories say something else."""
        pairs, which = _distinct([filed, other])
        telling = [said[number] for number, _ in pairs]
        sizes = np.array([len(each.users) for each in telling])
        if not sizes.sum():
            return np.zeros(len(filed), dtype=np.int64)
        way = codes[np.concatenate([each.users for each in telling])]
        mine = np.concatenate([each.codes for each in telling])
        bases = np.repeat(np.array([each.base for each in telling]), sizes)
        others = np.repeat(np.array([base for _, base in pairs]), sizes)
        worth = self._worth(way, mine, others) - self._worth(way, bases, others)
        return _sums(worth, sizes)[which]

    def _for_those_of_both(
        self, codes: Codes, both: dict[tuple[int, int], Any], one: Numbers, two: Numbers, bases: Numbers
    ) -> Numbers:
        """The difference for those to whom both roots say something else."""
        keys = [both.get(pair) for pair in zip(one.tolist(), two.tolist(), strict=True)]
        sizes = np.array([0 if each is None else len(each[0]) for each in keys])
        if not sizes.sum():
            return np.zeros(len(one), dtype=np.int64)
        telling = [each for each in keys if each is not None]
        way = codes[np.concatenate([users for users, _, _ in telling])]
        first = np.concatenate([each for _, each, _ in telling])
        second = np.concatenate([each for _, _, each in telling])
        base_one, base_two = np.repeat(bases[one], sizes), np.repeat(bases[two], sizes)
        worth = (
            self._worth(way, first, second)
            - self._worth(way, first, base_two)
            - self._worth(way, base_one, second)
            + self._worth(way, base_one, base_two)
        )
        return _sums(worth, sizes)

    def _spoken_to_twice(
        self, said: Sequence[_Said], one: Numbers, two: Numbers
    ) -> dict[tuple[int, int], tuple[Numbers, Codes, Codes]]:
        """For each pair of roots, the users to whom both say something else, with what."""
        pairs, _ = _distinct([one, two])
        found = {}
        codes, last = np.full(self.population.size, -1, dtype=np.int32), -1
        for first, second in pairs:
            if not (len(said[first].users) and len(said[second].users)):
                continue
            if first != last:
                codes.fill(-1)
                codes[said[first].users] = said[first].codes
                last = first
            mine = codes[said[second].users]
            of_both = mine >= 0
            if of_both.any():
                found[first, second] = (
                    said[second].users[of_both],
                    mine[of_both],
                    said[second].codes[of_both],
                )
        return found

    # Single pairs ---------------------------------------------------------------------

    def values(self, users: Numbers, at: Places) -> Numbers:
        """What each of some users counts for in a situation of their own: one entry a pair."""
        ways, way_at = _distinct(at.way)
        way = np.zeros(len(users), dtype=np.int64)
        for number, here in _groups(way_at, len(ways)):
            way[here] = self.way_codes(ways[number])[users[here]]
        roots = []
        for of_plans in (at.filed, at.more):
            filed, filed_at = _distinct(of_plans)
            codes = np.zeros(len(users), dtype=np.int64)
            for number, here in _groups(filed_at, len(filed)):
                said = self.filed_said(filed[number])
                dense = np.full(self.population.size, said.base, dtype=np.int32)
                dense[said.users] = said.codes
                codes[here] = dense[users[here]]
            roots.append(codes)
        return self._worth(way, roots[0], roots[1])


def _distinct(columns: Sequence[Numbers]) -> tuple[list[tuple[int, ...]], Numbers]:
    """The distinct rows of some columns, in order, and which of them each row is."""
    joined = columns[0].astype(np.int64)
    for each in columns[1:]:
        joined = joined * (int(each.max(initial=0)) + 1) + each
    _, first, which = np.unique(joined, return_index=True, return_inverse=True)
    rows = zip(*(column[first].tolist() for column in columns), strict=True)
    return list(rows), which


def _groups(which: Numbers, count: int) -> Iterable[tuple[int, Numbers]]:
    """For each number, where it stands."""
    order = np.argsort(which, kind="stable")
    starts = np.searchsorted(which[order], np.arange(count + 1))
    for number in range(count):
        yield number, order[starts[number] : starts[number + 1]]


def _sums(values: Numbers, sizes: Numbers) -> Numbers:
    """The sum of each run of values."""
    sums = np.concatenate([[0], np.cumsum(values)])
    ends = np.cumsum(sizes)
    found: Numbers = sums[ends] - sums[ends - sizes]
    return found


_NOBODY = np.empty(0, dtype=np.int64)
