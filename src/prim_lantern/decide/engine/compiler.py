"""From the words of a site to levels of masks: each case that classes are in is compiled once."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable
from functools import cached_property
from typing import Any, Final, NamedTuple

from prim_lantern.decide.engine.asked import Asked, FiledCase, ItemClass
from prim_lantern.decide.engine.choosing import DRAFTS, Chosen, Spoken
from prim_lantern.decide.engine.class_places import ClassPlaces
from prim_lantern.decide.engine.heard import Heard
from prim_lantern.decide.engine.levels import (
    FiledLevel,
    Level,
    SiteLevel,
    WayLevel,
)
from prim_lantern.decide.engine.people import Crowd
from prim_lantern.decide.engine.programs import Shared
from prim_lantern.decide.engine.rights import Named, Rights, Spot
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.places import (
    SITE,
    Place,
)

_READING: Final = ("read", DRAFTS)
_AT_THE_SITE: Final = (SITE.spot,)


class Cases(NamedTuple):
    """The number of the case of a class, of items or of categories, for what is read there; and the
    actions that words there are about."""

    read: int
    actions: frozenset[str]


class Compiler:
    """Chooses the words that speak of a class of items, and puts them into levels.

    What is put together is kept by what tells it apart: equal levels are one and the same thing,
    for all classes and, where no word is about the action, for all actions.
    """

    def __init__(self, rights: Rights, crowd: Crowd, shared: Shared) -> None:
        self.rights = rights
        self.crowd = crowd
        self.data = rights.data
        self.known: dict[Hashable, Spoken] = shared.spoken
        self._kept: dict[Hashable, Any] = {}
        self._named: dict[Hashable, Named] = {}
        self._cases: dict[int, Cases] = {}
        self._cases_filed: dict[int, Cases] = {}
        self._site_cases: dict[int, int] = {}
        self._numbers = shared.cases
        self.programs: dict[Hashable, Any] = {}
        self._heard: Heard | None = None

    def heard(self, places: ClassPlaces) -> Heard:
        """What may reach somebody at all, at the places of a ground."""
        if self._heard is None:
            self._heard = Heard(self.rights, self.crowd, places)
        return self._heard

    # Cases: what questions tell apart in classes ----------------------------------------

    def site_case(self, number: int, item: ItemClass) -> int:
        """The number of the case that a class of items is in for the words of the site: classes
        that share one are spoken of alike."""
        found = self._site_cases.get(number)
        if found is None:
            case = tuple(map(self._site_case, _with_page(item)))
            found = self._site_cases[number] = self._numbers.number_of(case)
        return found

    def cases(self, number: int, item: ItemClass) -> Cases:
        """The same for the words on the way."""
        found = self._cases.get(number)
        if found is None:
            read = self._numbers.number_of(tuple(map(self._read_case, _with_page(item))))
            told = self._actions_at(self._spots_on_way(item))
            found = self._cases[number] = Cases(read, told)
        return found

    def act_case(self, item: ItemClass, action: str) -> Hashable:
        """The case that a class of items is in for the words on its way about one action."""
        spots = self._spots_on_way(item)
        return action, self._way(item), self._alike(spots, item.kinds, item.state, (action,))

    def cases_filed(self, number: int, categories: frozenset[str], case: FiledCase) -> Cases:
        """The case that a class of categories is in."""
        found = self._cases_filed.get(number)
        if found is None:
            spots = self._spots_filed(categories)
            here = (case.allows, self._alike(spots, case.kinds, case.state, _READING))
            of_page: Hashable = None
            if case.page_kinds is not None:
                told = self._alike(spots, case.page_kinds, case.state, _READING)
                of_page = (case.page_allows, told)
            read = self._numbers.number_of(("filed", categories, here, of_page))
            found = self._cases_filed[number] = Cases(read, self._actions_at(spots))
        return found

    def act_case_filed(self, categories: frozenset[str], case: FiledCase, action: str) -> Hashable:
        """The same of a class of categories."""
        spots = self._spots_filed(categories)
        told = self._alike(spots, case.kinds, case.state, (action,))
        return action, categories, case.allows, told

    def _site_case(self, item: ItemClass) -> Hashable:
        alike = self._alike(_AT_THE_SITE, item.kinds, item.state, None)
        holders = None
        if self._roles_at_the_site:
            chosen = self._chosen(item, Asked("read"))
            holders = tuple(map(chosen.mask_of_role, self._roles_at_the_site))
        return "site", alike, item.cut_at(self.data.rights_cut_at) is None, holders

    def _read_case(self, item: ItemClass) -> Hashable:
        spots = self._spots_on_way(item)
        return "way", self._way(item), self._alike(spots, item.kinds, item.state, _READING)

    @staticmethod
    def _way(item: ItemClass) -> Hashable:
        return item.chain, item.own, item.page_kinds is None, item.page_own, item.filed

    # Levels -------------------------------------------------------------------------

    def site_levels(self, item: ItemClass, asked: Asked) -> tuple[Level, ...]:
        """The levels of the site: of items of one class, and for parts that are read, of their
        pages."""
        levels = [self.site_level(item, asked)]
        page = item.page
        if page is not None and asked.reading:
            levels.append(self.site_level(page, _of_page(asked)))
        return tuple(levels)

    def way_levels(self, item: ItemClass, asked: Asked) -> tuple[Level, ...]:
        """Those of the way."""
        levels = [self.way_level(item, asked)]
        page = item.page
        if page is not None and asked.reading:
            levels.append(self.way_level(page, _of_page(asked)))
        return tuple(levels)

    def filed_levels(
        self, categories: frozenset[str], case: FiledCase, asked: Asked
    ) -> tuple[Level, ...]:
        """Those of categories."""
        levels = [self.filed_level(categories, case, asked)]
        if case.page_kinds is not None and asked.reading:
            of_page = self.filed_level(categories, case, _of_page(asked), of_page=True)
            levels.append(of_page)
        return tuple(levels)

    def site_level(self, item: ItemClass, asked: Asked) -> SiteLevel:
        """The site's level for items of one class."""
        return self._chosen(item, asked).site_level()

    def way_level(self, item: ItemClass, asked: Asked) -> WayLevel:
        """The level of the way: what is read there, and what is said of the action itself."""
        chosen = self._chosen(item, asked)
        key = (asked.reading, asked.any_state, asked.author, self._read_case(item))
        read: WayLevel | None = self._kept.get(key)
        if read is None:
            read = self._kept[key] = chosen.way_level()
        return chosen.way_level_for_the_action(read)

    def filed_level(
        self, categories: frozenset[str], case: FiledCase, asked: Asked, *, of_page: bool = False
    ) -> FiledLevel:
        """The level of some categories (those above included), for items of one case."""
        kinds = case.page_kinds if of_page and case.page_kinds is not None else case.kinds
        allows = case.page_allows if of_page else case.allows
        alike = self._alike(self._spots_filed(categories), kinds, case.state, _READING)
        how = (asked.reading, asked.any_state, asked.author)
        key = ("filed", categories, allows, how, alike)
        chosen = self._chosen_filed(kinds, case, asked)
        read: FiledLevel | None = self._kept.get(key)
        if read is None:
            read = self._kept[key] = chosen.filed_level(categories, allows)
        return chosen.filed_level_for_the_action(read, categories, allows)

    def _chosen_filed(self, kinds: frozenset[str], case: FiledCase, asked: Asked) -> Chosen:
        item = ItemClass((), 0, kinds, case.state)
        return self._chosen(item, asked, lambda place: place.kind == "site")

    def _chosen(
        self, item: ItemClass, asked: Asked, holds: Callable[[Place], bool] | None = None
    ) -> Chosen:
        return Chosen(self.rights, self.crowd, self.known, item, asked, holds)

    # What tells classes apart ---------------------------------------------------------

    def _spots_of(self, chain: tuple[str, ...]) -> tuple[Spot, ...]:
        found: tuple[Spot, ...] | None = self._kept.get(("chain", chain))
        if found is None:
            found = self._kept["chain", chain] = tuple(("path", path) for path in chain)
        return found

    def _spots_on_way(self, item: ItemClass) -> tuple[Spot, ...]:
        """The places on the way of a class; and its categories, where they cannot be decided
        apart."""
        spots = self._spots_of(item.chain)
        return spots if item.filed is None else (*spots, *self._spots_filed(item.filed))

    def _spots_filed(self, categories: frozenset[str]) -> tuple[Spot, ...]:
        found: tuple[Spot, ...] | None = self._kept.get(categories)
        if found is None:
            found = self._kept[categories] = tuple(("category", name) for name in categories)
        return found

    def _actions_at(self, spots: tuple[Spot, ...]) -> frozenset[str]:
        """The actions that words at some places are about."""
        key = ("about", spots)
        found: frozenset[str] | None = self._kept.get(key)
        if found is None:
            about = map(self.rights.actions_at, spots)
            found = self._kept[key] = frozenset[str]().union(*about)
        return found

    @cached_property
    def _roles_at_the_site(self) -> tuple[str, ...]:
        """The roles of whose holders the words at the site, or its readership, speak: who they are
        depends on the item."""
        return self.rights.roles_at_the_site()

    def _alike(
        self,
        spots: tuple[Spot, ...],
        kinds: frozenset[str],
        state: str,
        actions: tuple[str, ...] | None,
    ) -> Hashable:
        """What the words at some places tell apart in a kind and a state, those about some actions
        or (None) all: whoever shares this is spoken of alike."""
        key = (spots, actions)
        named = self._named.get(key)
        if named is None:
            named = self._named[key] = self._named_at(spots, actions)
        told = state if state in named.states else ""
        return kinds & named.kinds, told, state == PUBLISHED

    def _named_at(self, spots: Iterable[Spot], actions: tuple[str, ...] | None) -> Named:
        if actions is None:
            words = [each for spot in spots for each in self.rights.at_spot(spot)]
        else:
            at = self.rights.at
            words = [each for spot in spots for action in actions for each in at(spot, action)]
        return Named(
            frozenset(kind for each in words for kind in each.kinds or ()),
            frozenset(state for each in words for state in each.states or ()),
        )


def _with_page(item: ItemClass) -> tuple[ItemClass, ...]:
    page = item.page
    return (item,) if page is None else (item, page)


def _of_page(asked: Asked) -> Asked:
    """What is asked of the page of a part: that it is read."""
    return Asked("read", author=asked.author)
