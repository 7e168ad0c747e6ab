"""Paths as whole addresses."""

from __future__ import annotations

from urllib.parse import quote, urlsplit

from prim_lantern.errors import BadValue


def base_of(text: str) -> str:
    """The address that paths are put behind, without a slash at the end."""
    parts = urlsplit(text)
    if parts.scheme not in ("http", "https") or not parts.netloc or parts.query or parts.fragment:
        raise BadValue(text, "is no address of a site: write it as in https://site.example.")
    return text.rstrip("/")


def address(base: str, path: str) -> str:
    """The address of a path (RFC 3986).

    >>> address("https://site.example", "/visit/café")
    'https://site.example/visit/caf%C3%A9'
    """
    return f"{base}{quote(path)}"
