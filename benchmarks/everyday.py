"""Measure what a website meets every day: a fresh start, and pages and people that come and go.

    python benchmarks/everyday.py                  2,000 people, 20,000 items, both shapes
    python benchmarks/everyday.py --users 50000 --items 300000 --shape second

A change is measured in its parts: trying it with all its effects, making it, and the next answer.
Each figure is of one run in a process that has answered some questions before; L is what a check
is held against (see measure.py).
"""

from __future__ import annotations

import argparse
import os
import time
from collections.abc import Callable, Iterator
from random import Random

import second_shape
import shape
from baselines import three_lookups

import prim_lantern as pl
from prim_lantern.changing import Change
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import lists_of, paths_for
from prim_lantern.site.data import SiteData

SHAPES = {"first": shape.site_of, "second": second_shape.site_of}
ACTIONS = ("read", "edit", "publish")
CHECKS = 20_000
Row = tuple[str, float]


def fresh(data: SiteData) -> Iterator[Row]:
    """A fresh engine, from its first answer on."""
    rng = Random(3)
    logins, paths = list(data.people.names), list(data.content.names)

    def asked(count: int) -> list[tuple[str, str, str]]:
        pick = rng.choice
        return [(pick(logins), pick(ACTIONS), pick(paths)) for _ in range(count)]

    engine, took = _timed(lambda: Engine(data, shape.NOON))
    yield "made", took
    yield "each of its first thousand checks", _each(engine.allows, asked(1_000))
    yield "its first list", _timed(lambda: paths_for(engine, logins[17], "read"))[1]
    yield "the list of somebody else", _timed(lambda: paths_for(engine, logins[18], "read"))[1]
    some = logins[-5_000:]
    yield "a person known", _timed(lambda: [engine.crowd[each] for each in some])[1] / len(some)
    for action in ACTIONS:
        lists_of(engine).items_for(logins[5], action)
    lookups = three_lookups(data, list(ACTIONS))
    questions = asked(CHECKS)
    yield "a check, never asked before", _each(engine.allows, questions)
    yield "a check, asked before", _each(engine.allows, questions)
    of_guests = [(None, action, path) for _, action, path in questions]
    _each(engine.allows, of_guests)
    yield "a check of a guest, asked before", _each(engine.allows, of_guests)
    yield "L", _each(lookups, questions)


def coming_and_going(data: SiteData) -> Iterator[Row]:
    """Items and people that come, change and go, each as a change of its own."""
    site, names = pl.Site(data, checked=True), data.content.names
    section, page = names[3], names[77]
    site.allows("user5", "read", page)
    site.items_for("user5", "read")
    steps: dict[str, Callable[[Change], object]] = {
        "an item added": lambda change: change.add_item(f"{section}/new", "page", title="New"),
        "an item changed": lambda change: change.change_item(f"{section}/new", title="Other"),
        "an item removed": lambda change: change.remove_item(f"{section}/new"),
        "a person added": lambda change: change.add_user("newcomer", groups=["g5"]),
        "a member added": lambda change: change.add_members("g7", "user77"),
        "a member removed": lambda change: change.remove_members("g7", "user77"),
        "a person removed": lambda change: change.remove_user("newcomer"),
        "a readership set": lambda change: change.set_readership(section, "r3"),
        "a role for one person": lambda change: change.give("writes", "user:user9"),
        "a role for a group there": lambda change: change.give("writes", "group:g9", section),
    }
    for name, build in steps.items():
        change = site.change(by="user0")
        yield f"{name}: tried", _timed(lambda c=change, b=build: (b(c), c.in_short()))[1]
        yield f"{name}: made", _timed(change.make)[1]
        asked = _timed(lambda: site.allows("user5", "read", page))[1]
        yield f"{name}: the next answer", asked


def _timed(work: Callable[[], object]) -> tuple[object, float]:
    start = time.perf_counter()
    found = work()
    return found, time.perf_counter() - start


def _each(check: Callable[..., object], asked: list[tuple[str | None, str, str]]) -> float:
    start = time.perf_counter()
    for question in asked:
        check(*question)
    return (time.perf_counter() - start) / len(asked)


def main() -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0] if __doc__ else "")
    parser.add_argument("--users", type=int, default=2_000)
    parser.add_argument("--items", type=int, default=20_000)
    parser.add_argument("--shape", choices=[*SHAPES, "both"], default="both")
    asked = parser.parse_args()
    os.environ["PRIM_LANTERN_NOW"] = shape.NOON.isoformat()
    for name in SHAPES if asked.shape == "both" else [asked.shape]:
        print(f"{name} shape, {asked.users:,} users, {asked.items:,} items")
        data = SHAPES[name](asked.users, asked.items)
        for rows in (fresh, coming_and_going):
            for what, took in rows(data):
                shown = f"{took * 1e6:12.2f} µs" if took < 0.001 else f"{took * 1e3:12.2f} ms"
                print(f"  {what:36s}{shown}", flush=True)


if __name__ == "__main__":
    main()
