"""What differs between a site and the same after a change, or at another moment."""

from __future__ import annotations

from datetime import datetime
from typing import Final, NamedTuple

from prim_lantern.decide.timeline import timed_people
from prim_lantern.site.data import SiteData

# What an engine rests on: where one of these changes, everything may.
_BASIS: Final = ("owner", "groups", "plans", "kinds", "actions", "category_sets")


class Differences(NamedTuple):
    """The people (logins) and items (rows of the content) that may have changed.

    `work` are the rows, parts of pages among them, whose authors or changers have.
    """

    people: set[str]
    rows: set[int]
    work: set[int]


def differences(
    before: SiteData, then: datetime, now: SiteData, at: datetime
) -> Differences | None:
    """What differs of people and items; None where more than a few of them may."""
    people = now.people.differing(before.people)
    rows = now.content.differing(before.content)
    same = all(getattr(now, part) == getattr(before, part) for part in _BASIS)
    if people is None or rows is None or not same or _kinds_differ(before, now, rows):
        return None
    work = {row for row in rows if _hands(now, row) != _hands(before, row)}
    if at != then:
        people |= timed_people(now)
        rows |= {
            row
            for row in now.content.filled("public_from").keys()
            | now.content.filled("public_until").keys()
            if now.content.at(row).state_at(at) != now.content.at(row).state_at(then)
        }
    hands = (login for row in work for data in (before, now) for login in _hands(data, row))
    logins = {now.people.names[row] for row in people} | set(hands)
    return Differences(logins, rows | _parts_of(now, rows), work | _parts_of(now, work))


def _kinds_differ(before: SiteData, now: SiteData, rows: set[int]) -> bool:
    return any(now.content.value("kind", r) != before.content.value("kind", r) for r in rows)


def _hands(data: SiteData, row: int) -> tuple[str, ...]:
    """Who wrote or changed the item of a row."""
    return (*data.content.value("authors", row), *data.content.value("changed_by", row))


def _parts_of(data: SiteData, rows: set[int]) -> set[int]:
    return {part for part, page in data.pages.items() if page in rows} if rows else set()
