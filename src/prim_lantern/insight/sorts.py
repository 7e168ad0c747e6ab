"""The sorts of people and of items that words can tell apart: one of each stands for all."""

from __future__ import annotations

from bisect import bisect_left, bisect_right
from collections.abc import Callable, Iterable, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime
from typing import Final

import numpy as np

from prim_lantern.decide.engine.asked import Joined
from prim_lantern.decide.engine.item_classes import BITS, MASK
from prim_lantern.decide.engine.people import AUDIENCES
from prim_lantern.decide.engine.population import Numbers
from prim_lantern.insight.nearby import Nearby, Said, Spoken, Spot
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.data import SiteData
from prim_lantern.site.who import AUTHORS

_MASKS: Final = 60  # of people: for more, readerships are told apart by their names


class People:
    """Some people, by what words can tell apart in them."""

    def __init__(self, nearby: Nearby, logins: Iterable[str], spoken: Iterable[Spoken]) -> None:
        self._nearby = nearby
        self.bits, self._named = 0, set[str]()
        for each in spoken:
            self.bits |= each.bits & ~AUDIENCES
            self._named |= each.logins
        self.logins = sorted(logins)
        self._alike: dict[object, list[str]] = {}
        for login in self.logins:
            self._alike.setdefault(self.sort_of(login), []).append(login)

    def sort_of(self, login: str) -> object:
        """What is the same for people who are spoken of alike, now and later."""
        if login in self._named or login in self._nearby.turning:
            return login
        return self._nearby.ever[login] & self.bits

    def like(self, login: str) -> Sequence[str]:
        """All of somebody's sort."""
        return self._alike[self.sort_of(login)]

    @property
    def first_of_each(self) -> list[str]:
        """One of each sort."""
        return [logins[0] for logins in self._alike.values()]


class Telling:
    """What some words tell apart in items, where they stand."""

    def __init__(
        self,
        nearby: Nearby,
        near: Sequence[Said],
        spots_apart: AbstractSet[Spot],
        people: AbstractSet[str],
        masks: Iterable[int],
        *,
        kinds: bool,
    ) -> None:
        """Take the words; the places that are like no other; the people, and the bits of all that
        any of them is at some moment, or somebody new; and whether kinds are told apart anyway, as
        what they are filed under."""
        self._nearby, self._people, self._masks = nearby, people, sorted(masks)
        self.met = set[Spot]()  # the places of all that was asked about
        data = nearby.data
        self._kinds = frozenset(data.all_kinds) if kinds else frozenset[str]()
        self._states = frozenset({PUBLISHED})
        self._known: dict[str, object] = {}
        turns = {turn for each in near for turn in each.word.period if turn is not None}
        turns.update(turn for login in people for turn in nearby.turning.get(login, ()))
        self._turns = sorted(turns)
        said: dict[Spot, list[object]] = {}
        for each in near:
            self._kinds |= each.kinds
            self._states |= each.states
            for spot in each.spots:
                said.setdefault(spot, []).append(id(each.word))
        for spot, setting in data.readerships_at.items():
            readers = self._readers(setting.readership)
            told = setting.readership_from_above, setting.place.reach, readers
            said.setdefault(spot, []).append(told)
        for path in data.rights_cut_at:
            said.setdefault(("path", path), []).append("no rights from above")
        self.told_of = {*said, *spots_apart}  # the places at which anything is told apart
        self._said: dict[Spot, object] = {
            spot: spot if spot in spots_apart else (*words,) for spot, words in said.items()
        }

    def _readers(self, name: str | None) -> object:
        """What a readership says to the people; where it speaks of people by name or of holders of
        a role, and where there are many people, it is like no other."""
        if name is None:
            return None
        known, data = self._known, self._nearby.data
        if name not in known:
            readership = data.readership(name)
            lists = readership.readers, readership.all_of, readership.but_not
            spoken = [[self._nearby.spoken_of([who]) for who in some] for some in lists]
            named = any(each.logins or each.by_role for some in spoken for each in some)
            if named or len(self._masks) > _MASKS:
                known[name] = name
            else:
                bits = [[each.bits for each in some if each.bits] for some in spoken]
                authors = [AUTHORS in some for some in lists]
                known[name] = (
                    (readership.no_exceptions, *authors),
                    tuple(_may_read(mask, *bits) for mask in self._masks),
                )
        return known[name]

    def way(self, number: int) -> object:
        """What tells apart the items of a class, but for their categories and their authors."""
        item, data = self._nearby.engine.ground.classes[number], self._nearby.data
        stands = [self._said.get(("path", path)) for path in item.chain]
        there = [each is not None for each in stands]
        self.met.update(("path", path) for path in item.chain)
        return (
            tuple(each for each in stands if each is not None),
            sum(there[: item.own]),
            sum(there[item.own - item.page_own : item.own]),
            self._told(data, item.kinds),
            item.page_kinds is not None and self._told(data, item.page_kinds),
            item.state if item.state in self._states else None,
            self._filed(item.filed or frozenset()),
        )

    def filed(self, number: int) -> frozenset[str]:
        """The categories of a class of them at which anything is told apart."""
        found = self._nearby.engine.ground.filed[number]
        if isinstance(found, Joined):
            return frozenset[str]().union(*map(self.filed, found.numbers))
        return self._filed(found[0])

    def _filed(self, names: frozenset[str]) -> frozenset[str]:
        self.met.update(("category", name) for name in names)
        return frozenset(name for name in names if ("category", name) in self._said)

    def _told(self, data: SiteData, kinds: frozenset[str]) -> object:
        """What kinds are told apart by: words that name them, and what they are."""
        some = (data.all_kinds[name] for name in kinds)
        return kinds & self._kinds, frozenset((e.part, e.link, e.four_eyes) for e in some)

    def by_itself(self, row: int) -> object:
        """What tells a link, and what is timed, from others that are alike but for that."""
        engine, data = self._nearby.engine, self._nearby.data
        target = engine.links.get(row)
        told: object = target
        if target is not None and target in data.content.index:
            leads_to = data.content.index[target]
            special = leads_to in engine.links or leads_to in self._nearby.timed
            if not special and self._people.isdisjoint(engine.handiwork_on(target)):
                told = engine.ground.at[leads_to]
        later = self._nearby.timed.get(row, ())
        return tuple((self._stretch(moment), state) for moment, state in later), told

    def _stretch(self, moment: datetime) -> tuple[int, int]:
        """Between which turns of words and people a moment lies: when exactly makes no difference,
        as nothing else changes with it."""
        return bisect_left(self._turns, moment), bisect_right(self._turns, moment)


def _may_read(mask: int, readers: list[int], all_of: list[int], but_not: list[int]) -> bool:
    """Whether a readership takes in whoever has a mask."""
    some = any(mask & bits for bits in readers)
    return some and all(mask & bits for bits in all_of) and not any(mask & b for b in but_not)


def _numbered(classes: Numbers, told: Callable[[int], object]) -> Numbers:
    """A number for each of some classes: the same where the same is told of them."""
    some, which = np.unique(classes, return_inverse=True)
    known: dict[object, int] = {}
    numbers = [known.setdefault(told(each), len(known)) for each in some.tolist()]
    return np.array(numbers, dtype=np.int64)[which]


class Items:
    """Some items, by what words can tell apart in them."""

    def __init__(self, nearby: Nearby, rows: Numbers, telling: Telling) -> None:
        self._nearby, self._rows = nearby, rows
        numbers, which = np.unique(
            np.asarray(nearby.engine.ground.of_row)[rows], return_inverse=True
        )
        situations = np.asarray(nearby.engine.ground.situations, dtype=np.int64)[numbers]
        ways = _numbered(situations & MASK, telling.way)
        one, two = (_numbered(situations >> n * BITS & MASK, telling.filed) for n in (1, 2))
        alike = np.stack([ways, np.minimum(one, two), np.maximum(one, two)])
        _, of_situation = np.unique(alike, axis=1, return_inverse=True)
        self._sorts = of_situation.reshape(-1)[which]
        more: dict[object, int] = {}
        special = [*nearby.timed, *nearby.engine.links]
        first = len(situations)
        for at in np.flatnonzero(np.isin(rows, special)).tolist():
            told = int(self._sorts[at]), telling.by_itself(int(rows[at]))
            self._sorts[at] = more.setdefault(told, first + len(more))

    @property
    def first_of_each(self) -> list[int]:
        """The first row of each sort."""
        _, first = np.unique(self._sorts, return_index=True)
        found: list[int] = self._rows[np.sort(first)].tolist()
        return found

    def sort_of(self, row: int) -> int:
        """The number of the sort of a row."""
        return int(self._sorts[np.searchsorted(self._rows, row)])

    def rows_of(self, sort: int) -> list[int]:
        """All rows of one sort."""
        found: list[int] = self._rows[self._sorts == sort].tolist()
        return found

    def own_rows(self, login: str) -> list[int]:
        """The rows of what somebody wrote or changed."""
        engine, index = self._nearby.engine, self._nearby.data.content.index
        some = sorted(index[path] for path in engine.crowd.handiwork.of(login))
        found: list[int] = np.intersect1d(self._rows, np.array(some, dtype=np.int64)).tolist()
        return found
