"""Users and items as rows of cells."""

from __future__ import annotations

from datetime import datetime

from prim_lantern.site.content import PUBLISHED, Item
from prim_lantern.site.moments import Period, written
from prim_lantern.site.people import ACTIVE, Enrolment, User


def person_cells(user: User) -> dict[str, str]:
    """A user as a row of people.csv."""
    memberships = [
        each.group + (f"@{_ends(each.period)}" if each.period != Period() else "")
        for each in user.memberships
    ]
    enrolments = [_enrolment(each) for each in user.enrolments]
    return {
        "login": user.login,
        "name": user.name,
        "email": user.email,
        "status": user.status if user.status != ACTIVE else "",
        "groups": ";".join(memberships + enrolments),
        "roles_elsewhere": ";".join(user.roles_elsewhere),
        "joined": _moment(user.joined),
        **user.attributes,
    }


def _enrolment(enrolment: Enrolment) -> str:
    ended = f"..{written(enrolment.until)}" if enrolment.until else ""
    return f"plan:{enrolment.plan}@{written(enrolment.since)}{ended}"


def _ends(period: Period) -> str:
    return f"{_moment(period.since)}..{_moment(period.until)}"


def item_cells(item: Item) -> dict[str, str]:
    """An item as a row of content.csv."""
    return {
        "path": item.path,
        "kind": item.kind,
        "title": item.title,
        "authors": ";".join(item.authors),
        "changed_by": ";".join(item.changed_by),
        "state": item.state if item.state != PUBLISHED else "",
        "categories": ";".join(item.categories),
        "readership": item.readership or "",
        "public_from": _moment(item.public_from),
        "public_until": _moment(item.public_until),
        "links_to": item.links_to or "",
    }


def _moment(at: datetime | None) -> str:
    return written(at) if at else ""
