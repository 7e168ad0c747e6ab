"""What somebody lacks for a change, in words, and who would not."""

from __future__ import annotations

from typing import NamedTuple

from prim_lantern.site.places import SITE, Place


class Missing(NamedTuple):
    """One thing that is missing: in words, and the managing right at a place that would help.

    `top` says that only the top has it, `owner` that only the owner has; `nobody` that nobody
    among those who worked on it has, whatever their rights.
    """

    says: str
    action: str | None = None
    where: Place | None = None
    top: bool = False
    owner: bool = False
    nobody: bool = False

    def __str__(self) -> str:
        return self.says


def to_manage(action: str, where: Place) -> Missing:
    """A managing right that is missing at a place."""
    what = "manage rights" if action == "manage-rights" else action.replace("-", " ")
    at = f" at {where}" if where != SITE else " for the whole site" if "rights" in action else ""
    return Missing(f"they may not {what}{at}", action, where)


def from_the_top(says: str) -> Missing:
    """What only the owner and all-access people of the whole site may do."""
    return Missing(
        f"{says}; that is for the owner, and for whoever has all access to the whole site", top=True
    )
