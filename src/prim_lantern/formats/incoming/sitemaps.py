"""Sitemaps (sitemaps.org, protocol 0.9): what a website says is there."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from urllib.parse import urlsplit

from prim_lantern.errors import BadSite
from prim_lantern.formats.incoming.elements import Element, elements
from prim_lantern.formats.incoming.packed import unpacked
from prim_lantern.formats.incoming.table import IncomingTable
from prim_lantern.site.origin import Origin, Problem

ROOTS = ("urlset", "sitemapindex")
_HEADER = ["path"]


def read_sitemap(raw: bytes, file: str, beside: Path | None) -> IncomingTable:
    """The pages of a sitemap, or of all sitemaps of an index, which are looked for in the folder
    `beside` it: nothing is fetched. Of an address only the path is taken; no page has a title.

    Raises `BadSite` for sitemaps that are not there, and for addresses that are none.
    """
    root, found = elements(raw, file, ("url", "sitemap"))
    if root == "urlset":
        return IncomingTable(file, _HEADER, [*_rows(found, file)])
    rows: list[tuple[int, list[str]]] = []
    missing: list[Problem] = []
    for each in found:
        name = Path(urlsplit(each.first("loc")).path).name
        part = beside / name if beside is not None and name else None
        if part is None or not part.is_file():
            said = "is not beside the index: put every sitemap that it names into its folder."
            missing.append(Problem(Origin(file, each.line), None, each.first("loc"), said))
            continue
        rows += _rows(elements(unpacked(part.read_bytes(), name), name, ("url",))[1], name)
    if missing:
        raise BadSite(missing, file)
    notes = [f"Read what the index names: {len(found)}."]
    return IncomingTable(file, _HEADER, rows, notes)


def _rows(found: list[Element], file: str) -> Iterator[tuple[int, list[str]]]:
    for each in found:
        address = each.first("loc")
        if "://" not in address:
            said = "is no address: a sitemap has whole ones, such as https://site.example/news."
            raise BadSite([Problem(Origin(file, each.line), "loc", address, said)], file)
        yield each.line, [address]
