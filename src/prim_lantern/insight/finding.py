"""What a checkup found: in words, with where it stands and what mends it."""

from __future__ import annotations

import re
from collections.abc import Mapping
from hashlib import sha256
from typing import Any, Final, NamedTuple

SERIOUS: Final = "serious"
MISTAKE: Final = "mistake"
NOTE: Final = "note"
SEVERITIES: Final = (SERIOUS, MISTAKE, NOTE)
"""How much a finding matters: what is open that should hardly be; what does not do what was meant;
what is worth knowing."""


class Finding(NamedTuple):
    """One thing that a checkup found.

    `name` is that of the check, `severity` one of `SEVERITIES`, `says` what was found in words.
    `where` tells where it is written, `touches` how much it concerns (people, items …). `fix` are
    commands that mend it, the best first; each was tried on the site. `accepted` says why it is
    right as it is, where somebody has accepted it.
    """

    name: str
    severity: str
    says: str
    where: tuple[str, ...] = ()
    touches: Mapping[str, int] = {}
    fix: tuple[str, ...] = ()
    accepted: str = ""

    @property
    def key(self) -> str:
        """What it is called: its name, and letters that follow from what it says, numbers aside.
        It stays while the same is found."""
        said = re.sub(r"\d[\d,.]*", "#", self.says)
        return f"{self.name}-{sha256(said.encode()).hexdigest()[:6]}"

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            "key": self.key,
            **self._asdict(),
            "where": list(self.where),
            "touches": dict(self.touches),
            "fix": list(self.fix),
        }
