"""Where another standing (other groups, another status) can make a difference for somebody."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cached_property
from typing import NamedTuple

import numpy as np

from prim_lantern.change.effects.held import Held
from prim_lantern.change.effects.touched import Touched
from prim_lantern.decide.clauses import clauses_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.population import Numbers
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE
from prim_lantern.site.who import Who

Spot = tuple[str, str]
_WORDS = (
    "rules", "given", "roles", "actions", "kinds", "readerships", "places", "category_sets",
    "default_readership", "owner",
)  # fmt: skip


_NOWHERE: Numbers = np.zeros(0, dtype=np.int64)


class Reach(NamedTuple):
    """The numbers of the paths at which what is read can differ (None: everywhere); by action those
    at which words about it can make a difference (None: everywhere, for every action); and the
    actions that depend on reading alone for somebody, as words about them spoke of them already
    (None: all)."""

    reading: Numbers | None
    acting: Mapping[str, Numbers | None] | None
    all_along: frozenset[str] | None = None

    def of(self, action: str) -> Numbers | None:
        """Where words about an action can make a difference; None: everywhere."""
        return None if self.acting is None else self.acting.get(action, _NOWHERE)

    def follows_reading(self, action: str) -> bool:
        """Whether somebody can come to an action by reading what they did not."""
        return self.all_along is None or action in self.all_along


EVERYWHERE = Reach(None, None)


class Standing:
    """What the words say to those whose standing a change touches, and where."""

    def __init__(self, touched: Touched) -> None:
        self._touched = touched
        self._known: dict[tuple[frozenset[Who], frozenset[Who]], Reach] = {}
        self._numbers: dict[frozenset[Spot], Numbers] = {}
        self._held: dict[int, Held] = {}

    @cached_property
    def _only_people(self) -> bool:
        """Whether all words are the same, so that only what reaches somebody can differ."""
        before, after = (engine.data for engine in self._touched.engines)
        same = all(getattr(before, part) is getattr(after, part) for part in _WORDS)
        renamed = any(each.paths or each.groups for each in self._touched.renames)
        # a readership that is written with an item is a word as well, for all that is below
        return same and not renamed and self._touched.spoken_of == frozenset()

    def reach(self, login: str | None) -> Reach:
        """Where it can make a difference for one person."""
        if not self._only_people or login is None:
            return EVERYWHERE
        was, now = (self._whos(engine, login) for engine in self._touched.engines)
        key = was ^ now, was & now
        found = self._known.get(key)
        if found is None:
            found = self._known[key] = self._of(*key)
        return found

    def own_work(self, login: str | None) -> Numbers:
        """The numbers of the paths of what somebody wrote or changed, where it differs whether it
        counts as theirs: whoever does not act has nothing of their own."""
        engines = self._touched.engines
        if login is None or not self._only_people:
            return _NOWHERE
        acting = {self._touched.acting(engine, login) for engine in engines}
        paths = {path for engine in engines for path in engine.crowd.handiwork.of(login)}
        if len(acting) == 1 or not paths:
            return _NOWHERE
        found = [at for at, path in enumerate(self._touched.rows[0]) if path in paths]
        return np.array(found, dtype=np.int64)

    def _whos(self, engine: Engine, login: str) -> frozenset[Who]:
        acting = engine.acting(login) if login in engine.data.users else None
        return engine.crowd.belonging.whos(acting)

    def _of(self, differs: frozenset[Who], stays: frozenset[Who]) -> Reach:
        """Where words speak of some whos, or of whoever has a role that is given to them; and of
        what they speak to those that somebody is among before and after."""
        data = self._touched.after.data
        given = [each for each in data.given if not differs.isdisjoint(each.to)]
        if any(data.roles[each.role].all_access for each in given):
            return EVERYWHERE
        whos = differs | {Who("role", each.role) for each in given}
        default = data.readership(data.default_readership)
        reading, acting = set[Spot](), dict[str, set[Spot]]()
        if not whos.isdisjoint((*default.readers, *default.all_of, *default.but_not)):
            reading.add(SITE.spot)
        for each in clauses_of(data):
            if each.who in whos:
                reading.add(each.place.spot)  # reading rests on seeing drafts, and may be brought
                for action in each.actions:
                    acting.setdefault(action, set()).add(each.place.spot)
        for spot, setting in data.readerships_at.items():
            named = data.readership(setting.readership or "")
            if not whos.isdisjoint((*named.readers, *named.all_of, *named.but_not)):
                reading.add(spot)
        by_action = {action: self._at(frozenset(spots)) for action, spots in acting.items()}
        return Reach(self._at(frozenset(reading)), by_action, self._allowed_to(stays))

    def _allowed_to(self, whos: frozenset[Who]) -> frozenset[str] | None:
        """The actions that are allowed to some whos, or to whoever has a role; None for all."""
        data = self._touched.after.data
        if any(
            data.roles[each.role].all_access and not whos.isdisjoint(each.to) for each in data.given
        ):
            return None
        found = set[str]()
        for each in clauses_of(data):
            if each.allow and (each.who in whos or each.who.kind == "role"):
                found |= each.actions
        return frozenset(found)

    def _at(self, spots: frozenset[Spot]) -> Numbers | None:
        """The numbers of the paths that some places hold (None: all), and of all that changes by
        itself: items that are not what they were, and links, which ask for what they lead to."""
        if SITE.spot in spots:
            return None
        if spots not in self._numbers:
            found = np.zeros(len(self._touched.rows[0]), dtype=np.bool_)
            found[self._touched.items] = True
            for engine, rows in zip(self._touched.engines, self._touched.rows[1], strict=True):
                # what is not there has the row -1: the last
                held = np.append(self._held_in(engine.data).by(spots), False)
                held[list(engine.links)] = True
                found |= held[rows]
            self._numbers[spots] = np.flatnonzero(found)
        return self._numbers[spots]

    def _held_in(self, data: SiteData) -> Held:
        """What places hold in one of the two sites, whose items are mostly the same."""
        found = self._held.get(id(data.content))
        if found is None:
            found = self._held[id(data.content)] = Held(data)
        return found
