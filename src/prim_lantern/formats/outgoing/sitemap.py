"""A sitemap of what guests may read (sitemaps.org, protocol 0.9)."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final
from xml.sax.saxutils import escape

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import paths_for
from prim_lantern.formats.outgoing.addresses import address

MOST: Final = 50_000  # addresses in one file, by the protocol
_SPACE: Final = "http://www.sitemaps.org/schemas/sitemap/0.9"
_HEAD: Final = '<?xml version="1.0" encoding="UTF-8"?>\n'


def as_sitemaps(engine: Engine, base: str, name: str) -> dict[str, str]:
    """By the name of its file, each sitemap: one, called `name`, or where there are too many
    addresses an index of that name and the sitemaps that it lists. Parts of pages and links are
    left out."""
    data = engine.data
    skip = {kind.name for kind in data.all_kinds.values() if kind.part or kind.link}
    paths = [path for path in paths_for(engine, None, "read") if data.items[path].kind not in skip]
    if len(paths) <= MOST:
        return {name: _urlset(base, paths)}
    stem = name.removesuffix(".xml")
    parts = {
        f"{stem}-{number}.xml": _urlset(base, paths[start : start + MOST])
        for number, start in enumerate(range(0, len(paths), MOST), 1)
    }
    entries = "".join(
        f" <sitemap><loc>{escape(address(base, f'/{part}'))}</loc></sitemap>\n" for part in parts
    )
    index = f'{_HEAD}<sitemapindex xmlns="{_SPACE}">\n{entries}</sitemapindex>\n'
    return {name: index, **parts}


def _urlset(base: str, paths: Sequence[str]) -> str:
    entries = "".join(f" <url><loc>{escape(address(base, each))}</loc></url>\n" for each in paths)
    return f'{_HEAD}<urlset xmlns="{_SPACE}">\n{entries}</urlset>\n'
