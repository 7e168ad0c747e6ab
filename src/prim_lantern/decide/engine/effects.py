"""Who gains and who loses what when the rights of a site change, exactly, for any size."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.engine import Engine
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.lists import Answers, Lists
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Numbers
from prim_lantern.decide.engine.tally import Tally
from prim_lantern.site.who import EVERYONE, GUESTS

_A_GUESTS = frozenset({EVERYONE, GUESTS})
_LOST = 1 << 32  # what somebody's loss counts for, so that one sum holds gains and losses


class Effects(NamedTuple):
    """How many active users gain and lose an action, for each row of the content.

    `guests_gain` and `guests_lose` say the same of guests, who are nobody in particular.
    """

    gained: Numbers
    lost: Numbers
    guests_gain: Answers
    guests_lose: Answers


def effects_of(before: Engine, after: Engine, action: str) -> Effects:
    """What a change of words does to one action: of rules, given roles and readerships.

    `after` is made by `before.after(…)` for the same moment. Raises `ValueError` where more
    than words has changed (people, items, what lets no rights in from above).
    """
    return _Comparison(before, after, action).effects()


class _Comparison:
    def __init__(self, before: Engine, after: Engine, action: str) -> None:
        self.before, self.after, self.action = before, after, action
        self.lists: Lists = before.beside(Lists).after(after)
        self.of = self.lists.situations  # both engines share the ground
        before.settle_all()
        if after.renewed is None:
            raise ValueError("more than words has changed between the two engines")
        self.renewed = after.renewed
        self.population = self.lists.population
        if after.renewed.whos is not None:  # nobody else's answers can change
            self.population = self.population.among(after.crowd.mask(after.renewed.whos))

    def effects(self) -> Effects:
        touched = self._touched(Asked(self.action))
        sums = np.zeros(len(self.of.way_at), dtype=np.int64)
        if len(touched) and self.population.size:
            places = self.lists.places(touched)
            both = [each.plan(Asked(self.action)) for each in (self.before, self.after)]
            together = [[column[0], column[0]] for column in places]
            tally = Tally(self.population, both, _gain_or_loss)
            sums[touched] = tally.counts(type(places)(*together))
        of_rows = sums[self.of.of_row]
        gained, lost = of_rows % _LOST, of_rows // _LOST
        self._set_right_own_work(touched, gained, lost)
        self._set_right_links(gained, lost)
        whos = self.renewed.whos
        if whos is not None and whos.isdisjoint(_A_GUESTS):
            nothing = np.zeros(self.lists.size, dtype=np.bool_)
            return Effects(gained, lost, nothing, nothing)
        was = self.before.beside(Lists).items_for(None, self.action)
        now = self.lists.items_for(None, self.action)
        return Effects(gained, lost, now & ~was, was & ~now)

    def _touched(self, asked: Asked) -> Numbers:
        """The situations for which something else is said."""
        before, after = self.before.plan(asked), self.after.plan(asked)
        before.grow()
        after.grow()
        new = self.renewed
        ways = np.array(
            [
                (number in new.ways or number >= new.ways_from)
                and _way_differs(before, after, number)
                for number in self.of.ways
            ],
            dtype=np.bool_,
        )
        filed = np.array(
            [
                (number in new.filed or number >= new.filed_from)
                and _filed_differs(before, after, number)
                for number in self.of.filed
            ],
            dtype=np.bool_,
        )
        differs = ways[self.of.way_at] | filed[self.of.filed_at] | filed[self.of.more_at]
        return np.flatnonzero(differs)

    def _set_right_own_work(self, touched: Numbers, gained: Numbers, lost: Numbers) -> None:
        """Count those who wrote or changed an item by what is said to them alone."""
        users, rows, _ = self.lists.own_work
        as_authors = self._touched(Asked(self.action, author=True))
        names, logins = self.after.data.content.names, self.lists.population.logins
        masks = self.lists.population.masks
        known = self.population.numbers
        concerned = np.array([login in known for login in logins.tolist()], dtype=np.bool_)
        some = np.isin(self.of.of_row[rows], np.union1d(touched, as_authors)) & concerned[users]
        plans = [each.plan(Asked(self.action)) for each in (self.before, self.after)]
        situations = self.after.ground.situations
        for user, row in zip(users[some].tolist(), rows[some].tolist(), strict=True):
            situation = situations[self.of.of_row[row]]
            counted = [plan.answer(masks[user], situation) == YES for plan in plans]
            login, path = logins[user], names[row]
            real = [e.allows(login, self.action, path) for e in (self.before, self.after)]
            gained[row] += (real == [False, True]) - (counted == [False, True])
            lost[row] += (real == [True, False]) - (counted == [True, False])

    def _set_right_links(self, gained: Numbers, lost: Numbers) -> None:
        """Count for links, whose target has to be readable as well, one by one."""
        for row in self.after.links:
            path = self.after.data.content.names[row]
            was, now = (
                set(lists.who_may(self.action, path))
                for lists in (self.before.beside(Lists), self.lists)
            )
            gained[row], lost[row] = len(now - was), len(was - now)


def _gain_or_loss(answers: tuple[int, ...]) -> int:
    was, now = (answer == YES for answer in answers)
    return int(now and not was) + _LOST * int(was and not now)


def _way_differs(before: Plan, after: Plan, number: int) -> bool:
    if not number:
        return False
    pairs = zip(before.programs(number), after.programs(number), strict=True)
    return any(one is not other for one, other in pairs)


def _filed_differs(before: Plan, after: Plan, number: int) -> bool:
    return number != 0 and before.filed_program(number) is not after.filed_program(number)
