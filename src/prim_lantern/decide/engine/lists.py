"""Many decisions at once: all items of one person, all people of one item, all of all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.crowd import Person
from prim_lantern.decide.engine.engine import Engine
from prim_lantern.decide.engine.ground import Situation, apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import FILED, MORE, WAY, Plan
from prim_lantern.decide.engine.population import Numbers, Population

Answers = NDArray[np.bool_]


class Situations(NamedTuple):
    """The distinct combinations of classes that items are in, and which item is in which.

    `ways` and `filed` are the numbers of the classes that any item is in (0 stands for no
    categories); each situation is a place in the one and two places in the other. `weight`
    is how many items are in it.
    """

    ways: list[int]
    filed: list[int]
    way_at: Numbers
    filed_at: Numbers
    more_at: Numbers
    of_row: NDArray[Any]
    weight: Numbers


class Lists:
    """What an engine says of everything at once."""

    def __init__(self, engine: Engine) -> None:
        self.engine = engine
        self.size = len(engine.data.content)

    @cached_property
    def situations(self) -> Situations:
        """The situations of all items."""
        self.engine.settle_all()
        ground = self.engine.ground
        of_row = np.frombuffer(ground.of_row, dtype=np.int32)
        each = np.array([apart(each) for each in ground.situations], dtype=np.int64)
        weight = np.bincount(of_row, minlength=len(each))
        ways, way_at = np.unique(each[:, 0], return_inverse=True)
        filed, at = np.unique(each[:, 1:], return_inverse=True)
        at = at.reshape(-1, 2)
        return Situations(ways.tolist(), filed.tolist(), way_at, at[:, 0], at[:, 1], of_row, weight)

    @cached_property
    def population(self) -> Population:
        """All active users but the owner."""
        return Population(self.engine.crowd)

    # One person -----------------------------------------------------------------------

    def items_for(self, login: str | None, action: str) -> Answers:
        """Whether they may do this, for each row of the content."""
        engine = self.engine
        person = engine.crowd[login]
        if engine.is_owner(login):
            found = np.ones(self.size, dtype=np.bool_)
        else:
            found = self._by_class(person, engine.plan(Asked(action)))[self.situations.of_row]
        index = engine.data.content.index
        for path in self._one_by_one(login, person, action):
            found[index[path]] = engine.allows(login, action, path)
        return found

    def _by_class(self, person: Person, plan: Plan) -> Answers:
        """The answers by situation, links and own work aside."""
        of, mask = self.situations, person[0]
        way_codes, on_way = np.unique(
            [number and plan.way_key(mask, number) for number in of.ways], return_inverse=True
        )
        filed_codes, by_filed = np.unique(
            [number and plan.filed_code(mask, number) for number in of.filed], return_inverse=True
        )
        table = table_of(plan, way_codes, filed_codes)
        size = len(filed_codes)
        place = (on_way * (size * size))[of.way_at] + (by_filed * size)[of.filed_at]
        place += by_filed[of.more_at]
        found: Answers = table.reshape(-1)[place]
        return found

    def _one_by_one(self, login: str | None, person: Person, action: str) -> Iterable[str]:
        """The paths that no class speaks for."""
        engine = self.engine
        if engine.is_owner(login):
            return engine.crowd.handiwork.of(login or "") if action == "publish" else ()
        names = engine.data.content.names
        return [*(person[1]), *(names[row] for row in engine.links)]

    # One item -------------------------------------------------------------------------

    def who_may(self, action: str, path: str) -> list[str]:
        """The active users who may do this to an item, sorted."""
        engine, population = self.engine, self.population
        if engine.data.content.index[path] in engine.links:
            found = [login for login in population.logins if engine.allows(login, action, path)]
        else:
            answers = self._of_everybody(engine.plan(Asked(action)), engine.situation_of(path))
            for login in engine.handiwork_on(path):
                number = population.numbers.get(login)
                if number is not None:
                    answers[number] = engine.allows(login, action, path)
            found = [population.logins[number] for number in np.flatnonzero(answers).tolist()]
        owner = engine.data.owner
        return sorted([*found, owner]) if engine.allows(owner, action, path) else found

    def _of_everybody(self, plan: Plan, situation: Situation) -> Answers:
        """The answer for each of the population, in one situation."""
        population = self.population
        plan.grow()
        of_way, filed, more = apart(situation)
        site, way = plan.programs(of_way)
        key = population.dense(population.spread(site))
        key |= population.dense(population.spread(way)) << WAY
        for number, shift in ((filed, FILED), (more, MORE)):
            if number:
                program = plan.filed_program(number)
                key |= population.dense(population.spread(program)) << shift
        distinct, which = np.unique(key, return_inverse=True)
        answers = np.array([plan.answers[each] == YES for each in distinct.tolist()], dtype=np.bool_)
        found: Answers = answers[which]
        return found


def table_of(plan: Plan, way_codes: Numbers, filed_codes: Numbers) -> Answers:
    """The answers by the codes of the way and those of up to two roots of categories."""
    codes: Mapping[int, int] = plan.answers
    filed = filed_codes.tolist()
    return np.array(
        [
            [
                [way != 0 and codes[way | one << FILED | two << MORE] == YES for two in filed]
                for one in filed
            ]
            for way in way_codes.tolist()
        ],
        dtype=np.bool_,
    )

