"""A file from another system, in whatever form: which form it has is seen by how it begins."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any

from prim_lantern.errors import BadSite
from prim_lantern.formats.incoming import feeds, scim, sitemaps
from prim_lantern.formats.incoming.directories import read_ldif, read_vcards
from prim_lantern.formats.incoming.elements import elements
from prim_lantern.formats.incoming.packed import unpacked
from prim_lantern.formats.incoming.table import IncomingTable, read_table
from prim_lantern.formats.json_text import read_json, what_is_wrong
from prim_lantern.site.origin import Origin, Problem


def read_incoming(raw: bytes, file: str, beside: Path | None = None) -> IncomingTable:
    """The rows of a file: CSV, JSON, a sitemap or an index of sitemaps, an Atom or RSS feed, SCIM,
    LDIF, vCards; any of them packed with gzip. `beside` is the folder that it is in.

    Raises `BadSite` with all that cannot be read.
    """
    raw = unpacked(raw, file)
    start = raw[:2_000].removeprefix(b"\xef\xbb\xbf").lstrip()
    if start.startswith(b"<"):
        return _of_xml(raw, file, beside)
    if start.startswith((b"{", b"[")):
        return _of_json(raw, file)
    if start.startswith(b"BEGIN:VCARD"):
        return read_vcards(raw, file)
    said = [line for line in start.splitlines() if line.strip() and not line.startswith(b"#")]
    if said and said[0].startswith((b"dn:", b"version:")):
        return read_ldif(raw, file)
    return read_table(raw, file)


def _of_xml(raw: bytes, file: str, beside: Path | None) -> IncomingTable:
    root, _ = elements(raw, file, ())
    if root in sitemaps.ROOTS:
        return sitemaps.read_sitemap(raw, file, beside)
    if root in feeds.ROOTS:
        return feeds.read_feed(raw, file)
    said = "is XML of another sort: sitemaps, Atom and RSS 2.0 are read."
    raise BadSite([Problem(None, None, root, said)], file)


def _of_json(raw: bytes, file: str) -> IncomingTable:
    try:
        found = read_json(raw)
    except ValueError as error:
        line, wrong = what_is_wrong(error)
        said = f"is no proper JSON: {wrong}."
        raise BadSite([Problem(Origin(file, line), None, file, said)], file) from None
    if scim.is_scim(found):
        return scim.read_scim(found, file)
    if isinstance(found, list) and all(isinstance(each, Mapping) for each in found):
        header = list(dict.fromkeys(name for each in found for name in each))
        rows = [(n, [_cell(each.get(name)) for name in header]) for n, each in enumerate(found, 1)]
        return IncomingTable(file, header, rows, counted="entry")
    said = "is JSON of another sort: a list of flat objects, or SCIM, is read."
    raise BadSite([Problem(None, None, file, said)], file)


def _cell(value: Any) -> str:
    if value is None:
        return ""
    if isinstance(value, list):
        return "; ".join(map(_cell, value))
    return json.dumps(value) if isinstance(value, bool | dict) else str(value)
