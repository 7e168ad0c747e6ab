"""How long the questions about a whole site take: a checkup, comparing, suggesting, what could be
gained, tidying.

Run it as `python benchmarks/insight.py [USERS ITEMS [WORDS]]`; without numbers at three sizes. Each
figure is of one call on a fresh engine that has been asked for one list before, as a website's is.
With WORDS the site has just so many rules and given roles, each of which is tried without others.
"""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from time import perf_counter

from second_shape import site_of as second_site_of
from shape import site_of

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import lists_of
from prim_lantern.insight.checkup import CHECKS
from prim_lantern.insight.comparing.compare import Compared, Side
from prim_lantern.insight.gaining.could_gain import could_gain
from prim_lantern.insight.look import Look
from prim_lantern.insight.tidying.tidy import tidy
from prim_lantern.insight.useless import Tried
from prim_lantern.insight.wishes.suggest import suggest
from prim_lantern.insight.wishes.wish import Wish
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.site.places import place
from prim_lantern.site.who import Who

NOON = moment("2027-05-10T12:00:00Z")
SIZES = ((2_000, 20_000), (20_000, 200_000), (100_000, 1_000_000))
Row = tuple[str, float]


def each_word(data: SiteData, number: int) -> Iterator[Row]:
    """How long it takes to try each of so many rules and given roles, and the readerships."""
    half = number // 2
    rules, given = (each[:: max(1, len(each) // half)][:half] for each in (data.rules, data.given))
    engine = Engine(data.with_parts(rules=rules, given=given), NOON)
    lists_of(engine).items_for(None, "read")
    standing = sum(each.readership is not None for each in data.places)
    tried = Tried(Look(engine, each_word=True))
    yield f"{len(rules) + len(given) + standing} words tried", _timed(lambda: list(tried))


def every_row(data: SiteData) -> Iterator[Row]:
    """Each question with how many seconds it took."""
    engine = Engine(data, NOON)
    lists_of(engine).items_for(None, "read")
    people = [each for each in data.users if each != data.owner][100:103]
    sides = [Side(engine, login, login) for login in people]
    yield "two people compared", _timed(lambda: Compared(*sides[:2]).more)
    yield "two others compared", _timed(lambda: Compared(*sides[1:]).more)
    for called, login in zip(("a suggestion", "another one"), people, strict=False):
        path = next(p for p in data.items if not engine.allows(login, "edit", p))
        wish = Wish(Who("user", login), "edit", place(path))
        yield called, _timed(lambda wish=wish: suggest(engine, [wish]))  # type: ignore[misc]
    yield "what somebody could gain", _timed(lambda: could_gain(engine, people[0]))
    look = Look(engine)
    total = 0.0
    for name, check in CHECKS.items():
        took = _timed(lambda check=check: list(check.find(look)))  # type: ignore[misc]
        total += took
        yield f"checkup, {name}", took
    yield "the whole checkup", total
    yield "tidying", _timed(lambda: tidy(engine))


def _timed(work: Callable[[], object]) -> float:
    start = perf_counter()
    work()
    return perf_counter() - start


def main() -> None:
    """Print every row, for both shapes at each size."""
    given, words = tuple(map(int, sys.argv[1:3])), list(map(int, sys.argv[3:]))
    for users, items in [given] if given else SIZES:
        for called, make in (("one shape", site_of), ("another shape", second_site_of)):
            print(f"{users:,} people, {items:,} items, {called}", flush=True)
            data = make(users, items)
            for name, seconds in each_word(data, words[0]) if words else every_row(data):
                print(f"  {seconds:9.3f} s  {name}", flush=True)


if __name__ == "__main__":
    main()
