"""Moments, periods and durations. Every moment is a datetime that knows how far it is from UTC: it
is told in the time zone of its site, in UTC where the site has none."""

from __future__ import annotations

import os
import re
from collections.abc import Callable
from datetime import UTC, date, datetime, timedelta, tzinfo
from functools import cache
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

from prim_lantern.errors import BadValue
from prim_lantern.site.names import nearest
from prim_lantern.values import replace

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo  # it takes a while to load, and few sites name a zone

_T = TypeVar("_T")
_DURATION = r"(\d{1,6}) *(d|day|w|week|month|y|year)s?"
_SHORT = {"d": "day", "w": "week", "y": "year"}
_DATE = re.compile(r"\d{4}-\d{2}-\d{2}")


CLOCK = "PRIM_LANTERN_NOW"


def now() -> datetime:
    """The moment it is, in UTC; the one that the environment variable PRIM_LANTERN_NOW names, where
    it is set: for trying out what happens at another time."""
    set_to = os.environ.get(CLOCK)
    return moment(set_to) if set_to else datetime.now(UTC)


def zone_of(name: str) -> ZoneInfo:
    """The time zone of this name in the IANA database; else `BadValue`, with the nearest names.

    >>> zone_of("Europe/Oslo").key
    'Europe/Oslo'
    """
    from zoneinfo import ZoneInfo, available_timezones

    try:
        if name == "localtime":
            raise ValueError(name)  # each machine means another one by it
        return ZoneInfo(name)
    except (KeyError, ValueError, OSError):
        near = nearest(name, available_timezones())
        like = f"; like it are {', '.join(near)}" if near else ""
        raise BadValue(
            name, f"is no time zone: write its name, such as Europe/Oslo or UTC{like}."
        ) from None


class _Ahead(tzinfo):
    """How far the clocks of a zone are ahead of UTC at some moment. It stays that far, so that
    moments compare exactly when clocks are put back; and it knows the zone, for what comes later.
    """

    def __init__(self, zone: ZoneInfo, by: timedelta) -> None:
        self.zone = zone
        self.by = by

    def utcoffset(self, _: datetime | None, /) -> timedelta:
        return self.by

    def dst(self, _: datetime | None, /) -> None:
        return None

    def tzname(self, _: datetime | None, /) -> str:
        return self.zone.key

    def __reduce__(self) -> tuple[type, tuple[ZoneInfo, timedelta]]:
        return _Ahead, (self.zone, self.by)


def told_in(at: datetime, zone: ZoneInfo | None) -> datetime:
    """The same moment, told in a zone; in UTC where there is none, where its clocks would show a
    year that there is not, and before they went by whole minutes, which no format could write."""
    utc = at.astimezone(UTC)
    try:
        there = utc.astimezone(zone or UTC)
    except OverflowError:
        return utc
    ahead = there.utcoffset() or timedelta()
    if zone is None or ahead % timedelta(minutes=1):
        return utc
    return there.replace(tzinfo=_Ahead(zone, ahead), fold=0)


_WITH_MOMENTS = (
    "joined", "memberships", "enrolments", "public_from", "public_until", "period", "until",
)  # fmt: skip


def all_told_in(thing: _T, zone: ZoneInfo | None) -> _T:
    """The same thing of a site (a user, a rule …) with every moment in it told in a zone."""
    return with_moments(thing, lambda at: told_in(at, zone))


def with_moments(thing: _T, change: Callable[[datetime], datetime]) -> _T:
    """A thing of a site (a user, a rule …) with every moment in it changed; the thing itself, where
    there is none."""
    found = {}
    kind: Any = type(thing)
    for name in _held_by(kind):
        value = getattr(thing, name)
        if value:
            after = _changed(value, change)
            if after is not value:
                found[name] = after
    return replace(thing, **found) if found else thing


@cache
def _held_by(kind: type) -> tuple[str, ...]:
    """The fields of a class of things that may hold moments."""
    return tuple(name for name in _WITH_MOMENTS if hasattr(kind, name))


def _changed(value: Any, change: Callable[[datetime], datetime]) -> Any:
    if isinstance(value, datetime):
        return change(value)
    if not isinstance(value, tuple):
        return value
    parts = [_changed(each, change) for each in value]
    if all(one is other for one, other in zip(parts, value, strict=True)):
        return value
    return type(value)(*parts) if hasattr(value, "_fields") else tuple(parts)


def by_the_clock(shown: datetime, zone: ZoneInfo | None) -> datetime:
    """The moment at which the clocks of a zone show this; the first one where they show it twice.
    What they skip in spring is as long after midnight as it would have been."""
    if zone is None:
        return shown.replace(tzinfo=UTC)
    return told_in(shown.replace(tzinfo=zone, fold=0).astimezone(UTC), zone)


def moment(value: str | date | datetime, zone: ZoneInfo | None = None) -> datetime:
    """A moment from a date, a datetime, or ISO 8601 text (RFC 3339 forms included).

    A date without a time means its midnight. What says no zone is in the zone given, which is that
    of the site; in UTC where there is none. Raises `BadValue` for anything else, and for moments
    outside the years 1 to 9999.

    >>> moment("2027-01-01").isoformat()
    '2027-01-01T00:00:00+00:00'
    >>> moment("2027-01-01T09:30+02:00").isoformat()
    '2027-01-01T07:30:00+00:00'
    >>> moment("2027-05-01", zone_of("Europe/Oslo")).isoformat()
    '2027-05-01T00:00:00+02:00'
    """
    try:
        at = _from_text(value.strip()) if isinstance(value, str) else value
        if not isinstance(at, datetime):
            at = datetime(at.year, at.month, at.day)
        return by_the_clock(at, zone) if at.tzinfo is None else told_in(at, zone)
    except (ValueError, OverflowError, AttributeError, TypeError):
        raise BadValue(
            value, "is no moment: write a day as 2027-01-31 or a time as 2027-01-31T09:30Z."
        ) from None


def _from_text(text: str) -> date:
    if not _DATE.match(text):  # datetime would also take week dates and digits in a row
        raise ValueError(text)
    return date.fromisoformat(text) if len(text) == 10 else datetime.fromisoformat(text)


def written(at: datetime) -> str:
    """A moment as short as it can be written: the day alone at midnight of the zone that it is told
    in, else with what its clocks are ahead of UTC.

    >>> written(moment("2027-01-01T00:00Z")), written(moment("2027-01-01T09:30"))
    ('2027-01-01', '2027-01-01T09:30:00Z')
    >>> written(moment("2027-05-01T09:30", zone_of("Europe/Oslo")))
    '2027-05-01T09:30:00+02:00'
    """
    plain = at.replace(tzinfo=None)
    if plain == datetime(at.year, at.month, at.day):
        return plain.date().isoformat()
    return at.isoformat() if at.utcoffset() else f"{plain.isoformat()}Z"


def days_from(at: datetime, days: float) -> datetime:
    """The moment so many days after another, or before it; the last or first there is, where that
    is beyond it.

    >>> days_from(moment("9999-12-31"), 30).year
    9999
    """
    try:
        return at + timedelta(days=days)
    except OverflowError:
        return (datetime.max if days > 0 else datetime.min).replace(tzinfo=UTC)


def start_of_day(at: datetime) -> datetime:
    """The midnight before a moment, in the zone that it is told in."""
    midnight = datetime(at.year, at.month, at.day)
    return by_the_clock(midnight, _zone_told(at))


def _zone_told(at: datetime) -> ZoneInfo | None:
    return at.tzinfo.zone if isinstance(at.tzinfo, _Ahead) else None


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
        fit = re.fullmatch(_DURATION, text.strip())
        if not fit or int(fit[1]) < 1:
            raise BadValue(text, "is no duration: write it as '30 days', '6 months' or '1 year'.")
        return cls(int(fit[1]), _SHORT.get(fit[2], fit[2]))

    def after(self, start: datetime) -> datetime:
        """The end of a duration that starts then; the 31st ends on a month's last day.

        Raises `BadValue` when the end lies after the year 9999.

        >>> Duration(1, "month").after(moment("2027-01-31")).date().isoformat()
        '2027-02-28'
        """
        from calendar import monthrange

        try:
            shown = start.replace(tzinfo=None)  # by the clock: a day may have 23 hours
            if self.unit in ("day", "week"):
                end = shown + timedelta(days=self.number * (7 if self.unit == "week" else 1))
                return by_the_clock(end, _zone_told(start))
            months = start.month - 1 + self.number * (12 if self.unit == "year" else 1)
            year, month = start.year + months // 12, months % 12 + 1
            day = min(start.day, monthrange(year, month)[1])
            return by_the_clock(shown.replace(year=year, month=month, day=day), _zone_told(start))
        except (ValueError, OverflowError):
            raise BadValue(str(self), "ends after the year 9999; choose a shorter one.") from None

    def __str__(self) -> str:
        return f"{self.number} {self.unit}{'s' if self.number > 1 else ''}"
