"""What the site and the way say to everybody, for one class of items after the other."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from typing import Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.counting.worth import Said, Table, Worth
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Numbers, Population, Spread
from prim_lantern.decide.engine.programs import Program
from prim_lantern.decide.engine.sums import distinct_rows, padded

Codes = NDArray[np.int32]
Programs = tuple[Program, ...]
_NOBODY: Final = np.empty(0, dtype=np.int64)


class OfSite(NamedTuple):
    """What the site says: a code for each user, what the codes mean, and the number of what it
    says together with something that the way says."""

    number: int
    codes: Codes
    meant: list[Said]
    with_way: Table


class ForMost(NamedTuple):
    """What the site and the way say where the way says the same to all: to each user, by the code
    of what the site says to them, and to how many they say what."""

    number: int
    site: OfSite
    codes: Codes
    by_site: Numbers
    counts: Numbers


class SeveralForMost(NamedTuple):
    """Several of these: the number of the site of each, the sites by their numbers, and a row of
    `by_site` for each."""

    site: Numbers
    sites: Mapping[int, OfSite]
    by_site: Numbers

    @classmethod
    def of(cls, most: Sequence[ForMost]) -> tuple[SeveralForMost, Numbers]:
        """The distinct ones of some, and which of them each is."""
        numbers, at = np.unique([each.number for each in most], return_inverse=True)
        known = {each.number: each for each in most}
        met = [known[number] for number in numbers.tolist()]
        sites = {each.site.number: each.site for each in met}
        of_site = np.array([each.site.number for each in met], dtype=np.int64)
        return cls(of_site, sites, padded([each.by_site for each in met])), at


class OnWay(NamedTuple):
    """What the site and the way say to each user, and to how many they say what.

    `most` is what they say to those to whom the way says what it says to most; `users` are all
    others.
    """

    codes: Codes
    counts: Numbers
    most: ForMost
    users: Numbers


class Together(NamedTuple):
    """Programs of several plans as one, with a code of its own for each combination."""

    programs: Programs
    number: Callable[[Said], int]

    @property
    def asks(self) -> int:
        """All bits that they ask about."""
        found = 0
        for program in self.programs:
            found |= program.asks
        return found

    def masks(self) -> Iterator[int]:
        """The sets of bits that they ask about."""
        return (mask for program in self.programs for mask in program.masks())

    def code(self, mask: int) -> int:
        """The number for a mask."""
        return self.number(tuple(each[mask & each.asks] for each in self.programs))


class Ways:
    """What the sites and ways of one or more plans say to some people."""

    def __init__(self, population: Population, plans: Sequence[Plan], worth: Worth) -> None:
        self._population = population
        self._plans = plans
        self._worth = worth
        self._codes: Numbered[Said] = Numbered()
        self._of_site: dict[Said, OfSite] = {}
        self._for_most: dict[tuple[int, int], ForMost] = {}
        self._last_spread: tuple[Said, Spread] = (), Spread(0, _NOBODY, _NOBODY)

    def programs(self, classes: Said) -> tuple[Programs, Programs]:
        """The programs of the site and of the way, of all plans, for a class of items."""
        pairs = [plan.programs(each) for plan, each in zip(self._plans, classes, strict=True)]
        return tuple(site for site, _ in pairs), tuple(way for _, way in pairs)

    def said(self, classes: Said) -> OnWay:
        """What the site and the way say to each user, for a class of items."""
        programs_of_site, way = self.programs(classes)
        site, spread = self._site_said(programs_of_site), self._spread(way)
        most, users = self._said_to_most(site, spread.base), spread.users
        codes, counts = most.codes, most.counts
        if len(users):
            mine = site.with_way.of(site.codes.take(users), spread.codes)
            change = np.bincount(mine, minlength=self._worth.ways)
            change -= np.bincount(codes.take(users), minlength=len(change))
            change[: len(counts)] += counts
            codes, counts = codes.copy(), change
            codes[users] = mine
        return OnWay(codes, counts, most, users)

    def _site_said(self, programs: Programs) -> OfSite:
        key = tuple(each.number for each in programs)
        found = self._of_site.get(key)
        if found is None:
            meant, which = distinct_rows([self._population.says(each) for each in programs])

            def number(one: int, two: int) -> int:
                return self._worth.way_number(meant[one], self._codes[two])

            table = Table(number, meant, self._codes)
            found = OfSite(len(self._of_site), which.astype(np.int32), meant, table)
            self._of_site[key] = found
        return found

    def _said_to_most(self, site: OfSite, of_way: int) -> ForMost:
        key = (site.number, of_way)
        found = self._for_most.get(key)
        if found is None:
            by_site = site.with_way.of(np.arange(len(site.meant)), of_way)
            codes = by_site.astype(np.int32).take(site.codes)
            counts = np.bincount(codes)
            found = ForMost(len(self._for_most), site, codes, by_site, counts)
            self._for_most[key] = found
        return found

    def _spread(self, way: Programs) -> Spread:
        """What the way says to everybody; the last is kept, as the same is asked for several sites
        one after the other."""
        key = tuple(each.number for each in way)
        if self._last_spread[0] != key:
            spread = self._population.spread(Together(way, self._codes.number_of))
            self._last_spread = key, spread
        return self._last_spread[1]
