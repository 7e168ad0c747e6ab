"""Which places say anything to somebody: the others make no difference to what they may."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property
from typing import Final, cast

from prim_lantern.decide.engine.asked import FiledCase
from prim_lantern.decide.engine.choosing import DRAFTS
from prim_lantern.decide.engine.class_places import ClassPlaces
from prim_lantern.decide.engine.people import Crowd
from prim_lantern.decide.engine.rights import Named, Rights, Spot
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.places import SITE
from prim_lantern.site.who import Who

_ANYBODY: Final = -1  # every bit
_MOST: Final = 500_000  # places of which is kept what is said there
_KEPT: Final = 10_000  # people of whom is kept what words at the site name

Naming = list[tuple[int, Named]]
"""What words name, each with the bits of those whom words that name it may reach."""

_Kept = dict[tuple[int, int], tuple[int, Naming]]


class Heard(dict[int, int]):
    """By the numbers of places, the bits of all whom anything there may reach who reads; `about` an
    action, by what is said of that as well. It is found out where it is asked.

    `naming` has the numbers of those places where words name kinds or states.
    """

    def __init__(self, rights: Rights, crowd: Crowd, places: ClassPlaces) -> None:
        super().__init__()
        self._rights, self._crowd, self._places = rights, crowd, places
        self._actions: tuple[str, ...] = ("read", DRAFTS)
        self._reading: Heard | None = None
        self._kept = _kept_by_actions(rights, places, self._actions)
        self.naming: set[int] = set()
        self._naming: dict[int, Naming] = {}
        self._named_there: dict[int, Named] = {}
        self._unions: dict[tuple[Named, ...], Named] = {}

    def __missing__(self, place: int) -> int:
        spot, _ = self._places.at[place]
        anew = self._rights.said_since(spot)
        kept = self._kept.get((place, anew))
        if kept is None:
            kept = self._kept[place, anew] = self._reached(place, spot), self._naming_at(spot)
        found, naming = kept
        if naming:
            self._naming[place] = naming
            self.naming.add(place)
        self[place] = found
        return found

    def about(self, action: str) -> Heard:
        """The same about one more action."""
        if action in self._actions:
            return self
        found = Heard(self._rights, self._crowd, self._places)
        found._reading, found._actions = self, (*self._actions, action)
        found._kept = _kept_by_actions(self._rights, self._places, found._actions)
        return found

    def _reached(self, place: int, spot: Spot) -> int:
        if self._reading is None:
            return self._beside_words(spot) | self._of_words(spot, self._actions)
        return self._reading[place] | self._of_words(spot, self._actions[-1:])

    def for_the_site(self, places: Iterable[int], mask: int) -> tuple[int, ...]:
        """Those of some places that may make a difference to what the site says to a mask."""
        at, telling = self._places.at, self._telling_at_the_site
        if not telling:
            return ()
        return tuple(each for each in places if telling.get(at[each][0], 0) & mask)

    def named(self, places: Iterable[int], mask: int) -> Named:
        """The kinds and states that the words to a mask at some places name."""
        words = [each for place in places for each in self._naming.get(place, ())]
        return self._named(words, mask) if words else NO_NAMES

    def named_at_the_site(self, mask: int) -> Named:
        """The same of the words at the site."""
        found = self._named_there.get(mask)
        if found is None:
            found = self._named(self._naming_at_the_site, mask)
            if len(self._named_there) >= _KEPT:
                self._named_there.clear()
            self._named_there[mask] = found
        return found

    # Whom places reach ----------------------------------------------------------------

    def _beside_words(self, spot: Spot) -> int:
        rights = self._rights
        if spot in rights.data.readerships_at:
            return _ANYBODY
        found = self._given.get(spot, 0) | self._telling_at_the_site.get(spot, 0)
        for each in rights.all_access.get(spot, ()):
            found |= self._crowd.mask(each.given.to)
        return found

    def _of_words(self, spot: Spot, actions: Iterable[str]) -> int:
        found = 0
        for action in actions:
            for clause in self._rights.at(spot, action):
                found |= self._mask_of(clause.who)
        return found

    @cached_property
    def _telling_at_the_site(self) -> dict[Spot, int]:
        """Where it makes a difference to the words at the site whether an item is there: where
        rights are cut off, and where somebody has a role of which those words speak."""
        given = self._given_of(self._rights.roles_at_the_site())
        return given | {("path", path): _ANYBODY for path in self._rights.data.rights_cut_at}

    def _mask_of(self, who: Who) -> int:
        """Who is meant; of a role, all who have it anywhere."""
        if who.kind != "role":
            return self._crowd.bits[who]
        found = 0
        for access in self._rights.holders.get(who.name, ()):
            found |= self._crowd.mask(access.given.to)
        return found

    @cached_property
    def _given(self) -> dict[Spot, int]:
        """Who has a role of whose holders words speak, by the place where they have it."""
        return self._given_of(self._rights.levels_of_roles)

    def _given_of(self, roles: Iterable[str]) -> dict[Spot, int]:
        found: dict[Spot, int] = {}
        for role in roles:
            for access in self._rights.holders.get(role, ()):
                spot = access.place.spot
                found[spot] = found.get(spot, 0) | self._crowd.mask(access.given.to)
        return found

    # What words name ------------------------------------------------------------------

    @cached_property
    def _naming_at_the_site(self) -> Naming:
        return self._naming_at(SITE.spot)

    def _naming_at(self, spot: Spot) -> Naming:
        found: dict[Named, int] = {}
        for action in self._actions:
            for each in self._rights.at(spot, action):
                if each.kinds is not None or each.states is not None:
                    named = Named(frozenset(each.kinds or ()), frozenset(each.states or ()))
                    found[named] = found.get(named, 0) | self._mask_of(each.who)
        return [(reached, named) for named, reached in found.items()]

    def _named(self, words: Naming, mask: int) -> Named:
        heard = tuple([named for reached, named in words if reached & mask])
        found = self._unions.get(heard)
        if found is None:
            found = self._unions[heard] = Named(
                frozenset[str]().union(*(each.kinds for each in heard)),
                frozenset[str]().union(*(each.states for each in heard)),
            )
        return found


def _kept_by_actions(rights: Rights, places: ClassPlaces, actions: tuple[str, ...]) -> _Kept:
    """What is known of places where nothing else has been said since, by engines that follow one
    another; of none, where somebody else has a role of which words speak."""
    since = rights.roles_anew, rights.said_anew.get(SITE.spot, 0)
    known, found = places.kept.get(("heard", actions), (None, {}))
    if known != since or len(found) > _MOST:
        found = dict[tuple[int, int], tuple[int, Naming]]()
        places.kept["heard", actions] = since, found
    return cast(_Kept, found)


def told_apart(case: FiledCase, named: Named) -> FiledCase:
    """A case with no more than what words that name some kinds and states tell apart, and whether
    it is published. (One without a state is that of nothing.)"""
    state = case.state if case.state in ("", PUBLISHED, *named.states) else _ANY_OTHER
    page_kinds = None if case.page_kinds is None else case.page_kinds & named.kinds
    return case._replace(kinds=case.kinds & named.kinds, state=state, page_kinds=page_kinds)


_ANY_OTHER: Final = "any other"


NO_NAMES: Final = Named(frozenset(), frozenset())
