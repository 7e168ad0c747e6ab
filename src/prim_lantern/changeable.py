"""What a change asks of the site that it is made on."""

from __future__ import annotations

from datetime import datetime
from typing import Protocol

from prim_lantern.decide.engine import Engine
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.store.base import Seen, Store


class Changeable(Protocol):
    """What a change asks of the site that it is made on: `Site`, that is."""

    @property
    def data(self) -> SiteData:
        """The site as it is here."""

    @property
    def seen(self) -> Seen:
        """The site as it was found in the store."""

    @property
    def store(self) -> Store:
        """Where it is kept."""

    def take(self, seen: Seen) -> None:
        """Take over the site as it was found in the store."""

    def engine_for(self, data: SiteData, at: datetime) -> Engine:
        """What decides at a moment."""

    def turn_between(self, one: datetime, other: datetime) -> bool:
        """Whether something changes by itself between two moments."""

    def find_users(self, text: str) -> list[User]:
        """The users whom a text fits."""
