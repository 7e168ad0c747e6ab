"""What single cells mean: dates as spreadsheets write them, lists, people and names."""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Mapping
from datetime import datetime
from typing import Final
from urllib.parse import unquote, urlsplit
from zoneinfo import ZoneInfo

from prim_lantern.errors import BadValue
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.site.names import folded

_DATE: Final = re.compile(
    r"(\d{1,4})([./-])(\d{1,2})\2(\d{1,4})(?:[ T,]+(\d{1,2}):(\d{2})(?::(\d{2}))?)?"
)


def when(text: str, day_first: bool | None, zone: ZoneInfo | None = None) -> datetime:
    """The moment that a cell says: ISO 8601, 31.12.2027, or 12/31/2027 where it was said which
    comes first. What says no zone is in the one given, in UTC where there is none.

    >>> when("1.5.2027 09:30", None).isoformat()
    '2027-05-01T09:30:00+00:00'
    """
    fit = _DATE.fullmatch(text.strip())
    if fit is None or (len(fit[1]) == 4 and fit[2] == "-" and len(fit[3]) == 2):
        return moment(text, zone)
    if len(fit[1]) == 4:
        year, month, day = int(fit[1]), int(fit[3]), int(fit[4])
    elif len(fit[4]) != 4:
        raise BadValue(text, "is a date whose year has no four digits.")
    else:
        one, other, year = int(fit[1]), int(fit[3]), int(fit[4])
        first = True if fit[2] == "." else day_first
        if first is None and one <= 12 and other <= 12 and one != other:
            raise BadValue(text, "can be read in two ways: say --day-first or --month-first.")
        if first is None:
            first = one > 12
        day, month = (one, other) if first else (other, one)
    try:
        hour, minute, second = (int(each or 0) for each in fit.groups()[4:])
        return moment(datetime(year, month, day, hour, minute, second), zone)
    except ValueError:
        raise BadValue(text, "is no day that there is.") from None


def entries(cell: str) -> list[str]:
    """The entries of a list in one cell, separated by semicolons, bars or line breaks."""
    return list(dict.fromkeys(e for e in map(str.strip, re.split(r"[;|\n]", cell)) if e))


def path_of(cell: str) -> str:
    """The path that an address or a path says, without what follows it."""
    parts = urlsplit(cell) if "://" in cell else None
    path = unquote(parts.path) if parts is not None else cell
    path = path if path.startswith("/") else f"/{path}"
    return path.rstrip("/") or "/"


class Named:
    """Finds things by what people call them: a name, a label, any case."""

    def __init__(self, called: Mapping[str, str]) -> None:
        """Take what each is called, by its name."""
        self._found: dict[str, set[str]] = defaultdict(set)
        for name, label in called.items():
            for each in (name, label):
                if each:
                    self._found[folded(each)].add(name)

    def of(self, text: str) -> set[str]:
        """The names that a text may mean; its own name first of all."""
        found = self._found.get(folded(text), set())
        own = {each for each in found if folded(each) == folded(text)}
        return own or found

    @property
    def known(self) -> list[str]:
        """All that can be found."""
        return list(self._found)


def people_called(data: SiteData) -> dict[str, set[str]]:
    """The logins by login, name and e-mail address, case folded."""
    found: dict[str, set[str]] = defaultdict(set)
    for part in ("email", "name"):
        for login, text in zip(data.people.names, data.people.values_of(part), strict=True):
            if text:
                found[folded(text)].add(login)
    for login in data.people.names:
        found[folded(login)] = {login}
    return found
