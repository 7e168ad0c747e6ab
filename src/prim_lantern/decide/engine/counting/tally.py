"""How many people may do something to how many items, without asking for each pair.

An item's answer follows from three things: what the site and the way say to somebody, and
what each of up to two roots of categories says. Most people are spoken to by none of the
words at a place. So each situation is counted for the most first, and then set right for
the few whom its categories speak to, and for those whom both roots speak to.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Final, NamedTuple

import numpy as np

from prim_lantern.decide.engine.counting.roots import OfRoot, Roots, SpokenTo
from prim_lantern.decide.engine.counting.ways import OnWay, Programs, Together, Ways
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
        for classes, (_, here), (_, pairs) in zip(told.ways, in_ways, pairs_in_ways, strict=True):
            way = self._ways.said(classes)
            of_way[pairs] = way.codes[users[pairs]]
            of_one = self._for_those_of_one(
                way,
                np.concatenate([one[here], two[here]]),
                np.concatenate([base_two[here], base_one[here]]),
            )
            found[here] = (
                self._for_most(way, neither[here])
                + of_one[: len(here)]
                + of_one[len(here) :]
                + self._for_those_of_both(way, one[here], two[here])
            )
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

    def _for_those_of_one(self, way: OnWay, root: Numbers, other: Numbers) -> Numbers:
        """The difference for those to whom a root says something else, where another root says
        what it says to most: for each pair of the two.

        First as if the way said to them what it says to most, from how many hear what of
        the site and of the categories; then set right for those to whom it does not.
        """
        met, which = self._roots.met(root)
        spoken = self._roots.spoken_to(way, met)
        found = np.zeros(len(root), dtype=np.int64)
        for base in np.unique(other).tolist():
            differs = self._if_way_is_common(way, met, base) + self._set_right(spoken, base)
            here = np.flatnonzero(other == base)
            found[here] = differs[which[here]]
        return found

    def _if_way_is_common(self, way: OnWay, met: Numbers, other: int) -> Numbers:
        """The difference that some roots make, were the way to say to all the same."""
        bases, worth = self._roots.bases, self._worth
        known = self._common.setdefault(
            (way.most.number, other), np.full(len(bases), _UNKNOWN, dtype=np.int64)
        )
        new = met[known[met] == _UNKNOWN]
        if len(new):
            heard = [self._roots.heard(way.site, root) for root in new.tolist()]
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
        values = worth(spoken.theirs, mine) - worth(spoken.theirs, base)
        values -= worth(spoken.common, mine) - worth(spoken.common, base)
        return sums_by(spoken.root, values, len(spoken.met))

    def _for_those_of_both(self, way: OnWay, one: Numbers, two: Numbers) -> Numbers:
        """The difference for those to whom both roots say something else."""
        twice, bases = self._roots.spoken_to_twice(one, two), self._roots.bases
        base_one, base_two = bases[one].take(twice.pair), bases[two].take(twice.pair)
        worth, together, codes = self._worth.of, self._worth.together, way.codes.take(twice.users)
        values = worth(codes, together(twice.one, twice.two))
        values -= worth(codes, together(twice.one, base_two))
        values -= worth(codes, together(base_one, twice.two))
        values += worth(codes, together(base_one, base_two))
        return sums_by(twice.pair, values, len(one))


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
