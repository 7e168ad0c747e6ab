"""What is said to one person at many classes at once.

Most places say nothing to somebody. Classes that stand alike but for such places are alike to
them: what is said is worked out for one of each sort.
"""

from __future__ import annotations

from array import array
from collections.abc import Callable, Hashable, Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.asked import Joined
from prim_lantern.decide.engine.class_places import ClassPlaces, Growing
from prim_lantern.decide.engine.heard import told_apart
from prim_lantern.decide.engine.item_classes import Ground
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.programs import WAY
from prim_lantern.decide.engine.rights import Named
from prim_lantern.decide.engine.several import Numbers, Several
from prim_lantern.decide.engine.situations import Situations


class Standing(NamedTuple):
    """Some classes: their numbers, those of the places at which each stands, the nearest first,
    and those of their cases."""

    classes: Numbers
    places: Several
    cases: Numbers

    @classmethod
    def of(cls, classes: Growing, numbers: list[int]) -> Standing:
        """Some of all classes."""
        places, counts, cases = map(_as_numbers, classes.laid_out())
        every = cls(np.arange(len(counts)), Several.of(places, counts), cases)
        return every.some(np.array(numbers, dtype=np.int64))

    def some(self, at: Numbers) -> Standing:
        """Some of them."""
        return Standing(self.classes[at], self.places.some(at), self.cases[at])


def _as_numbers(numbers: array[int]) -> Numbers:
    return np.array(numbers, dtype=np.int64)


class Sorts:
    """Some classes of items and of categories, laid out for all people and all actions.

    What is asked names places among them. Joined categories are those of their parts.
    """

    def __init__(self, ground: Ground, ways: list[int], filed: list[int]) -> None:
        self.places: ClassPlaces = ground.beside(ClassPlaces)
        self.ways = Standing.of(self.places.ways, ways)
        parts = [_parts(ground, number) for number in filed]
        distinct = sorted({each for some in parts for each in some})
        self.filed = Standing.of(self.places.filed, distinct)
        at = {number: place for place, number in enumerate(distinct)}
        self.parts = Several.from_rows([[at[each] for each in some] for some in parts])
        self._told: Numbered[Hashable] = Numbered()
        self._told_by: dict[Named, Numbers] = {}

    @classmethod
    def of(cls, ground: Ground) -> Sorts:
        """Those of all that items are in, laid out once for all who share the ground."""
        if ground.sorts is None:
            situations = Situations.of(ground)
            ground.sorts = cls(ground, situations.ways, situations.filed)
        sorts: Sorts = ground.sorts
        return sorts

    def told_apart(self, named: Sequence[Named], which: Numbers, cases: Numbers) -> Numbers:
        """What words that name some kinds and states tell apart of cases, as numbers: `which` says
        which of the `named` each is told by."""
        if not named:
            return np.zeros(0, dtype=np.int64)
        distinct = {each: place for place, each in enumerate(dict.fromkeys(named))}
        size = len(self.places.cases)  # there may come more meanwhile
        tables = np.stack([self._table(each)[:size] for each in distinct])
        place = np.array([distinct[each] for each in named], dtype=np.int64)
        found: Numbers = tables[place[which], cases]
        return found

    def _table(self, named: Named) -> Numbers:
        cases = self.places.cases
        found = self._told_by.get(named)
        if found is None or len(found) < len(cases):
            told = [self._told.number_of(told_apart(each, named)) for each in cases[:]]
            found = self._told_by[named] = np.array(told, dtype=np.int64)
        return found


def _parts(ground: Ground, number: int) -> tuple[int, ...]:
    found = ground.filed[number]
    return found.numbers if isinstance(found, Joined) else (number,) if number else ()


class _Groups(NamedTuple):
    """Classes by the places where they stand that say anything to somebody: which is in which
    group, and the places of each."""

    which: Numbers
    places: list[list[int]]


class SaidToOne:
    """What a plan says to one person after the other."""

    def __init__(self, plan: Plan, sorts: Sorts) -> None:
        self._plan, self._sorts, self._asked = plan, sorts, plan.for_one
        self._heard = plan.singly.heard

    def on_ways(self, mask: int, at: Numbers | None) -> Numbers:
        """The part of the key that the site and the way give to a mask, for some classes of items
        or all; 0 where nothing stands."""
        ways = self._sorts.ways
        ways = ways if at is None else ways.some(at)
        groups = self._grouped(mask, ways)
        found = self._there(mask, ways, groups, self._asked.way_code) << WAY
        found |= self._at_the_site(mask, ways, groups)
        return np.where(ways.classes == 0, 0, found)

    def at_categories(self, mask: int, at: Numbers | None) -> Numbers:
        """What some classes of categories, or all, say to a mask; 0 where there are none."""
        parts = self._sorts.parts if at is None else self._sorts.parts.some(at)
        needed, which = np.unique(parts.values, return_inverse=True)
        filed = self._sorts.filed.some(needed)
        said = self._there(mask, filed, self._grouped(mask, filed), self._asked.filed_code)[which]
        codes = Several(said, parts.counts, parts.owners).only(said != 0)
        _, first, which = np.unique(codes.alike(), return_index=True, return_inverse=True)
        together = list(map(self._plan.together, codes.listed(first)))
        return np.array(together, dtype=np.int64)[which]

    def _grouped(self, mask: int, standing: Standing) -> _Groups:
        values = standing.places.values
        places = standing.places.only(self._speaking(mask, values)[values])
        _, first, which = np.unique(places.alike(), return_index=True, return_inverse=True)
        return _Groups(which, places.listed(first))

    def _speaking(self, mask: int, some: Numbers) -> NDArray[np.bool_]:
        """By the numbers of places, whether anything there may reach a mask; asked of some."""
        heard, found = self._heard, np.zeros(len(self._sorts.places.at), dtype=np.bool_)
        found[some] = True
        asked = np.flatnonzero(found)
        found[asked] = [heard[each] & mask != 0 for each in asked.tolist()]
        return found

    def _there(
        self, mask: int, standing: Standing, groups: _Groups, code: Callable[[int, int], int]
    ) -> Numbers:
        """What stands at the places of each class comes to."""
        named = [self._heard.named(places, mask) for places in groups.places]
        told = self._sorts.told_apart(named, groups.which, standing.cases)
        return _of_each_sort(mask, standing, groups.which, told, code)

    def _at_the_site(self, mask: int, standing: Standing, groups: _Groups) -> Numbers:
        """What the words at the site come to, for each class."""
        numbers = Numbered[Hashable]()
        heard = [
            numbers.number_of(self._heard.for_the_site(places, mask)) for places in groups.places
        ]
        site = np.zeros(len(groups.which), dtype=np.int64)
        told = self._sorts.told_apart([self._heard.named_at_the_site(mask)], site, standing.cases)
        which = np.array(heard, dtype=np.int64)[groups.which]
        return _of_each_sort(mask, standing, which, told, self._asked.site_code)


def _of_each_sort(
    mask: int,
    standing: Standing,
    groups: Numbers,
    told: Numbers,
    code: Callable[[int, int], int],
) -> Numbers:
    """The code of each class, asked for of one of each sort; 0 where nothing stands."""
    both = groups * (int(told.max(initial=0)) + 1) + told
    _, first, which = np.unique(both, return_index=True, return_inverse=True)
    codes = [code(mask, each) if each else 0 for each in standing.classes[first].tolist()]
    return np.array(codes, dtype=np.int64)[which]
