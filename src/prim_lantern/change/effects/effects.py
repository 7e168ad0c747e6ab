"""The effects of a change: who gains and who loses which action where, exactly."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Final, NamedTuple

import numpy as np

from prim_lantern.change.effects.creating_and_managing import Pairs, Special
from prim_lantern.change.effects.filing import Filing
from prim_lantern.change.effects.looking_after import looking_after
from prim_lantern.change.effects.standing import Reach, Standing
from prim_lantern.change.effects.touched import Touched
from prim_lantern.change.renames import Renames
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.effects import Comparison, of_those_concerned
from prim_lantern.decide.engine.lists import Lists
from prim_lantern.decide.engine.population import Answers, Numbers
from prim_lantern.decide.lists import lists_of
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.places import tree_order

_NAMED_AT_MOST: Final = 1_000_000
GUEST: Final = None


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
    Creating is told for the parent, as "create KIND" (and "create KIND in CATEGORY"), but not
    below an item that is new or goes itself; managing is told for a place, and being a steward for
    the group, as "look after". Filing what is there is told for the item, as "file-under in
    CATEGORY", of whoever may edit it, where words about filing come or go, or reach somebody.
    """

    def __init__(self, before: Engine, after: Engine, renames: Iterable[Renames] = ()) -> None:
        self.before = before
        self.after = after
        self._touched = Touched(before, after, renames)
        self._engines = before, after
        both = dict.fromkeys((*after.data.item_actions, *before.data.item_actions))
        self.actions = [each for each in both if each not in NEED_MORE]

    def __repr__(self) -> str:
        if "changed" not in self.__dict__:
            return "<Effects, not looked at yet>"  # finding them can take long
        return f"<Effects on {len(self.changed):,} actions at places>"

    # What there is -----------------------------------------------------------------------

    @cached_property
    def changed(self) -> tuple[Changed, ...]:
        """Every action and place where anybody gains or loses anything, in tree order."""
        only_words = self._touched.only_words
        rows: Iterable[Changed] = self._by_words() if only_words else _counted(self._pairs)
        rows = [*rows, *_counted(self._special)]
        order = {action: number for number, action in enumerate(self.actions)}
        places = sorted({e.where for e in rows}, key=lambda at: (at[:1] != "/", tree_order(at)))
        place = {where: number for number, where in enumerate(places)}

        def in_order(each: Changed) -> tuple[int, int, str]:
            return place[each.where], order.get(each.action, len(order)), each.action

        return tuple(sorted(rows, key=in_order))

    @property
    def spoken_of(self) -> Collection[str] | None:
        """The actions of which changed words speak; None where more than words has changed, or
        they may speak of any."""
        return self._touched.actions if self._touched.only_words else None

    @property
    def people_at_most(self) -> int:
        """About how many people it concerns at the most, guests aside."""
        return self._touched.at_most

    def __bool__(self) -> bool:
        if "changed" in self.__dict__:
            return bool(self.changed)
        # the first that is found is enough, and what is asked of items is found sooner
        of_items = next(self._by_words(), None) if self._touched.only_words else self._pairs
        return bool(of_items) or bool(self._special)

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

    @cached_property
    def not_counted(self) -> tuple[str, ...]:
        """What was not looked at, as it would be too much here, a sentence each; mostly nothing.
        Where there is anything, nobody may be said to gain or lose nothing."""
        creating = "Who may create what is not counted on a site of this size."
        filing = "Who may file what is there under which category is not counted: it is too much."
        looked_at = Special(self._touched).creating_counted, self._filing is not None
        return tuple(e for e, done in zip((creating, filing), looked_at, strict=True) if not done)

    def __iter__(self) -> Iterator[Effect]:
        """Every effect by itself, in the order of `changed`, guests first."""
        for each in self.changed:
            if each.guests:
                yield Effect(GUEST, each.action, each.where, each.guests > 0)
            gained, lost = self.people(each.action, each.where)
            for login in gained:
                yield Effect(login, each.action, each.where, True)
            for login in lost:
                yield Effect(login, each.action, each.where, False)

    @cached_property
    def of_each(self) -> Mapping[str | None, Sequence[tuple[str, str, bool]]]:
        """By person (None: guests) each action at a place that they gain (true) or lose, in the
        order of `changed`."""
        found: dict[str | None, list[tuple[str, str, bool]]] = {}
        known: dict[int, tuple[list[str], list[str]]] = {}  # many pairs are of the same people
        for action, where, _, _, guests in self.changed:
            if guests:
                found.setdefault(GUEST, []).append((action, where, guests > 0))
            pairs = self._special.get((action, where))
            if pairs is None and not self._touched.only_words:
                pairs = self._pairs[action, where]
            if pairs is None:
                sides = self.people(action, where)
            else:
                sides = known.get(id(pairs)) or known.setdefault(id(pairs), _sides(pairs))
            for logins, gains in zip(sides, (True, False), strict=True):
                for login in logins:
                    found.setdefault(login, []).append((action, where, gains))
        return found

    def people(self, action: str, where: str) -> tuple[list[str], list[str]]:
        """The logins of those who gain, and who lose, an action at one place; both sorted."""
        special = self._special.get((action, where))
        if special is not None:
            return _sides(special)
        if not self._touched.only_words:
            return _sides(self._pairs.get((action, where), {}))
        was, now = (set(lists.who_may(action, where)) for lists in self._of_those_spoken_of)
        return sorted(now - was), sorted(was - now)

    @cached_property
    def _of_those_spoken_of(self) -> tuple[Lists, Lists]:
        """What is asked about everybody, of just those of whom changed words speak."""
        return of_those_concerned(self.before, self.after)

    @cached_property
    def _special(self) -> Pairs:
        special = Special(self._touched).pairs() | looking_after(self._touched)
        return special | (self._filing or {})

    @cached_property
    def _filing(self) -> Pairs | None:
        return Filing(self._touched).pairs()

    # Words alone: by classes ---------------------------------------------------------------

    def _by_words(self) -> Iterator[Changed]:
        compared = Comparison(self.before, self.after)
        reading = list(self._of_action(compared, "read", None))
        yield from reading if "read" in self.actions else ()
        # Of actions that no word names, only what can newly be read, or no more, can differ.
        index = self.after.data.content.index
        rows = np.array(sorted({index[each.where] for each in reading}), dtype=np.int64)
        spoken_of = self._touched.actions
        for action in self.actions:
            if action == "read":
                continue
            if spoken_of is None or action in spoken_of:
                yield from self._of_action(compared, action, None)
            elif reading:
                yield from self._of_action(compared, action, rows)

    def _of_action(
        self, compared: Comparison, action: str, rows: Numbers | None
    ) -> Iterator[Changed]:
        names = self.after.data.content.names
        found = compared.effects(action, rows)
        guests = found.guests_gain.astype(np.int8) - found.guests_lose
        touched = np.flatnonzero((found.gained > 0) | (found.lost > 0) | (guests != 0))
        for row in touched.tolist():
            counts = int(found.gained[row]), int(found.lost[row]), int(guests[row])
            yield Changed(action, names[row], *counts)

    # Anything else: the people concerned everywhere, the others where items have changed ------

    @cached_property
    def _pairs(self) -> Pairs:
        found: Pairs = {}
        people: list[str | None] = [*self._touched.concerned]
        if self._touched.spoken_of is None:
            people.append(GUEST)
        paths, _ = self._touched.rows
        sorts = [tuple(_sort_of_person(e, login) for e in self._engines) for login in people]
        standing = Standing(self._touched)
        changed = np.array(self._touched.items, dtype=np.int64)
        shared: dict[object, dict[str, list[tuple[int, bool]]]] = {}
        for login, sort in zip(people, sorts, strict=True):
            if sort not in shared:  # people of one sort gain and lose alike
                anyhow = np.union1d(standing.own_work(login), changed)
                shared[sort] = self._of_person(login, standing.reach(login), anyhow)
            alone = {gains: {login: gains} for gains in (True, False)}  # mostly nobody else does
            for action, differs in shared[sort].items():
                for row, gains in differs:
                    key = action, paths[row]
                    found[key] = {**found[key], login: gains} if key in found else alone[gains]
        self._add_by_items(found, set(people))
        return found

    def _of_person(
        self, login: str | None, reach: Reach, anyhow: Numbers
    ) -> dict[str, list[tuple[int, bool]]]:
        """By action, the numbers of the paths at which somebody gains (true) or loses it.

        Away from words about an action that speak of what has changed about them, only what they
        can newly read, or no more, can differ; and `anyhow` their own work and what has changed.
        """
        where = reach.reading
        reading = self._differing(
            login, "read", None if where is None else np.union1d(where, anyhow)
        )
        found = {"read": reading}
        where = np.union1d(np.array([number for number, _ in reading], dtype=np.int64), anyhow)
        for action in self.actions:
            if action != "read":
                spoken_of = reach.of(action)
                read = where if reach.follows_reading(action) else anyhow
                some = None if spoken_of is None else np.union1d(spoken_of, read)
                found[action] = self._differing(login, action, some)
        return {action: found[action] for action in self.actions}

    def _differing(
        self, login: str | None, action: str, numbers: Numbers | None
    ) -> list[tuple[int, bool]]:
        if numbers is not None and not len(numbers):
            return []
        _, rows = self._touched.rows
        some = rows if numbers is None else tuple(each[numbers] for each in rows)
        was, now = (
            self._answers(engine, login, action, asked)
            for engine, asked in zip(self._engines, some, strict=True)
        )
        differs = np.flatnonzero(was != now)
        names = differs if numbers is None else numbers[differs]
        return list(zip(names.tolist(), now[differs].tolist(), strict=True))

    def _answers(self, engine: Engine, login: str | None, action: str, rows: Numbers) -> Answers:
        """Whether somebody may do it at the item of each row; where nothing stands (-1), or nothing
        is called so, nobody may."""
        known = login if login in engine.data.users else None
        found = np.zeros(len(rows), dtype=np.bool_)
        if action in engine.data.item_actions:
            there = np.flatnonzero(rows >= 0)
            found[there] = lists_of(engine).items_for(known, action, rows[there])
        return found

    def _add_by_items(self, found: Pairs, done: set[str | None]) -> None:
        """Add the others, for the items that are not what they were. What items of the same sort
        come to is worked out once, and shared."""
        paths, (was, now) = self._touched.rows
        shared: dict[object, dict[str | None, bool]] = {}
        for number in self._touched.items:
            sort = _sort_of(self.before, int(was[number])), _sort_of(self.after, int(now[number]))
            for action in self.actions:
                if (sort, action) not in shared:
                    had = _who_may(self.before, action, int(was[number]))
                    have = _who_may(self.after, action, int(now[number]))
                    shared[sort, action] = {w: w in have for w in (had ^ have) - done}
                differs = shared[sort, action]
                if differs:
                    key = action, paths[number]
                    found[key] = {**found[key], **differs} if key in found else differs


def _sort_of_person(engine: Engine, login: str | None) -> object:
    """What tells somebody from others who may do something else: all that words may say of them;
    the owner, and whoever had a hand in an item, are like no other."""
    known = login if login in engine.data.users else None
    mask, own, _ = engine.crowd[known]
    return login if own or engine.is_owner(known) else mask


def _sort_of(engine: Engine, row: int) -> object:
    """What tells an item from others of which different people may do something: its situation, and
    who had a hand in it. A link is like no other."""
    if row < 0:
        return None
    path = engine.data.content.names[row]
    if row in engine.links:
        return path
    return engine.situation_of(path), engine.handiwork_on(path), engine.authors(path)


def _who_may(engine: Engine, action: str, row: int) -> set[str | None]:
    if row < 0 or action not in engine.data.item_actions:
        return set()
    path = engine.data.content.names[row]
    may: set[str | None] = set(lists_of(engine).who_may(action, path))
    return may | {GUEST} if engine.allows(GUEST, action, path) else may


def _counted(pairs: Mapping[tuple[str, str], Mapping[str | None, bool]]) -> Iterator[Changed]:
    known: dict[int, tuple[int, int, int]] = {}  # many pairs share what they come to
    for (action, where), found in pairs.items():
        if id(found) not in known:
            people = [gains for login, gains in found.items() if login is not None]
            guests = {None: 0, True: 1, False: -1}[found.get(GUEST)]
            known[id(found)] = sum(people), len(people) - sum(people), guests
        yield Changed(action, where, *known[id(found)])


def _sides(found: Mapping[str | None, bool]) -> tuple[list[str], list[str]]:
    gained = sorted(login for login, gains in found.items() if gains and login is not None)
    lost = sorted(login for login, gains in found.items() if not gains and login is not None)
    return gained, lost
