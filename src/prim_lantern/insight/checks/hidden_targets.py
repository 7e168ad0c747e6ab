"""A link leads to what hardly anybody who could follow it may read.

A link is shown to those alone who may read what it leads to. One that nobody comes to see, or
only whoever has all access, is missing from the menu of everybody for whom it was made.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.who import SIGNED_IN

NAME = "hidden-target"
_FEW = 5  # less than one in so many


def find(look: Look) -> Iterator[Finding]:
    """Each public link that guests and the signed-in would see, were it not for its target."""
    data, engine = look.data, look.engine
    for row, target in data.content.filled("links_to").items():
        path = data.content.names[row]
        if target not in data.items or engine.subject(path).state != PUBLISHED:
            continue
        anybody = (None, login_of(SIGNED_IN))
        about = engine.subject(path)._replace(target=None)  # by its own words
        meant = any(engine.allows_of(each, "read", about) for each in anybody)
        signed = "" if engine.allows_of(None, "read", about) else " who is signed in"
        world = f"anybody{signed}"
        if not meant or engine.allows(None, "read", path):
            continue
        readers = [e for e in lists_of(engine).who_may("read", path) if e != data.owner]
        if len(readers) * _FEW > len(look.active):
            continue
        seen = any(not engine.reference.all_access(each, about) for each in readers)
        item = data.items[path]
        shown = (
            f"{len(readers)} of {len(look.active)} people" if readers else "nobody but the owner"
        )
        if readers and not seen:
            shown += ", who have all access"
        yield Finding(
            NAME,
            NOTE if seen else MISTAKE,
            f"The link {path} “{item.title}” stands where {world} could see it, and leads to "
            f"{target}: it is shown to {shown}.",
            written([item.origin]),
            {"people": len(look.active) - len(readers)},
        )
