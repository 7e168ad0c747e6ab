"""What is answered to some people at once, about one item after the other."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Final

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.asked import Asked, FiledCase
from prim_lantern.decide.engine.item_classes import Situation, apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.programs import FILED, MORE, WAY, Program
from prim_lantern.decide.subject import Subject, with_above

Bools = NDArray[np.bool_]
Codes = NDArray[np.int64]

_FEW: Final = 40  # people who are asked about one by one
_BITS: Final = 12  # up to so many, all combinations of bits find room in a table


class Spread:
    """Some people, by their masks, and an engine that is asked about them."""

    def __init__(self, engine: Engine, masks: Sequence[int]) -> None:
        self.engine = engine
        self.masks = masks
        self._answers: dict[Asked, Answers] = {}
        self._codes: dict[int, tuple[Program, Codes]] = {}
        self._situations: dict[Subject, Situation] = {}

    def situation(self, about: Subject) -> Situation:
        """The situation of a subject, which is asked about for one action after the other."""
        found = self._situations.get(about)
        if found is None:
            found = self._situations[about] = self.engine.ground.of_subject(about)
        return found

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
            found = self._codes[id(program)] = program, self._said(program)
        return found[1]

    def _said(self, program: Program) -> Codes:
        """One code for all who are alike in the bits that it asks about."""
        asks, masks = program.asks, self.masks
        places = list(_places(asks))
        if len(masks) < _FEW or len(places) > _BITS:
            return np.array([program[mask & asks] for mask in masks], dtype=np.int64)
        alike = np.zeros(len(masks), dtype=np.int64)
        for number, place in enumerate(places):
            column = self._bytes[:, place >> 3] if place >> 3 < self._bytes.shape[1] else None
            if column is not None:
                alike |= (column >> (place & 7) & 1).astype(np.int64) << number
        one = np.full(1 << len(places), -1)
        one[alike] = np.arange(len(masks))
        codes = np.zeros(len(one), dtype=np.int64)
        for each in (one >= 0).nonzero()[0].tolist():
            codes[each] = program[masks[one[each]] & asks]
        return codes[alike]

    @cached_property
    def _bytes(self) -> NDArray[np.uint8]:
        """The masks, eight bits to a column."""
        width = max((mask.bit_length() for mask in self.masks), default=0) // 8 + 1
        joined = b"".join(mask.to_bytes(width, "little") for mask in self.masks)
        return np.frombuffer(joined, dtype=np.uint8).reshape(len(self.masks), width)


def _places(bits: int) -> Iterator[int]:
    while bits:
        low = bits & -bits
        yield low.bit_length() - 1
        bits ^= low


class Answers:
    """The answers to one question for some people, by the item."""

    def __init__(self, spread: Spread, plan: Plan) -> None:
        self.spread = spread
        self.plan = plan
        self.ground = spread.engine.ground
        # Where every way of filing makes a class of its own, it would take long to put together
        # what all these say to everybody: a few are asked about one by one.
        self._each_alone = self.ground.whole and len(spread.masks) < _FEW
        self._known_ways: dict[int, Codes] = {}
        self._of_filing: dict[tuple[tuple[str, ...], FiledCase], Program] = {}

    @property
    def how(self) -> Hashable:
        """What tells answers apart that follow from the same that is said, to the same people."""
        asked = self.plan.asked
        return asked.action == "read", asked.reading, id(self.spread)

    def programs(self, number: int) -> tuple[Program, Program]:
        """The programs of the site and of the way, for a class of items."""
        self.plan.grow()
        return self.plan.programs(number)

    def of_filing(self, categories: tuple[str, ...], case: FiledCase) -> Program:
        """The program of some categories of one root, for items of a case."""
        found = self._of_filing.get((categories, case))
        if found is None:
            self.plan.grow()
            found = self.plan.filed_program(self.ground.filed_number(categories, case))
            self._of_filing[categories, case] = found
        return found

    def said_of(self, about: Subject) -> tuple[int, ...]:
        """What an answer about a subject follows from: the numbers of the programs, or the codes of
        each who is asked about."""
        way, *filed = apart(self.spread.situation(about))
        if self._each_alone:
            return tuple(self.way(way).tolist())
        site, on_way = self.programs(way)
        of_roots = (self.plan.filed_program(each).number if each else -1 for each in filed)
        return site.number, on_way.number, *of_roots

    def way(self, number: int) -> Codes:
        """What the site and the way say to each, for a class of items."""
        if self._each_alone:
            return self._way_of_each(number)
        site, way = self.programs(number)
        return self.spread.codes(site) | self.spread.codes(way) << WAY

    def _way_of_each(self, number: int) -> Codes:
        found = self._known_ways.get(number)
        if found is None:
            singly = self.plan.singly
            codes = [
                singly.site_code(mask, number) | singly.way_code(mask, number) << WAY
                for mask in self.spread.masks
            ]
            found = self._known_ways[number] = np.array(codes, dtype=np.int64)
        return found

    def filed(self, number: int) -> Codes:
        """What a class of categories says to each."""
        self.plan.grow()
        return self.spread.codes(self.plan.filed_program(number))

    def yes(self, about: Subject) -> Bools:
        """Who may, the target of a link aside."""
        return self._of(about, self.plan.answers, YES)

    def kept(self, about: Subject) -> Bools:
        """Who is kept out by something without exceptions."""
        return self._of(about, self.plan.kept, 1)

    def _of(self, about: Subject, table: Mapping[int, int], wanted: int) -> Bools:
        way, filed, more = apart(self.spread.situation(about))
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
