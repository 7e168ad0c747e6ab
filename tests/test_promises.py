"""What was promised is checked for all of whom it speaks; what a place is, is shown whole."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace
from random import Random
from xml.etree import ElementTree

import pytest
from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from conftest import run
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.views.place_view import place_view
from prim_lantern.decide.views.promises import check_promises, speaks_of
from prim_lantern.site.places import SITE, place
from prim_lantern.site.rights import Promise
from sites import NOON, Maker, random_site

NOW = {"PRIM_LANTERN_NOW": "2027-05-10"}
HANA = ("--by", "hana.okafor", "--yes")


@given(st.integers(0, 2**32).map(Random))
def test_a_promise_is_broken_as_often_as_somebody_may_what_they_must_not(rng):
    site = random_site(rng)
    maker = Maker(rng)
    to = maker.who()
    where = rng.choice([SITE, *map(place, site.items)])
    promise = Promise((to,), rng.random() < 0.5, ("read", "edit"), where)
    site = replace(site, items=site.content, users=site.people, promises=(promise,))
    reference = Reference(site, NOON)
    broken = 0
    for login in (None, *site.users):
        if login is not None and reference.belonging.acting(login) is None:
            continue
        if login == site.owner and not promise.may:
            continue
        for path in site.items:
            about = reference.subject(path)
            if speaks_of(site, promise, path) and reference.is_among(login, to, about):
                for action in promise.actions:
                    broken += reference.may(login, action, path).allowed != promise.may
    (check,) = check_promises(Engine(site, NOON))
    assert check.broken == broken
    assert check.kept == (broken == 0)
    if check.example is not None:
        example = check.example
        told = reference.may(example.who, example.action, example.path).allowed
        assert told != promise.may


def test_promises_are_checked_added_and_removed(demo_folder):
    found = run("promises", site=demo_folder, variables=NOW)
    assert found.returncode == 1
    assert found.stdout.startswith(
        "1. holds: Guests and group Friends may not read at /trustees and below  [site.toml, line 542]"
    )
    assert "No: A guest may not read “Winter opening” (/visit/winter)" in found.stdout
    assert found.stdout.endswith("3 of 5 hold.\n")
    added = run(
        "promise", "add", "group:patrons", "may", "read", "/patrons", "--note", "They pay", *HANA,
        site=demo_folder, variables=NOW,
    )  # fmt: skip
    assert added.stdout.startswith("Promise that group:patrons may read at /patrons.\n"), added
    table = json.loads(run("promises", "--json", site=demo_folder, variables=NOW).stdout)
    assert [each["kept"] for each in table] == [True, True, False, False, True, True]
    again = run(
        "promise", "add", "group:patrons", "may", "read", "/patrons", *HANA, site=demo_folder
    )
    assert "This was promised already" in again.stderr
    removed = run("promise", "remove", "6", *HANA, site=demo_folder, variables=NOW)
    assert removed.stdout.startswith("No longer promise that group:patrons may read at /patrons.\n")
    assert pl.open_site(demo_folder).data == pl.open_demo().data
    for number, said in (
        ("9", "There is no promise 9: there are the promises 1 to 5."),
        ("0", "no promise 0"),
    ):
        assert said in run("promise", "remove", number, *HANA, site=demo_folder).stderr


def test_the_change_that_broke_a_promise_is_found_and_when_it_will_break(make_site, monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", "2027-05-10")
    site = make_site(
        '[groups.crew]\n[[promises]]\nwho = ["group:crew"]\nmay_not = ["edit"]\nwhere = "/log"\n',
        people="ana,Ana,,,crew,,\n",
        content="/log,page,Log,mo,,,,,,,\n/log/a,page,A,mo,,,,,,,\n",
    )
    assert [each.kept for each in site.check_promises(ever=True)] == [True]
    for number in range(1, 12):
        with site.change(by="mo") as change:
            if number == 7:
                change.allow("edit", to="user:ana", where="/log/a")
            else:
                change.change_item("/log", title=f"Log {number}")
    (check,) = site.check_promises()
    assert (check.broken, check.since, check.example.path) == (1, 7, "/log/a")
    with site.change(by="mo") as change:
        change.undo(7)
    assert site.check_promises()[0].kept
    with site.change(by="mo") as change:
        change.allow("edit", to="group:crew", where="/log", since="2027-09-01", until="2027-10-01")
    assert site.check_promises()[0].kept
    (later,) = site.check_promises(ever=True)
    assert (later.broken, later.at.isoformat()) == (2, "2027-09-01T00:00:00+00:00")
    assert site.check_promises("2027-09-15")[0].broken == 2


def test_junit_and_csv(tmp_path):
    file = tmp_path / "promises.xml"
    assert run("promises", "--junit", str(file), variables=NOW).returncode == 1
    suites = ElementTree.parse(file).getroot()  # noqa: S314 - it was just written
    assert (suites.tag, suites.get("tests"), suites.get("failures")) == ("testsuites", "5", "2")
    cases = suites.findall("testsuite/testcase")
    assert [len(case.findall("failure")) for case in cases] == [0, 0, 1, 1, 0]
    rows = csv.DictReader(
        io.StringIO(run("promises", "--csv", "-", variables=NOW).stdout, newline="")
    )
    assert [row["kept"] for row in rows] == ["yes", "yes", "", "", "yes"]


def test_a_site_without_promises_and_promises_of_managing_and_roles(make_site, tmp_path):
    run("new", str(tmp_path / "e"), "--empty", site=None)
    empty = run("promises", site=tmp_path / "e")
    assert (empty.returncode, empty.stdout) == (
        0,
        "Nothing was promised yet: 'promise add' does.\n",
    )
    site = make_site(
        '[roles.editor]\ncapabilities = [{ can = ["edit"] }]\n'
        '[[given]]\nrole = "editor"\nto = ["user:ana"]\nwithin_any = ["/log"]\n'
        '[[promises]]\nwho = ["role:editor"]\nmay = ["edit"]\nwhere = "site"\n'
        '[[promises]]\nwho = ["signed-in"]\nmay_not = ["manage-rights"]\nwhere = "/log"\n'
        '[[promises]]\nwho = ["user:ana"]\nmay_not = ["create"]\nwhere = "/log"\n'
        '[[rules]]\nallow = ["create", "manage-rights"]\nto = ["user:ana"]\nwhere = "/log"\n',
        people="ana,Ana,,,,,\n",
        content="/log,page,Log,mo,,,,,,,\n/news,page,News,mo,,,,,,,\n",
    )
    found = site.check_promises()
    assert [each.broken for each in found] == [0, 1, 1]  # where she holds the role, she may edit


# What a place is ----------------------------------------------------------------------------


@given(st.integers(0, 2**32).map(Random))
def test_every_word_that_holds_at_a_place_is_shown_once_its_own_apart(rng):
    site = random_site(rng)
    site = replace(site, items=site.content, users=site.people)
    engine = Engine(site, NOON)
    where = rng.choice([SITE, *map(place, site.items), *map(place, site.categories)])
    view = place_view(engine, where)
    shown = [p for some in (view.here, view.from_elsewhere) for p in some.get("rights", ())]
    rules = [rule for rule in site.rules if not rule.period.until or rule.period.until > NOON]
    if where.kind == "path":
        about = engine.subject(where.name)
        wanted = [r for r in rules if about.is_held_by(r.place) or r.place.name == where.name]
        assert sum(point.what == "rule" for point in shown) == len(wanted)
    own = sum(rule.place.spot == where.spot for rule in rules)
    assert sum(point.what == "rule" for point in view.here.get("rights", ())) == own


def test_show_tells_what_a_place_is_and_what_holds_there():
    page = run("show", "/trustees/minutes", variables=NOW).stdout
    assert page.startswith(
        "/trustees/minutes  Minutes\n  kind: page\n  state: published\n  authors: Beatrix Lowe\n"
        "  below: 3 items\n  links here: /menu/minutes\n  read by: 5 of 36 active people\n"
    ), page
    near, far = page.index("The rule minutes-stay-inside"), page.index("The role Minute taker")
    assert page.index("set right here") < near < page.index("from elsewhere", near) < far
    panel = run("show", "/sign-in", variables=NOW).stdout
    assert "  page: /\n" in panel
    assert "/sign-in and below: readership Visitors not signed in, for guests" in panel
    category = run("show", "topic:press", variables=NOW).stdout
    assert "group Newsroom may not edit or publish in topic:press, from 2027-05-08" in category
    whole = json.loads(run("show", "--json", variables=NOW).stdout)
    assert (whole["where"], whole["owner"]) == ("site", "Hana Okafor")
    wrong = run("show", "/trustee")
    assert "Did you mean /trustees" in wrong.stderr


@pytest.mark.parametrize("path", ["/log/seal-count", "/"])
def test_what_is_shown_of_an_item_is_in_the_words_of_who_it_speaks_of(path, demo):
    view = demo.place_view(path, "2027-05-10")
    assert view.where == path
    facts = {each.what: each.text for each in view.facts}
    assert facts["kind"] == demo.data.all_kinds[demo.data.items[path].kind].called
