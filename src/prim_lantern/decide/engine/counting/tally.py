"""How many people may do something to how many items, without asking for each pair.

An item's answer follows from three things: what the site and the way say to somebody, and
what each of up to two roots of categories says. Most people are spoken to by none of the
words at a place. So each situation is counted for the most first, and then set right for
the few whom its categories speak to, and for those whom both roots speak to.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Any, Final, NamedTuple

import numpy as np

from prim_lantern.decide.engine.counting.roots import OfRoot, Roots, SpokenTo
from prim_lantern.decide.engine.counting.ways import (
    ForMost,
    OnWay,
    Programs,
    SeveralForMost,
    Together,
    Ways,
)
from prim_lantern.decide.engine.counting.worth import Said, Worth
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Numbers, Places, Population
from prim_lantern.decide.engine.programs import Program
from prim_lantern.decide.engine.sums import distinct_rows, groups_of, sums, sums_by

_UNKNOWN: Final = np.iinfo(np.int64).min
_NOBODY: Final = np.empty(0, dtype=np.int32)
_SILENCE: Final = OfRoot(0, _NOBODY, _NOBODY, _NOBODY)
_NO_PAIRS: Final = (np.empty(0, dtype=np.int64), np.empty(0, dtype=np.int64))


class Told(NamedTuple):
    """What is said in some situations: `ways` and `filed` have a class (of each plan) for each that
    is told apart, and the rest says which of them each situation has. `programs` tells apart what
    is said: where it is the same, so is what is answered."""

    ways: list[Said]
    filed: list[Said]
    programs: tuple[Hashable, ...]
    way_at: Numbers
    filed_at: Numbers
    more_at: Numbers

    def key(self) -> Hashable:
        """What tells this from all else that is said."""
        at = (self.way_at, self.filed_at, self.more_at)
        return self.programs, *(each.tobytes() for each in at)


class Tally:
    """Counts over all users for one or more plans at once.

    `value` says what an answer of all plans (YES, NO or SILENT each) counts for.
    """

    def __init__(
        self, population: Population, plans: Sequence[Plan], value: Callable[[Said], int]
    ) -> None:
        self.population = population
        self.plans = plans
        self._worth = Worth(plans, value)
        self._ways = Ways(population, plans, self._worth)
        self._roots = Roots([_SILENCE], population.size)
        self._common: dict[tuple[int, int], Numbers] = {}
        for plan in plans:
            plan.grow()

    def told(self, at: Places) -> Told:
        """What is said in some situations."""
        ways, numbers, way_at = _distinct(at.way, self._programs_of_way)
        order = sorted(range(len(ways)), key=lambda each: numbers[each])  # the same ways together
        ways, numbers = [ways[each] for each in order], [numbers[each] for each in order]
        way_at = np.argsort(order)[way_at]
        both = [np.concatenate(each) for each in zip(at.filed, at.more, strict=True)]
        filed, filed_numbers, filed_at = _distinct(both, self._programs_filed)
        half = len(way_at)
        return Told(
            ways, filed, (*numbers, None, *filed_numbers), way_at, filed_at[:half], filed_at[half:]
        )

    def _programs_of_way(self, classes: Said) -> Programs:
        site, way = self._ways.programs(classes)
        return (*way, *site)

    def _programs_filed(self, classes: Said) -> Programs:
        """The programs of a root of categories, of all plans; none where the classes are 0."""
        if not any(classes):
            return ()
        pairs = zip(self.plans, classes, strict=True)
        return tuple(plan.filed_program(each) for plan, each in pairs)

    def counts(self, told: Told) -> Numbers:
        """What all users count for together, in each situation."""
        return self.counts_and_pairs(told, *_NO_PAIRS)[0]

    def counts_and_pairs(
        self, told: Told, users: Numbers, situations: Numbers
    ) -> tuple[Numbers, Numbers]:
        """The same, and what one user counts for in one situation, for some pairs of them."""
        said = [self._of_root(each) for each in told.filed]
        roots = self._roots = Roots(said, self.population.size)
        self._common.clear()
        rows, which = distinct_rows([told.way_at, told.filed_at, told.more_at])
        way_at, one, two = np.array(rows, dtype=np.int64).reshape(-1, 3).T
        base_one, base_two = roots.bases[one], roots.bases[two]
        neither = self._worth.together(base_one, base_two)
        found, of_way = np.zeros(len(rows), dtype=np.int64), np.zeros_like(users)
        in_ways = groups_of(way_at, len(told.ways))
        pairs_in_ways = groups_of(told.way_at[situations], len(told.ways))
        most: list[ForMost] = []
        for classes, (_, here), (_, pairs) in zip(told.ways, in_ways, pairs_in_ways, strict=True):
            way = self._ways.said(classes)
            most.append(way.most)
            of_way[pairs] = way.codes[users[pairs]]
            met, root = roots.met(np.concatenate([one[here], two[here]]))
            spoken = roots.spoken_to(way, met)
            others = np.concatenate([base_two[here], base_one[here]])
            first, second = np.split(root, 2)
            of_first, of_second = np.split(self._for_those_of_one(way, spoken, root, others), 2)
            found[here] = self._for_most(way, neither[here]) + of_first + of_second
            found[here] += self._set_right_for_both(spoken, first, second)
        found += self._for_those_of_both(most, way_at, one, two)
        both = (roots.say(at[situations], users) for at in (told.filed_at, told.more_at))
        return found[which], self._worth.of(of_way, self._worth.together(*both))

    def _of_root(self, classes: Said) -> OfRoot:
        """What one root of categories says; nothing where the classes are 0."""
        programs = self._programs_filed(classes)
        if not programs:
            return _SILENCE
        spread = self.population.spread(Together(programs, self._worth.filed_number))
        return OfRoot.of(spread, self.population.size)

    def _for_most(self, way: OnWay, neither: Numbers) -> Numbers:
        """As if no user were spoken to by categories beyond what they say to most."""
        codes = np.flatnonzero(way.counts)
        found: Numbers = way.counts[codes] @ self._worth.of(codes[:, None], neither[None, :])
        return found

    def _for_those_of_one(
        self, way: OnWay, spoken: SpokenTo, root: Numbers, other: Numbers
    ) -> Numbers:
        """The difference for those to whom a root says something else, where another root says
        what it says to most: for each pair of one of the roots met, by its place, and of what
        the other says.

        First as if the way said to them what it says to most, from how many hear what of
        the site and of the categories; then set right for those to whom it does not.
        """
        found = np.zeros(len(root), dtype=np.int64)
        for base in np.unique(other).tolist():
            differs = self._if_way_is_common(way, spoken.met, base) + self._set_right(spoken, base)
            here = np.flatnonzero(other == base)
            found[here] = differs[root[here]]
        return found

    def _if_way_is_common(self, way: OnWay, met: Numbers, other: int) -> Numbers:
        """The difference that some roots make, were the way to say to all the same."""
        bases, worth = self._roots.bases, self._worth
        known = self._common.setdefault(
            (way.most.number, other), np.full(len(bases), _UNKNOWN, dtype=np.int64)
        )
        new = met[known[met] == _UNKNOWN]
        if len(new):
            heard = [self._roots.heard(way.most.site, root) for root in new.tolist()]
            sizes = np.array([len(each.users) for each in heard])
            of_site, mine, users = (np.concatenate(each) for each in zip(*heard, strict=True))
            codes, mine = way.most.by_site.take(of_site), worth.together(mine, other)
            base = np.repeat(worth.together(bases[new], other), sizes)
            known[new] = sums((worth.of(codes, mine) - worth.of(codes, base)) * users, sizes)
        return known[met]

    def _set_right(self, spoken: SpokenTo, other: int) -> Numbers:
        """What is to be added for each root, as the way says something else to some."""
        worth, together = self._worth.of, self._worth.together
        mine = together(spoken.codes, other)
        base = together(self._roots.bases[spoken.met], other)[spoken.root]
        said = np.stack([spoken.theirs, spoken.common])
        theirs, common = worth(said, mine) - worth(said, base)
        return sums_by(spoken.root, theirs - common, len(spoken.met))

    def _for_those_of_both(
        self, most: Sequence[ForMost], way_at: Numbers, one: Numbers, two: Numbers
    ) -> Numbers:
        """The difference for those to whom both roots say something else, were each way to say to
        all the same: from how many of them hear what, for each first root and all second ones."""
        sizes, found = self._roots.sizes, np.zeros(len(one), dtype=np.int64)
        several, at = SeveralForMost.of(most)
        speak = np.flatnonzero((sizes[one] != 0) & (sizes[two] != 0))
        swap = sizes[one] < sizes[two]  # those of the second ones are gone through
        one, two = np.where(swap, two, one), np.where(swap, one, two)
        for root, here in groups_of(one[speak], len(sizes)):
            if len(here):
                rows = speak[here]
                found[rows] = self._beside(root, two[rows], several, at[way_at[rows]])
        return found

    def _beside(self, one: int, two: Numbers, most: SeveralForMost, at: Numbers) -> Numbers:
        """The same for one root and others, each where it is said what stands `at` a place of
        those for most."""
        roots, found = self._roots, np.zeros(len(two), dtype=np.int64)
        others, which = roots.met(two)
        of_site = most.site[at]
        numbers = np.unique(of_site).tolist()
        heard = roots.heard_twice([most.sites[number] for number in numbers], one, others)
        for number, each in zip(numbers, heard, strict=True):
            rows = np.flatnonzero(of_site == number)
            told = each.of_each(len(others)).some(which[rows])
            row, entry = rows[told.owners], told.values
            codes = most.by_site[at[row], each.site[entry]]
            bases = roots.bases[one], roots.bases[others[each.second[entry]]]
            values = self._of_two(codes, each.one[entry], each.two[entry], *bases)
            found += sums_by(row, values * each.users[entry], len(two))
        return found

    def _set_right_for_both(self, spoken: SpokenTo, one: Numbers, two: Numbers) -> Numbers:
        """What is to be added for those to whom both roots say something else, as the way says
        something else to some of them: for pairs of roots met, by their places."""
        pair, first, second = spoken.twice(one, two)
        if not len(pair):
            return np.zeros(len(one), dtype=np.int64)
        bases = self._roots.bases[spoken.met]
        said = spoken.codes.take(first), spoken.codes.take(second)
        to_most = bases.take(one.take(pair)), bases.take(two.take(pair))
        both = np.stack([spoken.theirs.take(first), spoken.common.take(first)])
        theirs, common = self._of_two(both, *said, *to_most)
        return sums_by(pair, theirs - common, len(one))

    def _of_two(self, way: Any, one: Any, two: Any, base_one: Any, base_two: Any) -> Numbers:
        """What two roots come to together, beyond what each comes to beside what the other says to
        most."""
        worth, together = self._worth.of, self._worth.together
        found = worth(way, together(one, two)) - worth(way, together(one, base_two))
        found -= worth(way, together(base_one, two))
        found += worth(way, together(base_one, base_two))
        return found


def _distinct(
    columns: Sequence[Numbers], programs: Callable[[Said], tuple[Program, ...]]
) -> tuple[list[Said], list[tuple[int, ...]], Numbers]:
    """Of classes, in a column for each plan: one for each combination of programs, the numbers
    of these, and which of them each row has."""
    classes, which = distinct_rows(columns)
    places: dict[tuple[int, ...], int] = {}
    telling: list[Said] = []
    of_class = []
    for each in classes:
        key = tuple(program.number for program in programs(each))
        if places.setdefault(key, len(places)) == len(telling):
            telling.append(each)
        of_class.append(places[key])
    return telling, list(places), np.array(of_class, dtype=np.int64)[which]
