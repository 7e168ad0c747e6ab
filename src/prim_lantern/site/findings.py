"""Findings of a checkup that somebody has looked at and accepts as they are."""

from __future__ import annotations

from datetime import datetime

from prim_lantern.site.origin import Origin
from prim_lantern.values import field, value


@value
class Accepted:
    """A finding that is accepted: its key, what it says, why that is right, and until when.

    It changes nothing for anybody: the checkup shows the finding apart until then.
    """

    finding: str
    says: str = ""
    because: str = ""
    until: datetime | None = None
    origin: Origin | None = field(default=None, compare=False, repr=False)

    def holds(self, at: datetime) -> bool:
        """Whether it is accepted at a moment."""
        return self.until is None or at < self.until
