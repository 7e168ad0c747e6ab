"""What is said to some people on some ways and at some categories: few different things, numbered.

What a lane answers follows from what the site and the way say and what the categories say. So all
that is said to one person by a way in all lanes has one number, and likewise by a category.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from functools import cached_property
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.change.gate.pictures import Way
from prim_lantern.change.gate.spots import FIRST, NEXT, TOGETHER, Entry, Lane, Question, Shows
from prim_lantern.change.gate.spread import Bools, Codes
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.programs import FILED, MORE

_DENSE: Final = 1 << 22  # numbers up to here are counted in a table
_SPARSE: Final = 16  # and no more than so many for each that is there
_EACH, _PEOPLE = 20, 12  # what a way or filing costs; and how many people cost one more
_NOT_ASKED: Final = -1
_CODE: Final = 0xFFFF


class Numbers(NamedTuple):
    """A number for each thing (row) and person (column), and where each number first stands."""

    of: NDArray[np.int64]
    rows: NDArray[np.int64]
    columns: NDArray[np.int64]


class Said:
    """All that is said, for ways of one case."""

    def __init__(self, question: Question, ways: Sequence[Way], entries: Sequence[Entry]) -> None:
        self._question = question
        lanes = question.lanes
        on_ways = [_on_ways(lane, ways) for lane in lanes]
        filed = [_filed(lane, ways[0], entries) for lane in lanes]
        way_touched, filed_touched = _touched(question, ways, entries)
        self.persons, self.ways = self._looked_for(on_ways, filed)
        """Those people and ways that can matter, by their places."""
        self._on_ways = [_some(each, self.ways, self.persons) for each in on_ways]
        self._filed = [_some(each, None, self.persons) for each in filed]
        self._way_touched = way_touched[self.ways]
        self._filed_touched = filed_touched
        size = len(self.persons)
        self.on_way = _numbered([*self._on_ways, self._way_touched[:, None]], size)
        self.at_filing = _numbered([*self._filed, filed_touched[:, None]], size)

    def _looked_for(
        self, on_ways: Sequence[Codes], filed: Sequence[Codes]
    ) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        question = self._question
        size = question.people
        everybody, every_way = np.arange(size), np.arange(len(on_ways[0]))
        differing, ways, alike = np.zeros(size, dtype=np.bool_), set[int](), True
        for was, now in question.pairs:
            one, other = (question.lanes[each].answers.spread for each in (was, now))
            if one.engine.shared is not other.engine.shared:
                return everybody, every_way
            by_way, by_filing = on_ways[was] != on_ways[now], filed[was] != filed[now]
            differing |= by_way.any(axis=0) | by_filing.any(axis=0)
            ways.update(by_way.any(axis=1).nonzero()[0].tolist())
            alike = alike and not by_filing.any()
        if not question.pairs:
            return everybody, every_way
        return differing.nonzero()[0], np.array(sorted(ways), np.int64) if alike else every_way

    # What answers come to ---------------------------------------------------------------------

    @cached_property
    def _has_way(self) -> NDArray[np.bool_]:
        return _present(self.on_way)

    @cached_property
    def _has_filing(self) -> NDArray[np.bool_]:
        return _present(self.at_filing)

    @cached_property
    def _tables(self) -> list[tuple[NDArray[np.int64], NDArray[np.int64], Bools]]:
        """For each lane: for each number of a way and of a filing, its place in a table of answers;
        and that table."""
        return [
            _table(
                lane,
                _at(way, self.on_way.rows, self.on_way.columns),
                _at(filed, self.at_filing.rows, self.at_filing.columns),
            )
            for lane, way, filed in zip(
                self._question.lanes, self._on_ways, self._filed, strict=True
            )
        ]

    def _shown(self, shows: Shows, number: int, one: Any, other: Any) -> Bools:
        """Where it comes out as looked for, on a way that says what has a number, filed as some
        numbers say."""
        values = [
            table[ways[number]][filed[one]][:, filed[other]] for ways, filed, table in self._tables
        ]
        by_filing = self._filed_touched[self.at_filing.rows]
        on_way = self._way_touched[self.on_way.rows[number]]
        touched = on_way | by_filing[one][:, None] | by_filing[other][None, :]
        return shows(values, touched)

    def shown(self, shows: Shows) -> Iterator[tuple[int, int, int]]:
        """The numbers of a way and of two filings by which it comes out as looked for, to somebody
        to whom all three are said; nothing or one filing first."""
        nothing = int(self.at_filing.of[0, 0])  # the first entry is nothing
        every = np.arange(len(self.at_filing.rows))
        has_way, has_filing = self._patterns
        said = (has_way.T @ has_filing) > 0
        for number in range(len(self.on_way.rows)):
            shown = self._shown(shows, number, [nothing], every)[0] & said[number]
            yield from ((number, nothing, other) for other in shown.nonzero()[0].tolist())
        for number in range(len(self.on_way.rows)):
            shown = self._shown(shows, number, every, every)
            if not self._question.filing:
                shown &= every[:, None] <= every[None, :]
            ones, others = (np.flatnonzero(shown.any(axis=axis)) for axis in (1, 0))
            if len(ones):
                those = has_filing[has_way[:, number] > 0]
                both = (those[:, ones].T @ those[:, others]) > 0
                for one, other in np.argwhere(both & shown[np.ix_(ones, others)]).tolist():
                    yield number, int(ones[one]), int(others[other])

    @cached_property
    def _patterns(self) -> tuple[NDArray[np.float32], NDArray[np.float32]]:
        """What is said to each sort of person, on ways and at filings."""
        both = np.packbits(np.hstack([self._has_way, self._has_filing]), axis=1)
        sorts = list({row.tobytes(): number for number, row in enumerate(both)}.values())
        return (
            self._has_way[sorts].astype(np.float32),
            self._has_filing[sorts].astype(np.float32),
        )

    # Who and where ------------------------------------------------------------------------------

    def people(self, number: int, one: int, other: int) -> Iterator[int]:
        """Those to whom all three are said, by their places in `persons`."""
        has = self._has_way[:, number] & self._has_filing[:, one] & self._has_filing[:, other]
        return iter(has.nonzero()[0].tolist())

    def way_of(self, person: int, number: int) -> int:
        """The place of the first way that says this to somebody."""
        return int(self.ways[(self.on_way.of[:, person] == number).argmax()])

    def entries_of(self, person: int, number: int) -> list[int]:
        """The places of the entries that say this to somebody."""
        found: list[int] = (self.at_filing.of[:, person] == number).nonzero()[0].tolist()
        return found


def touched_among(question: Question, way: Way, categories: Sequence[str]) -> set[str]:
    """The categories at which something is said that a change touches: for items of the case of a
    way."""
    by_filing = question.filed_touched or (lambda *_: False)
    entries: list[Entry] = [(each,) for each in categories]
    found = {each for each in categories if by_filing(way, (each,))}
    for was, now in question.pairs if entries else ():
        one, other = (_filed(question.lanes[each], way, entries) for each in (was, now))
        found.update(categories[each] for each in (one != other).any(axis=1).nonzero()[0].tolist())
    return found


def alike(question: Question, ways: Sequence[Way], entries: Sequence[Entry]) -> Hashable:
    """What tells a question apart, for ways of one case, by what is said in it: actions of which
    nothing is said are all alike. None where it is not known."""
    if question.layout is None:
        return None
    told: list[Hashable] = [question.layout, tuple(entries)]
    for lane in question.lanes:
        answers, ground = lane.answers, lane.answers.ground
        case = ways[0].on(ground)[1]
        pairs = (answers.programs(way.on(ground)[0]) for way in ways)
        together = lane.how in (TOGETHER, FIRST)
        filed = (
            answers.of_filing(some, case).number
            for each in entries
            for some in ([each] if together and each else [(one,) for one in each])
        )
        on_way = tuple((site.number, way.number) for site, way in pairs)
        told.append((lane.how, lane.kept, answers.how, on_way, tuple(filed)))
    return tuple(told)


def effort(question: Question, ways: Sequence[Way], entries: Sequence[Entry]) -> int:
    """How much there is to look at, in some millionths of a second."""
    return len(question.lanes) * (len(ways) + len(entries)) * (_EACH + question.people // _PEOPLE)


# Codes ----------------------------------------------------------------------------------------


def _on_ways(lane: Lane, ways: Sequence[Way]) -> Codes:
    """What the site and each way say to each person."""
    numbers = [way.on(lane.answers.ground)[0] for way in ways]
    return np.stack([lane.answers.way(number) for number in numbers])


def _filed(lane: Lane, way: Way, entries: Sequence[Entry]) -> Codes:
    """What each entry says to each person."""
    answers = lane.answers
    case = way.on(answers.ground)[1]

    def of(categories: tuple[str, ...]) -> Codes:
        return answers.spread.codes(answers.of_filing(categories, case))

    nothing = np.zeros(len(answers.spread.masks), dtype=np.int64)
    if lane.how in (TOGETHER, FIRST):
        return np.stack([of(each) if each else nothing for each in entries])
    alone = [[of((category,)) for category in each] for each in entries]
    return np.stack(
        [some[0] | some[-1] << FILED if some else nothing + _NOT_ASKED for some in alone]
    )


def _touched(
    question: Question, ways: Sequence[Way], entries: Sequence[Entry]
) -> tuple[Bools, Bools]:
    by_way = question.way_touched or (lambda _: False)
    by_filing = question.filed_touched or (lambda *_: False)
    return (
        np.array([by_way(each) for each in ways], dtype=np.bool_),
        np.array(
            [bool(each) and by_filing(ways[0], each) for each in entries],
            dtype=np.bool_,
        ),
    )


def _some(codes: Codes, rows: Any, persons: NDArray[np.int64]) -> Codes:
    found = codes if rows is None else codes[rows]
    return found if found.shape[1] == 1 else found[:, persons]


def _at(codes: Codes, rows: NDArray[np.int64], columns: NDArray[np.int64]) -> Codes:
    found: Codes = codes[rows, columns if codes.shape[1] > 1 else 0]
    return found


# Numbers --------------------------------------------------------------------------------------


def _numbered(lanes: Sequence[NDArray[Any]], size: int) -> Numbers:
    """One number for all that is said in some lanes."""
    joined, most = np.zeros((len(lanes[0]), 1), dtype=np.int64), 1
    for codes in lanes:
        ids, count = _dense(codes)
        if most * count > _DENSE:
            joined, most = _dense(joined)
        joined, most = joined * count + ids, most * count
    joined = np.broadcast_to(joined, (len(joined), size))
    ids, count = _dense(joined)
    where = np.zeros(count, dtype=np.int64)
    where[ids.ravel()[::-1]] = np.arange(ids.size)[::-1]
    return Numbers(ids, where // size, where % size)


def _dense(codes: NDArray[Any]) -> tuple[NDArray[np.int64], int]:
    """Numbers from nought for some codes, and how many there are."""
    codes = codes.astype(np.int64, copy=False)
    low, high = (int(codes.min()), int(codes.max())) if codes.size else (0, 0)
    if low >= 0 and high < _DENSE and high <= _SPARSE * codes.size:
        known = np.zeros(high + 1, dtype=np.int64)
        known[codes.ravel()] = 1
        number = np.cumsum(known) - 1
        return number[codes], int(known.sum())
    distinct, ids = np.unique(codes, return_inverse=True)
    return ids.reshape(codes.shape), len(distinct)


def _present(numbers: Numbers) -> NDArray[np.bool_]:
    """Whether each number is said to each person."""
    found = np.zeros((numbers.of.shape[1], len(numbers.rows)), dtype=np.bool_)
    found[np.arange(len(found))[None, :], numbers.of] = True
    return found


def _table(
    lane: Lane, on_way: Codes, filed: Codes
) -> tuple[NDArray[np.int64], NDArray[np.int64], Bools]:
    """The answers of one lane by all that is said to it on ways and by up to two filings."""
    plan = lane.answers.plan
    answers, wanted = (plan.kept, 1) if lane.kept else (plan.answers, YES)
    (ways, of_way), (filings, of_filing) = (
        np.unique(each, return_inverse=True) for each in (on_way, filed)
    )
    some = filings.tolist()

    def yes(way: int, *codes: int) -> bool:
        key = way
        for shift, code in zip((FILED, MORE), codes, strict=False):
            key |= code << shift
        return bool(answers[key] == wanted)

    def alone(way: int, code: int) -> bool:
        if code == _NOT_ASKED:
            return True
        return yes(way, code & _CODE) and yes(way, code >> FILED)

    if lane.how == TOGETHER:
        table = np.array(
            [[[yes(way, one, other) for other in some] for one in some] for way in ways.tolist()]
        )
    elif lane.how == FIRST:
        by_one = np.array([[yes(way, one) for one in some] for way in ways.tolist()])
        table = np.repeat(by_one[:, :, None], len(some), axis=2)
    else:
        by_one = np.array([[alone(way, one) for one in some] for way in ways.tolist()])
        table = by_one[:, None, :] & (True if lane.how == NEXT else by_one[:, :, None])
        table = np.broadcast_to(table, (len(by_one), len(some), len(some)))
    return of_way.ravel(), of_filing.ravel(), table
