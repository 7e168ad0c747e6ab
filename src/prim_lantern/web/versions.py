"""Somebody who has changed something finds it changed, whichever process they are sent on to."""

from __future__ import annotations

from contextlib import suppress
from http.cookies import CookieError, SimpleCookie
from threading import Semaphore
from typing import Final

from prim_lantern.errors import PrimLanternError
from prim_lantern.live import Site

COOKIE: Final = "lantern-seen"
_FOR: Final = 120  # seconds, by when every process has long caught up
_AHEAD: Final = 10_000  # changes; what claims to know more was made up
_WAIT: Final = 0.5  # seconds at most that a request waits for what it may know of
_WAITING: Final = Semaphore(2)  # so many requests wait at once
_UNCHANGING: Final = ("GET", "HEAD", "OPTIONS")


def seen_before(header: str) -> int:
    """The number of the change that whoever sends these cookies knows of; 0 for none."""
    try:
        cookies = SimpleCookie(header)
    except CookieError:
        return 0
    said = cookies[COOKIE].value if COOKIE in cookies else ""
    return int(said) if said.isascii() and said.isdecimal() and len(said) < 12 else 0


def is_behind(site: Site, version: int) -> bool:
    """Whether a site here does not know of a change that somebody has seen."""
    return site.version < version <= site.version + _AHEAD


def catch_up(site: Site, version: int) -> None:
    """Take the change over, where it is there; a request goes on in any case. Only few wait for
    what is not there yet (a copy of a database may lag behind): else whoever makes up numbers
    would keep all threads waiting."""
    may_wait = _WAITING.acquire(blocking=False)
    try:
        with suppress(PrimLanternError):
            site.fresh_to(version, wait=_WAIT if may_wait else 0)
    finally:
        if may_wait:
            _WAITING.release()


def cookie_after(site: Site, before: int, method: str) -> str | None:
    """The cookie to set after a request that may have changed something."""
    if method in _UNCHANGING or site.version == before:
        return None
    return f"{COOKIE}={site.version}; Path=/; Max-Age={_FOR}; HttpOnly; SameSite=Lax"
