"""Steps about the clock of a site."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import Any, ClassVar

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.pieces import COLUMN_PARTS, LISTED_PARTS
from prim_lantern.errors import BadChange
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import by_the_clock, told_in, with_moments, zone_of


@dataclass(frozen=True)
class SetTimezone(Operation):
    """Say in which time zone a site is: its name in the IANA database, such as Europe/Oslo.

    Days and times that say no zone are meant there from now on. Those that are there already stay
    what the clock shows: from 1 May, 9:00 stays that, in the new zone.
    """

    do: ClassVar[str] = "set-timezone"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        zone = zone_of(self.name)
        if (data.timezone or "UTC") == zone.key:
            raise BadChange(f"The site is in the time zone {zone.key} already.")

        def shown(at: datetime) -> datetime:
            try:
                return by_the_clock(told_in(at, data.zone).replace(tzinfo=None), zone)
            except OverflowError:
                return at  # at the end of all years

        parts: dict[str, Any] = {
            name: tuple(with_moments(each, shown) for each in getattr(data, name))
            for name in LISTED_PARTS
        }
        invitations = {name: with_moments(e, shown) for name, e in data.invitations.items()}
        for part, columns in COLUMN_PARTS.items():
            things = getattr(data, columns)
            moved = [(each, with_moments(each, shown)) for each in things.values()]
            parts[part] = things.revised([now for was, now in moved if now is not was])
        return data.with_parts(**parts, invitations=invitations, timezone=zone.key)

    def said(self) -> str:
        return f"set the time zone {self.name}"
