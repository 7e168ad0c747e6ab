"""The moments at which something about a site changes by itself."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Iterator
from datetime import datetime

from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period


class Timeline:
    """Cuts time into stretches within which every decision of a site stays the same."""

    def __init__(self, data: SiteData) -> None:
        self._turns = sorted({turn for turn in _turns(data) if turn is not None})

    def stretch(self, at: datetime) -> int:
        """The number of the stretch in which a moment lies."""
        return bisect_right(self._turns, at)

    def next_turn(self, at: datetime) -> datetime | None:
        """The next moment at which something changes by itself, if there is one."""
        number = self.stretch(at)
        return self._turns[number] if number < len(self._turns) else None


def _turns(data: SiteData) -> Iterator[datetime | None]:
    for period in _periods(data):
        yield from period
    for item in data.items.values():
        yield item.public_from
        yield item.public_until


def _periods(data: SiteData) -> Iterator[Period]:
    for rule in data.rules:
        yield rule.period
    for given in data.given:
        yield given.period
    for user in data.users.values():
        for membership in user.memberships:
            yield membership.period
        for enrolment in user.enrolments:
            yield data.plans[enrolment.plan].period_from(enrolment.since)
