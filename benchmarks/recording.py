"""Measure how long a recorded change holds the store, which is how long others wait.

    python benchmarks/recording.py                           5,000 people, 50,000 items
    python benchmarks/recording.py --users 50000 --items 500000
    python benchmarks/recording.py --url postgresql+psycopg://name@host/empty

What a change says of its effects is left out. Each is made three times, and the median told; the
first change of all, which has no other before it, stands by itself.
"""

from __future__ import annotations

import argparse
import statistics
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

import shape
from filelock import FileLock

import prim_lantern as pl
from prim_lantern.changing import Change
from prim_lantern.store.base import Turn

TIMES = 3


def recorded(site: pl.Site) -> Iterator[tuple[str, float, float]]:
    """For each sort of change, the seconds for which it holds the store, and all that it takes."""
    logins, paths, held = site.data.people.names, site.data.content.names, _watched(site)
    changes: dict[str, Callable[[Change, int], object]] = {
        "the first change, a name": lambda change, _: change.change_user(logins[5], name="Ann"),
        "a person's name": lambda change, n: change.change_user(logins[7], name=f"Bo {n}"),
        "an item's title": lambda change, n: change.change_item(paths[9], title=f"Ways {n}"),
        "a rule": lambda change, n: change.allow(["edit"], [f"user:{logins[11 + n]}"], paths[3]),
    }
    for what, step in changes.items():
        held.clear()
        for number in range(1 if what.startswith("the first") else TIMES):
            change = site.change(by=site.data.owner)
            step(change, number)
            time.sleep(0.1)  # what was written a moment ago is read again, to be sure
            began = time.perf_counter()
            change.make(effects=False)
            whole = time.perf_counter() - began
        yield what, statistics.median(held), whole


def _watched(site: pl.Site) -> list[float]:
    """How long each change has held the store: a folder until its lock is open again, before what
    was replaced is given back to the disk."""
    held: list[float] = []
    opened: list[float] = []
    changing, release = site.store.changing, FileLock.release

    def released(lock: FileLock, force: bool = False) -> None:
        release(lock, force)
        opened.append(time.perf_counter())

    @contextmanager
    def timed(connection: Any = None) -> Iterator[Turn]:
        with changing(connection) as turn:
            began = time.perf_counter()
            opened.clear()
            yield turn
        held.append((opened[0] if opened else time.perf_counter()) - began)

    FileLock.release = released  # type: ignore[method-assign]
    site.store.changing = timed  # type: ignore[method-assign]
    return held


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("--users", type=int, default=5_000)
    parser.add_argument("--items", type=int, default=50_000)
    parser.add_argument("--url", help="a database with no site in it yet, in place of the two")
    asked = parser.parse_args()
    data = shape.site_of(asked.users, asked.items)
    here = tempfile.mkdtemp()
    for where in [asked.url] if asked.url else [f"{here}/folder", f"sqlite:///{here}/site.db"]:
        print(where.partition(":")[0])
        for what, held, whole in recorded(pl.put_site(data, where)):
            print(f"  {what:26s} held for {held * 1e3:7.1f} ms; in all {whole * 1e3:7.0f} ms")


if __name__ == "__main__":
    main()
