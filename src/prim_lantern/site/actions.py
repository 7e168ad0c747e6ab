"""What can be done to items and at places, and what an action brings with it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Final, NamedTuple

from prim_lantern.site.origin import Origin
from prim_lantern.values import field, value

_READ: Final = ("read",)
_READ_AND_DRAFTS: Final = ("read", "see-drafts")

# An action, and what it cannot do without.
BUILT_IN_ACTIONS: Final[Mapping[str, tuple[str, ...]]] = {
    "read": (),
    "see-drafts": _READ,
    "create": _READ,
    "file-under": _READ,
    "edit": _READ_AND_DRAFTS,
    "delete": _READ_AND_DRAFTS,
    "comment": _READ,
    "upload": _READ,
    "submit": _READ_AND_DRAFTS,
    "send-back": _READ_AND_DRAFTS,
    "publish": _READ_AND_DRAFTS,
    "withdraw": _READ_AND_DRAFTS,
    "archive": _READ_AND_DRAFTS,
    "see-versions": _READ,
    "restore-version": _READ_AND_DRAFTS,
}

MANAGING_ACTIONS: Final = ("manage-rights", "manage-people", "manage-roles", "look-as")
NEED_MORE: Final = ("create", "file-under")  # what cannot be asked of an item alone
SITE_WIDE_ACTIONS: Final = ("manage-people", "manage-roles", "look-as")
RISKY_ACTIONS: Final = (  # what one would not want just anybody to do
    "edit",
    "delete",
    "publish",
    "withdraw",
    "archive",
    "restore-version",
    "see-drafts",
    *MANAGING_ACTIONS,
)
EVERY_ACTION: Final = "all"  # how a file writes "every action on items"


@value
class Action:
    """A further action of one site."""

    name: str
    label: str = ""
    brings: tuple[str, ...] = ()
    risky: bool = False
    origin: Origin | None = field(default=None, compare=False, repr=False)


class Step(NamedTuple):
    """One way along the states: who may take it is decided by the action."""

    action: str
    from_states: tuple[str, ...]
    own_only_from: tuple[str, ...] = ()


STEPS: Final[Mapping[str, Step]] = {
    step.action: step
    for step in (
        Step("submit", ("draft",)),
        Step("send-back", ("in-review",)),
        Step("publish", ("draft", "in-review", "archived")),
        Step("withdraw", ("in-review", "scheduled", "published"), own_only_from=("in-review",)),
        Step("archive", ("published",)),
    )
}


def brought_by(action: str, own_actions: Mapping[str, Action]) -> frozenset[str]:
    """All that an action brings, followed to the end, without the action itself.

    >>> sorted(brought_by("edit", {}))
    ['read', 'see-drafts']
    """
    found: set[str] = set()
    waiting = [action]
    while waiting:
        name = waiting.pop()
        own = own_actions.get(name)
        for each in own.brings if own else BUILT_IN_ACTIONS.get(name, ()):
            if each not in found and each != action:
                found.add(each)
                waiting.append(each)
    return frozenset(found)
