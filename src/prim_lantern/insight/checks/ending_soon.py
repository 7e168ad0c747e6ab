"""Enrolments that end within a month.

Their people lose then what the groups of the plan give. 'plan renew' goes on from the end.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.change.operations.plans import RenewEnrolment
from prim_lantern.decide.explain import words
from prim_lantern.decide.views.enrolments import enrolments
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look
from prim_lantern.site.moments import days_from, written

NAME = "ending-soon"
_DAYS = 30


def find(look: Look) -> Iterator[Finding]:
    """Those of each plan together, the first to end first."""
    data = look.data
    ends: dict[str, list[tuple[str, str]]] = {}
    found = enrolments(data, look.at)
    later = {(each.plan, each.login) for each in found if each.state == "later"}
    for each in found:
        until = each.period.until
        if until is None or each.state != "now" or (each.plan, each.login) in later:
            continue
        if until <= days_from(look.at, _DAYS):
            ends.setdefault(each.plan, []).append((written(until), each.login))
    for plan, some in ends.items():
        told = [f"{data.users[login].called} ({until})" for until, login in sorted(some)]
        logins = [login for _, login in sorted(some)]
        fix = RenewEnrolment(plan, tuple(logins))
        yield Finding(
            NAME,
            NOTE,
            f"Enrolments in {data.plans[plan].called} end within {_DAYS} days: "
            f"{words.listed(told)}.",
            touches={"people": len(some)},
            fix=look.tried(fix),
        )
