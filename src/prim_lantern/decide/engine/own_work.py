"""What people have to do with items that they wrote or changed themselves: those are decided one by
one, as no class speaks for them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from prim_lantern.decide.engine.engine import Engine
from prim_lantern.decide.engine.item_classes import Ground
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Answers, Numbers, Population
from prim_lantern.decide.engine.programs import FILED, MORE, WAY, Program
from prim_lantern.decide.engine.situations import Situations

_FEW: Final = 300  # people whose own work is looked up one after the other
_OFTEN: Final = 8  # from so many pairs a class on, it is put together for all


class Work(NamedTuple):
    """Pairs of a user (by number) and a row of the content that they `wrote` or else changed."""

    users: Numbers
    rows: Numbers
    wrote: Answers

    @classmethod
    def of(cls, engine: Engine, population: Population) -> Work:
        """All the work of some people."""
        if population.size <= _FEW:
            return cls._of_a_few(engine, population)
        data, numbers = engine.data, population.numbers
        size = len(data.content)
        authors = [*data.content.values_of("authors")]
        changed = {**data.content.filled("changed_by")}
        for part, page in data.pages.items():  # a part is the work of whose page it is on
            authors[part] = authors[page]
            changed[part] = changed.get(page, ())
        sizes = np.fromiter(map(len, authors), np.int64, size)
        wrote = np.fromiter(
            (numbers.get(login, -1) for some in authors for login in some), np.int64, sizes.sum()
        )
        others = [
            (numbers[login], row)
            for row, some in changed.items()
            for login in some
            if login in numbers and login not in authors[row]
        ]
        users, rows = np.array(others, dtype=np.int64).reshape(-1, 2).T
        known = wrote >= 0
        return cls(
            np.concatenate([wrote[known], users]),
            np.concatenate([np.repeat(np.arange(size), sizes)[known], rows]),
            np.concatenate([known[known], np.zeros(len(users), dtype=np.bool_)]),
        )

    @classmethod
    def _of_a_few(cls, engine: Engine, population: Population) -> Work:
        index = engine.data.content.index
        found = [
            (number, index[path], login in engine.authors(path))
            for login, number in population.numbers.items()
            for path in engine.crowd.handiwork.of(login)
        ]
        users, rows, wrote = np.array(found, dtype=np.int64).reshape(-1, 3).T
        return cls(users, rows, wrote != 0)

    def some(self, which: Answers) -> Work:
        """Some of the pairs."""
        return Work(self.users[which], self.rows[which], self.wrote[which])

    def among(self, numbers: Numbers) -> Work:
        """That of those who have a number still: the new one of each, -1 for the others."""
        found = self._replace(users=numbers[self.users])
        return found.some(found.users >= 0)


def answers_of_pairs(
    plan: Plan, population: Population, ground: Ground, users: Numbers, situations: Numbers
) -> Answers:
    """The answer for each pair of a user and a situation, links aside."""
    plan.grow()
    of = Situations.of(ground)
    ways, way_at = _classes(of.ways, of.way_at[situations])
    if len(users) < _OFTEN * len(ways):
        return _one_by_one(plan, population.masks, ground, users, situations)
    both = [plan.programs(number) for number in ways]
    keys = _of_site(population, [site for site, _ in both], users, way_at)
    keys |= population.codes_of([way for _, way in both], users, way_at) << WAY
    for at, shift in ((of.filed_at, FILED), (of.more_at, MORE)):
        at_filed = at[situations]
        there = np.flatnonzero(np.array(of.filed)[at_filed])
        filed, filed_at = _classes(of.filed, at_filed[there])
        programs = [plan.filed_program(number) for number in filed]
        keys[there] |= population.codes_of(programs, users[there], filed_at) << shift
    distinct, which = np.unique(keys, return_inverse=True)
    said = [plan.answers[key] == YES for key in distinct.tolist()]
    found: Answers = np.array(said, dtype=np.bool_)[which]
    return found


def _classes(numbers: Sequence[int], at: Numbers) -> tuple[list[int], Numbers]:
    """The classes that are met, and which of them each is."""
    met, which = np.unique(at, return_inverse=True)
    return [numbers[place] for place in met.tolist()], which


def _of_site(
    population: Population, programs: Sequence[Program], users: Numbers, at: Numbers
) -> Numbers:
    """What the site says in each pair: its programs are few, and each asks about many bits."""
    numbers = np.array([each.number for each in programs], dtype=np.int64)[at]
    found = np.zeros(len(users), dtype=np.int64)
    for number, program in {each.number: each for each in programs}.items():
        here = np.flatnonzero(numbers == number)
        found[here] = population.says(program)[users[here]]
    return found


def _one_by_one(
    plan: Plan, masks: Sequence[int], ground: Ground, users: Numbers, situations: Numbers
) -> Answers:
    """The same where there are few, without putting anything together for all."""
    answer, numbered = plan.answer, ground.situations
    said = [
        answer(masks[user], numbered[number]) == YES
        for user, number in zip(users.tolist(), situations.tolist(), strict=True)
    ]
    return np.array(said, dtype=np.bool_)
