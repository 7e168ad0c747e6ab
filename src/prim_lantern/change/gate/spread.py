"""What is answered to some people at once, about one item after the other."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.ground import apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import FILED, MORE, WAY, Plan, Program
from prim_lantern.decide.subject import Subject, with_above

Bools = NDArray[np.bool_]
Codes = NDArray[np.int64]


class Spread:
    """Some people, by their masks, and an engine that is asked about them."""

    def __init__(self, engine: Engine, masks: Sequence[int]) -> None:
        self.engine = engine
        self.masks = masks
        self._answers: dict[Asked, Answers] = {}
        self._codes: dict[int, tuple[Program, Codes]] = {}

    def asked(self, asked: Asked) -> Answers:
        """The answers to one question."""
        found = self._answers.get(asked)
        if found is None:
            found = self._answers[asked] = Answers(self, self.engine.plan(asked))
        return found

    def codes(self, program: Program) -> Codes:
        """What a program says to each of them."""
        found = self._codes.get(id(program))
        if found is None:
            asks = program.asks
            said = np.array([program[mask & asks] for mask in self.masks], dtype=np.int64)
            found = self._codes[id(program)] = program, said
        return found[1]


class Answers:
    """The answers to one question for some people, by the item."""

    def __init__(self, spread: Spread, plan: Plan) -> None:
        self.spread = spread
        self.plan = plan
        self.ground = spread.engine.ground

    def programs(self, number: int) -> tuple[int, int]:
        """By what the programs of the site and of the way are known, for a class of items."""
        self.plan.grow()
        site, way = self.plan.programs(number)
        return id(site), id(way)

    def said_of(self, about: Subject) -> tuple[int, ...]:
        """By what all programs are known that speak of an item."""
        way, *some = apart(self.ground.of_subject(about))
        return (*self.programs(way), *(id(self.filed_program(each)) for each in some if each))

    def filed_program(self, number: int) -> Program:
        """The program for a class of categories."""
        self.plan.grow()
        return self.plan.filed_program(number)

    def way(self, number: int) -> Codes:
        """What the site and the way say to each, for a class of items."""
        self.plan.grow()
        site, way = self.plan.programs(number)
        return self.spread.codes(site) | self.spread.codes(way) << WAY

    def filed(self, number: int) -> Codes:
        """What a class of categories says to each."""
        return self.spread.codes(self.filed_program(number))

    def yes(self, about: Subject) -> Bools:
        """Who may, the target of a link aside."""
        return self._of(about, self.plan.answers, YES)

    def kept(self, about: Subject) -> Bools:
        """Who is kept out by something without exceptions."""
        return self._of(about, self.plan.kept, 1)

    def _of(self, about: Subject, table: Mapping[int, int], wanted: int) -> Bools:
        way, filed, more = apart(self.ground.of_subject(about))
        keys = self.way(way)
        if filed:
            keys = keys | self.filed(filed) << FILED
        if more:
            keys = keys | self.filed(more) << MORE
        if len(keys) == 1:
            return np.array([table[int(keys[0])] == wanted])
        distinct, which = np.unique(keys, return_inverse=True)
        said = [table[each] == wanted for each in distinct.tolist()]
        found: Bools = np.array(said, dtype=np.bool_)[which]
        return found

    def each_alone(self, about: Subject, categories: Iterable[str]) -> Bools:
        """Who may for the item filed under each of some categories alone."""
        found = np.ones(len(self.spread.masks), dtype=np.bool_)
        for category in categories:
            found &= self.yes(about._replace(categories=with_above([category])))
        return found
