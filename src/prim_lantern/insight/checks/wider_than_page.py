"""A part of a page has a readership of its own that lets in people who may not read the page.

A part is seen only on its page: its readership can keep out some of those who read the page, and
lets in nobody else.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.rights import Readership

NAME = "wider-than-page"


def find(look: Look) -> Iterator[Finding]:
    """Each part with a readership of its own that some of its readers do not see it by."""
    data, engine = look.data, look.engine
    for (kind, path), setting in data.readerships_at.items():
        if kind != "path" or not data.is_part(path):
            continue
        readership, page = data.readership(setting.readership or ""), data.page_of(path)
        named = (*readership.readers, *readership.all_of, *readership.but_not)
        if any(who.kind in ("authors", "role") for who in named):
            continue
        inside = _people(look, readership)
        shut_out = [login for login in inside if not engine.allows(login, "read", page)]
        reached = [login for login in inside if login not in shut_out]
        if not shut_out or (reached and None not in shut_out):
            continue
        yield Finding(
            NAME,
            NOTE,
            f"The part {path} is for the readership {readership.called}, and {len(shut_out)} of "
            f"the {len(inside)} in it may not read its page {page}. 'prim-lantern readership clear "
            f"{path}' would show it to whoever reads the page.",
            written([setting.origin]),
            {"people": len(shut_out)},
        )


def _people(look: Look, readership: Readership) -> set[str | None]:
    """Those who are in a readership: active people, and a guest (None)."""
    found = look.among(readership.readers) - look.among(readership.but_not)
    for who in readership.all_of:
        found &= look.among([who])
    return found
