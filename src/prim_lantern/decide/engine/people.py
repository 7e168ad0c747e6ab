"""People as masks: one bit for each who that some word of the site speaks of."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Final

from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.stand_ins import Somebody, stand_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, User
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who

BITS: Final = {EVERYONE: 1, GUESTS: 2, SIGNED_IN: 4}
GUEST: Final = BITS[EVERYONE] | BITS[GUESTS]
AUDIENCES: Final = BITS[EVERYONE] | BITS[GUESTS] | BITS[SIGNED_IN]
ANYBODY: Final = BITS[EVERYONE] | BITS[SIGNED_IN]
_NOTHING: Final[frozenset[str]] = frozenset()
SITE_CODES: Final = 256  # how many programs of the site are remembered with each person
_DEEPEST: Final = 8  # crowds one behind the other


Person = tuple[int, frozenset[str], bytearray]
"""What decisions ask of one person: their mask; the paths that they wrote or changed, which
are decided one by one; and what programs of the site say to them, by the number of the program
(0 until it is asked, and always for the owner and for guests, who are like nobody else).

It is a plain tuple, as those are the quickest to take apart.
"""

A_GUEST: Final[Person] = (GUEST, _NOTHING, bytearray(SITE_CODES))


class Handiwork:
    """Who wrote and who changed which items; a part counts as its page does."""

    def __init__(self, data: SiteData) -> None:
        content = data.content
        self._paths: dict[str, set[str]] = {}
        for path, logins in zip(content.names, content.values_of("authors"), strict=True):
            for login in logins:
                self._paths.setdefault(login, set()).add(path)
        for row in (*content.filled("changed_by"), *data.pages):
            for login in _hands_on(data, row):
                self._paths.setdefault(login, set()).add(content.names[row])

    def after(self, before: SiteData, now: SiteData, paths: Iterable[str]) -> Handiwork:
        """The same after the items at some paths have changed, have come or gone."""
        found = object.__new__(Handiwork)
        found._paths = dict(self._paths)
        for path in paths:
            for login in set(_hands_at(before, path)):
                found._paths[login] = found._paths.get(login, set()) - {path}
            for login in set(_hands_at(now, path)):
                found._paths[login] = found._paths.get(login, set()) | {path}
        return found

    def of(self, login: str) -> frozenset[str]:
        """The paths of what somebody wrote or changed."""
        found = self._paths.get(login)
        return frozenset(found) if found else _NOTHING


def _hands_on(data: SiteData, row: int) -> tuple[str, ...]:
    """Who wrote or changed the item of a row: of a part, its page."""
    page = data.pages.get(row, row)
    return (*data.content.value("authors", page), *data.content.value("changed_by", page))


def _hands_at(data: SiteData, path: str) -> tuple[str, ...]:
    row = data.content.index.get(path)
    return () if row is None else _hands_on(data, row)


class Crowd(dict[str | None, Person]):
    """Everybody by login, worked out when first asked for; None is the guest.

    `whos` are all that any word speaks of: of users, only those get a bit. Whoever is the same as
    in the crowd before a change is looked up there, as copying a hundred thousand people would take
    longer than the change. What that one comes to know later holds here as well: its bits stay.
    """

    def __init__(
        self,
        belonging: Belonging,
        whos: Iterable[Who],
        handiwork: Handiwork,
        before: Crowd | None = None,
    ) -> None:
        """Take whom to heed; `before` is the crowd of a site with the same groups."""
        super().__init__({None: A_GUEST})
        self._before: Crowd | None = before
        self._anew: set[str] = set()  # who is not the same as there
        self._depth: int = before._depth + 1 if before is not None else 0
        self.belonging = belonging
        self.data = belonging.data
        self.handiwork = handiwork
        self.bits: dict[Who, int] = dict(before.bits if before is not None else BITS)
        self._reach: dict[str, int] = before._reach if before is not None else {}
        if before is None:
            self.heed(Who("group", name) for name in self.data.groups)
        self.heed(whos)

    def after(
        self,
        belonging: Belonging,
        whos: Iterable[Who],
        handiwork: Handiwork,
        logins: Iterable[str],
    ) -> Crowd:
        """The same after some people have changed, for a site with the same groups."""
        found = Crowd(belonging, whos, handiwork, self)
        found._anew.update(logins)
        if found._depth > _DEEPEST:
            found.gather()
        return found

    def gather(self) -> None:
        """Take over all that is known from before, for whoever asks about everybody."""
        steps: list[tuple[Crowd, Crowd]] = []
        crowd = self
        while (before := crowd._before) is not None:
            steps.append((before, crowd))
            crowd = before
        known: dict[str | None, Person] = {}
        for before, after in reversed(steps):
            known.update(before)
            for login in after._anew:
                known.pop(login, None)
        self.update(known)
        self._before, self._depth = None, 0

    def _from_before(self, login: str) -> Person | None:
        """What is known of somebody who is the same as before, if anything is."""
        crowd = self
        while login not in crowd._anew:
            before = crowd._before
            if before is None:
                break
            found = before.get(login)
            if found is not None:
                return found
            crowd = before
        return None

    def heed(self, whos: Iterable[Who]) -> None:
        """Give a bit to each who that has none."""
        for each in dict.fromkeys(whos):
            if each not in self.bits and each.kind in ("user", "group"):
                self.bits[each] = 1 << len(self.bits)
                if each.kind == "user":
                    self._anew.add(each.name)

    def mask(self, whos: Iterable[Who]) -> int:
        """The bits of some whos, taken together."""
        found = 0
        for each in whos:
            found |= self.bits[each]
        return found

    def members(self, group: Who) -> list[str]:
        """The logins of the active members of a group, sorted."""
        bit = self.bits[group]
        return sorted(login for login in self.data.users if self[login][0] & bit)

    def mask_if_active(self, login: str, at: datetime) -> int:
        """The mask that somebody has at a moment, or would have if they were active."""
        return self._mask_of(self._user(login), at)

    def turns_of(self, login: str) -> set[datetime]:
        """The moments at which somebody comes into a group or leaves it by themselves."""
        ways = self.belonging.direct_ways(self._user(login))
        return {end for way in ways for end in way.period if end is not None}

    def __missing__(self, login: str | None) -> Person:
        if login is None:
            raise KeyError(login)  # the guest is always there
        person = self._from_before(login) or self._worked_out(login)
        self[login] = person
        return person

    def _worked_out(self, login: str) -> Person:
        user = self._user(login)
        if user.status != ACTIVE:
            return A_GUEST
        mask = self._mask_of(user, self.belonging.at)
        return mask, self.handiwork.of(login), bytearray(SITE_CODES)

    def _user(self, login: str) -> User:
        return stand_in(self.data, login) if isinstance(login, Somebody) else self.data.users[login]

    def _mask_of(self, user: User, at: datetime) -> int:
        found = ANYBODY | self.bits.get(Who("user", user.login), 0)
        for way in self.belonging.direct_ways(user):
            if way.period.holds(at):
                found |= self._reaches(way.group)
        return found

    def _reaches(self, group: str) -> int:
        """The bits of a group and of all that it counts in."""
        found = self._reach.get(group)
        if found is not None:
            return found
        waiting = [group]
        while waiting:  # one after the other, as they may count in each other for long
            name = waiting[-1]
            uppers = self.data.groups[name].counts_in
            unknown = [upper for upper in uppers if upper not in self._reach]
            if unknown:
                waiting += unknown
                continue
            found = self.bits[Who("group", name)]
            for upper in uppers:
                found |= self._reach[upper]
            self._reach[name] = found
            waiting.pop()
        return self._reach[group]
