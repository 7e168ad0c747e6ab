"""Who belongs to which group at a moment, and by which way."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from datetime import datetime
from functools import cached_property, reduce
from operator import or_
from typing import Final, NamedTuple

from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS, Period
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import ACTIVE, Group, StandIn, Test, User
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who

_KEPT: Final = 10_000  # values of which it is remembered which tests they pass


class Way(NamedTuple):
    """One way in which somebody is a member of a group.

    `how` is "by hand", "mapped", "enrolled" or "fits"; `by` is the role elsewhere, the
    plan or the condition. `through` are the groups on the way, the one joined first;
    it ends with the group itself.
    """

    how: str
    by: str
    period: Period
    through: tuple[str, ...]
    origin: Origin | None

    @property
    def group(self) -> str:
        """The group that this is a way into."""
        return self.through[-1]


class _Passed:
    """Of a value, which tests it is known to pass, and which not to: a bit for each."""

    __slots__ = ("no", "yes")

    def __init__(self) -> None:
        self.yes = self.no = 0


class Belonging:
    """The groups of everybody at one moment."""

    def __init__(self, data: SiteData, at: datetime) -> None:
        self.data = data
        self.at = at
        self._ways: dict[str, Mapping[str, tuple[Way, ...]]] = {}
        self._passed: dict[tuple[str, str], _Passed] = {}
        self._whos: dict[str | None, frozenset[Who]] = {None: frozenset({EVERYONE, GUESTS})}

    def acting(self, login: str | None) -> str | None:
        """The login where the user is active; None for everybody else, who is a guest."""
        if login is None or self.data.users[login].status != ACTIVE:
            return None
        return login

    def whos(self, login: str | None) -> frozenset[Who]:
        """Themselves, their groups and their audiences; `role:…` depends on the item."""
        found = self._whos.get(login)
        if found is None and login is not None:
            groups = (Who("group", name) for name in self.ways(login))
            found = frozenset({Who("user", login), EVERYONE, SIGNED_IN, *groups})
            self._whos[login] = found
        return found or frozenset()

    def ways(self, login: str) -> Mapping[str, tuple[Way, ...]]:
        """By group, all the ways in which a user is a member of it now."""
        found = self._ways.get(login)
        if found is None:
            found = self._ways[login] = self._find_ways(login, in_force=True)
        return found

    def ways_at_other_times(self, login: str) -> Mapping[str, tuple[Way, ...]]:
        """By group, the ways of a user that have ended or are still to come."""
        return self._find_ways(login, in_force=False)

    def _find_ways(self, login: str, *, in_force: bool) -> Mapping[str, tuple[Way, ...]]:
        found: dict[str, list[Way]] = {}
        for way in self.direct_ways(self.data.users[login]):
            if way.period.holds(self.at) != in_force:
                continue
            for chain in self._chains_up(way.group):
                found.setdefault(chain[-1], []).append(way._replace(through=chain))
        return {group: tuple(ways) for group, ways in found.items()}

    def direct_ways(self, user: User) -> Iterator[Way]:
        """All ways into groups but through other groups, in force or not."""
        for membership in user.memberships:
            yield Way("by hand", "", membership.period, (membership.group,), user.origin)
        if isinstance(user, StandIn):
            return
        for group in self._listing.get(user.login, ()):
            origin = group.origin and group.origin.of("members")
            yield Way("by hand", "", ALWAYS, (group.name,), origin)
        for enrolment in user.enrolments:
            plan = self.data.plans[enrolment.plan]
            period = plan.period_of(enrolment)
            for name in plan.groups:
                yield Way("enrolled", plan.called, period, (name,), user.origin)
        for role in map(folded, user.roles_elsewhere):
            for group in self._mapped.get(role, ()):
                yield Way("mapped", role, ALWAYS, (group.name,), user.origin)
        if self._conditions:
            yield from self._fitting_ways(user)

    def _fitting_ways(self, user: User) -> Iterator[Way]:
        """The ways by condition: each row that fits is one."""
        told = {name: user.value_of(name) for name in self._tested}
        known = {name: self._known_of(name, value) for name, value in told.items()}
        yes = no = 0
        for each in known.values():
            yes |= each.yes
            no |= each.no
        for way, bits, tests in self._conditions:
            if bits & no:
                continue
            for bit, test in tests if bits & ~yes else ():
                if bit & yes:
                    continue
                name = test.attribute
                if not test.fits_value(told[name]):
                    no |= bit
                    known[name].no |= bit
                    break
                yes |= bit
                known[name].yes |= bit
            else:
                yield way

    def _known_of(self, attribute: str, value: str) -> _Passed:
        """What is known of a value; it is kept, unless there are very many."""
        found = self._passed.get((attribute, value))
        if found is None:
            found = _Passed()
            if len(self._passed) < _KEPT:
                self._passed[attribute, value] = found
        return found

    @cached_property
    def _listing(self) -> Mapping[str, list[Group]]:
        return _by_name((login, g) for g in self.data.groups.values() for login in g.members)

    @cached_property
    def _mapped(self) -> Mapping[str, list[Group]]:
        groups = self.data.groups.values()
        return _by_name((folded(role), group) for group in groups for role in group.mapped_from)

    @cached_property
    def _conditions(self) -> list[tuple[Way, int, tuple[tuple[int, Test], ...]]]:
        """Every row of every condition: the way in that it is, the bits of its tests, and these."""
        bits: dict[Test, int] = {}
        found = []
        for group in self.data.groups.values():
            for number, row in enumerate(group.when):
                origin = group.origin and group.origin.of(f"when[{number}]")
                by = " and ".join(map(str, row))
                way = Way("fits", by, ALWAYS, (group.name,), origin)
                tests = tuple((bits.setdefault(test, 1 << len(bits)), test) for test in row)
                found.append((way, reduce(or_, (bit for bit, _ in tests), 0), tests))
        return found

    @cached_property
    def _tested(self) -> frozenset[str]:
        """The attributes that conditions test."""
        tests = (test for _, _, some in self._conditions for _, test in some)
        return frozenset(test.attribute for test in tests)

    def _chains_up(self, group: str) -> list[tuple[str, ...]]:
        """The group, and every group that it counts in, each by a shortest chain."""
        chains: list[tuple[str, ...]] = [(group,)]
        reached = {group}
        for chain in chains:  # grows while it is walked: breadth first
            for upper in self.data.groups[chain[-1]].counts_in:
                if upper not in reached:
                    reached.add(upper)
                    chains.append((*chain, upper))
        return chains


def _by_name(pairs: Iterator[tuple[str, Group]]) -> Mapping[str, list[Group]]:
    found: dict[str, list[Group]] = {}
    for name, group in pairs:
        found.setdefault(name, []).append(group)
    return found


def upper_groups(data: SiteData, name: str) -> set[str]:
    """A group, and all that it counts in."""
    found, waiting = {name}, [name]
    while waiting:
        for upper in data.groups[waiting.pop()].counts_in:
            if upper not in found:
                found.add(upper)
                waiting.append(upper)
    return found
