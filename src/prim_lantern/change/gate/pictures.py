"""Pictured items: one of each sort that the words of two sites tell apart."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterator, Sequence
from functools import cached_property
from itertools import combinations
from typing import Final, NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.asked import FiledCase
from prim_lantern.decide.engine.item_classes import Ground
from prim_lantern.decide.subject import FRESH, Subject
from prim_lantern.site.content import PUBLISHED, STATES, Kind
from prim_lantern.site.places import Place, category_and_above, is_above, way_to
from prim_lantern.site.who import Who

_FEW: Final = 12  # categories, any two of which are put together with others

READING: Final = ("read", "see-drafts")
"""What everything else rests on."""


class Sort(NamedTuple):
    """A kind and a state in which an item is pictured; a part has its page's kind as well."""

    kinds: frozenset[str]
    state: str
    page_kinds: frozenset[str] = frozenset()


class Way:
    """A pictured item that is not filed, with the class that it is of on each ground."""

    __slots__ = ("_known", "about")

    def __init__(self, about: Subject) -> None:
        self.about = about
        self._known: dict[int, tuple[Ground, int, FiledCase]] = {}

    def on(self, ground: Ground) -> tuple[int, FiledCase]:
        """The number of its class, and what words at categories ask of it."""
        found = self._known.get(id(ground))
        if found is None:
            item = ground.class_of(self.about)
            found = ground, ground.situation(item, ()), ground.case_of(item)
            self._known[id(ground)] = found
        return found[1:]


class Pictures:
    """What could stand on a site, one for each way in which words tell items apart: see `Picture`.

    Only words that speak of somebody with one of some bits count, and those that can hold what is
    at or below some paths.
    """

    def __init__(
        self,
        engines: Sequence[Engine],
        bits: Sequence[int],
        within: Sequence[str] | None,
        *,
        final: bool = False,
    ) -> None:
        """Take the engines, for each the bits of all who are asked about, and the paths (None:
        everything); with `final`, only words and readerships without exceptions count."""
        self.engines = engines
        self.bits = bits
        self.within = within
        self._final = final
        self._of: dict[frozenset[str], Picture] = {}

    def of(self, *actions: str) -> Picture:
        """What words about some actions tell apart, reading always among them."""
        key = frozenset({*actions, *READING})
        found = self._of.get(key)
        if found is None:
            found = self._of[key] = Picture(self, key)
        return found

    def speaks(self, engine: Engine, who: Who, bits: int) -> bool:
        """Whether a word for somebody speaks of any who are asked about."""
        whos = [who]
        if who.kind == "role":
            holders = engine.rights.holders.get(who.name, ())
            whos = [each for access in holders for each in access.given.to]
        return bool(engine.crowd.mask(whos) & bits)

    def can_hold(self, where: Place) -> bool:
        """Whether a place can hold something at or below the paths."""
        if self.within is None or where.kind != "path":
            return True
        return any(
            where.name == path or is_above(where.name, path) or is_above(path, where.name)
            for path in self.within
        )

    @cached_property
    def words(self) -> list[Clause]:
        """The words that count, about whatever."""
        return [
            each
            for engine, bits in zip(self.engines, self.bits, strict=True)
            for each in engine.rights.words()
            if (each.no_exceptions or not self._final)
            and self.can_hold(each.place)
            and self.speaks(engine, each.who, bits)
        ]

    @cached_property
    def settings(self) -> list[Place]:
        """Where a readership stands, rights from above are stopped, or all access is given."""
        places = list[Place]()
        for engine, bits in zip(self.engines, self.bits, strict=True):
            data, crowd = engine.data, engine.crowd
            for each in data.readerships_at.values():
                if not self._final or data.readership(each.readership or "").no_exceptions:
                    places.append(each.place)
            if not self._final:
                places += (Place("path", path) for path in data.rights_cut_at)
                for some in engine.rights.all_access.values():
                    places += (each.place for each in some if crowd.mask(each.given.to) & bits)
        return [each for each in places if self.can_hold(each)]

    @cached_property
    def roles_of_readers(self) -> set[str]:
        """The roles that readerships speak of."""
        return {
            who.name
            for engine in self.engines
            for each in engine.data.readerships.values()
            for who in (*each.readers, *each.all_of, *each.but_not)
            if who.kind == "role"
        }


class Picture:
    """What words about some actions tell apart: at and below every path that is spoken of, of
    every kind and state, filed under nothing, under each category that is spoken of, under any
    two of them, and under three or four; see `entries`.

    Whose an item is comes on top. Kinds and states that all words treat alike stand for each other.
    """

    def __init__(self, all_of: Pictures, actions: frozenset[str]) -> None:
        self.engines = all_of.engines
        self.within = all_of.within
        self.words = [each for each in all_of.words if not actions.isdisjoint(each.actions)]
        self._all = all_of
        self._known_ways: dict[Sort, list[Way]] = {}

    @cached_property
    def _places(self) -> list[Place]:
        """Where something stands that decides."""
        places = [*(each.place for each in self.words), *self._all.settings]
        roles = {each.who.name for each in self.words if each.who.kind == "role"}
        for engine in self.engines:
            for role in roles | self._all.roles_of_readers:
                holders = engine.rights.holders.get(role, ())
                places += (each.place for each in holders if self._all.can_hold(each.place))
        return places

    @cached_property
    def paths(self) -> list[str]:
        """The paths that are spoken of, or at which rights from above are stopped."""
        found = {each.name for each in self._places if each.kind == "path"}
        return sorted(found | {"/", *(self.within or ())})

    @cached_property
    def categories(self) -> list[str]:
        """The categories that are spoken of."""
        return sorted({each.name for each in self._places if each.kind == "category"})

    def entries(self, touched: Collection[str]) -> list[tuple[str, ...]]:
        """What filings are put together of, any two of them: nothing, each category, and any two
        that are below one root, or of which one is among few that a change touches; any two at all
        where few are spoken of."""
        few = len(self.categories) <= _FEW
        with_any = touched if len(touched) <= _FEW else ()
        pairs = [
            pair
            for pair in _apart(self.categories)
            if few or _root(pair[0]) == _root(pair[1]) or any(each in with_any for each in pair)
        ]
        return [(), *((each,) for each in self.categories), *pairs]

    @cached_property
    def sorts(self) -> list[Sort]:
        """The kinds and states that the words tell apart."""
        by_kind = list({each.kinds for each in self.words if each.kinds is not None})
        by_state = list({each.states for each in self.words if each.states is not None})
        kinds: dict[Hashable, Kind] = {}
        for engine in self.engines:
            for kind in engine.data.all_kinds.values():
                said = tuple(kind.name in each for each in by_kind)
                kinds.setdefault((kind.part, said), kind)
        states: dict[Hashable, str] = {}
        for state in STATES:
            said = tuple(state in each for each in by_state)
            states.setdefault((state == PUBLISHED, said), state)
        pages = [kind.name for kind in kinds.values() if not kind.part]
        parts = [kind.name for kind in kinds.values() if kind.part]
        return [
            Sort(frozenset({kind, *page}), state, frozenset(page))
            for state in states.values()
            for kind, page in (
                *((kind, ()) for kind in pages),
                *((part, (page,)) for part in parts for page in pages),
            )
        ]

    @cached_property
    def first_sorts(self) -> list[Sort]:
        """The first sort of each state."""
        return list({each.state: each for each in reversed(self.sorts)}.values())[::-1]

    # Where ----------------------------------------------------------------------------------------

    def ways(self, sort: Sort) -> list[Way]:
        """Unfiled items of a sort at and below every path that is spoken of."""
        found = self._known_ways.get(sort)
        if found is None:
            found = self._known_ways[sort] = [Way(about) for about in self._standing(sort)]
        return found

    def _standing(self, sort: Sort) -> Iterator[Subject]:
        """Unfiled items of a sort at and below every path that is spoken of."""
        tops = None if self.within is None else set(self.within)
        if tops is None:
            yield from self._at(sort, f"/{FRESH}")
        for path in self.paths:
            if tops is None or not tops.isdisjoint(way_to(path)):
                yield from self._at(sort, path)
                yield from self._at(sort, f"{path.rstrip('/')}/{FRESH}")

    def _at(self, sort: Sort, path: str) -> Iterator[Subject]:
        """Such an item at one path: a part once for each page it could stand on."""
        way = way_to(path)
        bare = Subject(way=way, kinds=sort.kinds, state=sort.state, page_kinds=sort.page_kinds)
        if not sort.page_kinds:
            yield bare._replace(own_paths=frozenset({path}))
            return
        for number in range(self._nearest_page(way), len(way) - 1):
            yield bare._replace(page=way[number], own_paths=frozenset(way[number:]))
        if path.endswith(FRESH) and path != f"/{FRESH}":
            # a part of a page that is itself at a fresh path
            way = (*way, f"{path}/{FRESH}")
            yield bare._replace(way=way, page=path, own_paths=frozenset(way[-2:]))

    def _nearest_page(self, way: Sequence[str]) -> int:
        """How deep on a way something stands that is no part, on all sites: no part below it can
        be one of a page above it."""
        for number in range(len(way) - 1, 0, -1):
            if all(engine.data.is_page(way[number]) for engine in self.engines):
                return number
        return 0


def go_together(one: Sequence[str], other: Sequence[str]) -> bool:
    """Whether an item is pictured under some categories and others at once: they are of different
    roots, so that none is above another."""
    return set(map(_root, one)).isdisjoint(map(_root, other))


def _root(category: str) -> str:
    return category.partition("/")[0]


def _apart(categories: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Any two categories of which neither is above the other."""
    return (
        pair
        for pair in combinations(categories, 2)
        if pair[0] not in category_and_above(pair[1]) and pair[1] not in category_and_above(pair[0])
    )
