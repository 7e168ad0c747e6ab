"""Moments, periods and durations. Every moment is a datetime in UTC."""

from __future__ import annotations

import os
import re
from calendar import monthrange
from datetime import UTC, date, datetime, timedelta
from typing import NamedTuple

from prim_lantern.errors import BadValue

_DURATION = re.compile(r"(\d{1,6}) *(d|day|w|week|month|y|year)s?")
_SHORT = {"d": "day", "w": "week", "y": "year"}
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")


CLOCK = "PRIM_LANTERN_NOW"


def now() -> datetime:
    """The moment it is, in UTC; the one that the environment variable PRIM_LANTERN_NOW names, where
    it is set: for trying out what happens at another time."""
    set_to = os.environ.get(CLOCK)
    return moment(set_to) if set_to else datetime.now(UTC)


def moment(value: str | date | datetime) -> datetime:
    """A moment from a date, a datetime, or ISO 8601 text (RFC 3339 forms included).

    A date without a time means its midnight; a time without a zone is UTC.
    Raises `BadValue` for anything else, and for moments outside the years 1 to 9999.

    >>> moment("2027-01-01").isoformat()
    '2027-01-01T00:00:00+00:00'
    >>> moment("2027-01-01T09:30+02:00").isoformat()
    '2027-01-01T07:30:00+00:00'
    """
    try:
        at = _from_text(value.strip()) if isinstance(value, str) else value
        if not isinstance(at, datetime):
            at = datetime(at.year, at.month, at.day)
        return at.replace(tzinfo=UTC) if at.tzinfo is None else at.astimezone(UTC)
    except (ValueError, OverflowError, AttributeError, TypeError):
        raise BadValue(
            value, "is no moment: write a day as 2027-01-31 or a time as 2027-01-31T09:30Z."
        ) from None


def _from_text(text: str) -> date:
    if not _DATE.match(text):  # datetime would also take week dates and digits in a row
        raise ValueError(text)
    return date.fromisoformat(text) if len(text) == 10 else datetime.fromisoformat(text)


def written(at: datetime) -> str:
    """A moment as short as it can be written: the day alone at midnight UTC.

    >>> written(moment("2027-01-01T00:00Z")), written(moment("2027-01-01T09:30"))
    ('2027-01-01', '2027-01-01T09:30:00Z')
    """
    plain = at.replace(tzinfo=None)
    if plain == datetime(at.year, at.month, at.day):
        return plain.date().isoformat()
    return plain.isoformat() + "Z"


class Period(NamedTuple):
    """From `since` (inclusive) until `until` (exclusive); None leaves an end open."""

    since: datetime | None = None
    until: datetime | None = None

    def holds(self, at: datetime) -> bool:
        """Whether the period is in force at this moment."""
        return (self.since is None or self.since <= at) and (self.until is None or at < self.until)

    def covers(self, other: Period) -> bool:
        """Whether all of `other` lies in this period."""
        starts = self.since is None or (other.since is not None and self.since <= other.since)
        ends = self.until is None or (other.until is not None and other.until <= self.until)
        return starts and ends

    def meets(self, other: Period) -> bool:
        """Whether some moment lies in both."""
        return not (
            (self.until and other.since and self.until <= other.since)
            or (other.until and self.since and other.until <= self.since)
        )

    @property
    def empty(self) -> bool:
        """Whether no moment lies in it."""
        return self.since is not None and self.until is not None and self.until <= self.since

    def __str__(self) -> str:
        parts = []
        if self.since:
            parts.append(f"from {written(self.since)}")
        if self.until:
            parts.append(f"until {written(self.until)}")
        return " ".join(parts)


ALWAYS = Period()


class Duration(NamedTuple):
    """A number of days, weeks, months or years."""

    number: int
    unit: str

    @classmethod
    def read(cls, text: str) -> Duration:
        """A duration from words such as "1 year", "30 days" or "30d"; else `BadValue`."""
        fit = _DURATION.fullmatch(text.strip())
        if not fit or int(fit[1]) < 1:
            raise BadValue(text, "is no duration: write it as '30 days', '6 months' or '1 year'.")
        return cls(int(fit[1]), _SHORT.get(fit[2], fit[2]))

    def after(self, start: datetime) -> datetime:
        """The end of a duration that starts then; the 31st ends on a month's last day.

        Raises `BadValue` when the end lies after the year 9999.

        >>> Duration(1, "month").after(moment("2027-01-31")).date().isoformat()
        '2027-02-28'
        """
        try:
            if self.unit in ("day", "week"):
                return start + timedelta(days=self.number * (7 if self.unit == "week" else 1))
            months = start.month - 1 + self.number * (12 if self.unit == "year" else 1)
            year, month = start.year + months // 12, months % 12 + 1
            return start.replace(
                year=year, month=month, day=min(start.day, monthrange(year, month)[1])
            )
        except (ValueError, OverflowError):
            raise BadValue(str(self), "ends after the year 9999; choose a shorter one.") from None

    def __str__(self) -> str:
        return f"{self.number} {self.unit}{'s' if self.number > 1 else ''}"
