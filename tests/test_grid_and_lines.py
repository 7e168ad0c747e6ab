"""What the marks of the grid mean, and on which lines things are found."""

from __future__ import annotations

from dataclasses import replace

import pytest
from hypothesis import given

import prim_lantern as pl
from conftest import run
from prim_lantern.errors import BadValue
from prim_lantern.formats.folder.lines import TomlLines
from prim_lantern.formats.folder.plain import plain_tables
from prim_lantern.formats.folder.toml_text import fresh_text
from prim_lantern.site.moments import Duration, Period, moment
from prim_lantern.site.names import nearest
from prim_lantern.site.places import is_above, place, tree_order, way_to
from prim_lantern.site.who import who
from sites import NOON, sites

AT = "2027-05-10"

MARKS = [
    ("sam.whitlock", "/log", "edit", "below"),  # not the page itself, but his posts there
    ("sam.whitlock", "/log/seal-count", "edit", "yes"),  # his draft: of him by name it is a yes
    ("sam.whitlock", "/log/terns", "edit", ""),  # his, but no draft: nobody has spoken
    ("sam.whitlock", "/log", "create", "yes"),
    ("sam.whitlock", "/visit", "create", ""),
    ("sam.whitlock", "/trustees", "read", "no"),
    ("sam.whitlock", "topic:heritage", "file-under", "yes"),
    ("sam.whitlock", "topic:press", "file-under", ""),
    ("sam.whitlock", "topic:press", "create", ""),
    ("group:log-approvers", "/log", "edit", "below"),
    ("group:volunteers", "/log", "edit", "below"),
    ("group:volunteers", "/log/bees", "submit", "own"),
    ("group:friends", "/events", "edit", "below"),
    ("group:teachers", "/learn", "edit", "no"),  # somebody said no
    ("guests", "/log", "comment", "no"),
    ("signed-in", "/log", "comment", "yes"),
    ("everyone", "/log", "comment", "no"),  # guests are among everyone
    ("everyone", "/visit", "read", "yes"),
    ("guests", "/sign-in", "read", "yes"),
    ("everyone", "/sign-in", "read", "no"),
    ("hana.okafor", "/menu", "edit", "yes"),  # a section without a page
    ("leif.aronsen", "/log/storm-watch", "publish", "no"),  # four eyes
]


@pytest.mark.parametrize(("who", "where", "action", "mark"), MARKS)
def test_a_mark(demo, who, where, action, mark):
    assert demo.grid_data([who], [where], [action], AT).marks == (((mark,),),)


@given(sites())
def test_the_grid_and_may_agree_in_every_cell_of_an_item(data):
    """A named person: yes where they may, and never else. Others: own and below are no yes either,
    but for what is theirs, or further in."""
    data = replace(data, items=data.content, users=data.people)
    site = pl.Site(data)
    people = [login for login, user in data.users.items() if user.status == "active"]
    whos = ["guests", "signed-in", *people, *(f"group:{name}" for name in data.groups)]
    actions = ["read", "edit", "publish"]
    found = site.grid_data(whos, list(data.items), actions, NOON)
    for row, marks in zip(found.rows, found.marks, strict=True):
        for each, some in zip(whos, marks, strict=True):
            for action, mark in zip(actions, some, strict=True):
                asked = pl.pictured(each) if each not in people else each
                allowed = bool(site.may(asked, action, row.where, NOON))
                assert (mark == "yes") == allowed, (row.where, each, action, mark)
                assert mark in ("yes", "no", "own", "below", "")
                assert mark != "own" or each not in people
                if mark == "below" and action == "read":
                    assert any(is_above(row.where, p) for p in site.items_for(asked, "read", NOON))


def test_words_of_their_own_are_counted(demo):
    rows = demo.grid_data(["guests"], ["/", "/log", "/visit", "/about", "topic:press"]).rows
    assert [(row.own_words, bool(row.below)) for row in rows] == [
        (0, True),
        (4, True),
        (1, True),
        (0, False),
        (3, False),
    ]


def test_the_top_sections_come_without_being_named(demo):
    rows = [row.where for row in demo.grid_data().rows]
    assert rows == demo.top_sections()
    assert "/menu" in rows  # a section without a page
    assert "/sign-in" not in rows  # a part of the home page


TOML = """\
# a comment with [brackets] and "quotes"
[site]
name = "a # b [c]"

[groups.crew]
about = \"\"\"
[not.a.table]
key = 1
\"\"\"
when = [ # rows
  { a = { is = "x, y" } },

  { b = { one_of = ["1", "2"] } },
]
"odd key" = 'lite"ral'
[[rules]]
to = ["guests",
  "everyone"]
[[rules]]
deny = ["read"]
[category_sets.topic]
"sea/gulls" = "Gulls"
"""


@pytest.mark.parametrize(
    ("where", "line"),
    [
        (("site",), 2),
        (("site", "name"), 3),
        (("groups", "crew"), 5),
        (("groups", "crew", "about"), 6),
        (("groups", "crew", "when"), 10),
        (("groups", "crew", "when", 0), 11),
        (("groups", "crew", "when", 1), 13),
        (("groups", "crew", "odd key"), 15),
        (("rules", 0), 16),
        (("rules", 0, "to", 1), 18),
        (("rules", 1, "deny"), 20),
        (("category_sets", "topic", "sea/gulls"), 22),
        (("groups", "crew", "nothing"), 5),
        (("nowhere", "at", "all"), 1),
    ],
)
def test_the_line_of(where, line):
    assert TomlLines(TOML).of(*where) == line


@given(sites())
def test_every_key_is_found_on_its_line(site):
    text = fresh_text(plain_tables(site))
    lines, rows = TomlLines(text), text.split("\n")
    for name, tables in plain_tables(site).items():
        listed = list(enumerate(tables)) if isinstance(tables, list) else []
        named = tables.items() if isinstance(tables, dict) and name != "site" else listed
        for key, table in named:
            assert rows[lines.of(name, key) - 1].startswith("[")
            for inner in table:
                assert rows[lines.of(name, key, inner) - 1].lstrip('"').startswith(inner)


@pytest.mark.parametrize(
    ("read", "text"),
    [
        (moment, "2027-13-01"),
        (moment, "20270101"),
        (moment, "2027-W01-1"),
        (moment, "9999-12-31T23:00-05:00"),
        (moment, ""),
        (Duration.read, "0 days"),
        (Duration.read, "1 fortnight"),
        (place, "log"),
        (place, "topic:"),
        (place, "/a//b"),
        (place, "/a/../b"),
        (place, "/a\nb"),
        (place, "/" + "x" * 20_000),
        (who, "nobody"),
        (who, "user:"),
        (who, "people:sam"),
    ],
)
def test_what_cannot_be_read_names_the_value(read, text):
    with pytest.raises(BadValue) as raised:
        read(text)
    assert raised.value.value == text
    assert len(str(raised.value)) < 200


def test_periods():
    may, june, july = (moment(f"2027-0{month}-01") for month in (5, 6, 7))
    assert Period(may, july).covers(Period(may, june))
    assert not Period(may, july).covers(Period(may, None))
    assert Period().covers(Period(may, None))
    assert Period(june, may).empty
    assert not Period(None, may).empty
    assert str(Period(may, july)) == "from 2027-05-01 until 2027-07-01"


def test_paths_and_near_names():
    paths = ["/b", "/a/c", "/a", "/", "/a-b", "/a/b"]
    assert sorted(paths, key=tree_order) == ["/", "/a", "/a/b", "/a/c", "/a-b", "/b"]
    assert way_to("/a/b") == ("/", "/a", "/a/b")
    many = [f"person-{number}" for number in range(5_000)]
    assert nearest("xerson-77", many) == ()  # in a long list, only what starts alike is near
    assert nearest("person-7777", many)[0].startswith("person-")
    assert nearest("CREW", ["crew", "crew-north"]) == ("crew",)


def test_a_decision_is_kept_apart_from_its_reason(demo):
    decision = demo.may("sam.whitlock", "edit", "/log/seal-count", AT)
    assert decision
    assert repr(decision).startswith("<Decision yes: who='sam.whitlock' action='edit'")
    assert decision.explanation == demo.why("sam.whitlock", "edit", "/log/seal-count", AT)
    assert [point.what for point in decision.explanation.because] == ["given-role"]
    assert isinstance(decision.explanation.because[0], pl.Point)


def test_readers_in_threads_get_right_answers(demo):
    from concurrent.futures import ThreadPoolExecutor

    fresh = pl.open_demo()
    asked = [
        (login, path) for login in list(fresh.data.users)[::4] for path in fresh.data.paths[::3]
    ]
    expected = [bool(demo.may(login, "read", path, AT)) for login, path in asked]
    with ThreadPoolExecutor(8) as pool:
        found = list(pool.map(lambda each: bool(fresh.may(each[0], "read", each[1], AT)), asked))
    assert found == expected


def test_rows_and_columns_that_say_the_same_are_folded_and_it_is_said(make_folder):
    groups = "".join(f'[groups.g{n:02}]\nlabel = "Desk {n}"\n' for n in range(12))
    rule = '[[rules]]\nallow = ["edit"]\nto = ["group:g03"]\nwhere = "/s15"\n'
    content = "".join(f"{e},page,,,,,,,,,\n" for e in ("/", *(f"/s{n:02}" for n in range(30))))
    folder = make_folder(groups + rule, content=content)
    shown = run("grid", site=folder).stdout
    assert "guests and 12 more" in shown
    assert "guests and 12 more: signed-in, Desk 0, Desk 1, Desk 2, Desk 4" in shown
    rows = [line.split()[0] for line in shown.splitlines() if line.startswith(" /")]
    assert rows == ["/", "/s15", "/s16"]
    assert "… 15 more, the same" in shown
    assert "28 rows that say the same as the one before are folded; --all has all." in shown
    every = run("grid", "--all", site=folder).stdout
    assert sum(line.startswith(" /") for line in every.splitlines()) == 31
    assert "folded" not in every
    assert run("grid", "--csv", "-", site=folder).stdout.count("\n") == 32
