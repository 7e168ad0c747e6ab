"""Measure taking over a website's content: one row, and a million.

    python benchmarks/content.py --items 1000000

The site is kept in a file of SQLite. First all content is taken over into an empty site, then the
same once more (nothing changes), then one row.
"""

from __future__ import annotations

import argparse
import tempfile
import time
from collections.abc import Iterator
from typing import Any

import shape

import prim_lantern as pl
from prim_lantern.site.data import SiteData


def rows_of(data: SiteData) -> Iterator[dict[str, Any]]:
    """The content of a site as a website would tell it."""
    content = data.content
    names = ("kind", "title", "state", "authors", "categories", "public_from", "public_until")
    columns = {name: content.values_of(name) for name in names}
    for row, path in enumerate(content.names):
        yield {"path": path, **{name: values[row] for name, values in columns.items()}}


def main() -> None:
    """Take it over."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--users", type=int, default=2_000)
    parser.add_argument("--items", type=int, default=100_000)
    asked = parser.parse_args()
    data = shape.site_of(asked.users, asked.items)
    rows = list(rows_of(data))
    empty = data.with_parts(items={})
    site = pl.put_site(empty, f"sqlite:///{tempfile.mkdtemp()}/site.db")
    for what, some in (("all at first", rows), ("all once more", rows)):
        began = time.perf_counter()
        taken = site.content.sync(some)
        print(f"{what}: {time.perf_counter() - began:.1f} s, {taken}")
    site.allows(None, "read", rows[0]["path"])
    for title in ("one", "two", "three"):
        began = time.perf_counter()
        site.content.put({"path": rows[-1]["path"], "title": title})
        site.allows(None, "read", rows[0]["path"])
        print(f"one row, and the next answer: {(time.perf_counter() - began) * 1000:.0f} ms")


if __name__ == "__main__":
    main()
