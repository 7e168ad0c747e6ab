"""How many people may do something to how many items, without asking for each pair.

An item's answer follows from three things: what the site and the way say to somebody, and
what each of up to two roots of categories says. Most people are spoken to by none of the
words at a place. So each situation is counted for the most first, and then set right for
the few whom its categories speak to, and for those whom both roots speak to.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Numbers, Places, Population
from prim_lantern.decide.engine.programs import WAY, Program
from prim_lantern.decide.engine.sums import distinct_rows, groups_of, sums, sums_by
from prim_lantern.decide.engine.worth import Worth

Codes = NDArray[np.int32]
Programs = tuple[Program, ...]


class _Said(NamedTuple):
    """What categories say: `base` to most, to `users` something else."""

    number: int
    base: int
    users: Codes
    codes: Codes


class _OnWay(NamedTuple):
    """What the site and the way say to each user, and to how many they say what.

    `by_most` is the same for those to whom the way says what it says to most, by the code
    of what the `site` says to them; `users` are all others.
    """

    codes: Codes
    counts: Numbers
    by_most: Codes
    site: Codes
    of_site: tuple[int, ...]
    users: Numbers

    def others(self, flags: NDArray[np.bool_]) -> NDArray[np.bool_]:
        """To whom the way says something else, for each user."""
        flags.fill(False)
        flags[self.users] = True
        return flags


class Told(NamedTuple):
    """What is said in some situations: `ways` and `filed` have a class (of each plan) for each that
    is told apart, and the rest says which of them each situation has. `programs` tells apart what
    is said: where it is the same, so is what is answered."""

    ways: list[tuple[int, ...]]
    filed: list[tuple[int, ...]]
    programs: tuple[Hashable, ...]
    way_at: Numbers
    filed_at: Numbers
    more_at: Numbers

    def key(self) -> Hashable:
        """What tells this from all else that is said."""
        at = (self.way_at, self.filed_at, self.more_at)
        return self.programs, *(each.tobytes() for each in at)


class _Together(NamedTuple):
    """Programs of several plans as one, with a code of its own for each combination."""

    programs: Programs
    number: Callable[[tuple[int, ...]], int]

    @property
    def asks(self) -> int:
        found = 0
        for program in self.programs:
            found |= program.asks
        return found

    def masks(self) -> Iterator[int]:
        return (mask for program in self.programs for mask in program.masks())

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
        self._worth = Worth(plans, value)
        self._way_codes: dict[tuple[int, ...], int] = {}
        self._way_meant: list[tuple[int, ...]] = []
        self._of_site: dict[tuple[int, ...], tuple[Codes, list[tuple[int, ...]]]] = {}
        self._of_filed: dict[tuple[int, ...], _Said] = {}
        self._hearing: dict[Any, tuple[Numbers, Numbers, Numbers]] = {}
        self._common: dict[Any, int] = {}
        self._common_of_way: dict[Any, tuple[Codes, Numbers]] = {}
        self._flags = np.zeros(population.size, dtype=np.bool_)
        for plan in plans:
            plan.grow()

    # What is said to everybody ----------------------------------------------------------

    def _programs(self, classes: tuple[int, ...]) -> tuple[Programs, Programs]:
        """The programs of the site and of the way, of all plans, for a class of items."""
        pairs = [plan.programs(each) for plan, each in zip(self.plans, classes, strict=True)]
        return tuple(site for site, _ in pairs), tuple(way for _, way in pairs)

    def _site_said(self, programs: Programs) -> tuple[Codes, list[tuple[int, ...]]]:
        """Small numbers for what the site says to each user, and what they stand for."""
        key = tuple(each.number for each in programs)
        found = self._of_site.get(key)
        if found is None:
            said = [self.population.says(each) for each in programs]
            joined, which = distinct_rows(said)
            found = self._of_site[key] = (which.astype(np.int32), joined)
        return found

    def _way_said(self, classes: tuple[int, ...]) -> _OnWay:
        """What the site and the way say to each user, for a class of items."""
        site, way = self._programs(classes)
        said, meant = self._site_said(site)
        together = _Together(way, self._way_codes_number)
        spread = self.population.spread(together)
        by_most = self._numbers_with(meant, spread.base)
        sites = tuple(each.number for each in site)
        common, counts = self._common_codes(sites, said, by_most)
        users, codes = spread.users, common.copy()
        if len(users):
            pairs, which = distinct_rows([said[users], spread.codes])
            numbers = [self._worth.way_number(self._joined(meant[one], two)) for one, two in pairs]
            mine = np.array(numbers, dtype=np.int32).take(which)
            room = self._worth.ways
            change = np.bincount(mine, minlength=room)
            change -= np.bincount(codes.take(users), minlength=room)
            change[: len(counts)] += counts
            counts, codes[users] = change, mine
        return _OnWay(codes, counts, by_most, said, sites, users)

    def _common_codes(
        self, sites: tuple[int, ...], said: Codes, by_most: Codes
    ) -> tuple[Codes, Numbers]:
        """The codes of all users, were the way to say the same to all, and how many have which."""
        key = (sites, by_most.tobytes())
        found = self._common_of_way.get(key)
        if found is None:
            codes = by_most.take(said)
            found = self._common_of_way[key] = (codes, np.bincount(codes))
        return found

    def _way_codes_number(self, codes: tuple[int, ...]) -> int:
        return self._way_codes.setdefault(codes, len(self._way_codes))

    def _joined(self, of_site: tuple[int, ...], of_way: int) -> tuple[int, ...]:
        if of_way >= len(self._way_meant):
            self._way_meant = list(self._way_codes)
        ways = self._way_meant[of_way]
        return tuple(site | way << WAY for site, way in zip(of_site, ways, strict=True))

    def _numbers_with(self, meant: list[tuple[int, ...]], of_way: int) -> Codes:
        numbers = [self._worth.way_number(self._joined(each, of_way)) for each in meant]
        return np.array(numbers, dtype=np.int32)

    def _filed_said(self, classes: tuple[int, ...]) -> _Said:
        """What one root of categories says; nothing where the classes are 0."""
        programs = self._programs_filed(classes)
        if not programs:
            return _SILENCE
        key = tuple(each.number for each in programs)
        found = self._of_filed.get(key)
        if found is None:
            spread = self.population.spread(_Together(programs, self._worth.filed_number))
            others = spread.codes != spread.base
            found = _Said(
                len(self._of_filed) + 1,
                spread.base,
                spread.users[others].astype(np.int32),
                spread.codes[others].astype(np.int32),
            )
            self._of_filed[key] = found
        return found

    # Counting -------------------------------------------------------------------------

    def told(self, at: Places) -> Told:
        """What is said in some situations."""
        ways, numbers, way_at = self._distinct(at.way, self._programs_of_way)
        both = [np.concatenate(each) for each in zip(at.filed, at.more, strict=True)]
        filed, filed_numbers, filed_at = self._distinct(both, self._programs_filed)
        half = len(way_at)
        return Told(
            ways, filed, (*numbers, None, *filed_numbers), way_at, filed_at[:half], filed_at[half:]
        )

    def counts(self, told: Told) -> Numbers:
        """What all users count for together, in each situation."""
        ways, way_at, one, two = told.ways, told.way_at, told.filed_at, told.more_at
        said = [self._filed_said(each) for each in told.filed]
        bases = np.array([each.base for each in said], dtype=np.int64)
        both = self._spoken_to_twice(said, one, two)
        found = np.zeros(len(way_at), dtype=np.int64)
        for number, here in groups_of(way_at, len(ways)):
            way = self._way_said(ways[number])
            first, second = one[here], two[here]
            roots = np.concatenate([first, second])
            others = np.concatenate([bases[second], bases[first]])
            of_roots = self._for_those_filed(way, said, roots, others)
            found[here] = (
                self._for_most(way, bases[first], bases[second])
                + of_roots[: len(here)]
                + of_roots[len(here) :]
                + self._for_those_of_both(way, both, first, second, bases)
            )
        return found

    @staticmethod
    def _distinct(
        columns: Sequence[Numbers], programs: Callable[[tuple[int, ...]], tuple[Program, ...]]
    ) -> tuple[list[tuple[int, ...]], list[tuple[int, ...]], Numbers]:
        """Of classes, in a column for each plan: one for each combination of programs, the numbers
        of these, and which of them each row has."""
        classes, which = distinct_rows(columns)
        places: dict[tuple[int, ...], int] = {}
        telling: list[tuple[int, ...]] = []
        of_class = []
        for each in classes:
            key = tuple(program.number for program in programs(each))
            if places.setdefault(key, len(places)) == len(telling):
                telling.append(each)
            of_class.append(places[key])
        return telling, list(places), np.array(of_class, dtype=np.int64)[which]

    def _programs_of_way(self, classes: tuple[int, ...]) -> Programs:
        site, way = self._programs(classes)
        return (*site, *way)

    def _programs_filed(self, classes: tuple[int, ...]) -> Programs:
        """The programs of a root of categories, of all plans; none where the classes are 0."""
        if not any(classes):
            return ()
        pairs = zip(self.plans, classes, strict=True)
        return tuple(plan.filed_program(each) for plan, each in pairs)

    def _for_most(self, way: _OnWay, one: Numbers, two: Numbers) -> Numbers:
        """As if no user were spoken to by categories beyond what they say to most."""
        counts = way.counts
        codes = np.flatnonzero(counts)
        pairs, which = distinct_rows([one, two])
        each = np.array(pairs, dtype=np.int64)
        worth = self._worth.of(codes[:, None], each[:, 0][None, :], each[:, 1][None, :])
        found: Numbers = (counts[codes] @ worth)[which]
        return found

    def _for_those_filed(
        self, way: _OnWay, said: Sequence[_Said], filed: Numbers, other: Numbers
    ) -> Numbers:
        """The difference for those to whom the categories say something else.

        First as if the way said to them what it says to most, from how many hear what of
        the site and of the categories; then set right for those to whom it does not.
        """
        pairs, which = distinct_rows([filed, other])
        telling = [(said[number], base) for number, base in pairs]
        found = np.array([self._if_way_is_common(way, each, base) for each, base in telling])
        sizes = np.array([len(each.users) for each, _ in telling])
        users = np.concatenate([each.users for each, _ in telling])
        some = np.flatnonzero(way.others(self._flags).take(users))
        if len(some):
            root = np.searchsorted(np.cumsum(sizes), some, side="right")
            users = users.take(some)
            mine = np.concatenate([each.codes for each, _ in telling]).take(some)
            base = np.array([each.base for each, _ in telling]).take(root)
            others = np.array([base for _, base in telling]).take(root)
            theirs, common = way.codes.take(users), way.by_most.take(way.site.take(users))
            worth = (
                self._worth.of(theirs, mine, others)
                - self._worth.of(theirs, base, others)
                - self._worth.of(common, mine, others)
                + self._worth.of(common, base, others)
            )
            found = found + sums_by(root, worth, len(pairs))
        return found.take(which)

    def _if_way_is_common(self, way: _OnWay, said: _Said, other: int) -> int:
        """The difference that the categories make, were the way to say to all the same."""
        if not len(said.users):
            return 0
        key = (way.of_site, int(way.by_most[0]), said.number, other)
        found = self._common.get(key)
        if found is None:
            heard = self._heard(way, said)
            site, codes, counts = heard
            codes_of_way = way.by_most.take(site)
            worth = self._worth.of(codes_of_way, codes, other)
            worth = worth - self._worth.of(codes_of_way, said.base, other)
            found = self._common[key] = int(counts @ worth)
        return found

    def _heard(self, way: _OnWay, said: _Said) -> tuple[Numbers, Numbers, Numbers]:
        """How many users hear what of the site and of the categories."""
        key = (way.of_site, said.number)
        found = self._hearing.get(key)
        if found is None:
            room = int(said.codes.max()) + 1
            counts = np.bincount(way.site.take(said.users).astype(np.int64) * room + said.codes)
            heard = np.flatnonzero(counts)
            found = self._hearing[key] = (heard // room, heard % room, counts[heard])
        return found

    def _for_those_of_both(
        self,
        way: _OnWay,
        both: Mapping[tuple[int, int], tuple[Codes, Codes, Codes]],
        one: Numbers,
        two: Numbers,
        bases: Numbers,
    ) -> Numbers:
        """The difference for those to whom both roots say something else."""
        found = [both.get(pair) for pair in zip(one.tolist(), two.tolist(), strict=True)]
        telling = [each for each in found if each is not None]
        if not telling:
            return np.zeros(len(one), dtype=np.int64)
        sizes = np.array([0 if each is None else len(each[0]) for each in found])
        codes = way.codes.take(np.concatenate([users for users, _, _ in telling]))
        first = np.concatenate([each for _, each, _ in telling])
        second = np.concatenate([each for _, _, each in telling])
        base_one, base_two = np.repeat(bases[one], sizes), np.repeat(bases[two], sizes)
        worth = (
            self._worth.of(codes, first, second)
            - self._worth.of(codes, first, base_two)
            - self._worth.of(codes, base_one, second)
            + self._worth.of(codes, base_one, base_two)
        )
        return sums(worth, sizes)

    def _spoken_to_twice(
        self, said: Sequence[_Said], one: Numbers, two: Numbers
    ) -> Mapping[tuple[int, int], tuple[Codes, Codes, Codes]]:
        """For each pair of roots, the users to whom both say something else, with what."""
        pairs, _ = distinct_rows([one, two])
        found = {}
        codes, last = np.full(self.population.size, -1, dtype=np.int32), -1
        for first, second in pairs:
            if not (len(said[first].users) and len(said[second].users)):
                continue
            if first != last:
                codes.fill(-1)
                codes[said[first].users] = said[first].codes
                last = first
            mine = codes.take(said[second].users)
            of_both = np.flatnonzero(mine >= 0)
            if len(of_both):
                users, theirs = said[second].users.take(of_both), said[second].codes.take(of_both)
                found[first, second] = (users, mine.take(of_both), theirs)
        return found


_NOBODY = np.empty(0, dtype=np.int32)
_SILENCE = _Said(0, 0, _NOBODY, _NOBODY)
