"""Who gains and who loses what when the rights of a site change, exactly, for any size."""

from __future__ import annotations

from collections.abc import Hashable
from functools import cached_property
from typing import NamedTuple

import numpy as np

from prim_lantern.decide.engine.asked import Asked
from prim_lantern.decide.engine.counting.tally import Tally
from prim_lantern.decide.engine.engine import Engine
from prim_lantern.decide.engine.every_pair import MOST, EveryPair
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.lists import Lists
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Answers, Numbers, Population
from prim_lantern.site.who import EVERYONE, GUESTS

_A_GUESTS = frozenset({EVERYONE, GUESTS})
_ONE_BY_ONE = 8  # people whose lists are compared one by one
_LOST = 1 << 32  # what somebody's loss counts for, so that one sum holds gains and losses


class Effects(NamedTuple):
    """How many active users gain and lose an action, for each row of the content.

    `guests_gain` and `guests_lose` say the same of guests, who are nobody in particular.
    """

    gained: Numbers
    lost: Numbers
    guests_gain: Answers
    guests_lose: Answers


class Comparison:
    """What a change of words does: of rules, given roles and readerships."""

    def __init__(self, before: Engine, after: Engine) -> None:
        """Take two engines; `after` is made by `before.after(…)` for the same moment. Raises
        `ValueError` where more than words has changed (people, items, what lets no rights in from
        above)."""
        if after.renewed is None:
            raise ValueError("more than words has changed between the two engines")
        self.before, self.after = before, after
        self.renewed = after.renewed
        self.was, self.lists = of_those_concerned(before, after)
        self.population = self.lists.population
        before.settle_all()
        self.of = self.lists.situations  # both engines share the ground
        self._known: dict[Hashable, tuple[Numbers, Numbers]] = {}

    def effects(self, action: str, rows: Numbers | None = None) -> Effects:
        """What the change does to one action; for some rows alone, where it is known that nothing
        differs in the others."""
        whos = self.renewed.whos
        but_guests = whos is not None and whos.isdisjoint(_A_GUESTS)
        if but_guests and self.population.size <= _ONE_BY_ONE:
            return self._of_each(action, rows)
        within = None if rows is None else np.unique(self.of.of_row[rows])
        touched = self._touched(Asked(action), within)
        gained, lost = self._counted(action, touched)
        touched_for_some = touched
        if len(self.lists.own_work.users):
            as_authors = self._touched(Asked(action, author=True), within)
            touched_for_some = np.union1d(touched, as_authors)
            self._set_right_own_work(action, touched_for_some, gained, lost)
        links = self._links_touched(touched_for_some)
        for row in links if rows is None else np.intersect1d(links, rows):
            self._set_right_link(action, int(row), gained, lost)
        if but_guests:
            nothing = np.zeros(self.lists.size, dtype=np.bool_)
            return Effects(gained, lost, nothing, nothing)
        asked = np.union1d(self._rows_in(touched), links)
        asked = asked if rows is None else np.intersect1d(asked, rows)
        was = self.before.beside(Lists).items_for(None, action, asked)
        now = self.lists.items_for(None, action, asked)
        gain, lose = (np.zeros(self.lists.size, dtype=np.bool_) for _ in range(2))
        gain[asked], lose[asked] = now & ~was, was & ~now
        return Effects(gained, lost, gain, lose)

    def _of_each(self, action: str, rows: Numbers | None) -> Effects:
        """The same of few people, whose lists are compared: nothing is put together for all whom
        the classes speak to."""
        among = self._renewed_rows if rows is None else np.intersect1d(self._renewed_rows, rows)
        gained, lost = (np.zeros(self.lists.size, dtype=np.int64) for _ in range(2))
        both = self.before.beside(Lists), self.after.beside(Lists)
        for login in self.population.logins.tolist():
            was, now = (lists.items_for(login, action, among) for lists in both)
            gained[among] += now & ~was
            lost[among] += was & ~now
        nothing = np.zeros(self.lists.size, dtype=np.bool_)
        return Effects(gained, lost, nothing, nothing)

    @cached_property
    def _renewed_rows(self) -> Numbers:
        """The rows at which anything is compiled anew, and those of the links that lead there."""
        if self.renewed.site:
            return np.arange(self.lists.size)
        of, (of_ways, of_filed) = self.of, self._renewed_places
        ways, filed = (np.zeros(len(each), dtype=np.bool_) for each in (of.ways, of.filed))
        ways[of_ways], filed[of_filed] = True, True
        some = ways[of.way_at] | filed[of.filed_at] | filed[of.more_at]
        rows = self._rows_in(np.flatnonzero(some))
        return np.union1d(rows, self._leading_to(rows))

    def _counted(self, action: str, situations: Numbers) -> tuple[Numbers, Numbers]:
        """How many gain and lose it by their standing, for each row, where something else is said
        in some situations."""
        gained, lost = (np.zeros(self.lists.size, dtype=np.int64) for _ in range(2))
        if len(situations) and self.population.size:
            rows, places = self._rows_in(situations), np.zeros(len(self.of.weight), dtype=np.int64)
            places[situations] = np.arange(len(situations))
            at = places[self.of.of_row[rows]]
            gained[rows], lost[rows] = (each[at] for each in self._sums(action, situations))
        return gained, lost

    def _sums(self, action: str, situations: Numbers) -> tuple[Numbers, Numbers]:
        """The same for some situations. Actions of which the same is said there are counted once:
        those of which nothing is said, mostly."""
        places = self.lists.places(situations)
        both = [each.plan(Asked(action)) for each in (self.before, self.after)]
        tally = Tally(self.population, both, _gain_or_loss)
        told = tally.told(type(places)(*([column[0], column[0]] for column in places)))
        key = action == "read", told.key()
        found = self._known.get(key)
        if found is None:
            if len(situations) * self.population.size <= MOST:
                found = self._pairs.changes(both, told)
            else:
                sums = tally.counts(told)
                found = sums % _LOST, sums // _LOST
            self._known[key] = found
        return found

    @cached_property
    def _pairs(self) -> EveryPair:
        return EveryPair(self.population)

    def _rows_in(self, situations: Numbers) -> Numbers:
        """The rows in some situations."""
        some = np.zeros(len(self.of.weight), dtype=np.bool_)
        some[situations] = True
        found: Numbers = np.flatnonzero(some[self.of.of_row])
        return found

    def _links_touched(self, situations: Numbers) -> Numbers:
        """The rows of the links in some situations, or of which the target can be read by others:
        by itself, or as what it leads to can."""
        links = np.array([*self.after.links], dtype=np.int64)
        rows = np.intersect1d(self._rows_in(situations), links)
        return np.union1d(rows, self._leading_to(self._read_otherwise))

    def _leading_to(self, rows: Numbers) -> Numbers:
        """The rows of the links that lead to some rows, by others or not."""
        index, links = self.after.data.content.index, self.after.links
        some, found = set(rows.tolist()), []
        for row, target in links.items():
            met = set[int]()
            at = index.get(target)
            while at is not None and at not in met and at not in some:
                met.add(at)
                at = index.get(links.get(at, ""))
            if at in some:
                found.append(row)
        return np.array(sorted(found), dtype=np.int64)

    @cached_property
    def _read_otherwise(self) -> Numbers:
        """The rows of what others may read, by what is said to anybody or to its authors."""
        both = (self._touched(Asked("read", author=author), None) for author in (False, True))
        return self._rows_in(np.union1d(*both))

    def _touched(self, asked: Asked, within: Numbers | None) -> Numbers:
        """The situations for which something else is said, among some or all."""
        before, after = self.before.plan(asked), self.after.plan(asked)
        before.grow()
        after.grow()
        of, (of_ways, of_filed) = self.of, self._renewed_places
        ways, filed = (np.zeros(len(each), dtype=np.bool_) for each in (of.ways, of.filed))
        for place in _places(of_ways, within, of.way_at):
            ways[place] = _way_differs(before, after, of.ways[place])
        if self.renewed.site:
            ways |= self._site_differs(before, after)
        for place in _places(of_filed, within, of.filed_at, of.more_at):
            filed[place] = _filed_differs(before, after, of.filed[place])
        differs = ways[of.way_at] | filed[of.filed_at] | filed[of.more_at]
        found: Numbers = np.flatnonzero(differs)
        return found if within is None else np.intersect1d(found, within, assume_unique=True)

    def _site_differs(self, before: Plan, after: Plan) -> Answers:
        """For each class of items, whether the site says something else."""
        first, which = self._site_cases
        classes = [self.of.ways[place] for place in first.tolist()]
        differs = [each and _of_site_differs(before, after, each) for each in classes]
        return np.array(differs, dtype=np.bool_)[which]

    @cached_property
    def _site_cases(self) -> tuple[Numbers, Numbers]:
        """The place of one class of items for each pair of cases in which the site spoke of it and
        speaks of it, and which of these each class has."""
        asked = Asked("read")
        both = self.before.plan(asked), self.after.plan(asked)
        cases = [[plan.site_case(each) if each else -1 for each in self.of.ways] for plan in both]
        _, first, which = np.unique(cases, axis=1, return_index=True, return_inverse=True)
        return first, which

    @cached_property
    def _renewed_places(self) -> tuple[Numbers, Numbers]:
        """The places of the classes of items, and of categories, that are compiled anew."""
        of, new = self.of, self.renewed
        pairs = (of.ways, new.ways, new.ways_from), (of.filed, new.filed, new.filed_from)
        ways, filed = (
            [place for place, number in enumerate(all_) if number in some or number >= first]
            for all_, some, first in pairs
        )
        return np.array(ways, dtype=np.int64), np.array(filed, dtype=np.int64)

    def _set_right_own_work(
        self, action: str, touched: Numbers, gained: Numbers, lost: Numbers
    ) -> None:
        """Count those who wrote or changed an item by what is said to them alone."""
        there = np.zeros(len(self.of.weight), dtype=np.bool_)
        there[touched] = True
        work = self.lists.own_work.some(there[self._situations_of_work])
        was, now = (each.of_own_work(action, work) for each in (self.was, self.lists))
        for sums, one, other in ((gained, was, now), (lost, now, was)):
            real, counted = (two & ~one for one, two in zip(one, other, strict=True))
            np.add.at(sums, work.rows, real.astype(np.int64) - counted)

    @cached_property
    def _situations_of_work(self) -> Numbers:
        return self.of.of_row[self.lists.own_work.rows]

    def _set_right_link(self, action: str, row: int, gained: Numbers, lost: Numbers) -> None:
        """Count for a link, whose target has to be readable as well."""
        path = self.after.data.content.names[row]
        was, now = (set(lists.who_may(action, path)) for lists in (self.was, self.lists))
        gained[row], lost[row] = len(now - was), len(was - now)


def of_those_concerned(before: Engine, after: Engine) -> tuple[Lists, Lists]:
    """What two engines that differ in words alone say of everything to those of whom these words
    speak: nobody else's answers can change."""
    whos = after.renewed.whos if after.renewed is not None else None
    if whos is not None and all(who.kind == "user" for who in whos):  # known without the others
        population = Population(after.crowd, {who.name for who in whos})
        return Lists(before, population), Lists(after, population)
    every = before.beside(Lists)
    if whos is None:
        return every, every.after(after)
    now = every.after(after).among(after.crowd.mask(whos))
    return now.of_engine(before), now


def _places(among: Numbers, within: Numbers | None, *at: Numbers) -> list[int]:
    """Those among some places in a list of classes that some situations have; all, where they are
    all."""
    if within is not None:
        among = np.intersect1d(among, np.concatenate([each[within] for each in at]))
    found: list[int] = among.tolist()
    return found


def _gain_or_loss(answers: tuple[int, ...]) -> int:
    was, now = (answer == YES for answer in answers)
    return int(now and not was) + _LOST * int(was and not now)


def _way_differs(before: Plan, after: Plan, number: int) -> bool:
    if not number:
        return False
    pairs = zip(before.programs(number), after.programs(number), strict=True)
    return any(one is not other for one, other in pairs)


def _of_site_differs(before: Plan, after: Plan, number: int) -> bool:
    return before.site_program(number) is not after.site_program(number)


def _filed_differs(before: Plan, after: Plan, number: int) -> bool:
    return number != 0 and before.filed_program(number) is not after.filed_program(number)
