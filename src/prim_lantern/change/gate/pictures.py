"""Pictured items: one of each sort that the words of two sites tell apart."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Sequence
from functools import cached_property
from itertools import combinations
from typing import NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.subject import FRESH, Subject
from prim_lantern.site.content import PUBLISHED, STATES, Kind
from prim_lantern.site.places import Place, category_and_above, is_above, way_to
from prim_lantern.site.who import Who


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
    Only words that speak of somebody with one of some bits count, and those that can hold what is
    at or below some paths.
    """

    def __init__(
        self, engines: Sequence[Engine], bits: Sequence[int], within: Sequence[str] | None
    ) -> None:
        """Take the engines, for each the bits of all who are asked about, and the paths (None:
        everything)."""
        self.engines = engines
        self.within = within
        self._bits = bits
        self._sorts: dict[tuple[str, ...], list[Sort]] = {}

    # What words tell apart ------------------------------------------------------------------

    @cached_property
    def words(self) -> list[Clause]:
        """The words that count."""
        return [
            each
            for engine, bits in zip(self.engines, self._bits, strict=True)
            for each in engine.rights.words()
            if self._can_hold(each.place) and self._speaks(engine, each.who, bits)
        ]

    def _speaks(self, engine: Engine, who: Who, bits: int) -> bool:
        whos = [who]
        if who.kind == "role":
            holders = engine.rights.holders.get(who.name, ())
            whos = [each for access in holders for each in access.given.to]
        return bool(engine.crowd.mask(whos) & bits)

    def _can_hold(self, where: Place) -> bool:
        """Whether a place can hold something at or below the paths."""
        if self.within is None or where.kind != "path":
            return True
        return any(
            where.name == path or is_above(where.name, path) or is_above(path, where.name)
            for path in self.within
        )

    @cached_property
    def _places(self) -> list[Place]:
        """Where something stands that decides."""
        places = [each.place for each in self.words]
        for engine in self.engines:
            data = engine.data
            places += (each.place for each in data.readerships_at.values())
            places += (Place("path", path) for path in data.rights_cut_at)
            roles = engine.rights.levels_of_roles
            for name, holders in engine.rights.holders.items():
                if holders and (name in roles or data.roles[name].all_access):
                    places += (each.place for each in holders)
        return [each for each in places if self._can_hold(each)]

    @cached_property
    def paths(self) -> list[str]:
        """The paths that are spoken of, or at which rights from above are stopped."""
        found = {each.name for each in self._places if each.kind == "path"}
        return sorted(found | {"/"})

    @cached_property
    def categories(self) -> list[str]:
        """The categories that are spoken of."""
        return sorted({each.name for each in self._places if each.kind == "category"})

    @cached_property
    def of_one_root(self) -> list[tuple[str, tuple[str, ...]]]:
        """Each category, and any two below one root of which neither is above the other, with the
        root."""
        by_root: dict[str, list[str]] = {}
        for category in self.categories:
            by_root.setdefault(category.partition("/")[0], []).append(category)
        return [
            (root, filing)
            for root, some in by_root.items()
            for filing in (*((each,) for each in some), *_apart(some))
        ]

    @cached_property
    def filings(self) -> list[tuple[str, ...]]:
        """The categories under which something is pictured: none, each, and any two of which
        neither is above the other."""
        return [(), *((each,) for each in self.categories), *_apart(self.categories)]

    def sorts(self, *actions: str) -> list[Sort]:
        """The kinds and states that words about some actions, or about reading, tell apart."""
        found = self._sorts.get(actions)
        if found is None:
            found = self._sorts[actions] = self._sorts_for({*actions, "read", "see-drafts"})
        return found

    def _sorts_for(self, actions: set[str]) -> list[Sort]:
        words = [each for each in self.words if not actions.isdisjoint(each.actions)]
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

    def ways(self, sort: Sort) -> Iterator[Subject]:
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
        for number, page in enumerate(way[:-1]):
            yield bare._replace(page=page, own_paths=frozenset(way[number:]))
        if path.endswith(FRESH) and path != f"/{FRESH}":
            # a part of a page that is itself at a fresh path
            way = (*way, f"{path}/{FRESH}")
            yield bare._replace(way=way, page=path, own_paths=frozenset(way[-2:]))


def _apart(categories: Sequence[str]) -> Iterator[tuple[str, str]]:
    """Any two categories of which neither is above the other."""
    return (
        pair
        for pair in combinations(categories, 2)
        if pair[0] not in category_and_above(pair[1]) and pair[1] not in category_and_above(pair[0])
    )
