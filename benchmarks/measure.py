"""Measure what the library does on generated sites, beside the baselines.

    python benchmarks/measure.py                          every row, at full size
    python benchmarks/measure.py --users 10000 --items 100000
    python benchmarks/measure.py --growth                 how cost grows, with a figure

Each figure is the median of several runs; ratios compare runs of the same process. The
results are printed as a table, and kept in benchmarks/results.json.
"""

from __future__ import annotations

import argparse
import csv
import gc
import json
import os
import platform
import sqlite3
import subprocess
import sys
import time
from collections.abc import Callable, Sequence
from pathlib import Path
from random import Random
from statistics import median
from tempfile import TemporaryDirectory

import numpy as np
from baselines import by_hand, by_query, gather_and_sum, three_lookups
from shape import site_of

import prim_lantern as pl
from prim_lantern.decide.engine.effects import Comparison
from prim_lantern.decide.lists import lists_of
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import Place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from prim_lantern.store.database import DatabaseStore

HERE = Path(__file__).resolve().parent
ACTIONS = ["read", "edit", "publish", "comment", "delete", "submit", "see-drafts", "upload"]
Asked = tuple[str, str, str]


class Bench:
    """A generated site, warm, and what is asked of it."""

    def __init__(self, data: SiteData) -> None:
        self.data = data
        self.rng = Random(7)
        self.site = pl.Site(data, checked=True)
        self.site.may("user1", "read", data.content.names[0])  # the present becomes at hand
        self.engine = self.site.engine_for(data, self.site.moment())
        self.logins = list(data.people.names)
        self.paths = list(data.content.names)
        self.sections = [p for p in self.paths if p.count("/") in (2, 3) and "/i" not in p]

    def warm_up(self, checks: int) -> None:
        """Ask much, so that what can be remembered is."""
        for login in self.logins:
            _ = self.engine.crowd[login]
        for action in ACTIONS:
            lists_of(self.engine).items_for(self.logins[1], action)
        for asked in self.sample(checks):
            self.engine.allows(*asked)
        gc.collect()
        gc.freeze()  # as a website does once it is up: what is there stays

    def sample(self, count: int) -> list[Asked]:
        """Random questions."""
        pick = self.rng.choice
        return [(pick(self.logins), pick(ACTIONS), pick(self.paths)) for _ in range(count)]

    def per_check(self, checks: Sequence[Callable[[str, str, str], object]]) -> list[float]:
        """Seconds for one check in each way, in turn on the same random questions.

        Each way has met the questions once before: it is warm.
        """
        taken: list[list[float]] = [[] for _ in checks]
        for _ in range(9):
            asked = self.sample(20_000)
            for check in checks:
                _per_question(check, asked)
            for check, times in zip(checks, taken, strict=True):
                times.append(_per_question(check, asked))
        return [median(times) for times in taken]

    def per_new_check(self) -> float:
        """Seconds for one check that was never made before."""
        return median(_per_question(self.engine.allows, self.sample(20_000)) for _ in range(9))

    def items_of_one(self) -> float:
        """Seconds for all items that somebody may read, each person for the first time."""
        logins = self.rng.sample(self.logins, 15)
        return median(timed(lists_of(self.engine).items_for, login, "read") for login in logins)

    def people_of_one(self) -> float:
        """Seconds for all people who may edit an item."""
        paths = self.rng.sample(self.paths, 15)
        return median(timed(lists_of(self.engine).who_may, "edit", path) for path in paths)

    def after_a_rule(self) -> float:
        """Seconds from a new rule to the next answer."""
        taken = []
        for _ in range(9):
            where = self.rng.choice(self.sections)
            rules = (*self.site.data.rules, self.rule(where))
            start = time.perf_counter()
            self.site.adopt(self.site.data.with_parts(rules=rules), checked=True)
            self.site.may("user77", "edit", where)
            taken.append(time.perf_counter() - start)
        return median(taken)

    def effects(self) -> float:
        """Seconds for who gains and who loses what by one rule on a section."""
        before = self.site.engine_for(self.site.data, self.site.moment())
        for action in ACTIONS:
            lists_of(before).items_for("user1", action)
        taken = []
        for _ in range(7):
            rule = self.rule(self.rng.choice(self.sections))
            data = before.data.with_parts(rules=(*before.data.rules, rule))
            start = time.perf_counter()
            after = before.after(data, before.at)
            comparison = Comparison(before, after)
            for action in ("read", "edit"):
                comparison.effects(action)
            taken.append(time.perf_counter() - start)
        return median(taken)

    def effects_of_all(self) -> tuple[float, float]:
        """Seconds for the effects of such a rule on all actions, and for a change from its first
        step to its being made."""
        effects, whole = [], []
        owner = self.data.owner
        for _ in range(3):
            rule = self.rule(self.rng.choice(self.sections))
            start = time.perf_counter()
            change = self.site.change(by=owner).allow("edit", str(rule.to[0]), str(rule.place))
            took = timed(lambda change=change: change.effects().changed)
            change.make()
            whole.append(time.perf_counter() - start)
            effects.append(took)
        return median(effects), median(whole)

    def grid(self) -> float:
        """Seconds for the counts of the whole grid."""
        return timed(self.site.how_many_may_each, ("read", "edit", "publish"))

    def rule(self, where: str) -> Rule:
        """A rule for one group on one section."""
        group = Who("group", f"g{self.rng.randrange(500)}")
        return Rule(self.rng.random() < 0.5, ("edit",), (group,), Place("path", where))


def _per_question(check: Callable[[str, str, str], object], asked: Sequence[Asked]) -> float:
    start = time.perf_counter()
    for who, action, path in asked:
        check(who, action, path)
    return (time.perf_counter() - start) / len(asked)


def timed(work: Callable[..., object], *arguments: object) -> float:
    """Seconds that some work takes."""
    start = time.perf_counter()
    work(*arguments)
    return time.perf_counter() - start


def every_row(users: int, items: int) -> dict[str, float]:
    """All figures for one size, in seconds (memory in MB)."""
    data = site_of(users, items)
    found = {**_from_a_folder(data), **_from_sqlite(data)}
    bench = Bench(data)
    bench.warm_up(300_000)
    ways = (bench.engine.allows, bench.site.may, three_lookups(data, ACTIONS), by_hand(data))
    found["check"], found["check with reason"], found["L"], found["H"] = bench.per_check(ways)
    found["new check"] = bench.per_new_check()
    found["Q"] = bench.per_check([by_query(data)])[0]
    found["G"] = median(timed(gather_and_sum(items)) for _ in range(15))
    found["items of one"] = bench.items_of_one()
    lists_of(bench.engine).who_may("edit", bench.paths[0])
    found["people of one"] = bench.people_of_one()
    found["after a rule"] = bench.after_a_rule()
    found["effects"] = bench.effects()
    found["effects, all actions"], found["a change"] = bench.effects_of_all()
    found["grid"] = bench.grid()
    return found


def _from_a_folder(data: SiteData) -> dict[str, float]:
    """Opening from a folder, in a process of its own, and the memory that it needs."""
    with TemporaryDirectory() as folder:
        write_folder(data, folder)
        runs = [_numbers(_OPEN, folder) for _ in range(3)]
        rows = timed(_rows, Path(folder))
    return {
        "open a folder": median(took for took, _ in runs),
        "memory": median(memory for _, memory in runs),
        "fetch its rows": rows,
    }


# The peak is of this process alone: what `resource` tells counts the one that started it as well.
_OPEN = (
    "import re, sys, time; import prim_lantern as pl; start = time.perf_counter(); "
    "site = pl.open_site(sys.argv[1]); site.allows('user1', 'edit', '/s1'); "
    "took = time.perf_counter() - start; "
    "peak = re.search(r'VmHWM:\\s+(\\d+)', open('/proc/self/status').read()); "
    "print(took, int(peak[1]) / 1024)"
)


def _from_sqlite(data: SiteData) -> dict[str, float]:
    """The same from a database of SQLite, and how long filling it takes."""
    with TemporaryDirectory() as folder:
        place = f"sqlite:///{folder}/site.db"
        filled = timed(lambda: DatabaseStore(place, make=True).fill(data))
        runs = [_numbers(_OPEN, place) for _ in range(3)]
        rows = timed(_fetched, Path(folder) / "site.db")
    return {
        "open SQLite": median(took for took, _ in runs),
        "memory, SQLite": median(memory for _, memory in runs),
        "fetch the rows of SQLite": rows,
        "fill SQLite": filled,
    }


def _fetched(file: Path) -> int:
    connection = sqlite3.connect(file)
    try:
        tables = ("settings", "people", "items")
        return sum(len(connection.execute(f"SELECT * FROM {t}").fetchall()) for t in tables)  # noqa: S608
    finally:
        connection.close()


def _numbers(script: str, *arguments: str) -> tuple[float, float]:
    done = subprocess.run(
        [sys.executable, "-c", script, *arguments], capture_output=True, text=True, check=True
    )
    one, two = map(float, done.stdout.split())
    return one, two


def _rows(folder: Path) -> int:
    count = 0
    for name in ("people.csv", "content.csv"):
        with (folder / name).open(encoding="utf-8", newline="") as file:
            count += len(list(csv.reader(file)))
    return count


def start_up() -> dict[str, float]:
    """Whole processes: a question to the demo site, and nothing at all."""
    program = str(Path(sys.executable).with_name("prim-lantern"))
    ask = [program, "may", "sam", "edit", "/log/seal-count", "--site", str(pl.DEMO_FOLDER)]
    environment = {k: v for k, v in os.environ.items() if k != "PYTHONDONTWRITEBYTECODE"}
    with TemporaryDirectory() as at_hand:
        kept, not_kept = ({**environment, "PRIM_LANTERN_CACHE": each} for each in (at_hand, ""))
        commands = {
            "demo process": (ask, kept),
            "demo process, nothing at hand": (ask, not_kept),
            "empty process": ([sys.executable, "-c", "pass"], environment),
        }
        taken: dict[str, list[float]] = {name: [] for name in commands}
        for _ in range(15):
            for name, command in commands.items():
                taken[name].append(timed(_run, *command))
    return {name: median(times[1:]) for name, times in taken.items()}


def _run(command: list[str], environment: dict[str, str]) -> None:
    subprocess.run(command, env=environment, capture_output=True, check=True)


def growth() -> list[dict[str, float]]:
    """The main figures by size: items with 10,000 users, then users with 100,000 items."""
    sizes = [(10_000, n) for n in (10_000, 100_000, 1_000_000)]
    sizes += [(n, 100_000) for n in (1_000, 10_000, 100_000)]
    found = []
    for users, items in sizes:
        bench = Bench(site_of(users, items))
        bench.warm_up(100_000)
        lists_of(bench.engine).who_may("edit", bench.paths[0])
        row = {"users": users, "items": items}
        row["one check"] = bench.per_check([bench.engine.allows])[0]
        row["all items of one person"] = bench.items_of_one()
        row["all people of one item"] = bench.people_of_one()
        row["a rule changed"] = bench.after_a_rule()
        found.append(row)
        print(row, flush=True)
    return found


def figure(rows: list[dict[str, float]], path: Path) -> None:
    """Draw how cost grows, on logarithmic axes."""
    import matplotlib

    matplotlib.use("Agg")
    import matplotlib.pyplot as plt

    shown, axes = plt.subplots(1, 2, figsize=(10, 4.2), sharey=True)
    marks = dict(zip(list(rows[0])[2:], "osD^", strict=True))
    for axis, by, part in ((axes[0], "items", rows[:3]), (axes[1], "users", rows[3:])):
        other = "users" if by == "items" else "items"
        for name, mark in marks.items():
            axis.loglog(
                [row[by] for row in part], [row[name] for row in part], f"{mark}-", label=name
            )
        axis.set_xlabel(f"{by} (with {part[0][other]:,.0f} {other})")
        axis.grid(visible=True, which="major", alpha=0.3)
    axes[0].set_ylabel("seconds")
    axes[1].legend(loc="center left", bbox_to_anchor=(1.02, 0.5), frameon=False)
    shown.tight_layout()
    shown.savefig(path, dpi=110)


def main() -> None:
    """Measure, print, keep."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0] if __doc__ else "")
    parser.add_argument("--users", type=int, default=100_000)
    parser.add_argument("--items", type=int, default=1_000_000)
    parser.add_argument("--growth", action="store_true", help="how cost grows, with a figure")
    asked = parser.parse_args()
    file = HERE / "results.json"
    kept = json.loads(file.read_text()) if file.exists() else {}
    kept["machine"] = {
        "processor": platform.processor() or platform.machine(),
        "cores": os.cpu_count(),
        "python": platform.python_version(),
        "numpy": np.__version__,
    }
    if asked.growth:
        kept["growth"] = growth()
        figure(kept["growth"], HERE.parent / "docs" / "screenshots" / "growth.png")
    else:
        found = {**every_row(asked.users, asked.items), **start_up()}
        kept[f"{asked.users} users, {asked.items} items"] = found
        for name, value in found.items():
            print(f"{name:20s} {value:14.7f}")
    file.write_text(json.dumps(kept, indent=1) + "\n")


if __name__ == "__main__":
    main()
