"""Pictured items: one of each sort that the words of two sites tell apart."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Sequence
from functools import cached_property
from itertools import combinations
from typing import NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.subject import FRESH, Subject
from prim_lantern.site.content import PUBLISHED, STATES, Kind
from prim_lantern.site.places import category_and_above, way_to


class Sort(NamedTuple):
    """A kind and a state in which an item is pictured; a part has its page's kind as well."""

    kinds: frozenset[str]
    state: str
    page_kinds: frozenset[str] = frozenset()


class Pictures:
    """What could stand on a site, one for each way in which words tell items apart: at and below
    every path that is spoken of, of every kind and state, filed under nothing, under each
    category that is spoken of, and under any two of them.

    Whose an item is comes on top. Kinds and states that all words treat alike stand for each other.
    """

    def __init__(self, engines: Sequence[Engine]) -> None:
        self.engines = engines

    # What words tell apart ------------------------------------------------------------------

    @cached_property
    def paths(self) -> list[str]:
        """The paths that are spoken of, or at which rights from above are stopped."""
        found = {"/"} | {
            name
            for engine in self.engines
            for kind, name in engine.rights.spots()
            if kind == "path"
        }
        return sorted(found)

    @cached_property
    def categories(self) -> list[str]:
        """The categories that are spoken of."""
        spots = (spot for engine in self.engines for spot in engine.rights.spots())
        return sorted({name for kind, name in spots if kind == "category"})

    @cached_property
    def filings(self) -> list[tuple[str, ...]]:
        """The categories under which something is pictured: none, each, and any two of which
        neither is above the other."""
        pairs = (
            pair
            for pair in combinations(self.categories, 2)
            if pair[0] not in category_and_above(pair[1])
            and pair[1] not in category_and_above(pair[0])
        )
        return [(), *((each,) for each in self.categories), *pairs]

    @cached_property
    def sorts(self) -> list[Sort]:
        """The kinds and states in which items are pictured."""
        words = [clause for engine in self.engines for clause in engine.rights.words()]
        by_kind = list({each.kinds for each in words if each.kinds is not None})
        by_state = list({each.states for each in words if each.states is not None})
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

    # Where ----------------------------------------------------------------------------------------

    def ways(self, sort: Sort, within: Iterable[str] | None = None) -> Iterator[Subject]:
        """Unfiled items of a sort at and below every path that is spoken of; with `within`, only
        at or below those paths."""
        tops = None if within is None else set(within)
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
        for number, page in enumerate(way[:-1]):
            yield bare._replace(page=page, own_paths=frozenset(way[number:]))
        if path.endswith(FRESH) and path != f"/{FRESH}":
            # a part of a page that is itself at a fresh path
            way = (*way, f"{path}/{FRESH}")
            yield bare._replace(way=way, page=path, own_paths=frozenset(way[-2:]))
