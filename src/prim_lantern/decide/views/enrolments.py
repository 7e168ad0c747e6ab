"""Who is, was and will be enrolled in plans."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import NamedTuple

from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, written


class Enrolled(NamedTuple):
    """One enrolment of one person: `state` is "now", "later" or "ended"."""

    plan: str
    login: str
    period: Period
    state: str

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        since, until = (each and written(each) for each in self.period)
        return {
            "plan": self.plan,
            "login": self.login,
            "since": since,
            "until": until,
            "state": self.state,
        }


def enrolments(data: SiteData, at: datetime) -> list[Enrolled]:
    """Every enrolment, by plan as they are defined, and in each by when it begins."""
    order = {name: number for number, name in enumerate(data.plans)}
    found = _all(data, at)
    return sorted(found, key=lambda e: (order[e.plan], e.period.since or at, e.login))


def _all(data: SiteData, at: datetime) -> Iterator[Enrolled]:
    for row in data.people.filled("enrolments"):
        user = data.people.at(row)
        for each in user.enrolments:
            period = data.plans[each.plan].period_of(each)
            state = "now" if period.holds(at) else "later" if each.since > at else "ended"
            yield Enrolled(each.plan, user.login, period, state)
