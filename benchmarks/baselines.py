"""The same question asked in other ways, to compare with, on the same generated site."""

from __future__ import annotations

import sqlite3
from collections.abc import Callable, Mapping

import numpy as np

from prim_lantern.decide.clauses import clauses_of
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import way_to

Check = Callable[[str, str, str], bool]


def three_lookups(data: SiteData, actions: list[str]) -> Check:
    """L: three dictionary look-ups and a byte, behind one function call."""
    users = {login: number for number, login in enumerate(data.users)}
    items = {path: number for number, path in enumerate(data.items)}
    numbers = {action: number * 31 for number, action in enumerate(actions)}
    table = bytes(len(users) + len(items) + 31 * len(actions))

    def check(who: str, action: str, path: str) -> bool:
        return table[users[who] + numbers[action] + items[path]] == 1

    return check


def by_hand(data: SiteData) -> Check:
    """H: a dictionary of rules, the ancestors of the item walked; the nearest word decides.

    It knows groups, places and denies, and nothing of readerships, states, parts, periods.
    """
    rules: dict[tuple[str, str], list[tuple[frozenset[str], bool]]] = {}
    for clause in clauses_of(data):
        for action in clause.actions:
            words = rules.setdefault((clause.place.name, action), [])
            words.append((frozenset({str(clause.who)}), clause.allow))
    whos = _whos(data)
    filed = dict(zip(data.content.names, data.content.values_of("categories"), strict=True))

    def check(who: str, action: str, path: str) -> bool:
        mine = whos[who]
        for place in (*way_to(path)[::-1], *filed[path], "site"):
            said = [
                allow for to, allow in rules.get((place, action), ()) if not to.isdisjoint(mine)
            ]
            if said:
                return all(said)
        return False

    return check


def by_query(data: SiteData) -> Check:
    """Q: the same as by hand in one SQLite query, which an index serves."""
    database = sqlite3.connect(":memory:")
    database.execute("CREATE TABLE rules (place TEXT, action TEXT, who TEXT, allow INTEGER)")
    database.executemany(
        "INSERT INTO rules VALUES (?, ?, ?, ?)",
        (
            (clause.place.name, action, str(clause.who), clause.allow)
            for clause in clauses_of(data)
            for action in clause.actions
        ),
    )
    database.execute("CREATE INDEX rules_by_place ON rules (place, action, who, allow)")
    whos = {login: tuple(each) for login, each in _whos(data).items()}
    filed = dict(zip(data.content.names, data.content.values_of("categories"), strict=True))

    def check(who: str, action: str, path: str) -> bool:
        places = ("site", *way_to(path), *filed[path])
        mine = whos[who]
        query = (
            f"SELECT min(allow) FROM rules WHERE place IN ({_marks(places)}) AND action = ? "  # noqa: S608
            f"AND who IN ({_marks(mine)}) GROUP BY place ORDER BY length(place) DESC LIMIT 1"
        )
        found = database.execute(query, (*places, action, *mine)).fetchone()
        return bool(found and found[0])

    return check


def gather_and_sum(items: int) -> Callable[[], int]:
    """G: one NumPy gather over all items, and a sum."""
    random = np.random.default_rng(1)
    values = random.integers(0, 2, items).astype(np.bool_)
    order = random.permutation(items)
    return lambda: int(values[order].sum())


def _whos(data: SiteData) -> Mapping[str, frozenset[str]]:
    memberships = data.people.values_of("memberships")
    return {
        login: frozenset({f"user:{login}", "signed-in", *(f"group:{e.group}" for e in groups)})
        for login, groups in zip(data.people.names, memberships, strict=True)
    }


def _marks(values: tuple[str, ...]) -> str:
    return ",".join("?" * len(values))
