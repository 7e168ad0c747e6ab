"""Finding people by what somebody types."""

from __future__ import annotations

import re
from collections.abc import Callable

from prim_lantern.site.columns import Columns
from prim_lantern.site.names import folded
from prim_lantern.site.people import User

_WORD = re.compile(r"[\s._@-]+")


def people_called(people: Columns[User], text: str) -> list[User]:
    """The users whom a text fits, case ignored: by whole login, name or e-mail address; else by a
    whole word of those; else by how one begins; else by any part of them."""
    wanted = folded(text)
    if not wanted:
        return []
    columns = [list(map(folded, people.names))]
    columns += [list(map(folded, people.values_of(part))) for part in ("name", "email")]
    spelled = list(zip(*columns, strict=True))
    fits: tuple[Callable[[str], bool], ...] = (
        lambda each: each == wanted,
        lambda each: wanted in _WORD.split(each),
        lambda each: any(part.startswith(wanted) for part in (each, *_WORD.split(each))),
        lambda each: wanted in each,
    )
    for fit in fits:
        rows = [row for row, some in enumerate(spelled) if any(map(fit, some))]
        if rows:
            return [people.at(row) for row in rows]
    return []
