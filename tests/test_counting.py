"""Counts of all people and all items, where ways and categories say something else to some."""

from __future__ import annotations

from collections.abc import Sequence
from itertools import product
from random import Random

import numpy as np
import pytest

from prim_lantern.decide.engine import Engine, effects, own_work, population
from prim_lantern.decide.lists import lists_of
from prim_lantern.site.places import place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from sites import NOON

PEOPLE = [f"p{number}" for number in range(12)]


def _much_said(rng: Random) -> dict[str, str]:
    """A site where ways and two sets of categories all say something else to some people."""
    sets = {name: [f"{name}:{each}" for each in "xyz"] for name in "ab"}
    sections = ["/", "/one", "/one/own", "/two"]
    site = "[roles.mate]\n" + "".join(
        f"[category_sets.{name}]\nx = ''\ny = ''\nz = ''\n" for name in sets
    )
    for name in "ghijk":
        site += f"[groups.{name}]\nmembers = {rng.sample(PEOPLE, 5)}\n"
    for where in [*sets["a"], *sets["b"], *sections, "site", "site"] * 2:
        word, what = rng.choice(["allow", "deny"]), rng.sample(["read", "edit", "publish"], 2)
        whom = [*(f"group:{each}" for each in rng.sample("ghijk", 2)), f"user:{rng.choice(PEOPLE)}"]
        site += f"[[rules]]\n{word} = {what}\nto = {whom}\nwhere = '{where}'\n"
        site += rng.choice(["whose = 'own'\n", "in_state = ['draft']\n", ""])
    rows = [
        f"{section}/{number},page,,{';'.join(rng.sample(PEOPLE, 2))};zoe,,{rng.choice(['', 'draft'])},{a};{b},,,,\n".replace(
            "//", "/"
        )
        for section in sections
        for number, (a, b) in enumerate(product(["", *sets["a"]], ["", *sets["b"]]))
    ]
    return {"site": site, "people": "".join(f"{each},,,,,,\n" for each in [*PEOPLE, "zoe"]), "content": "".join(rows)}  # fmt: skip


@pytest.mark.parametrize("seed", range(12))
def test_counts_are_right_where_much_is_said_to_some(make_site, seed, monkeypatch):
    monkeypatch.setattr(effects, "MOST", 0)
    monkeypatch.setattr(effects, "_ONE_BY_ONE", 0)
    monkeypatch.setattr(population, "_PAIRS", 50)
    monkeypatch.setattr(own_work, "_FEW", 0)
    monkeypatch.setattr(own_work, "_OFTEN", 0)
    rng, actions = Random(seed), ("read", "edit", "publish")
    site = make_site(**_much_said(rng)).data
    somebody = (Who("group", rng.choice("ghijk")), Who("user", "zoe"))
    word = Rule(
        rng.random() < 0.5,
        ("edit",),
        somebody,
        place(rng.choice(["/", "/one", "a:x", "b:y"])),
        whose=rng.choice(["own", "any"]),
    )
    beside = Rule(True, ("sell",), (Who("role", "mate"),), place("/two"))  # may be anybody
    before = Engine(site, NOON)
    was = _counted_one_by_one(before, actions)
    assert np.array_equal(lists_of(before).counts_of(actions), was)
    words = (word, beside) if seed % 2 else (word,)
    after = before.after(site.with_parts(rules=(*site.rules, *words)), NOON)
    now = _counted_one_by_one(after, actions)
    assert np.array_equal(lists_of(after).counts_of(actions), now)
    comparison, more = effects.Comparison(before, after), (now - was)[1]
    found = comparison.effects("edit")
    assert np.array_equal(found.gained - found.lost, more)
    for row in [0, *np.flatnonzero(more)[-4:]]:
        found = comparison.effects("edit", np.array([row]))
        assert found.gained[row] - found.lost[row] == more[row]


def _counted_one_by_one(engine: Engine, actions: Sequence[str]) -> np.ndarray:
    paths, active = engine.data.content.names, [*filter(engine.acting, engine.data.users)]
    return np.array(
        [[sum(engine.allows(who, each, path) for who in active) for path in paths] for each in actions]
    )  # fmt: skip


@pytest.mark.parametrize("word", ["deny", "allow"])
@pytest.mark.parametrize("authors", ["", "ann;ben;cyd"])
def test_people_of_whom_two_sets_of_categories_speak_are_counted_once(
    make_site, word, authors, monkeypatch
):
    """To most the way says one thing; to some one set says another, to some both do."""
    monkeypatch.setattr(own_work, "_OFTEN", 0)
    site = make_site(
        "[category_sets.a]\nx = 'X'\ny = 'Y'\n[category_sets.b]\nx = 'X'\ny = 'Y'\n"
        "[groups.one]\nmembers = ['ann', 'ben']\n[groups.two]\nmembers = ['ben', 'cyd']\n"
        f"[[rules]]\n{word} = ['read', 'edit']\nto = ['group:one']\nwhere = 'a:x'\n"
        f"[[rules]]\n{word} = ['edit']\nto = ['group:two']\nwhere = 'b:x'\n"
        "[[rules]]\nallow = ['edit']\nto = ['signed-in']\nwhere = '/open'\n"
        "[[rules]]\nallow = ['edit']\nto = ['user:dan']\nwhere = '/open/own'\n",
        people="ann,,,,,,\nben,,,,,,\ncyd,,,,,,\ndan,,,,,,\n",
        content="".join(
            f"{at}/{n},page,,{authors},,,{filed},,,,\n"
            for at in ("/open", "/open/own", "/other")
            for n, filed in enumerate(["", "a:x", "b:x", "a:x;b:x", "a:y;b:x", "a:x;b:y"])
        ),
    )
    at = site.moment("2027-05-10")
    for action in ("read", "edit"):
        counted = lists_of(Engine(site.data, at)).counts(action).tolist()
        right = [
            sum(site.allows(who, action, path, at) for who in site.data.users)
            for path in site.data.items
        ]
        assert counted == right, action
