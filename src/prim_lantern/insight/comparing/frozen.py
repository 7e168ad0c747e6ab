"""A site as it is at one moment, with nothing in it that begins or ends by itself."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any, Final

from prim_lantern.site.content import SCHEDULED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS
from prim_lantern.site.people import Membership, User
from prim_lantern.values import replace

_NEVER: Final = datetime.max.replace(tzinfo=UTC)


def frozen(data: SiteData, at: datetime) -> SiteData:
    """The same site in which all that holds at a moment holds for good, and nothing else does: so
    that two moments can be compared as two sites are."""
    users = list(_users(data, at))
    items = list(_items(data, at))
    return data.with_parts(
        rules=_in_force(data.rules, at),
        given=_in_force(data.given, at),
        users=data.people.revised(users) if users else data.users,
        items=data.content.revised(items) if items else data.items,
        invitations={},
    )


def _in_force(words: tuple[Any, ...], at: datetime) -> tuple[Any, ...]:
    return tuple(
        each if each.period == ALWAYS else replace(each, period=ALWAYS)
        for each in words
        if each.period.holds(at)
    )


def _users(data: SiteData, at: datetime) -> Iterator[User]:
    """Those of whom something has a period."""
    memberships = data.people.filled("memberships")
    for row in {*memberships, *data.people.filled("enrolments")}:
        user = data.people.at(row)
        timed = any(each.period != ALWAYS for each in user.memberships)
        if not timed and not user.enrolments:
            continue
        groups = dict.fromkeys(each.group for each in user.memberships if each.period.holds(at))
        for enrolment in user.enrolments:
            plan = data.plans[enrolment.plan]
            if plan.period_of(enrolment).holds(at):
                groups |= dict.fromkeys(plan.groups)
        yield replace(user, memberships=tuple(map(Membership, groups)), enrolments=())


def _items(data: SiteData, at: datetime) -> Iterator[Item]:
    """Those that become public, or cease to be, by themselves."""
    content = data.content
    for row in {*content.filled("public_from"), *content.filled("public_until")}:
        item = content.at(row)
        state = item.state_at(at)
        public_from = _NEVER if state == SCHEDULED else None  # else it would be public at once
        yield replace(item, state=state, public_from=public_from, public_until=None)
