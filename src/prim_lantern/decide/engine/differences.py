"""What differs between a site and the same after a change, or at another moment."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import Final, NamedTuple

from prim_lantern.decide.timeline import timed_people
from prim_lantern.site.columns import Moved
from prim_lantern.site.data import SiteData

# What an engine rests on: where one of these changes, everything may.
_BASIS: Final = ("owner", "groups", "plans", "kinds", "actions", "category_sets")


_MANY: Final = 5_000  # rows that come and go; of more all is looked at anew


class Differences(NamedTuple):
    """The people (logins) and items (rows of the content) that may have changed.

    `moved` says how rows became others, and `work` has the paths, parts of pages among them, whose
    authors or changers have changed.
    """

    people: set[str]
    rows: set[int]
    work: set[str]
    moved: Moved


def differences(
    before: SiteData, then: datetime, now: SiteData, at: datetime
) -> Differences | None:
    """What differs of people and items; None where more than a few of them may."""
    people = now.people.moved_since(before.people)
    moved = now.content.moved_since(before.content)
    if people is None or moved is None or moved.added + len(moved.gone) > _MANY:
        return None
    if any(now.content.names[row] in before.content.index for row in moved.new):
        return None  # something else stands there now
    same = all(getattr(now, part) == getattr(before, part) for part in _BASIS)
    if not same or _kinds_differ(before, now, moved):
        return None
    rows = {*moved.changed, *moved.new}
    work = set(_with_other_hands(before, now, moved))
    logins = {now.people.names[row] for row in (*people.changed, *people.new)}
    logins |= {before.people.names[row] for row in people.gone}
    if at != then:
        logins |= {now.people.names[row] for row in timed_people(now)}
        content = now.content
        timed = content.filled("public_from").keys() | content.filled("public_until").keys()
        rows |= {
            row for row in timed if content.at(row).state_at(at) != content.at(row).state_at(then)
        }
    logins |= {hand for path in work for data in (before, now) for hand in _hands(data, path)}
    return Differences(logins, rows | _parts_of(now, rows), work, moved)


def _kinds_differ(before: SiteData, now: SiteData, moved: Moved) -> bool:
    was, is_ = before.content, now.content
    return any(is_.value("kind", r) != was.value("kind", moved.was(r)) for r in moved.changed)


def _with_other_hands(before: SiteData, now: SiteData, moved: Moved) -> Iterator[str]:
    """The paths that are new or gone, and those whose authors or changers are others, with the
    parts of those pages."""
    changed = [now.content.names[row] for row in moved.changed]
    other = {path for path in changed if _hands(before, path) != _hands(now, path)}
    other |= {now.content.names[row] for row in moved.new}
    other |= {before.content.names[row] for row in moved.gone}
    yield from other
    for data in (before, now):
        rows = {data.content.index[path] for path in other if path in data.content.index}
        yield from (data.content.names[row] for row in _parts_of(data, rows))


def _hands(data: SiteData, path: str) -> tuple[str, ...]:
    """Who wrote or changed the item at a path (of a part, its page); nobody, where none stands."""
    if path not in data.content.index:
        return ()
    row = data.content.index[data.page_of(path)]
    return (*data.content.value("authors", row), *data.content.value("changed_by", row))


def _parts_of(data: SiteData, rows: set[int]) -> set[int]:
    return {part for part, page in data.pages.items() if page in rows} if rows else set()
