"""Items that nobody may read, or that nobody but the owner may edit.

Nobody who is there, nor anybody who came into one of the groups. What is published and read by
nobody is forgotten, or closed by mistake. What only the owner may edit stays as it is when they
are away.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from prim_lantern.decide.explain import words
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.who import Who

NAME = "nobody-may"


def find(look: Look) -> Iterator[Finding]:
    """Both, all items of each together."""
    data, engine = look.data, look.engine
    lists = lists_of(engine)
    readers, editors = lists.counts("read"), lists.counts("edit")
    guests = lists.items_for(None, "read")
    names = data.content.names
    members = [login_of(Who("group", name)) for name in data.groups]

    def nor_may(action: str, path: str) -> bool:
        """Nor anybody who comes into a group."""
        return not any(engine.allows(each, action, path) for each in members)

    unread = [
        names[row]
        for row in np.flatnonzero((readers <= 1) & ~guests).tolist()
        if engine.subject(names[row]).state == PUBLISHED
        and not data.content.value("links_to", row)
        and nor_may("read", names[row])
    ]
    if unread:
        yield Finding(
            NAME,
            MISTAKE,
            f"Nobody but the owner may read {words.some(unread)}, though published.",
            touches={"items": len(unread)},
        )
    few = np.flatnonzero(editors <= 1).tolist()
    fixed = [names[row] for row in few if nor_may("edit", names[row])]
    if fixed and len(data.users) > 1:
        yield Finding(
            NAME,
            NOTE,
            f"Nobody but the owner may edit {words.some(fixed)}.",
            touches={"items": len(fixed)},
        )
