"""Who may keep a page: so that no cache on the way gives one person's page to another."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

from prim_lantern.live import Site
from prim_lantern.viewer import Viewer

VARY: Final = "Cookie, Authorization"
FOR_ONE: Final = "private, no-store"
"""What a page says that is for one person alone (RFC 9111, section 5.2.2)."""


def cache_headers(site: Site, viewer: Viewer, seconds: int = 0) -> dict[str, str]:
    """The headers Cache-Control and Vary for a page made for a viewer (RFC 9111).

    Parameters: the site; the viewer whom the page was made for; for how many seconds caches may
    keep what guests get, never beyond the next moment at which something changes by itself.
    Returns the headers. A page for somebody who is signed in is never kept.

    >>> import prim_lantern as pl
    >>> from prim_lantern.web import cache_headers
    >>> site = pl.open_demo()
    >>> cache_headers(site, site.viewer("kit.farrow"), 60)
    {'Cache-Control': 'private, no-store', 'Vary': 'Cookie, Authorization'}
    >>> cache_headers(site, site.viewer(None, "2027-05-10"), 60)["Cache-Control"]
    'public, max-age=60'
    """
    if viewer.login is not None or seconds <= 0:
        return {"Cache-Control": FOR_ONE, "Vary": VARY}
    turn = site.next_turn(viewer.at)
    if turn is not None:
        seconds = min(seconds, int((turn - viewer.at).total_seconds()))
    return {"Cache-Control": f"public, max-age={seconds}", "Vary": VARY}


def made_safe(headers: Iterable[tuple[bytes, bytes]]) -> list[tuple[bytes, bytes]]:
    """The headers of a response; where they say nothing of caches, that nobody else may see it."""
    found = list(headers)
    said = {name.lower() for name, _ in found}
    if b"cache-control" not in said:
        found.append((b"cache-control", FOR_ONE.encode()))
    if b"vary" not in said:
        found.append((b"vary", VARY.encode()))
    return found
