"""How access is decided. `decider_for` is the one door: whoever decides, decides through it."""

from __future__ import annotations

from datetime import datetime

from prim_lantern.decide.reference import Reference
from prim_lantern.site.data import SiteData


def decider_for(data: SiteData, at: datetime) -> Reference:
    """What decides for a site at a moment. A faster engine with the same calls goes here."""
    return Reference(data, at)
