"""People are listed by hand in a group though they left, or their enrolment for it has ended.

Whoever is suspended or only invited counts as a guest, and is in all these groups again once
brought back. Somebody whose enrolment ended and who is listed by hand as well has kept what they
paid for.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping

from prim_lantern.change.operations.groups import RemoveMembers
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import ACTIVE, User

NAME = "gone-but-listed"


def find(look: Look) -> Iterator[Finding]:
    """Each group with people who left, or whose enrolment ended, listed by hand."""
    data, listed = look.data, _listed(look)
    for name, group in data.groups.items():
        lapsed, left = dict[str, Origin | None](), dict[str, Origin | None]()
        for login, origin in listed[name].items():
            user = data.users[login]
            if user.status != ACTIVE:
                left[login] = origin
            elif _lapsed(look, user, name):
                lapsed[login] = origin
        for some, severity, why in (
            (lapsed, MISTAKE, "though their enrolment for it has ended"),
            (left, NOTE, "though they are not active"),
        ):
            if some:
                called = words.listed(data.users[each].called for each in some)
                are = "is" if len(some) == 1 else "are"
                yield Finding(
                    NAME,
                    severity,
                    f"{called} {are} listed by hand in group {group.called}, {why}.",
                    written(some.values()),
                    {"people": len(some)},
                    look.tried(RemoveMembers(name, tuple(some))),
                )


def _listed(look: Look) -> Mapping[str, Mapping[str, Origin | None]]:
    """Those among whoever is not active or was enrolled who are in each group by hand now, with
    where that is written."""
    data, people = look.data, look.data.people
    statuses = people.values_of("status")
    rows = {row for row, status in enumerate(statuses) if status != ACTIVE}
    some = {people.names[row] for row in rows | people.filled("enrolments").keys()}
    found: dict[str, dict[str, Origin | None]] = {}
    for name, group in data.groups.items():
        origin = group.origin.of("members") if group.origin else None
        found[name] = dict.fromkeys((each for each in group.members if each in some), origin)
    for login in filter(some.__contains__, people.names):
        user = data.users[login]
        for each in user.memberships:
            if each.period.holds(look.at):
                found[each.group][login] = user.origin
    return found


def _lapsed(look: Look, user: User, group: str) -> bool:
    """Whether somebody was enrolled for a group, and is no more."""
    plans = look.data.plans
    some = [each for each in user.enrolments if group in plans[each.plan].groups]
    ends = [plans[each.plan].period_of(each) for each in some]
    return bool(ends) and all(end.until is not None and end.until <= look.at for end in ends)
