"""A page that guests may read, and that no menu leads to and no page above it shows.

Nobody finds it but who knows its address. On a site without any link in a menu nothing is told.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.decide.lists import paths_for
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look
from prim_lantern.site.places import way_to

NAME = "out-of-reach"


def find(look: Look) -> Iterator[Finding]:
    """All such pages together."""
    data = look.data
    leading = data.content.filled("links_to")
    readable = set(paths_for(look.engine, None, "read"))
    names = data.content.names
    linked = {target for row, target in leading.items() if names[row] in readable}
    if not linked:
        return
    kinds, all_kinds = data.content.values_of("kind"), data.all_kinds
    lost = []
    for row, path in enumerate(names):
        kind = all_kinds[kinds[row]]
        if path == "/" or kind.part or kind.link or path not in readable:
            continue
        above = way_to(path)[1:-1]
        if path not in linked and not any(each in readable or each in linked for each in above):
            lost.append(path)
    if lost:
        count = f"{len(lost):,} pages" if len(lost) > 1 else "1 page"
        yield Finding(
            NAME,
            NOTE,
            f"{count} that guests may read {'are' if len(lost) > 1 else 'is'} in no menu, nor "
            f"below a page that they may read: {words.some(lost)}.",
            touches={"items": len(lost)},
        )
