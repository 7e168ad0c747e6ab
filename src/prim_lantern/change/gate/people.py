"""People, real and pictured, as the gate looks at them: by what reaches them before and after."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from typing import NamedTuple

from prim_lantern.change.gate.judged import Judged
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.people import ANYBODY, GUEST
from prim_lantern.decide.stand_ins import Somebody, login_of
from prim_lantern.decide.timeline import timed_people
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.who import SIGNED_IN, Who


class Person(NamedTuple):
    """Somebody (a login, or None for a guest; a pictured person's stand-in) and their masks."""

    login: str | None
    before: int
    after: int


class Stretch(NamedTuple):
    """A time in which no word comes into force or ends, and what decides in it; it begins at
    `start` and lasts until `end` (None: for ever)."""

    start: datetime
    end: datetime | None
    before: Engine
    after: Engine
    then: Engine | None

    @property
    def whos(self) -> frozenset[Who] | None:
        """Those of whom the words speak that differ (None: maybe anybody)."""
        renewed = self.after.renewed
        return renewed.whos if renewed is not None else None


def everybody(judged: Judged, stretch: Stretch) -> list[Person]:
    """One person for each pair of masks: all users (as if active, whatever their state, since
    that may change), as they are, a guest, and the pictured ones."""
    before, after = stretch.before, stretch.after
    found: dict[tuple[int, int], Person] = {(GUEST, GUEST): Person(None, GUEST, GUEST)}
    for person in (*pictured_people(stretch), *_users(stretch)):
        found.setdefault((person.before, person.after), person)
    if judged.sorts <= {"words", "items"} and stretch.whos is not None:
        # nobody else's answers can differ
        touched = after.crowd.mask(stretch.whos)
        if before.crowd.bits == after.crowd.bits or not judged.people_gone:
            return [each for each in found.values() if each.after & touched]
    return list(found.values())


def changed_people(stretch: Stretch) -> list[Person]:
    """Everybody who was there before and is after, and whom a change of people may concern."""
    before, after = stretch.before.data, stretch.after.data
    rows = None
    if before.groups == after.groups and before.plans == after.plans:
        rows = after.people.differing(before.people)
    logins: Iterable[str] = before.users
    pictured = [each for each in before.groups if each in after.groups]
    if rows is not None:
        logins, pictured = (after.people.names[row] for row in sorted(rows)), []
    return [
        *(pictured_member(stretch, name) for name in pictured),
        *(
            person
            for login in logins
            if login in before.users and login in after.users
            for person in of_user(stretch, login)
        ),
    ]


def differs(stretch: Stretch, person: Person) -> bool:
    """Whether something else reaches somebody after: of whom words may speak."""
    was, now = _whos(stretch, person)
    return was != now


def lost_by(stretch: Stretch, person: Person) -> frozenset[Who]:
    """All among whom somebody was before, and is no more."""
    was, now = _whos(stretch, person)
    return was - now


def there_on_both(stretch: Stretch, person: Person) -> bool:
    """Whether somebody, or the group that a pictured person is in, is there before and after."""
    login = person.login
    if login is None or login == login_of(SIGNED_IN):
        return True
    if isinstance(login, Somebody):
        return all(login.who.name in each.data.groups for each in (stretch.before, stretch.after))
    return all(login in each.data.users for each in (stretch.before, stretch.after))


def joined(stretch: Stretch, person: Person) -> Person:
    """Somebody as if they were before, beside all else, what they are after."""
    was, now = _whos(stretch, person)
    bits = stretch.before.crowd.bits
    return person._replace(before=person.before | sum(bits.get(who, 0) for who in now - was))


def _whos(stretch: Stretch, person: Person) -> tuple[frozenset[Who], frozenset[Who]]:
    """All among whom somebody is, before and after."""
    was, now = (
        frozenset(who for who, bit in engine.crowd.bits.items() if mask & bit)
        for engine, mask in ((stretch.before, person.before), (stretch.after, person.after))
    )
    return was, now


def pictured_people(stretch: Stretch) -> list[Person]:
    """Somebody signed in, and for each group somebody who is in just that one."""
    groups = (engine.data.groups for engine in (stretch.before, stretch.after))
    names = dict.fromkeys(each for some in groups for each in some)
    signed_in = Person(login_of(SIGNED_IN), ANYBODY, ANYBODY)
    return [signed_in, *(pictured_member(stretch, name) for name in names)]


def pictured_member(stretch: Stretch, group: str) -> Person:
    """Somebody who is in just that group; signed in and nothing else, where there is none such."""
    login = login_of(Who("group", group))
    masks = (
        engine.crowd[login][0] if group in engine.data.groups else ANYBODY
        for engine in (stretch.before, stretch.after)
    )
    return Person(login, *masks)


def _users(stretch: Stretch) -> Iterator[Person]:
    before, after = stretch.before, stretch.after
    same_people = before.data.users is after.data.users and before.data.groups == after.data.groups
    timed = {
        engine.data.people.names[row]
        for engine in (before, after)
        for row in timed_people(engine.data)
    }
    some = same_people and stretch.whos is not None
    touched = after.crowd.mask(stretch.whos or ()) if some else -1
    for engine in (before, after):
        engine.crowd.gather()  # as everybody is looked at
    for login in dict.fromkeys((*before.data.users, *after.data.users)):
        if login in timed or not same_people:
            yield from of_user(stretch, login)
            continue
        mask = after.crowd[login][0]
        if before.data.users[login].status != ACTIVE:
            yield from of_user(stretch, login)
        elif mask & touched and not (before.is_owner(login) and after.is_owner(login)):
            yield Person(login, before.crowd[login][0], mask)  # as at every moment


def of_user(stretch: Stretch, login: str) -> Iterator[Person]:
    """Somebody at each moment of a stretch at which their groups change: as they are, and as they
    would be if they were active. The owner may do everything before and after."""
    engines = stretch.before, stretch.after
    if all(engine.is_owner(login) for engine in engines):
        return
    there = [login in engine.data.users for engine in engines]
    moments = {stretch.start}
    for engine, here in zip(engines, there, strict=True):
        if here:
            moments |= {turn for turn in engine.crowd.turns_of(login) if _within(stretch, turn)}
    for at in sorted(moments):
        active = [
            here and engine.data.users[login].status == ACTIVE
            for engine, here in zip(engines, there, strict=True)
        ]
        masks = [
            engine.crowd.mask_if_active(login, at) if here else GUEST
            for engine, here in zip(engines, there, strict=True)
        ]
        yield Person(login, *masks)
        if active[0] != active[1]:
            actual = (mask if acts else GUEST for mask, acts in zip(masks, active, strict=True))
            yield Person(login, *actual)


def _within(stretch: Stretch, turn: datetime) -> bool:
    return turn > stretch.start and (stretch.end is None or turn < stretch.end)


def stewarded(judged: Judged, groups: Iterable[str]) -> Iterator[str]:
    """Those of some groups (names of after) whose members the one who makes it looks after, before
    or after."""
    whos = judged.belonging.whos(judged.engine.acting(judged.by))
    for name in groups:
        after = judged.after.groups.get(name)
        before = judged.base.groups.get(name)
        for group in (before, after):
            if group is not None and not whos.isdisjoint(map(judged.earlier_who, group.stewards)):
                yield name
                break
