"""The moments at which something about a site changes by itself."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator
from datetime import datetime

from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS
from prim_lantern.site.rights import Given, Rule


class Timeline:
    """Cuts time into stretches within which every decision of a site stays the same."""

    def __init__(self, data: SiteData, before: Timeline | None = None) -> None:
        """Take a site, and maybe the timeline it had before a small change.

        Then only what has changed is looked at; a turn too many does no harm.
        """
        self._data = data
        turns: set[datetime | None] = set(turns_of_words(data))
        content = people = None
        known: set[datetime] = set()
        earlier: list[datetime] = []
        if before is not None:
            content = data.content.differing(before._data.content)
            people = data.people.differing(before._data.people)
            if content is not None and people is not None:
                known, earlier = before._known, before._turns
        turns.update(_turns_of_items(data, content), _turns_of_people(data, people))
        new = {turn for turn in turns if turn is not None and turn not in known}
        self._known: set[datetime] = known | new if new else known
        self._turns: list[datetime] = sorted([*earlier, *new]) if new else earlier

    def turns_after(self, at: datetime) -> list[datetime]:
        """All later moments at which something changes by itself."""
        return self._turns[self.stretch(at) :]

    def stretch(self, at: datetime) -> int:
        """The number of the stretch in which a moment lies."""
        return bisect_right(self._turns, at)

    def next_turn(self, at: datetime) -> datetime | None:
        """The next moment at which something changes by itself, if there is one."""
        number = self.stretch(at)
        return self._turns[number] if number < len(self._turns) else None


def turns_of_words(
    data: SiteData, matters: Callable[[Rule | Given], bool] | None = None
) -> Iterator[datetime | None]:
    """The ends of the times for which rules are made and roles given (None: open); of those alone
    that matter, where somebody says which do."""
    words: list[Rule | Given] = [*data.rules, *data.given]
    for word in words:
        if word.period != ALWAYS and (matters is None or matters(word)):
            yield from word.period


def _turns_of_items(data: SiteData, rows: set[int] | None) -> Iterator[datetime | None]:
    for column in ("public_from", "public_until"):
        if rows is None:
            yield from data.content.filled(column).values()
        else:
            yield from (data.content.value(column, row) for row in rows)


def _turns_of_people(data: SiteData, rows: set[int] | None) -> Iterator[datetime | None]:
    for row in timed_people(data) if rows is None else rows:
        for membership in data.people.value("memberships", row):
            yield from membership.period
        for enrolment in data.people.value("enrolments", row):
            yield from data.plans[enrolment.plan].period_of(enrolment)


def timed_people(data: SiteData) -> set[int]:
    """The rows of the people who are in some group for a time only."""
    people = data.people
    return {
        row
        for row, memberships in enumerate(people.values_of("memberships"))
        if any(each.period is not ALWAYS for each in memberships)
    } | people.filled("enrolments").keys()
