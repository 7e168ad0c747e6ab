"""Who a rule, a given role or a readership speaks of."""

from __future__ import annotations

from typing import Final, NamedTuple

from prim_lantern.errors import BadValue
from prim_lantern.site import names

AUDIENCES: Final = ("everyone", "guests", "signed-in")
GUEST_WORDS: Final = ("guest", "guests", "a guest")
"""What people write for somebody who is not signed in."""
_PREFIXES = ("user", "group", "role")


class Who(NamedTuple):
    """A user, a group, an audience, those who hold a role, or the authors of an item.

    `kind` is "user", "group", "role", "audience" or "authors".
    """

    kind: str
    name: str

    @property
    def rank(self) -> int:
        """How near this comes to a single person: a user 3, a group or role 2, an audience 1."""
        return {"user": 3, "group": 2, "role": 2}.get(self.kind, 1)

    def __str__(self) -> str:
        return f"{self.kind}:{self.name}" if self.kind in _PREFIXES else self.name


EVERYONE = Who("audience", "everyone")
GUESTS = Who("audience", "guests")
SIGNED_IN = Who("audience", "signed-in")
AUTHORS = Who("authors", "authors")


def who(text: str) -> Who:
    """Read one of `user:…`, `group:…`, `role:…`, an audience, or `authors`; else `BadValue`.

    >>> who("group:keepers").rank
    2
    """
    if text in AUDIENCES:
        return Who("audience", text)
    if text == "authors":
        return AUTHORS
    kind, colon, name = text.partition(":")
    if not colon or kind not in _PREFIXES or not name.strip():
        raise BadValue(
            text, "names nobody: write user:…, group:…, role:…, everyone, guests or signed-in."
        )
    name = name.strip()
    return Who(kind, name if kind == "user" else names.folded(name))
