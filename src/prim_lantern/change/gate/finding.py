"""At which pictured items, and for whom, answers come out in some way.

Few different things are said to a person by all that there is, so that these are combined, and not
the items.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterator, Sequence
from itertools import product

import numpy as np

from prim_lantern.change.gate.pictures import Picture, Way
from prim_lantern.change.gate.said import Said, alike, effort, touched_among
from prim_lantern.change.gate.spots import Entry, Question, Spot

_TOUCHED = np.ones(1, dtype=np.bool_)

Spend = Callable[[int], None]
"""Takes how much there is to look at, and gives up where that is too much."""

Found = Iterator[tuple[int, int, Spot]]
"""What shows, by its place; somebody, by their place among those asked about, and an item."""


def find(
    question: Question,
    ways: Sequence[Way],
    picture: Picture,
    spend: Spend = lambda _: None,
    *,
    filed: bool = True,
    nothing: set[Hashable] | None = None,
) -> Found:
    """One of them for each way in which answers come out as looked for; what is filed under little
    comes first. Without `filed`, only what is filed under nothing: that is quickly found.
    `nothing` remembers questions by which nothing came out, as others are like them."""
    if question.whole:
        every = picture.entries(()) if filed else [()]
        yield from _one_by_one(question, ways, every, spend, nothing)
        return
    by_case: dict[object, list[Way]] = {}
    for way in ways:
        case = tuple(way.on(lane.answers.ground)[1] for lane in question.lanes)
        by_case.setdefault(case, []).append(way)
    for some in by_case.values():
        entries: list[Entry] = [()]
        if filed:
            entries = picture.entries(touched_among(question, some[0], picture.categories))
        told = alike(question, some, entries) if nothing is not None else None
        if told is not None and nothing is not None and told in nothing:
            continue
        spend(effort(question, some, entries))
        said = Said(question, some, entries)
        found = False
        if len(said.persons) and len(said.ways):
            for each in _combined(question, said, some, entries):
                found = True
                yield each
        if told is not None and nothing is not None and not found:
            nothing.add(told)


def _combined(
    question: Question, said: Said, ways: Sequence[Way], entries: Sequence[Entry]
) -> Found:
    all_shown = (
        (place, *each) for place, shows in enumerate(question.shows) for each in said.shown(shows)
    )
    for place, number, one, other in all_shown:
        for person in said.people(number, one, other):
            both = product(said.entries_of(person, one), said.entries_of(person, other))
            pairs = ((entries[first], entries[second]) for first, second in both)
            pair = next((each for each in pairs if question.goes_with(*each)), None)
            if pair is not None:
                way = ways[said.way_of(person, number)]
                yield place, int(said.persons[person]), question.spot(way, *pair)
                break


def _one_by_one(
    question: Question,
    ways: Sequence[Way],
    entries: Sequence[Entry],
    spend: Spend,
    nothing: set[Hashable] | None,
) -> Found:
    """The same where words speak of whole items: each is asked about by itself."""
    by_way = question.way_touched or (lambda _: True)
    by_filing = question.filed_touched or (lambda *_: False)
    for way in ways:
        on_way = by_way(way)
        for at, one in enumerate(entries):
            for other in entries if question.filing else entries[: at + 1]:
                if not question.goes_with(one, other):
                    continue
                if not (on_way or any(by_filing(way, each) for each in (one, other) if each)):
                    continue
                spot = question.spot(way, one, other)
                told = question.told(spot) if nothing is not None else None
                if told is not None and nothing is not None and told in nothing:
                    continue
                spend(effort(question, [way], [one]))
                found = list(_shown(question, spot))
                yield from found
                if told is not None and nothing is not None and not found:
                    nothing.add(told)


def _shown(question: Question, spot: Spot) -> Found:
    """What shows at one item, and to whom first."""
    if question.same(spot):
        return
    values = [lane.of(spot) for lane in question.lanes]
    for place, shows in enumerate(question.shows):
        found = shows(values, _TOUCHED).nonzero()[0].tolist()
        if found:
            yield place, found[0], spot
