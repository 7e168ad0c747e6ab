"""The effects of a change: who gains and who loses which action where, exactly."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from dataclasses import fields
from functools import cached_property
from typing import Any, NamedTuple

import numpy as np

from prim_lantern.change.renames import Renames, renamed
from prim_lantern.decide.clauses import beyond, roles_in
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.effects import effects_of
from prim_lantern.decide.looking import Offer, offers, offers_below
from prim_lantern.decide.many import lists_of
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, is_above
from prim_lantern.site.rights import Given
from prim_lantern.site.who import Who

_ASKED_ONE_BY_ONE = 2_000  # people for whom it is looked at what they may create
_SECTIONS_ASKED = 5_000
_NAMED_AT_MOST = 5_000_000
_FOR_CREATING = frozenset({"create", "file-under", "read", "see-drafts"})

GUEST = None


class Effect(NamedTuple):
    """One person (None: guests) who gains, or loses, an action at a path or place."""

    who: str | None
    action: str
    where: str
    gained: bool


class Changed(NamedTuple):
    """How many active users gain and lose an action at one path or place, and whether guests do:
    1 for a gain, -1 for a loss, 0 for neither."""

    action: str
    where: str
    gained: int
    lost: int
    guests: int


class Effects:
    """What a change opens and closes: all of it, for a site of any size.

    Two engines of one moment are compared, and only where they can differ: by classes of people
    and items where only words have changed; else for the people, and the items, that did.
    An item that moved is compared with itself; somebody who is no active user is a guest.
    Creating is told for the parent, as "create KIND"; managing for a place.
    """

    def __init__(self, before: Engine, after: Engine, renames: Iterable[Renames] = ()) -> None:
        self.before = before
        self.after = after
        self._renames = tuple(renames)
        self.actions = [each for each in after.data.item_actions if each not in NEED_MORE]

    # What there is -----------------------------------------------------------------------

    @cached_property
    def changed(self) -> tuple[Changed, ...]:
        """Every action and place where anybody gains or loses anything, in tree order."""
        rows: Iterable[Changed] = self._by_words() if self._only_words else self._by_pairs()
        order = {action: number for number, action in enumerate(self.actions)}
        place = {path: number for number, path in enumerate(self.after.data.tree)}
        last = len(place)
        return tuple(
            sorted(
                (*rows, *self._counted(self._special)),
                key=lambda each: (
                    place.get(each.where, last),
                    each.where,
                    order.get(each.action, 99),
                ),
            )
        )

    def __bool__(self) -> bool:
        return bool(self.changed)

    @property
    def size(self) -> int:
        """How many pairs of one person and one action at one place change; guests count as one."""
        return sum(each.gained + each.lost + abs(each.guests) for each in self.changed)

    def same_as(self, other: Effects) -> bool:
        """Whether the very same people gain and lose the very same."""
        if self.changed != other.changed:
            return False
        return all(
            self.people(each.action, each.where) == other.people(each.action, each.where)
            for each in self.changed
        )

    @property
    def nameable(self) -> bool:
        """Whether there are so few that all can be named in a summary."""
        return self.size <= _NAMED_AT_MOST

    def __iter__(self) -> Iterator[Effect]:
        """Every effect by itself, in the order of `changed`, guests first."""
        for each in self.changed:
            if each.guests:
                yield Effect(GUEST, each.action, each.where, each.guests > 0)
            gained, lost = self.people(each.action, each.where)
            yield from (Effect(login, each.action, each.where, True) for login in gained)
            yield from (Effect(login, each.action, each.where, False) for login in lost)

    def people(self, action: str, where: str) -> tuple[list[str], list[str]]:
        """The logins of those who gain, and who lose, an action at one place; both sorted."""
        special = self._special.get((action, where))
        if special is not None:
            return self._sides(special)
        if not self._only_words:
            return self._sides(self._pairs.get((action, where), {}))
        was, now = (self._may(engine, action, where) for engine in (self.before, self.after))
        return sorted(now - was), sorted(was - now)

    @staticmethod
    def _sides(found: Mapping[str | None, bool]) -> tuple[list[str], list[str]]:
        gained = sorted(login for login, gains in found.items() if gains and login is not None)
        lost = sorted(login for login, gains in found.items() if not gains and login is not None)
        return gained, lost

    # Words alone: by classes ---------------------------------------------------------------

    @cached_property
    def _only_words(self) -> bool:
        return self.after.renewed is not None and not self._renames_paths

    def _by_words(self) -> Iterator[Changed]:
        names = self.after.data.content.names
        for action in self.actions:
            found = effects_of(self.before, self.after, action)
            guests = found.guests_gain.astype(np.int8) - found.guests_lose
            touched = np.flatnonzero((found.gained > 0) | (found.lost > 0) | (guests != 0))
            for row in touched.tolist():
                counts = int(found.gained[row]), int(found.lost[row]), int(guests[row])
                yield Changed(action, names[row], *counts)

    def _may(self, engine: Engine, action: str, path: str) -> set[str]:
        return set(lists_of(engine).who_may(action, path))

    # Anything else: pairs of those concerned --------------------------------------------------

    def _by_pairs(self) -> Iterator[Changed]:
        return self._counted(self._pairs)

    @staticmethod
    def _counted(
        pairs: Mapping[tuple[str, str], Mapping[str | None, bool]],
    ) -> Iterator[Changed]:
        for (action, where), found in pairs.items():
            people = [gains for login, gains in found.items() if login is not None]
            guests = found.get(GUEST)
            yield Changed(
                action,
                where,
                sum(people),
                len(people) - sum(people),
                0 if guests is None else 1 if guests else -1,
            )

    @cached_property
    def _pairs(self) -> Mapping[tuple[str, str], dict[str | None, bool]]:
        """By action and path, who gains (True) or loses it."""
        paths, rows = self._rows
        found: dict[tuple[str, str], dict[str | None, bool]] = {}
        people = self.concerned
        for action in self.actions:
            for login in (GUEST, *people):
                was, now = (self._answers(n, login, action, rows[n]) for n in (0, 1))
                for row in np.flatnonzero(was != now).tolist():
                    found.setdefault((action, paths[row]), {})[login] = bool(now[row])
        if len(people) < len(self.after.data.users):
            self._add_by_items(found, set(people), paths, rows)
        return found

    @property
    def _engines(self) -> tuple[Engine, Engine]:
        return self.before, self.after

    def _answers(self, number: int, login: str | None, action: str, rows: Any) -> Any:
        """Whether somebody may do it at each path; where nothing stands, nobody may."""
        engine = self._engines[number]
        known = login if login in engine.data.users else None
        found = lists_of(engine).items_for(known, action)
        return np.append(found, False)[rows]

    def _add_by_items(
        self,
        found: dict[tuple[str, str], dict[str | None, bool]],
        done: set[str],
        paths: list[str],
        rows: tuple[Any, Any],
    ) -> None:
        """Add the others, for the items that are not what they were."""
        both = [lists_of(engine) for engine in self._engines]
        names = [engine.data.content.names for engine in self._engines]
        for number in self._items:
            for action in self.actions:
                may = [
                    set(both[n].who_may(action, names[n][rows[n][number]]))
                    if rows[n][number] >= 0
                    else set[str]()
                    for n in (0, 1)
                ]
                for login in (may[0] ^ may[1]) - done:
                    here = found.setdefault((action, paths[number]), {})
                    here[login] = login in may[1]

    @cached_property
    def _rows(self) -> tuple[list[str], tuple[Any, Any]]:
        """All paths, and the rows in which each stood and stands (-1: it did or does not)."""
        was, now = (engine.data.content.index for engine in self._engines)
        paths = list(self.after.data.content.names)
        before = [was.get(self._earlier(path), -1) for path in paths]
        gone = [path for path in self.before.data.content.names if self._later(path) not in now]
        before += [was[path] for path in gone]
        after = [*range(len(paths)), *(-1 for _ in gone)]
        return [*paths, *gone], (np.array(before), np.array(after))

    def _later(self, path: str) -> str:
        for each in self._renames:
            path = each.path(path)
        return path

    def _earlier(self, path: str) -> str:
        for each in reversed(self._renames):
            path = each.inverse.path(path)
        return path

    # Who and what is concerned -----------------------------------------------------------------

    @cached_property
    def concerned(self) -> list[str]:
        """The users whose own standing has changed, or of whom changed words speak; those who
        are not active, before and after, are guests all along."""
        before, after = (engine.data for engine in self._engines)
        spoken_of = self._spoken_of
        owners = {before.owner, after.owner} if before.owner != after.owner else set[str]()
        found = []
        for login in dict.fromkeys([*before.users, *after.users]):
            old, new = (self._acting(engine, login) for engine in self._engines)
            if old is None and new is None:
                continue
            was = self._renamed(self.before.crowd.belonging.whos(old))
            now = self.after.crowd.belonging.whos(new)
            touched = spoken_of is None or not spoken_of.isdisjoint(was | now)
            if touched or was != now or login in owners:
                found.append(login)
        return found

    @staticmethod
    def _acting(engine: Engine, login: str) -> str | None:
        return engine.acting(login) if login in engine.data.users else None

    def _renamed(self, whos: frozenset[Who]) -> frozenset[Who]:
        for each in self._renames:
            if each.groups:
                whos = frozenset(map(each.who, whos))
        return whos

    @cached_property
    def _spoken_of(self) -> frozenset[Who] | None:
        """Of whom the words speak that came or went; None where it may be anybody."""
        before, after = (engine.data for engine in self._engines)
        for each in self._renames:
            before = renamed(before, each)
        same = ("kinds", "actions", "readerships", "default_readership", "category_sets")
        settings = ("readerships_at", "rights_cut_at")
        if any(getattr(before, part) != getattr(after, part) for part in (*same, *settings)):
            return None
        whos = {who for word in set(before.rules) ^ set(after.rules) for who in word.to}
        whos |= {who for word in set(before.given) ^ set(after.given) for who in word.to}
        for data in (before, after):
            for given in data.given:
                if any(
                    before.roles.get(e.name) != after.roles.get(e.name)
                    for e in roles_in(data, given.role)
                ):
                    whos |= set(given.to)
        if any(who.kind in ("role", "audience") for who in whos):
            return None
        return frozenset(whos)

    @cached_property
    def _items(self) -> list[int]:
        """The numbers (in the paths) of the items that are not what they were."""
        paths, (was, now) = self._rows
        before, after = (engine.data for engine in self._engines)
        found = set()
        same = before.content.differing(after.content) == set()
        for number, path in enumerate(paths):
            old, new = int(was[number]), int(now[number])
            if same and old == new:
                continue
            stayed = old >= 0 and new >= 0 and before.content.names[old] == path
            if not stayed or not before.content.same(old, after.content, new):
                found.add(path)
        parts_and_links = {
            path
            for path in paths
            if any(is_above(each, path) for each in found) and after.is_part(path)
        }
        leading = after.content.filled("links_to").items()
        links = {after.content.names[row] for row, to in leading if to in found}
        every = found | parts_and_links | links
        return [number for number, path in enumerate(paths) if path in every]

    # Creating and managing ---------------------------------------------------------------

    @property
    def creating_counted(self) -> bool:
        """Whether it was looked at who may create what; on very big sites it is not."""
        tree = self.after.data.tree
        return len(tree) <= _SECTIONS_ASKED and len(self.after.data.users) <= _ASKED_ONE_BY_ONE

    @cached_property
    def _special(self) -> Mapping[tuple[str, str], dict[str | None, bool]]:
        """By "create KIND" and parent, and by managing action and place, who gains or loses it."""
        found: dict[tuple[str, str], dict[str | None, bool]] = {}
        if self.creating_counted and self._creating_touched is not False:
            for login in (GUEST, *self.concerned):
                self._note(found, login, *(self._creates(n, login) for n in (0, 1)))
        places = self._managed_places()
        if places and self._managing_touched:
            for login in (GUEST, *self.concerned):
                self._note(found, login, *(self._manages(n, login, places) for n in (0, 1)))
        return found

    @staticmethod
    def _note(
        found: dict[tuple[str, str], dict[str | None, bool]],
        login: str | None,
        was: set[tuple[str, str]],
        now: set[tuple[str, str]],
    ) -> None:
        for each in was ^ now:
            found.setdefault(each, {})[login] = each in now

    def _creates(self, number: int, login: str | None) -> set[tuple[str, str]]:
        engine = self._engines[number]
        known = login if login in engine.data.users else None
        made: dict[Any, set[tuple[str, str]]] = engine.beside(_Offers)
        key = known if known is not None and engine.is_owner(known) else engine.crowd[known][0]
        own = bool(engine.crowd[known][1])
        if own or key not in made:
            found = set()
            for offer in self._offers(engine, known):
                where = self._later(offer.parent) if number == 0 else offer.parent
                found |= {
                    (f"create {offer.kind}" + (f" in {each}" if each else ""), where)
                    for each in ((*offer.categories,) if offer.needs_category else ("",))
                }
                if not offer.needs_category:
                    found |= {
                        (f"create {offer.kind} in {each}", where) for each in offer.categories
                    }
            if own:
                return found
            made[key] = found
        return made[key]

    def _offers(self, engine: Engine, login: str | None) -> Iterator[Offer]:
        tops = self._creating_touched
        if tops is True:
            return offers(engine, login)
        tree = engine.data.tree
        parents = dict.fromkeys(
            each for top in tops or () for each in tree.sections_from(top) if tree.holds(each)
        )
        return (offer for each in parents for offer in offers_below(engine, login, each))

    @cached_property
    def _creating_touched(self) -> bool | tuple[str, ...]:
        """Whether it may have changed who may create what: anywhere (True), nowhere (False), or at
        and below some paths."""
        before, after = (engine.data for engine in self._engines)
        words = ("rules", "given", "origin")
        others = (each.name for each in fields(SiteData) if each.name not in words)
        if self._renames_paths or any(getattr(before, e) is not getattr(after, e) for e in others):
            return True
        tops = set()
        for clause in (*beyond(before, after), *beyond(after, before)):
            if clause.actions & _FOR_CREATING:
                if clause.place.kind != "path":
                    return True
                tops.add(clause.place.name)
        if _all_access(before) != _all_access(after):
            return True
        return tuple(sorted(tops)) or False

    @property
    def _managing_touched(self) -> bool:
        """Whether it may have changed who may manage what."""
        if not self._only_words:
            return True
        before, after = (engine.data for engine in self._engines)
        clauses = (*beyond(before, after), *beyond(after, before))
        return _all_access(before) != _all_access(after) or any(
            not each.actions.isdisjoint(MANAGING_ACTIONS) for each in clauses
        )

    @property
    def _renames_paths(self) -> bool:
        return any(each.paths for each in self._renames)

    def _managed_places(self) -> list[Place]:
        """The places where something is said of managing, in one of the two sites."""
        places = {SITE: None}
        for engine in self._engines:
            for spot in engine.rights.spots():
                some = any(engine.rights.at(spot, action) for action in MANAGING_ACTIONS)
                if some or engine.rights.all_access.get(spot):
                    places[Place(*spot)] = None
        return list(places)

    def _manages(
        self, number: int, login: str | None, places: Iterable[Place]
    ) -> set[tuple[str, str]]:
        engine = self._engines[number]
        known = login if login in engine.data.users else None
        return {
            (action, str(where))
            for where in places
            for action in MANAGING_ACTIONS
            if (where.kind == "site" or action not in SITE_WIDE_ACTIONS)
            and engine.may_manage(known, action, where)
        }


def _all_access(data: SiteData) -> set[Given]:
    return {each for each in data.given if data.roles[each.role].all_access}


class _Offers(dict[Any, Any]):
    """What may be created where, by the mask of a person; kept with an engine."""

    def __init__(self, engine: Engine) -> None:  # noqa: ARG002
        super().__init__()
