"""The engine decides as the reference does: always, in lists, and after every change."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from contextlib import ExitStack
from dataclasses import replace
from datetime import datetime
from itertools import product
from pathlib import Path
from random import Random
from unittest.mock import patch

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.change.pieces import differences, with_pieces
from prim_lantern.change.removal import without_people
from prim_lantern.decide.engine import Engine, effects, every_pair, own_work, plan, population
from prim_lantern.decide.engine import lists as lists_of_all
from prim_lantern.decide.engine.counting import worth
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import Beside, Somebody, stand_in
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Group, Membership, User
from prim_lantern.site.places import Place, place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from sites import CATEGORIES, ITEM_ACTIONS, KINDS, LOGINS, MOMENTS, NOON, Maker, sites

ACTIONS = [*ITEM_ACTIONS, "sell", "stamp"]
seeds = st.integers(0, 2**32).map(Random)
compared = Counter[str]()


@pytest.fixture(scope="module", autouse=True)
def _as_on_a_big_site() -> Iterator[None]:
    """Classes are put together after some questions, as on big sites; the other tests have them
    put together at once."""
    with patch.multiple(plan, _SMALL=0, _OFTEN=3):
        yield


@pytest.fixture(scope="module", autouse=True)
def _how_many_were_compared(request: pytest.FixtureRequest) -> Iterator[None]:
    yield
    reporter = request.config.pluginmanager.get_plugin("terminalreporter")
    if reporter is not None and request.config.getoption("--long"):
        reporter.write_line(f"\nengine and reference compared: {dict(compared)}")


def same(what: str, engine: bool, reference: bool, *asked: object) -> None:
    compared[what] += 1
    assert engine == reference, (what, *asked)


@settings(max_examples=max(32, settings.default.max_examples if settings.default else 0))
@given(sites(), st.lists(st.sampled_from(MOMENTS), min_size=2, max_size=2, unique=True), seeds)
def test_every_decision_is_that_of_the_reference(site, moments, rng):
    for at in moments:
        engine, reference = Engine(site, at), Reference(site, at)
        asked = list(product([None, *site.users], ACTIONS, site.items))
        rng.shuffle(asked)  # what was answered before makes no difference
        for who, action, path in asked:
            expected = reference.may(who, action, path).allowed
            same("items", engine.allows(who, action, path), expected, who, action, path)
        for who in [None, *site.users]:
            for path in site.items:
                under = engine.beside(Filings).under(who, path)
                for category in CATEGORIES:
                    expected = reference.may_file(who, path, category).allowed
                    same("filing", engine.may_file(who, path, category), expected, who, path)
                    same("all filing", category in under, expected, who, path, category)
            for _ in range(8):
                _compare_the_rest(site, engine, reference, who, rng)


def _compare_the_rest(site, engine, reference, who, rng):
    parent, kind, path = (rng.choice(each) for each in (site.sections, KINDS, list(site.items)))
    filed = tuple(rng.sample(CATEGORIES, rng.randrange(3)))
    where = place(rng.choice([parent, "site", *CATEGORIES]))
    action = rng.choice(["manage-rights", "look-as"])
    same(
        "creating",
        engine.may_create(who, kind, parent, filed),
        reference.may_create(who, kind, parent, filed).allowed,
        (who, kind, parent, filed),
    )
    same(
        "moving",
        engine.may_move(who, path, parent),
        reference.may_move(who, path, parent).allowed,
        (who, path, parent),
    )
    same(
        "managing",
        engine.may_manage(who, action, where),
        reference.may_manage(who, action, where).allowed,
        (who, action, where),
    )


@given(
    sites(), st.sampled_from(MOMENTS), st.sampled_from(["group:crew", "group:night", "signed-in"])
)
def test_somebody_pictured_is_decided_alike(site, at, who):
    login = Somebody(pl.pictured(who))
    users = Beside(site.users, stand_in(site, login))
    engine, reference = Engine(site, at), Reference(replace(site, users=users), at)
    for path in site.items:
        for action in ("read", "edit", "comment"):
            expected = reference.may(login, action, path).allowed
            same("pictured", engine.allows(login, action, path), expected, action, path)


@pytest.mark.parametrize("small", [0, 5_000], ids=["as-if-big", "small"])
@given(site=sites(), at=st.sampled_from(MOMENTS))
def test_lists_and_counts_say_what_single_answers_say(small, site, at):
    with ExitStack() as stack:
        stack.enter_context(patch.object(plan, "_SMALL", small))
        if not small:  # several actions at once, but not all; own work of many people at once
            stack.enter_context(patch.object(lists_of_all, "_BITS", 9))
            stack.enter_context(patch.multiple(own_work, _FEW=0, _OFTEN=0))
            stack.enter_context(patch.object(worth, "_ROOM", 1))
            stack.enter_context(patch.object(population, "_PAIRS", 3))
        _lists_say_what_single_answers_say(Engine(site, at), site)


def _lists_say_what_single_answers_say(engine: Engine, site: SiteData) -> None:
    active = sorted(login for login in site.users if engine.acting(login))
    actions = ("read", "edit", "publish", "sell")
    counts = lists_of(engine).counts_of(actions)
    for action, counted in zip(actions, counts, strict=True):
        for who in [None, *site.users]:
            one_by_one = [engine.allows(who, action, path) for path in site.items]
            assert lists_of(engine).items_for(who, action).tolist() == one_by_one
        for path, count in zip(site.items, counted.tolist(), strict=True):
            allowed = [login for login in active if engine.allows(login, action, path)]
            assert lists_of(engine).who_may(action, path) == allowed
            assert count == len(allowed)


def test_lists_say_what_single_answers_say_where_much_is_said_to_others(monkeypatch):
    """Hundreds of words, of which few are said to any one; links, parts, words about roles."""
    monkeypatch.syspath_prepend(Path(__file__).parents[1] / "benchmarks")
    site = __import__("second_shape").site_of(150, 700)
    engine, lists = Engine(site, NOON), lists_of(Engine(site, NOON))
    logins = Random(5).sample(list(site.users), 9)
    some = np.arange(0, 700, 7)
    for who, action in product([None, *logins], ["read", "edit", "publish"]):
        right = [engine.allows(who, action, path) for path in site.content.names]
        assert lists.items_for(who, action).tolist() == right, (who, action)
        assert lists.items_for(who, action, some).tolist() == right[::7], (who, action)
    links = [row for row in engine.links if engine.data.content.value("links_to", row)]
    assert len(links) > 20 and len(engine.rights.levels_of_roles) > 1


@pytest.mark.parametrize(
    "words",
    {
        "a role of whose holders words above speak": "[roles.mate]\n[[given]]\nrole = 'mate'\nto = ['user:ben']\nwithin_any = ['/s/a']\n[[rules]]\nallow = ['edit']\nto = ['role:mate']\nwhere = '/s'\n",
        "the same, of words at the site": "[roles.mate]\n[[given]]\nrole = 'mate'\nto = ['user:ben']\nwithin_any = ['/s/a']\n[[rules]]\nallow = ['edit']\nto = ['role:mate']\n",
        "all access": "[roles.boss]\nall_access = true\n[[given]]\nrole = 'boss'\nto = ['user:ben']\nwithin_any = ['/s/a', 'a:x']\n",
        "only on the item itself": "[[rules]]\nallow = ['edit']\nto = ['user:ben']\nwhere = '/s/a'\nreach = 'only-here'\n",
    }.items(),
    ids=lambda each: each[0],
)
def test_lists_tell_apart_what_differs_in_one_place_alone(make_site, words):
    site = make_site(
        "[category_sets.a]\nx = 'X'\ny = 'Y'\n" + words[1],
        people="ben,,,,,,\nann,,,,,,\n",
        content="".join(
            f"{path},page,,,,,{filed},,,,\n"
            for path, filed in zip(
                ["/s", "/s/a", "/s/a/one", "/s/b", "/s/c", "/s/d"],
                ["", "", "", "", "a:x", "a:y"],
                strict=True,
            )
        ),
    )
    engine = Engine(site.data, NOON)
    for who, action in product(["ben", "ann", None], ["edit", "publish"]):
        right = [engine.allows(who, action, path) for path in site.data.content.names]
        assert lists_of(engine).items_for(who, action).tolist() == right, (who, action)
    assert 0 < sum(lists_of(engine).items_for("ben", "edit")) < 6


def test_twenty_words_on_one_way_each_for_some_tell_everybody_apart(make_site):
    """More sets of people than are told apart in one go."""
    ways = ["/" + "/".join("abcdefghij"[: n + 1]) for n in range(10)]
    groups = "".join(
        f"[groups.g{n}]\nmembers = {[f'u{each}' for each in range(n, 48, n % 5 + 2)]}\n"
        for n in range(20)
    )
    words = "".join(
        f"[[rules]]\n{verb} = ['edit']\nto = ['group:g{2 * n + more}']\nwhere = '{at}'\n"
        for n, at in enumerate(ways)
        for more, verb in enumerate(("allow", "deny"))
    )
    people = "".join(f"u{n},,,,,,\n" for n in range(48))
    site = make_site(groups + words, people, "".join(f"{at},page,,,,,,,,,\n" for at in ways))
    at = site.moment("2027-05-10")
    right = {
        path: [who for who in sorted(site.data.users) if site.allows(who, "edit", path, at)]
        for path in site.data.items
    }
    lists = lists_of(Engine(site.data, at))
    assert lists.counts("edit").tolist() == [len(who) for who in right.values()]
    assert {path: [*lists.who_may("edit", path)] for path in right} == right
    assert len({tuple(who) for who in right.values()}) == 10


@given(sites(), seeds)
def test_after_every_change_the_next_answer_is_right(site, rng):
    """Rules, roles, readerships, people, items and the moment change, one after the other."""
    site = replace(site, items=site.content, users=site.people)
    at = rng.choice(MOMENTS)
    engine = Engine(site, at)
    for _ in range(5):
        _ask_all(site, engine)  # so that there is much to be forgotten
        site, at = _changed(site, at, rng)
        engine = engine.after(site, at)
        reference = Reference(site, at)
        for (who, action, path), allowed in _ask_all(site, engine).items():
            same("changed", allowed, reference.may(who, action, path).allowed, who, action, path)
        for who in site.users:
            kept = [path for path in site.items if engine.allows(who, "edit", path)]
            rows = lists_of(engine).items_for(who, "edit").tolist()
            assert [path for path, row in zip(site.items, rows, strict=True) if row] == kept


HOW = {
    "by a table": {"MOST": 1_000_000},
    "by what is there": {"MOST": 1_000_000, "_TABLE": 0, "_AT_ONCE": 20, "_FEW_PEOPLE": 0},
    "together": {"MOST": 0},
    "one by one": {"MOST": 0},
}


@pytest.mark.parametrize("how", HOW.values(), ids=HOW)
@given(site=sites(), at=st.sampled_from(MOMENTS), rng=seeds)
def test_the_effects_of_a_rule_are_the_answers_that_change(how, site, at, rng):
    site = replace(site, items=site.content, users=site.people)
    rule = replace(Maker(rng).rule(0), id=None)
    changed = site.with_parts(rules=(*site.rules, rule))
    old, new = Reference(site, at), Reference(changed, at)
    before = Engine(site, at)
    after = before.after(changed, at)
    if after.renewed is None:  # made anew: roles lie across the places of words
        with pytest.raises(ValueError, match="more than words has changed"):
            effects.Comparison(before, after)
        return
    comparison = effects.Comparison(before, after)
    some = ("read", "edit", "publish", "submit", "archive")
    at_most = {"MOST": how["MOST"], "_ONE_BY_ONE": 8 if how is HOW["one by one"] else 0}
    with patch.multiple(effects, **at_most), patch.multiple(every_pair, **how):
        every = {action: comparison.effects(action) for action in some}
    for action, found in every.items():
        for row, path in enumerate(site.items):
            active = [who for who in site.users if after.acting(who)]
            both = [
                (old.may(who, action, path).allowed, new.may(who, action, path).allowed)
                for who in [*active, None]
            ]
            guest = both.pop()
            same("effects", found.gained[row] == both.count((False, True)), True, action, path)
            same("effects", found.lost[row] == both.count((True, False)), True, action, path)
            assert found.guests_gain[row] == (guest == (False, True))
            assert found.guests_lose[row] == (guest == (True, False))


def _ask_all(site: SiteData, engine: Engine) -> dict[tuple[str | None, str, str], bool]:
    return {
        (who, action, path): engine.allows(who, action, path)
        for who in [None, *site.users]
        for action in ("read", "edit", "publish")
        for path in site.items
    }


def _changed(site: SiteData, at: datetime, rng: Random) -> tuple[SiteData, datetime]:
    maker = Maker(rng)
    item = site.items[rng.choice(list(site.items))]
    match rng.randrange(11):
        case 9 | 10:
            return _come_and_gone(site, maker), at
        case 0:
            return site.with_parts(rules=(*site.rules, replace(maker.rule(0), id=None))), at
        case 1:
            return site.with_parts(rules=site.rules[1:]), at
        case 2:
            return site.with_parts(given=(*site.given[1:], maker.given())), at
        case 3:
            user = maker.user(rng.choice([each for each in site.users if each != site.owner]))
            return site.with_parts(users=site.people.with_changed([user])), at
        case 4 if not site.is_part(item.path):
            state = rng.choice(["draft", "published", "archived"])
            changed = replace(item, state=state, authors=maker.some(LOGINS), categories=())
            return site.with_parts(items=site.content.with_changed([changed])), at
        case 5 if all(each.place.name != item.path for each in site.places):
            changed = replace(item, readership=rng.choice(["inner", "outer", None]))
            return site.with_parts(items=site.content.with_changed([changed])), at
        case 6:
            return site.with_parts(places=site.places[1:]), at
        case 7:
            name = rng.choice(maker.roles)
            return site.with_parts(roles={**site.roles, name: maker.all_roles()[name]}), at
        case _:
            return site, rng.choice(MOMENTS)


def _come_and_gone(site: SiteData, maker: Maker) -> SiteData:
    """The site with an item or a person more, or fewer."""
    login = maker.rng.choice([each for each in site.users if each != site.owner])
    path = maker.rng.choice(list(site.items))
    path = next((each for each in site.items if each.endswith("/new")), path)
    match maker.rng.randrange(5):
        case 0 if path != "/" and len(site.items) > 2:
            gone = {path, *site.tree.below(path)}
            return site.with_parts(items=site.content.revised(gone=gone))
        case 1:
            return site.with_parts(users=site.people.revised([maker.user("newcomer")]))
        case 2 if len(site.users) > 3:
            return without_people(site, {login})
        case _:
            return _with_another_item(site, maker)


def _with_another_item(site: SiteData, maker: Maker) -> SiteData:
    """The site with an item more: a page, a post, a part, a link."""
    could = [path for path in site.items if site.items[path].kind != "link"]
    if not could:
        return site
    above = maker.rng.choice(could)
    path = f"{above.rstrip('/')}/{maker.rng.choice(['new', 'another', '0'])}"
    if path in site.items:
        return site
    new = maker.item(path, True, site.is_part(above), list(site.items))
    return site.with_parts(items=site.content.revised([new]))


@given(sites(), seeds)
def test_rows_and_tree_and_parts_are_known_after_any_moves(site, rng):
    """What is derived of a change is what is worked out anew."""
    site = replace(site, items=site.content, users=site.people)
    maker, first = Maker(rng), site
    for _ in range(6):
        site.tree, site.pages, site.content.filled("authors"), site.content.filled("links_to")
        site = _come_and_gone(site, maker) if maker.maybe(0.8) else _changed(site, NOON, rng)[0]
        anew = replace(site, items=dict(site.items), users=dict(site.users))
        assert [*site.tree] == [*anew.tree]
        assert [*site.tree.sections()] == [*anew.tree.sections()]
        names = site.content.names
        pages = {names[part]: names[page] for part, page in site.pages.items()}
        assert pages == {p: anew.page_of(p) for p in anew.items if anew.is_part(p)}
        for column in ("authors", "links_to", "readership"):
            assert site.content.filled(column) == {
                row: value for row, value in enumerate(site.content.values_of(column)) if value
            }
        moved = site.content.moved_since(first.content)
        assert moved is not None
        was = first.content.names
        kept = [name for row, name in enumerate(was) if row not in moved.gone]
        assert kept == [*names[: moved.kept]]
        assert [was[moved.was(row)] for row in range(moved.kept)] == kept
        assert [moved.now(was.index(name)) for name in kept] == [*range(moved.kept)]
        assert all(moved.now(row) is None for row in moved.gone)
        assert len(names) == moved.kept + moved.added
        for row in set(range(moved.kept)) - moved.changed:
            assert site.content.at(row) == first.items[names[row]]
        pieces = differences(first, site)
        assert with_pieces(first, pieces) == site
        if maker.maybe(0.2):
            first = site


def test_a_site_adopts_a_change_or_refuses_it_whole(demo):
    site = pl.Site(demo.data, checked=True)
    asked = ("mirela.kos", "edit", "/visit/prices")
    assert site.may(*asked)
    without = [rule for rule in site.data.rules if rule.id != "mirela-prices"]
    site.adopt(site.data.with_parts(rules=tuple(without)))
    assert not site.may(*asked)
    assert "nothing gives them" in site.may(*asked).reason
    suspended = replace(site.data.users["ines.varga"], status="suspended")
    assert "ines.varga" in site.who_may("edit", "/visit/prices")
    site.adopt(site.data.with_parts(users=site.data.people.with_changed([suspended])))
    assert "ines.varga" not in site.who_may("edit", "/visit/prices")
    bad = Rule(True, ("fly",), (Who("group", "nobody"),))
    with pytest.raises(pl.BadSite) as error:
        site.adopt(site.data.with_parts(rules=(*without, bad)))
    assert len(error.value.problems) == 2
    assert site.data.rules == tuple(without)


def test_other_moments_are_answered_beside_the_present_one(demo):
    asked = ("bo.lind", "edit", "/visit/sailings")
    days = ["2027-03-31", "2027-04-01", "2027-09-30T23:59:59Z", "2027-10-01"]
    assert [bool(demo.may(*asked, at=day)) for day in days] == [False, True, True, False]
    assert [bool(demo.may(*asked, at=day)) for day in days[::-1]] == [False, True, True, False]
    for far in ("0001-01-01", "9999-12-31T23:59:59Z"):
        assert not demo.may(*asked, at=far)
    with pytest.raises(pl.BadValue, match="'10000-01-01' is no moment"):
        demo.may(*asked, at="10000-01-01")


# What is out of all proportion ---------------------------------------------------------


def small(**parts: object) -> SiteData:
    users = {"mo": User("mo"), "cyd": User("cyd")}
    items = {path: Item(path, "page") for path in ("/", "/a", "/a/b")}
    return SiteData("Harbour", "mo", **{"users": users, "items": items, **parts})


def test_a_million_equal_paths():
    assert pl.Site(small()).filter("cyd", "read", ["/a"] * 1_000_000) == ["/a"] * 1_000_000


def test_somebody_in_ten_thousand_groups_that_count_in_each_other():
    names = [f"g{number}" for number in range(10_000)]
    groups = {a: Group(a, counts_in=(b,)) for a, b in zip(names, [*names[1:], "top"], strict=True)}
    cyd = User("cyd", memberships=tuple(map(Membership, names)))
    rule = Rule(True, ("edit",), (Who("group", "top"),))
    site = small(
        groups={**groups, "top": Group("top")},
        users={"mo": User("mo"), "cyd": cyd},
        rules=(rule,),
    )
    assert pl.Site(site).may("cyd", "edit", "/a/b")


def test_a_tree_a_thousand_deep_with_a_word_at_every_step():
    paths = ["/x" * depth for depth in range(1, 1_001)]
    rules = [
        Rule(bool(depth % 2), ("edit", "read"), (Who("user", "cyd"),), Place("path", path))
        for depth, path in enumerate(paths)
    ]
    some = {path: Item(path, "page") for path in (*paths[1::20], *paths[-2:])}
    site = pl.Site(small(items=some, rules=tuple(rules)))
    assert site.may("cyd", "edit", paths[-1])
    assert not site.may("cyd", "edit", paths[-2])
    assert site.items_for("cyd", "edit") == [*paths[1::20], paths[-1]]


def test_tens_of_thousands_of_rules_on_one_place():
    where, cyd = Place("path", "/a"), (Who("user", "cyd"),)
    rules = tuple(Rule(True, ("edit",), cyd, where) for _ in range(30_000))
    site = pl.Site(small(rules=rules), checked=True)
    assert site.may("cyd", "edit", "/a/b")
    deny = Rule(False, ("edit",), cyd, where)
    site.adopt(site.data.with_parts(rules=(*rules, deny)), checked=True)
    assert not site.may("cyd", "edit", "/a/b")
