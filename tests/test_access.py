"""Who may do what at or below a place, by which way: what an auditor asks."""

from __future__ import annotations

import csv
import io
import json
from dataclasses import replace
from itertools import product
from random import Random

from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from conftest import run
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import explain
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.views.access import access_to, changing_actions
from prim_lantern.site.places import SITE, is_above, place
from sites import NOON, random_site

NOW = {"PRIM_LANTERN_NOW": "2027-05-10"}


@given(st.integers(0, 2**32).map(Random))
def test_it_tells_just_who_may_and_for_each_item_its_own_way(rng):
    data = random_site(rng)
    data = replace(data, items=data.content, users=data.people)
    engine, reference = Engine(data, NOON), Reference(data, NOON)
    where = rng.choice([SITE, *(place(path) for path in data.items)])
    actions = rng.sample(["read", "edit", "publish", "delete", "comment", "see-drafts"], 3)
    found = {}
    for each in access_to(engine, actions, where):
        for path in each.places:
            found[each.who, each.action, path] = each.why
    wanted = {}
    active = [login for login in data.users if engine.acting(login) is not None]
    for login in (None, *active):
        for action in actions:
            for path in data.items:
                if where != SITE and path != where.name and not is_above(where.name, path):
                    continue
                question = Question(login, action, NOON, path)
                trace = trace_of(reference, question)
                if trace.allowed:
                    told = explain(reference, question, trace)
                    wanted[login, action, path] = told.short
    assert found == wanted


@given(st.integers(0, 2**32).map(Random))
def test_creating_filing_and_managing_are_told_as_they_are_decided(rng):
    data = random_site(rng)
    data = replace(data, items=data.content, users=data.people)
    engine = Engine(data, NOON)
    site = pl.Site(data)
    for each in access_to(engine, ["create"], SITE):
        for parent in each.places:
            filed = [(), *((category,) for category in data.categories)]
            asked = product([each.who], data.all_kinds, [parent], filed)
            assert any(engine.may_create(*one) for one in asked), each
    category = rng.choice(list(data.categories))
    filing = {
        (e.who, p) for e in access_to(engine, ["file-under"], place(category)) for p in e.places
    }
    active = [login for login in data.users if engine.acting(login) is not None]
    assert filing == {
        (who, path)
        for who in (None, *active)
        for path in data.items
        if site.may_file(who, path, category, NOON)
    }
    for action in ("manage-rights", "manage-people"):
        managing = {e.who for e in access_to(engine, [action], SITE) if "site" in e.places}
        assert managing == {w for w in (None, *active) if site.may_manage(w, action, "site", NOON)}


def test_the_auditors_question_is_one_command_and_one_table(tmp_path):
    file = tmp_path / "audit.csv"
    done = run("who", "any", "/stations", "--below", "--csv", str(file), variables=NOW)
    assert done.stdout.startswith("Wrote ")
    rows = list(csv.DictReader(io.StringIO(file.read_text(encoding="utf-8"), newline="")))
    assert list(rows[0]) == ["login", "name", "action", "count", "first", "by", "written"]
    site = pl.open_demo()
    who = {row["login"] for row in rows}
    assert who == {
        *("hana.okafor", "ines.varga", "joon.park", "leif.aronsen"),
        *("odile.bastien", "priya.nandakumar"),
    }
    leif = {row["action"]: row for row in rows if row["login"] == "leif.aronsen"}
    edit = leif["edit"]
    assert int(edit["count"]) == sum(
        path.startswith("/stations")
        for path in site.items_for("leif.aronsen", "edit", "2027-05-10")
    )
    assert edit["by"] == "by the role Station keeper, through group Keepers of Fennick Rock"
    assert edit["written"] == "site.toml, line 257; site.toml, line 64"
    assert set(changing_actions(site.data)) >= {row["action"] for row in rows}


def test_who_for_one_item_several_actions_and_what_needs_more():
    for arguments, first in (
        (["edit", "/stations/fennick"], "4 of 36 active people may edit /stations/fennick."),
        (["edit,publish", "/visit"], "2 of 36 active people may edit or publish /visit."),
        (["any", "/visit", "--below"], "4 of 36 active people may change anything at /visit or below it."),
        (["create", "/log", "--kind", "post"], "6 of 36 active people may create a Log entry below /log."),
        (["file-under", "/log/seal-count", "--filed", "topic:press"],
         "3 of 36 active people may file /log/seal-count under topic:press."),
        (["manage-rights", "/trustees"], "3 of 36 active people may manage rights at /trustees."),
        (["edit", "site"], "18 of 36 active people may edit something on the site."),
        (["edit", "topic:press"], "2 of 36 active people may edit something filed under topic:press."),
        (["any", "site"], "36 of 36 active people may change anything on the site."),
        (["manage-rights", "site"], "2 of 36 active people may manage rights at the whole site."),
        (["read", "/news"], "36 of 36 active people may read /news."),
    ):  # fmt: skip
        done = run("who", *arguments, variables=NOW)
        lines = done.stdout.split("\n")
        assert lines[0] == first, done
        guests = "Guests may read as well." if arguments[0] == "read" else "Guests may not."
        assert lines[1] == guests
    told = json.loads(run("who", "read", "/trustees", "--json", variables=NOW).stdout)
    beatrix = next(each for each in told if each["login"] == "beatrix.lowe")
    assert beatrix["by"] == "it is published, and open to group Trustees"
    assert len(beatrix["written"]) == 2  # the readership, and why she is a trustee


def test_who_refuses_what_cannot_be_asked():
    for arguments, said in (
        (["edti", "/visit"], "The action 'edti' is not known on this site. Did you mean edit?"),
        (["edit", "/vist"], "The item '/vist' is not known on this site. Did you mean /visit or"),
        (["file-under", "/log"], "'file-under' is asked of a category."),
        (["edit", "/visit", "--kind", "page"], "--kind belongs to create."),
        (["create", "/visit", "--kind", "paeg"], "The kind 'paeg' is not known on this site."),
    ):
        done = run("who", *arguments)
        assert (done.returncode, done.stdout) == (2, ""), done
        assert said in done.stderr.replace("\n  ", " ")


def test_a_table_sheds_columns_before_it_wraps_and_is_cut_to_a_page(tmp_path):
    wide = run("who", "read", "/news", variables={**NOW, "COLUMNS": "100"}).stdout
    narrow = run("who", "read", "/news", variables={**NOW, "COLUMNS": "60"}).stdout
    assert "Name" in wide
    assert "Name" not in narrow.split("─")[0]
    assert all(len(line) <= 60 for line in narrow.splitlines())
    assert "elowen.pryce" not in narrow  # a byline
    folder = tmp_path / "many"
    run("new", str(folder), "--empty", site=None)
    people = folder / "people.csv"
    rows = "".join(f"user{n:03},User {n},,,,,\n" for n in range(80))
    people.write_text(people.read_text(encoding="utf-8") + rows, encoding="utf-8")
    (folder / "content.csv").write_text("path,kind\n/,page\n", encoding="utf-8")
    page = run("who", "read", "/", site=folder).stdout
    assert page.endswith("32 more; --all shows them, --csv writes them.\n"), page[-200:]
    assert "user079" in run("who", "read", "/", "--all", site=folder).stdout


def test_cells_that_a_spreadsheet_would_run_are_made_safe(demo_folder):
    run(
        "user",
        "change",
        "kit.farrow",
        "--name",
        '=HYPERLINK("x")',
        "--by",
        "hana.okafor",
        site=demo_folder,
    )
    told = run("who", "read", "/news", "--csv", "-", site=demo_folder).stdout
    names = [row["name"] for row in csv.DictReader(io.StringIO(told, newline=""))]
    assert '\'=HYPERLINK("x")' in names


def test_a_word_about_pages_lets_somebody_create_their_parts(make_site):
    rule = '[[rules]]\nallow = ["create"]\nto = ["user:ann"]\nkinds = ["page"]\n'
    items = "/a,page,A,mo,,published,,,,,\n/b,post,B,mo,,published,,,,,"
    kinds = '[kinds.post]\nlabel = "Post"\n'
    site = make_site(kinds + rule, "ann,Ann,,active,,,", items)
    assert site.may_create("ann", "panel", "/a")
    assert list(site.parents_for("ann", "panel")) == ["/a"]
