"""Which pictured items have to be looked at for a question: those that answers tell apart."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from itertools import combinations, product
from typing import NamedTuple

from prim_lantern.change.gate.pictures import Picture, Way
from prim_lantern.change.gate.spread import Answers
from prim_lantern.decide.subject import Subject, with_above


class Spot(NamedTuple):
    """A pictured item, and the categories under which it is filed."""

    about: Subject
    categories: tuple[str, ...]

    @classmethod
    def of(cls, about: Subject, categories: tuple[str, ...]) -> Spot:
        """An unfiled item, filed so."""
        return cls(about._replace(categories=with_above(categories)), categories)


class Lanes:
    """The answers that a question rests on: `was` and `now` of the people, and the `others`; those
    `alone` are asked of each category by itself."""

    def __init__(
        self,
        was: Sequence[Answers],
        now: Sequence[Answers],
        others: Sequence[Answers],
        alone: frozenset[int] = frozenset(),
        held: Callable[[Spot], bool] | None = None,
    ) -> None:
        """`held` says, by what the others alone are answered, of which items nothing has to be
        looked at."""
        self.was, self.now, self.others, self.alone = was, now, others, alone
        self.held = held

    @property
    def every(self) -> list[Answers]:
        """All of them."""
        return [*self.was, *self.now, *self.others]

    @property
    def pairs(self) -> Iterable[tuple[Answers, Answers]]:
        """Those of before with those of after."""
        return zip(self.was, self.now, strict=True)

    @property
    def whole(self) -> bool:
        """Whether some cannot be told apart by way and categories."""
        return any(each.ground.whole for each in self.every)

    @property
    def comparable(self) -> bool:
        """Whether the same people are asked on sites of the same groups, so that nothing can
        differ where the same is said."""
        return all(
            was.spread.engine.shared is now.spread.engine.shared
            and was.spread.masks == now.spread.masks
            for was, now in self.pairs
        )

    def way_moved(self, way: Way) -> bool:
        """Whether the words on a way say something else after."""
        return any(
            was.programs(way.on(was.ground)[0]) != now.programs(way.on(now.ground)[0])
            for was, now in self.pairs
        )

    def spot_moved(self, about: Subject) -> bool:
        """Whether anything else is said of an item after, however it is told apart."""
        return any(was.said_of(about) != now.said_of(about) for was, now in self.pairs)

    def filed_moved(self, way: Way, filing: Iterable[str]) -> bool:
        """Whether the words at some categories say something else after."""
        for was, now in self.pairs:
            for some in self._filings(was, filing):
                programs = [
                    each.filed_program(each.ground.filed_number(some, way.on(each.ground)[1]))
                    for each in (was, now)
                ]
                if programs[0] is not programs[1]:
                    return True
        return False

    def _filings(self, answers: Answers, filing: Iterable[str]) -> list[list[str]]:
        alone = id(answers) in self.alone
        return [[each] for each in filing] if alone else [list(filing)]

    def of_way(self, way: Way, lanes: Iterable[Answers] | None = None) -> bytes:
        """What is said on a way, in all lanes or some, as a text to know it by."""
        some = self.every if lanes is None else lanes
        return b"|".join(each.way(way.on(each.ground)[0]).tobytes() for each in some)

    def of_filing(
        self, way: Way, filing: Iterable[str], lanes: Iterable[Answers] | None = None
    ) -> bytes:
        """What is said at some categories of one root, in the same manner."""
        found: list[bytes] = []
        for each in self.every if lanes is None else lanes:
            case = way.on(each.ground)[1]
            found += (
                each.filed(each.ground.filed_number(some, case)).tobytes()
                for some in self._filings(each, filing)
            )
        return b"|".join(found)


def spots(lanes: Lanes, ways: Sequence[Way], picture: Picture, most: int = 2) -> Iterator[Spot]:
    """One item for each way in which answers may come out, where they may have changed."""
    if lanes.whole:
        short = [each for each in picture.filings if len(each) <= most]
        comparable = lanes.comparable
        for way, filing in product(ways, short):
            spot = Spot.of(way.about, filing)
            moved = not comparable or lanes.spot_moved(spot.about)
            if moved and (lanes.held is None or not lanes.held(spot)):
                yield spot
        return
    for some in _ways_apart(lanes, ways):
        filings = _filings(lanes, some[0][0], picture, most)
        if not any(moved for _, moved in (*some, *filings)):
            continue
        for ways_alike, filings_alike in _to_look_at(lanes, _told_apart(lanes, some), filings):
            for (way, moved), (filing, filed_moved) in product(ways_alike, filings_alike):
                if moved or filed_moved:
                    yield Spot.of(way.about, filing)


def _to_look_at(
    lanes: Lanes, ways: list[tuple[Way, bool]], filings: list[tuple[tuple[str, ...], bool]]
) -> Iterator[tuple[list[tuple[Way, bool]], list[tuple[tuple[str, ...], bool]]]]:
    """The ways and filings that together are not held, by all who are alike in that."""
    if lanes.held is None:
        yield ways, filings
        return
    by_way: dict[bytes, list[tuple[Way, bool]]] = {}
    for each in ways:
        by_way.setdefault(lanes.of_way(each[0], lanes.others), []).append(each)
    one, single = ways[0][0], dict[str, bytes]()
    by_filing: dict[tuple[bytes, ...], list[tuple[tuple[str, ...], bool]]] = {}
    for filing, moved in filings:
        roots = dict[str, list[str]]()
        for category in filing:
            roots.setdefault(category.partition("/")[0], []).append(category)
        key = list[bytes]()
        for some in roots.values():
            name = "|".join(some)
            if name not in single:
                single[name] = lanes.of_filing(one, some, lanes.others)
            key.append(single[name])
        by_filing.setdefault(tuple(sorted(key)), []).append((filing, moved))
    for ways_alike, filings_alike in product(by_way.values(), by_filing.values()):
        if not lanes.held(Spot.of(ways_alike[0][0].about, filings_alike[0][0])):
            yield ways_alike, filings_alike


def filed_anew(
    read: Lanes, file: Lanes, ways: Sequence[Way], picture: Picture
) -> Iterator[tuple[Subject, str]]:
    """Items under nothing or one category, each with a category that it may be filed under next:
    one pair for each way in which reading it and filing it so may come out."""
    if read.whole or file.whole:
        few = [each for each in picture.filings if len(each) < 2]
        for way, filed, category in product(ways, few, picture.categories):
            yield Spot.of(way.about, filed).about, category
        return
    both = Lanes(
        [*read.was, *file.was], [*read.now, *file.now], [*read.others, *file.others], file.alone
    )
    for some in _ways_apart(both, ways):
        under = _filings(read, some[0][0], picture, 1)
        further = [each for each in _filings(file, some[0][0], picture, 1) if each[0]]
        if not any(moved for _, moved in (*some, *under, *further)):
            continue
        for (way, moved), (filing, read_moved), (onto, filed_moved) in product(
            _told_apart(both, some), under, further
        ):
            if moved or read_moved or filed_moved:
                yield Spot.of(way.about, filing).about, onto[0]


def _ways_apart(lanes: Lanes, ways: Sequence[Way]) -> list[list[tuple[Way, bool]]]:
    """The ways, each with whether something else is said of it after; those together of which
    words at categories ask the same."""
    by_case: dict[object, list[tuple[Way, bool]]] = {}
    comparable = lanes.comparable
    for way in ways:
        case = tuple(way.on(each.ground)[1] for each in lanes.every)
        moved = not comparable or lanes.way_moved(way)
        by_case.setdefault(case, []).append((way, moved))
    return list(by_case.values())


def _told_apart(lanes: Lanes, ways: Iterable[tuple[Way, bool]]) -> list[tuple[Way, bool]]:
    """Of ways on which the same is said, one."""
    known: dict[tuple[bytes, bool], tuple[Way, bool]] = {}
    for way, moved in ways:
        known.setdefault((lanes.of_way(way), moved), (way, moved))
    return list(known.values())


def _filings(
    lanes: Lanes, way: Way, picture: Picture, most: int
) -> list[tuple[tuple[str, ...], bool]]:
    """Under what it may be filed, and whether something else is said of that after: nothing, and
    for all that is said alike one category, or two of different roots."""
    comparable = lanes.comparable
    known: dict[tuple[bytes, bool], list[tuple[str, tuple[str, ...], bool]]] = {}
    for root, filing in picture.of_one_root:
        if len(filing) > most:
            continue
        moved = not comparable or lanes.filed_moved(way, filing)
        alike = known.setdefault((lanes.of_filing(way, filing), moved), [])
        if all(other != root for other, _, _ in alike) and len(alike) < most:
            alike.append((root, filing, moved))
    entries = [each for alike in known.values() for each in alike]
    found = [((), False), *((filing, moved) for _, filing, moved in entries)]
    if most > 1:
        for (root, one, moved), (other_root, other, other_moved) in combinations(entries, 2):
            if root != other_root and len(one) == len(other) == 1:
                found.append(((*one, *other), moved or other_moved))
    return found
