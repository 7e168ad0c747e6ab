"""Which pictured items have to be looked at for a question: those that answers tell apart."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import combinations, product
from typing import NamedTuple

from prim_lantern.change.gate.pictures import Pictures
from prim_lantern.change.gate.spread import Answers, Codes
from prim_lantern.decide.subject import Subject, with_above


class Spot(NamedTuple):
    """A pictured item, and the categories under which it is filed."""

    about: Subject
    categories: tuple[str, ...]

    @classmethod
    def of(cls, about: Subject, categories: tuple[str, ...]) -> Spot:
        """An unfiled item, filed so."""
        return cls(about._replace(categories=with_above(categories)), categories)


class _Entry(NamedTuple):
    """What is said at one way, or under some categories of one root: a text to know it by, and
    whether anything else is said after than before."""

    known_by: bytes
    moved: bool


class Lanes(NamedTuple):
    """The answers that a question rests on: `was` and `now` of the people, and the `others`; those
    `alone` are asked of each category by itself."""

    was: Sequence[Answers]
    now: Sequence[Answers]
    others: Sequence[Answers]
    alone: frozenset[int] = frozenset()

    @property
    def every(self) -> list[Answers]:
        """All of them."""
        return [*self.was, *self.now, *self.others]

    @property
    def whole(self) -> bool:
        """Whether some cannot be told apart by way and categories."""
        return any(each.ground.whole for each in self.every)

    @property
    def comparable(self) -> bool:
        """Whether equal codes before and after mean the same."""
        pairs = zip(self.was, self.now, strict=True)
        return all(one.spread.engine.shared is two.spread.engine.shared for one, two in pairs)


def spots(
    lanes: Lanes, ways: Sequence[Subject], pictures: Pictures, most: int = 2
) -> Iterator[Spot]:
    """One item for each way in which answers may come out, where they may have changed."""
    if lanes.whole:
        short = [each for each in pictures.filings if len(each) <= most]
        yield from (Spot.of(about, each) for about in ways for each in short)
        return
    for some in _ways_apart(lanes, ways):
        filings = list(_filings(lanes, some[0][0], pictures, most))
        for about, moved in some:
            for filing, filed_moved in filings:
                if moved or filed_moved:
                    yield Spot.of(about, filing)


def filed_anew(
    read: Lanes, file: Lanes, ways: Sequence[Subject], pictures: Pictures
) -> Iterator[tuple[Subject, str]]:
    """Items under nothing or one category, each with a category that it may be filed under next:
    one pair for each way in which reading it and filing it so may come out."""
    if read.whole or file.whole:
        few = [each for each in pictures.filings if len(each) < 2]
        for about, filed, category in product(ways, few, pictures.categories):
            yield Spot.of(about, filed).about, category
        return
    both = Lanes(
        [*read.was, *file.was], [*read.now, *file.now], [*read.others, *file.others], file.alone
    )
    for some in _ways_apart(both, ways):
        under = list(_filings(read, some[0][0], pictures, 1))
        further = [each for each in _filings(file, some[0][0], pictures, 1) if each[0]]
        for (about, moved), (filing, read_moved), (onto, filed_moved) in product(
            some, under, further
        ):
            if moved or read_moved or filed_moved:
                yield Spot.of(about, filing).about, onto[0]


def _ways_apart(lanes: Lanes, ways: Sequence[Subject]) -> Iterator[list[tuple[Subject, bool]]]:
    """Ways of which other things are said, each with whether they have changed; those together of
    which words at categories ask the same."""
    by_case: dict[object, dict[bytes, tuple[Subject, bool]]] = {}
    for about in ways:
        classes = [(each.ground, each.ground.class_of(about)) for each in lanes.every]
        case = tuple(ground.case_of(item) for ground, item in classes)
        entry = _entry(lanes, [[_way(each, about)] for each in lanes.every])
        by_case.setdefault(case, {}).setdefault(entry.known_by, (about, entry.moved))
    for some in by_case.values():
        yield list(some.values())


def _way(answers: Answers, about: Subject) -> Codes:
    return answers.way(answers.ground.situation(answers.ground.class_of(about), ()))


def _entry(lanes: Lanes, said: Iterable[Iterable[Codes]]) -> _Entry:
    """What is said in each lane, joined."""
    texts = [b"".join(each.tobytes() for each in lane) for lane in said]
    count = len(lanes.was)
    moved = not lanes.comparable or texts[:count] != texts[count : 2 * count]
    return _Entry(b"|".join(texts), moved)


def _filings(
    lanes: Lanes, about: Subject, pictures: Pictures, most: int
) -> Iterator[tuple[tuple[str, ...], bool]]:
    """Under what it may be filed, and whether something else is said of that after: nothing, and
    for all that is said alike one category, or two of different roots."""
    yield (), False
    known: dict[bytes, list[tuple[str, tuple[str, ...], bool]]] = {}
    for filing in pictures.filings:
        roots = {each.partition("/")[0] for each in filing}
        if len(roots) != 1 or len(filing) > most:
            continue
        entry = _entry(lanes, (_filed(lanes, each, about, filing) for each in lanes.every))
        (root,) = roots
        alike = known.setdefault(entry.known_by, [])
        if all(other != root for other, _, _ in alike) and len(alike) < most:
            alike.append((root, filing, entry.moved))
    entries = [each for alike in known.values() for each in alike]
    for _, filing, moved in entries:
        yield filing, moved
    if most > 1:
        for (root, one, moved), (other_root, other, other_moved) in combinations(entries, 2):
            if root != other_root and len(one) == len(other) == 1:
                yield (*one, *other), moved or other_moved


def _filed(
    lanes: Lanes, answers: Answers, about: Subject, filing: Iterable[str]
) -> Iterator[Codes]:
    ground = answers.ground
    case = ground.case_of(ground.class_of(about))
    alone = id(answers) in lanes.alone
    for some in ([each] for each in filing) if alone else [list(filing)]:
        yield answers.filed(ground.filed_number(some, case))
