"""What is said to one person about one class: by the few places that speak to them.

To put together all that is said at a class takes as long as hundreds of answers. Who is the first
to ask about one is answered by a class that stands at those of its places alone that say anything
to them; few such classes cover all that one person is ever told.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Final

from prim_lantern.decide.engine.asked import Asked, FiledCase, ItemClass
from prim_lantern.decide.engine.class_places import ClassPlaces
from prim_lantern.decide.engine.compiler import Compiler
from prim_lantern.decide.engine.heard import NO_NAMES, told_apart
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.programs import Program, Shared
from prim_lantern.decide.engine.rights import Named
from prim_lantern.site.places import SITE

Sort = tuple[tuple[int, ...], int, tuple[int, ...]]
"""The places that speak, the number of what they tell apart in a case, and those of the changes by
which they say what they say."""

_MOST: Final = 30_000  # sorts that are kept of each


class Known:
    """What has been put together for one question. It is shared by engines that follow one another:
    where something else is said since, it is known by another sort."""

    def __init__(self) -> None:
        self.told: Numbered[FiledCase] = Numbered()
        self.told_by: dict[tuple[int, Named], int] = {}
        self.plain: dict[int, int] = {}
        self.at_the_site: dict[Sort, Program] = {}
        self.on_ways: dict[Sort, Program] = {}
        self.at_categories: dict[Sort, Program] = {}


class Singly:
    """One question about classes that few ask about."""

    def __init__(
        self,
        asked: Asked,
        compiler: Compiler,
        shared: Shared,
        places: ClassPlaces,
        classes: Sequence[ItemClass],
    ) -> None:
        self._asked, self._compiler, self._shared = asked, compiler, shared
        self._places, self._classes = places, classes
        self.heard = compiler.heard(places).about(asked.action)
        self._naming = self.heard.naming
        self._said_anew = compiler.rights.said_anew
        self._site_since = self._said_anew.get(SITE.spot, 0)
        known: Known = places.kept.setdefault(("singly", asked), Known())
        self._told, self._told_by, self._plain = known.told, known.told_by, known.plain
        self._at_the_site, self._on_ways = known.at_the_site, known.on_ways
        self._at_categories = known.at_categories

    def site_code(self, mask: int, number: int) -> int:
        """What the words at the site say to a mask about a class of items."""
        places, case = self._places.ways[number]
        named = self.heard.named_at_the_site(mask)
        some = self.heard.for_the_site(places, mask)
        since = self._site_since, *self._anew(some)
        sort = some, self._tell_apart(case, named), since
        program = self._at_the_site.get(sort)
        if program is None:
            item = self._standing(number, places, some, self._told[sort[1]])
            levels = self._compiler.site_levels(item, self._asked)
            program = _kept(self._at_the_site, sort, Program(levels, self._shared.site, -1))
        return program[mask & program.asks]

    def way_code(self, mask: int, number: int) -> int:
        """What those on the way say."""
        places, case = self._places.ways[number]
        sort = self._sort(mask, places, case)
        program = self._on_ways.get(sort)
        if program is None:
            item = self._standing(number, places, sort[0], self._told[sort[1]])
            levels = self._compiler.way_levels(item, self._asked)
            program = _kept(self._on_ways, sort, Program(levels, self._shared.way, -1))
        return program[mask & program.asks]

    def filed_code(self, mask: int, number: int) -> int:
        """What a class of categories says to a mask; joined ones are not asked for."""
        places, case = self._places.filed[number]
        sort = self._sort(mask, places, case)
        program = self._at_categories.get(sort)
        if program is None:
            some, told = self._names(sort[0]), self._told[sort[1]]
            levels = self._compiler.filed_levels(some, told, self._asked)
            program = _kept(self._at_categories, sort, Program(levels, self._shared.filed, -1))
        return program[mask & program.asks]

    def _sort(self, mask: int, places: tuple[int, ...], case: int) -> Sort:
        """Those of some places that speak to a mask, and what they tell apart in a case."""
        reached = self.heard
        some = tuple([each for each in places if reached[each] & mask])
        if self._naming.isdisjoint(some):  # mostly no word there names a kind or a state
            told = self._plain.get(case)
            if told is None:
                told = self._tell_apart(case, NO_NAMES)
        else:
            told = self._tell_apart(case, self.heard.named(some, mask))
        return some, told, self._anew(some)

    def _anew(self, places: tuple[int, ...]) -> tuple[int, ...]:
        """The changes by which some places say what they say; those of before are left out."""
        said_anew, at = self._said_anew, self._places.at
        if not said_anew:
            return ()
        return tuple([said_anew[spot] for each in places if (spot := at[each][0]) in said_anew])

    def _tell_apart(self, case: int, named: Named) -> int:
        told = self._told_by.get((case, named))
        if told is None:
            told = self._told.number_of(told_apart(self._places.cases[case], named))
            self._told_by[case, named] = told
            if named == NO_NAMES:
                self._plain[case] = told
        return told

    def _standing(
        self, number: int, places: tuple[int, ...], some: tuple[int, ...], told: FiledCase
    ) -> ItemClass:
        """A class of items as if it stood at some of its places alone, and were no more than what
        they tell apart. It is compiled for all who hear of the same places: it must not stand at
        any other that speaks to the one who asked first."""
        item = self._classes[number]
        speaks = [each in some for each in places]
        above = item.own - item.page_own  # where the own places of a part end
        way = range(len(item.chain))
        last = zip(places[len(way) :], speaks[len(way) :], strict=True)
        return item._replace(
            kinds=told.kinds,
            state=told.state,
            page_kinds=told.page_kinds,
            chain=tuple(item.chain[at] for at in way if speaks[at]),
            own=sum(speaks[: item.own]),
            page_own=sum(speaks[above : item.own]) if item.page_kinds is not None else 0,
            filed=item.filed and self._names(each for each, s in last if s),
        )

    def _names(self, categories: Iterable[int]) -> frozenset[str]:
        return frozenset(self._places.at[each][0][1] for each in categories)


def _kept(programs: dict[Sort, Program], sort: Sort, program: Program) -> Program:
    if len(programs) >= _MOST:
        programs.clear()
    programs[sort] = program
    return program
