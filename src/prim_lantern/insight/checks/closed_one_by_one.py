"""Places beside each other are closed one by one, to the same people: a new one would be open.

Said once for all below the section, the readership holds for what is added there as well.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.change.operations.readerships import SetReadership
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.places import ONLY_BELOW, parent_of
from prim_lantern.site.rights import PlaceSetting

NAME = "closed-one-by-one"
_ALIKE = 3
_OPEN_AT_MOST = 1  # beside them, for it still to look meant for all


def find(look: Look) -> Iterator[Finding]:
    """Each section of which nearly all is closed so, and which is not closed itself."""
    data = look.data
    by_parent: dict[tuple[str, str], list[PlaceSetting]] = {}
    for (kind, path), setting in data.readerships_at.items():
        parent = parent_of(path) if kind == "path" else None
        closed = setting.readership not in ("public", data.default_readership)
        if parent not in (None, "/") and closed:
            by_parent.setdefault((parent or "", setting.readership or ""), []).append(setting)
    for (parent, name), some in by_parent.items():
        steps = [each for each in data.tree.steps_below(parent) if not data.is_part(each)]
        left = len(steps) - len(some)
        own = data.readerships_at.get(("path", parent))
        if len(some) < _ALIKE or left > _OPEN_AT_MOST or (own and own.readership == name):
            continue
        fix = () if own or left else look.tried(SetReadership(parent, name, ONLY_BELOW))
        paths = words.some([each.place.name for each in some], 3)
        yield Finding(
            NAME,
            MISTAKE,
            f"{len(some)} places below {parent} have the readership {data.readership(name).called} "
            f"each by itself ({paths}): what is added beside them would be open to more people.",
            written(each.origin for each in some),
            {"items": len(some)},
            fix,
        )
