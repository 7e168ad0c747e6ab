"""Pictured items, and what is asked about them to find those that matter."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Sequence
from typing import Final, NamedTuple

import numpy as np

from prim_lantern.change.gate.pictures import Way, go_together
from prim_lantern.change.gate.spread import Answers, Bools, Spread
from prim_lantern.decide.subject import Subject, with_above

TOGETHER: Final = "together"
"""Asked of an item under all that it is filed under."""
EACH: Final = "each"
"""Asked of it under each of these alone; of what is not filed, not asked."""
FIRST: Final = "first"
"""Asked of it under what it is filed under now, whatever it is filed under next."""
NEXT: Final = "next"
"""Asked of it under what it is filed under next, alone."""


class Spot(NamedTuple):
    """A pictured item, and the categories under which it is filed; `onto` is the one under which it
    would be filed next."""

    about: Subject
    categories: tuple[str, ...]
    onto: tuple[str, ...] = ()

    @classmethod
    def of(cls, way: Way, categories: tuple[str, ...], onto: tuple[str, ...] = ()) -> Spot:
        """An unfiled item, filed so."""
        return cls(way.about._replace(categories=with_above(categories)), categories, onto)


class Lane(NamedTuple):
    """One of the answers that a question rests on, and how it is asked; with `kept`, it is whether
    something without exceptions keeps them from it."""

    answers: Answers
    how: str = TOGETHER
    kept: bool = False

    def of(self, spot: Spot) -> Bools:
        """What it answers of an item."""
        if self.kept:
            return self.answers.kept(spot.about)
        if self.how in (TOGETHER, FIRST):
            return self.answers.yes(spot.about)
        under = spot.onto if self.how == NEXT else spot.categories
        return self.answers.each_alone(spot.about, under)


Asks = Callable[[Spread, bool], list[Lane]]
"""The lanes that together say whether some may do something to what is theirs, or another's."""


def all_of(values: Sequence[Bools], lanes: range) -> Bools:
    """Whether all of some lanes answer yes."""
    found: Bools = np.logical_and.reduce([values[each] for each in lanes])
    return found


def any_of(values: Sequence[Bools], some: Sequence[range]) -> Bools:
    """Whether all of one range of lanes, or of another, answer yes."""
    found = np.zeros_like(values[0])
    for lanes in some:
        found = found | all_of(values, lanes)
    return found


Entry = tuple[str, ...]
"""What an item may be filed under, together with another entry: nothing, or one or two
categories."""

Shows = Callable[[Sequence[Bools], Bools], Bools]


class Question(NamedTuple):
    """What is looked for, by what some lanes answer.

    Each of `shows` takes the answers of all lanes, and whether anything that differs can speak of
    the item; it says where they come out as looked for, the most wanted first. `pairs` are lanes
    of before and after: whoever is told the same by all of these is not looked for. With `filing`,
    an item is filed anew. `layout` says what the lanes are for, where questions are compared.
    """

    lanes: Sequence[Lane]
    shows: Sequence[Shows]
    pairs: Sequence[tuple[int, int]] = ()
    filing: bool = False
    way_touched: Callable[[Way], bool] | None = None
    filed_touched: Callable[[Way, tuple[str, ...]], bool] | None = None
    layout: Hashable = None

    @property
    def whole(self) -> bool:
        """Whether some cannot be told apart by way and categories."""
        return any(lane.answers.ground.whole for lane in self.lanes)

    @property
    def people(self) -> int:
        """How many people it is asked of."""
        return max(len(lane.answers.spread.masks) for lane in self.lanes)

    def same(self, spot: Spot) -> bool:
        """Whether everybody is told the same of an item before and after."""
        both = [(self.lanes[was], self.lanes[now]) for was, now in self.pairs]
        return bool(both) and all(bool((was.of(spot) == now.of(spot)).all()) for was, now in both)

    def told(self, spot: Spot) -> Hashable:
        """What tells it apart, asked of one item, by what is said of that; None where it is not
        known."""
        if self.layout is None or any(lane.how != TOGETHER for lane in self.lanes):
            return None
        about = spot.about
        said = ((e.kept, e.answers.how, e.answers.said_of(about)) for e in self.lanes)
        return self.layout, *said

    def goes_with(self, one: Entry, other: Entry) -> bool:
        """Whether an item may be filed under both; or first under nothing or a category, and then
        under another."""
        if self.filing:
            return len(one) < 2 and len(other) == 1
        return go_together(one, other)

    def spot(self, way: Way, one: Entry, other: Entry) -> Spot:
        """The item that is pictured by a way and two entries."""
        if self.filing:
            return Spot.of(way, one, other)
        return Spot.of(way, (*one, *other))
