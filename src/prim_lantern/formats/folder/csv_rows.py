"""The rows of people.csv and content.csv as users and items."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime

from prim_lantern.errors import BadValue
from prim_lantern.formats.folder.keys import (
    CONTENT_COLUMNS,
    NEEDED_CONTENT_COLUMNS,
    PEOPLE_COLUMNS,
)
from prim_lantern.formats.folder.source import Problems, rows_of
from prim_lantern.formats.folder.table import Logins
from prim_lantern.site.content import PUBLISHED, Item
from prim_lantern.site.moments import Period, moment
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import ACTIVE, Enrolment, Membership, User

PEOPLE_FILE = "people.csv"
CONTENT_FILE = "content.csv"


def read_people(text: str, problems: Problems) -> tuple[dict[str, User], tuple[str, ...]]:
    """The users by login, and the names of the further columns: the attributes."""
    header, rows = rows_of(PEOPLE_FILE, text, PEOPLE_COLUMNS, PEOPLE_COLUMNS, problems, more=True)
    attributes = tuple(each for each in header if each and each not in PEOPLE_COLUMNS)
    users: dict[str, User] = {}
    seen: dict[str, Origin] = {}
    for origin, cells in rows:
        user = _user(origin, cells, attributes, problems)
        first = seen.setdefault(folded(user.login), origin)
        if first is not origin:
            expected = (
                f"is there twice (first in line {first.line}); a login belongs to one person."
            )
            problems.wrong(origin, "login", user.login, expected)
        else:
            users[user.login] = user
    return users, attributes


def _user(
    origin: Origin, cells: Mapping[str, str], attributes: tuple[str, ...], problems: Problems
) -> User:
    memberships, enrolments = [], []
    for entry in _list(cells.get("groups", "")):
        try:
            if entry.startswith("plan:"):
                enrolments.append(_enrolment(entry))
            else:
                memberships.append(_membership(entry))
        except BadValue as error:
            problems.wrong(origin, "groups", entry, error.expected)
    return User(
        login=cells.get("login", ""),
        name=cells.get("name", ""),
        email=cells.get("email", ""),
        status=cells.get("status", "") or ACTIVE,
        memberships=tuple(memberships),
        enrolments=tuple(enrolments),
        roles_elsewhere=_list(cells.get("roles_elsewhere", "")),
        joined=_moment(origin, "joined", cells, problems),
        attributes={name: cells[name] for name in attributes if cells.get(name)},
        origin=origin,
    )


def _membership(entry: str) -> Membership:
    group, at, period = entry.partition("@")
    if not at:
        return Membership(folded(group))
    since, dots, until = period.partition("..")
    if not dots or not (since or until):
        raise BadValue(entry, "has no proper period: write group@2026-05-01..2027-05-01.")
    return Membership(
        folded(group), Period(moment(since) if since else None, moment(until) if until else None)
    )


def _enrolment(entry: str) -> Enrolment:
    plan, _, since = entry.removeprefix("plan:").partition("@")
    if not since or ".." in since:
        raise BadValue(entry, "needs the day it starts, and no end: write plan:name@2026-05-01.")
    return Enrolment(folded(plan), moment(since))


def read_content(text: str, logins: Logins, problems: Problems) -> dict[str, Item]:
    """The items by path."""
    _, rows = rows_of(
        CONTENT_FILE, text, CONTENT_COLUMNS, NEEDED_CONTENT_COLUMNS, problems, more=False
    )
    items: dict[str, Item] = {}
    for origin, cells in rows:
        path = cells.get("path", "")
        first = items.get(path)
        if first is not None:
            line = first.origin.line if first.origin else 0
            expected = f"is there twice (first in line {line}); one item stands at a path."
            problems.wrong(origin, "path", path, expected)
            continue
        items[path] = Item(
            path=path,
            kind=cells.get("kind", ""),
            title=cells.get("title", ""),
            authors=tuple(map(logins.spelled, _list(cells.get("authors", "")))),
            changed_by=tuple(map(logins.spelled, _list(cells.get("changed_by", "")))),
            state=cells.get("state", "") or PUBLISHED,
            categories=_list(cells.get("categories", "")),
            readership=cells.get("readership", "") or None,
            public_from=_moment(origin, "public_from", cells, problems),
            public_until=_moment(origin, "public_until", cells, problems),
            links_to=cells.get("links_to", "") or None,
            origin=origin,
        )
    return items


def _moment(
    origin: Origin, column: str, cells: Mapping[str, str], problems: Problems
) -> datetime | None:
    text = cells.get(column, "")
    return problems.attempt(origin, column, moment, text, None) if text else None


def _list(text: str) -> tuple[str, ...]:
    return tuple(each for each in map(str.strip, text.split(";")) if each)
