"""The engine answers rightly while several threads ask, and while the site changes."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from itertools import product
from pathlib import Path
from random import Random
from threading import Event

import pytest

import prim_lantern as pl
from prim_lantern.decide.engine import Engine, item_classes
from prim_lantern.decide.engine.asked import ItemClass
from prim_lantern.decide.engine.class_places import ClassPlaces
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.reference import Reference
from prim_lantern.site.places import Place, place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from sites import NOON


def test_readers_in_threads_get_right_answers():
    site = pl.open_demo()
    reference = Reference(site.data, NOON)
    asked = [
        (who, action, path)
        for who in site.data.users
        for action in ("read", "edit", "comment")
        for path in list(site.data.items)[::5]
    ]
    expected = [reference.may(*each).allowed for each in asked]

    def ask(seed: int) -> bool:
        order = list(range(len(asked)))
        Random(seed).shuffle(order)
        return all(site.allows(*asked[each], at=NOON) == expected[each] for each in order)

    with ThreadPoolExecutor(8) as threads:
        assert all(threads.map(ask, range(16)))


@pytest.fixture
def hurried() -> Iterator[None]:
    """Threads take turns as often as they can."""
    usual = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    yield
    sys.setswitchinterval(usual)


@pytest.mark.parametrize("seed", range(3))
def test_readers_in_threads_are_right_while_the_site_changes(hurried, seed):
    """Nobody is disturbed; and in the end all answers are of the site as it is."""
    site, rng = pl.open_demo(), Random(seed)
    data, kept, done = site.data, list[Rule](), Event()
    paths, logins = list(data.items), list(data.users)

    def ask(number: int) -> int:
        mine, count = Random(number), 0
        while not done.is_set():
            who, action = mine.choice(logins), mine.choice(("read", "edit", "publish"))
            site.allows(who, action, mine.choice(paths), at=NOON)
            count += 1
        return count

    with ThreadPoolExecutor(3) as threads:
        asking = [threads.submit(ask, number) for number in range(3)]
        for _ in range(60):
            if kept and rng.random() < 0.3:
                kept.pop(rng.randrange(len(kept)))
            who = Who("user", rng.choice(logins)), Who("group", rng.choice(list(data.groups)))
            spots = Place("path", rng.choice(paths)), place(rng.choice(list(data.categories)))
            said = rng.choice((True, False)), (rng.choice(("read", "edit")),)
            kept.append(Rule(*said, (rng.choice(who),), rng.choice(spots)))
            site.adopt(data.with_parts(rules=(*data.rules, *kept)), checked=True)
        done.set()
        assert all(each.result() for each in asking)
    reference = Reference(site.data, NOON)
    for login, action, path in product(rng.sample(logins, 6), ("read", "edit"), paths):
        assert site.allows(login, action, path, at=NOON) == (
            reference.may(login, action, path).allowed
        ), (login, action, path)


def test_classes_that_come_while_all_are_laid_out_are_in_it_whole_or_not(hurried):
    classes = Numbered(ItemClass((), 0, frozenset(), ""))
    places, coming = ClassPlaces(classes, []), Event()

    def come() -> None:
        for number in range(3_000):
            item = ItemClass((f"/{number}", "/"), 1, frozenset({"page"}), "draft")
            assert len(places.ways[classes.number_of(item)][0]) == 2
        coming.set()

    def look() -> int:
        while True:
            last = coming.is_set()
            found, counts, cases = places.ways.laid_out()
            assert len(found) == sum(counts) and len(counts) == len(cases)
            if last:
                return len(cases)

    with ThreadPoolExecutor(2) as pool:
        done, looked = pool.submit(come), pool.submit(look)
        assert done.result() is None and looked.result() == 3_001


def test_a_number_is_told_only_of_what_is_there():
    class Watched(Numbered[str]):
        def append(self, thing: str) -> None:
            assert self.known(thing) is None  # another thread would look where nothing is yet
            super().append(thing)

    colours = Watched("none")
    assert [colours.number_of(each) for each in ("red", "blue", "red")] == [1, 2, 1]


def test_an_item_that_is_settled_while_the_site_changes_is_not_settled_for_the_new_one(monkeypatch):
    """A reader who is slow between finding where an item belongs and keeping it: meanwhile a word
    comes that sets this very item apart."""
    site = pl.open_demo()
    path, sam = "/about/privacy", (Who("user", "sam.whitlock"),)
    rule = Rule(True, ("edit",), sam, Place("path", path))
    found = item_classes.Ground._number_of
    waiting = [path]

    def slowly(self: item_classes.Ground, row: int) -> int:
        number = found(self, row)
        if waiting and self.data.content.names[row] == waiting[0]:
            waiting.pop()
            site.adopt(site.data.with_parts(rules=(*site.data.rules, rule)), checked=True)
            site.allows("sam.whitlock", "edit", "/visit")  # what decides now is made
        return number

    monkeypatch.setattr(item_classes.Ground, "_number_of", slowly)
    assert not site.allows("sam.whitlock", "edit", path)  # the site before, which was asked
    assert not waiting
    assert site.allows("sam.whitlock", "edit", path)


def test_everybody_of_one_item_is_told_rightly_to_several_at_once(hurried, monkeypatch):
    """Each looks at all people by what is said there, on the same engine."""
    monkeypatch.syspath_prepend(Path(__file__).parents[1] / "benchmarks")
    import shape

    lists = lists_of(Engine(shape.site_of(1_500, 3_000), NOON))
    paths = list(lists.engine.data.content.names)[::60]
    right = {path: lists.who_may("edit", path) for path in paths}

    def ask(start: int) -> bool:
        order = paths[start:] + paths[:start]
        return all(lists.who_may("edit", path) == right[path] for path in order)

    with ThreadPoolExecutor(4) as pool:
        assert all(pool.map(ask, range(0, 28, 7)))
