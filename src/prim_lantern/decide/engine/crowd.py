"""People as masks: one bit for each who that some word of the site speaks of."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final, NamedTuple

from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.stand_ins import STAND_IN, stand_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, User
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who

BITS: Final = {EVERYONE: 1, GUESTS: 2, SIGNED_IN: 4}
GUEST: Final = BITS[EVERYONE] | BITS[GUESTS]
ANYBODY: Final = BITS[EVERYONE] | BITS[SIGNED_IN]
_NOTHING: Final[frozenset[int]] = frozenset()


class Person(NamedTuple):
    """What decisions ask of one person.

    `rows` are the items that they wrote or changed, which are decided one by one; None
    stands for the owner, who is above all that.
    """

    mask: int
    rows: frozenset[int] | None


A_GUEST: Final = Person(GUEST, _NOTHING)


class Handiwork:
    """Who wrote and who changed which items; a part counts as its page does."""

    def __init__(self, data: SiteData) -> None:
        content = data.content
        self.wrote: dict[str, set[int]] = {}
        self.changed: dict[str, set[int]] = {}
        for row, logins in enumerate(content.values_of("authors")):
            for login in logins:
                self.wrote.setdefault(login, set()).add(row)
        for row, logins in content.filled("changed_by").items():
            for login in logins:
                self.changed.setdefault(login, set()).add(row)
        for row in data.part_rows:
            page = content.index[data.page_of(content.names[row])]
            for login in content.value("authors", page):
                self.wrote.setdefault(login, set()).add(row)
            for login in content.value("changed_by", page):
                self.changed.setdefault(login, set()).add(row)

    def of(self, login: str) -> frozenset[int]:
        """The rows that somebody wrote or changed."""
        wrote, changed = self.wrote.get(login), self.changed.get(login)
        if wrote is None and changed is None:
            return _NOTHING
        return frozenset((wrote or set()) | (changed or set()))


class Crowd(dict[str | None, Person]):
    """Everybody by login, worked out when first asked for; None is the guest.

    `whos` are all that any word speaks of: only those get a bit.
    """

    def __init__(self, belonging: Belonging, whos: Iterable[Who], handiwork: Handiwork) -> None:
        super().__init__({None: A_GUEST})
        self.belonging = belonging
        self.data = belonging.data
        self.handiwork = handiwork
        self.bits = dict(BITS)
        self._reach: dict[str, int] = {}
        self.heed(whos)

    def heed(self, whos: Iterable[Who]) -> None:
        """Give a bit to each who that has none, and forget those whom that concerns."""
        for each in dict.fromkeys(whos):
            if each in self.bits or each.kind not in ("user", "group"):
                continue
            self.bits[each] = 1 << len(self.bits)
            if each.kind == "user":
                self.pop(each.name, None)
            else:
                self._reach.clear()
                self.clear()
                self[None] = A_GUEST

    def mask(self, whos: Iterable[Who]) -> int:
        """The bits of some whos, taken together."""
        found = 0
        for each in whos:
            found |= self.bits[each]
        return found

    def __missing__(self, login: str | None) -> Person:
        assert login is not None  # noqa: S101  (the guest is always there)
        user = self._user(login)
        if user is None or user.status != ACTIVE:
            person = A_GUEST
        else:
            rows = None if login == self.data.owner else self.handiwork.of(login)
            person = Person(self._mask_of(user), rows)
        self[login] = person
        return person

    def _user(self, login: str) -> User | None:
        if login.startswith(STAND_IN):
            return stand_in(self.data, login)
        return self.data.users.get(login)

    def _mask_of(self, user: User) -> int:
        found = ANYBODY | self.bits.get(Who("user", user.login), 0)
        at = self.belonging.at
        for way in self.belonging.direct_ways(user):
            if way.period.holds(at):
                found |= self._reaches(way.group)
        return found

    def _reaches(self, group: str) -> int:
        """The bits of a group and of all that it counts in."""
        found = self._reach.get(group)
        if found is None:
            found = self.bits.get(Who("group", group), 0)
            for upper in self.data.groups[group].counts_in:
                found |= self._reaches(upper)
            self._reach[group] = found
        return found
