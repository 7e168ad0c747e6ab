"""The site folder: what is wrong is said exactly, all at once; what is right reads back equal."""

from __future__ import annotations

import json
import shutil
import tomllib
from copy import deepcopy
from dataclasses import replace
from difflib import ndiff
from tempfile import TemporaryDirectory
from unittest import mock

import jsonschema
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.formats.folder.plain import plain_tables
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.formats.folder.schema import site_schema
from prim_lantern.formats.folder.toml_text import fresh_text, updated_text
from prim_lantern.formats.folder.window import Window
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.site.check import problems_in
from prim_lantern.site.people import Group
from prim_lantern.starting import start_folder
from sites import sites

GROUPS = "[groups.crew]\n[groups.guild]\n"
TOPIC = '[category_sets.topic]\nsea = "Sea"\n'
RULE = '[[rules]]\nallow = ["edit"]\nto = ["everyone"]\n'
GIVEN = '[roles.mate]\n[[given]]\nrole = "mate"\nto = ["guests"]\n'
PLACE = '[[places]]\nwhere = "/a"\n'

# What follows [site] (three lines), and what is said of it.
TOML_MISTAKES = [
    ("[grups.crew]", "site.toml, line 4: 'grups' is no table of site.toml. Did you mean groups?"),
    ("[groups.Crew]", "site.toml, line 4: 'Crew' is no proper name here: use lower-case letters, digits, '-', '.' and '_'."),
    ("[groups.crew]\nlable = 1", "site.toml, line 5, lable: 'lable' is no key of this table. Did you mean label?"),
    ("[groups.crew]\nlabel = 1", 'site.toml, line 5, label: 1 cannot be the value of label: write a text in quotes ("…").'),
    ("[groups.crew]\nmembers = [\n'mo',\n'moe',\n]", "site.toml, line 5, members: 'moe' is no user of this site. Did you mean mo?"),
    ("[groups.crew]\ncounts_in = ['crwe']", "site.toml, line 5, counts_in: 'crwe' is no group of this site. Did you mean crew?"),
    ("[groups.a]\ncounts_in=['b']\n[groups.b]\ncounts_in=['a']", "site.toml, line 5, counts_in: 'a → b → a' leads round in a circle (a group cannot count in itself)."),
    ("[groups.crew]\nstewards = ['everyone']", "site.toml, line 5, stewards: 'everyone' cannot stand here, only: user, group."),
    ("[groups.crew]\nstewards = ['mo']", "site.toml, line 5, stewards[0]: 'mo' names nobody: write user:…, group:…, role:…, everyone, guests or signed-in."),
    ("[groups.crew]\nwhen = [\n{ job = { is = 'x' } },\n]", "site.toml, line 6, when[0]: 'job' is no column of people.csv."),
    ("[groups.crew]\nwhen = [{ name = { was = 'x' } }]", "site.toml, line 5, when[0]: 'was' is no test: use one of is, is_not, one_of, none_of, contains, before, after, filled."),
    ("[groups.crew]\nwhen = [{ joined = { after = 'May' } }]", "site.toml, line 5, when[0]: 'May' cannot be the value of after: write a day (2027-01-31)."),
    ("[plans.year]\nlasts = 'one year'", "site.toml, line 5, lasts: 'one year' is no duration: write it as '30 days', '6 months' or '1 year'."),
    ("[kinds.panel]\nlink = true", "site.toml, line 5, link: 'panel' cannot be a part and a link at once."),
    ("[kinds.page]\npart = true", "site.toml, line 5, part: 'page' is built in as neither part nor link; that cannot be changed. Name a new kind."),
    ("[kinds.panel]\nmust_be_filed = true", "site.toml, line 5, must_be_filed: 'panel' is a part and has its page's categories; it cannot be filed itself."),
    ("[kinds.post]\nfiled_under = ['topc']\n" + TOPIC, "site.toml, line 5, filed_under: 'topc' is no category set of this site. Did you mean topic?"),
    ("[actions.read]", "site.toml, line 4: 'read' is built in; give an action of the site another name."),
    ("[actions.a]\nbrings=['b']\n[actions.b]\nbrings=['a']", "site.toml, line 5, brings: 'a → b → a' leads round in a circle (an action cannot bring itself)."),
    ("[category_sets.topic]\n'sea/gulls' = 'Gulls'", "site.toml, line 5, sea/gulls: 'sea/gulls' lies below 'sea', which this set does not have; add it."),
    ("[roles.mate]\nincludes = ['mat']", "site.toml, line 5, includes: 'mat' is no role of this site. Did you mean mate?"),
    ("[roles.mate]\nall_access = true\nincludes = ['mate']", "site.toml, line 6, includes: 'mate' has all access: it has neither capabilities nor included roles."),
    ("[roles.mate]\ncapabilities = [\n{ can = ['read'] },\n{ can = ['edt'] },\n]", "site.toml, line 7, capabilities[1]: 'edt' is no action of this site. Did you mean edit?"),
    ("[roles.mate]\ncapabilities = [{ kinds = ['page'] }]", "site.toml, line 5, capabilities[0]: 'this row' gives nothing: name actions in can or own."),
    ("[roles.mate]\ncapabilities = [{ own = ['manage-rights'] }]", "site.toml, line 5, capabilities[0]: 'manage-rights' is about places, not items: it cannot have kinds, states or own. Write it in a row or rule of its own, without them."),
    ("[roles.mate]\ncapabilities = [{ can = ['read'], in_state = ['drft'] }]", "site.toml, line 5, capabilities[0]: 'drft' is not possible here: use one of draft, in-review, scheduled, published, archived. Did you mean draft?"),
    (GIVEN + "since = 2027-05-01\nuntil = 2027-05-01", "site.toml, line 9, until: '2027-05-01' is not after the start, 2027-05-01: the period would never be."),
    (GIVEN + "within_any = ['/a', 'topic:sea']", "site.toml, line 8, within_any: 'topic:sea' is no category of this site."),
    ("[[given]]\nto = ['guests']", "site.toml, line 4, role: 'role' is missing here."),
    ("[given]\nrole = 'x'", "site.toml, line 4: 'given' must stand in double brackets: [[given]]."),
    ("[readerships.public]\nreaders = ['everyone']", "site.toml, line 4: 'public' is built in; give a readership of the site another name."),
    ("[readerships.x]\nreaders = []", "site.toml, line 5, readers: 'readers' is missing or empty; name at least one."),
    ("[readerships.x]\nreaders = ['group:crew']", "site.toml, line 5, readers: 'group:crew' is no group of this site."),
    (PLACE + "readership = 'x'", "site.toml, line 6, readership: 'x' is no readership of this site."),
    (PLACE + PLACE, "site.toml, line 7, where: '/a' is set twice (first at site.toml, line 4); join them."),
    (PLACE + "readership_from_above = false", "site.toml, line 6, readership_from_above: '/a' keeps the readerships from above away, but names none of its own."),
    (PLACE + "reach = 'only-here'", "site.toml, line 6, reach: 'only-here' says which items the readership covers, but none is named here."),
    ("[[places]]\nwhere = 'site'\nreadership = 'public'", "site.toml, line 5, where: 'site' is set under [site]: use default_readership there."),
    ("[[places]]\nwhere = '/'\nrights_from_above = false", "site.toml, line 6, rights_from_above: '/' cannot cut itself off: it is the home page alone, with nothing below it."),
    (TOPIC + "[[places]]\nwhere = 'topic:sea'\nrights_from_above = false", "site.toml, line 8, rights_from_above: 'topic:sea' is a category: only a path can cut itself off."),
    (RULE + "deny = ['read']", "site.toml, line 5, allow: 'allow' stands beside deny: a rule has one of the two."),
    ("[[rules]]\nto = ['guests']", "site.toml, line 4, allow: 'allow' is missing or empty; name at least one."),
    (RULE + "where = '/'\nreach = 'only-below'", "site.toml, line 8, reach: 'only-below' cannot be the reach of '/': it is always only-here. For everything write site."),
    (RULE + "where = 'log'", "site.toml, line 7, where: 'log' is no place: write site, a path (/log) or a category (topic:press)."),
    (RULE + "where = '/log/'", "site.toml, line 7, where: '/log/' is no proper path: between two '/' stands a name, and none at the end."),
    (RULE + "reach = 'only-here'", "site.toml, line 7, reach: 'only-here' is a reach, and only a path has one; site is none."),
    (RULE + "no_exceptions = true", "site.toml, line 7, no_exceptions: 'true' can only be said of a deny: an allow always has exceptions."),
    (RULE + "whose = 'mine'", "site.toml, line 7, whose: 'mine' is not possible here: use one of any, own, others."),
    (RULE + "id = 'x'\n" + RULE + "id = 'x'", "site.toml, line 11, id: 'x' is the id of two rules (first at site.toml, line 4)."),
    (RULE + "since = 'soon'", "site.toml, line 7, since: 'soon' is no moment: write a day as 2027-01-31 or a time as 2027-01-31T09:30Z."),
    ("[[rules]]\nallow = ['manage-rights']\nto = ['guests']\nkinds = ['page']", "site.toml, line 5, allow: 'manage-rights' is about places, not items: it cannot have kinds, states or own. Write it in a row or rule of its own, without them."),
    ("[[limits]]\nkind = 'page'\nwhere = '/a'\nat_most = -1", "site.toml, line 7, at_most: -1 is not possible: write a whole number from 0 on."),
    ("[[limits]]\nkind = 'page'\nwhere = '/a'\nat_most = true", "site.toml, line 7, at_most: True cannot be the value of at_most: write a whole number."),
    ("[[promises]]\nwho = ['guests']\nmay = ['read']\nwhere = 'topic:x'", "site.toml, line 7, where: 'topic:x' is no category of this site."),
    ("[site]\n", "site.toml, line 4: '[site]' is no proper TOML: This key or table is there twice."),
    ("[groups.crew\n", "site.toml, line 4: '[groups.crew' is no proper TOML: Expected ']' at the end of a table declaration."),
]  # fmt: skip

ROW_MISTAKES = [
    ("people", "MO,Mo,,,,,", "people.csv, line 3, login: 'MO' is there twice (first in line 2); a login belongs to one person."),
    ("people", "a b,,,,,,", "people.csv, line 3: 'a b' cannot be a login: use letters, digits and marks, no spaces, none of ; : , / \"'"),
    ("people", "ann,,,activ,,,", "people.csv, line 3, status: 'activ' is not possible here: use one of active, invited, suspended, byline. Did you mean active?"),
    ("people", "ann,,,,crew@2027,,", "people.csv, line 3, groups: 'crew@2027' has no proper period: write group@2026-05-01..2027-05-01."),
    ("people", "ann,,,,crew@2027-05-02..2027-05-01,,", "people.csv, line 3, groups: 'crew' would never be a member: from 2027-05-02 until 2027-05-01 holds no moment."),
    ("people", "ann,,,,plan:yaer@2027-05-02,,", "people.csv, line 3, groups: 'plan:yaer' is no plan of this site. Did you mean plan:year?"),
    ("people", "ann,,,,plan:year,,", "people.csv, line 3, groups: 'plan:year' needs the day it starts: write plan:name@2026-05-01 (or plan:name@2026-05-01..2026-09-01, where it was ended early)."),
    ("people", "ann,,,,plan:year@2026-05-01..,,", "people.csv, line 3, groups: 'plan:year@2026-05-01..' needs the day it starts: write plan:name@2026-05-01 (or plan:name@2026-05-01..2026-09-01, where it was ended early)."),
    ("people", "ann,,,,plan:year@2026-05-01..2026-04-01,,", "people.csv, line 3, groups: 'plan:year' would never be in force: from 2026-05-01 until 2026-04-01 holds no moment."),
    ("people", "ann,,,,plan:year@9999-05-01,,", "people.csv, line 3, groups: 'plan:year' ends after the year 9999; choose a shorter one."),
    ("people", "ann,,,,,,yesterday", "people.csv, line 3, joined: 'yesterday' is no moment: write a day as 2027-01-31 or a time as 2027-01-31T09:30Z."),
    ("people", "ann,,,,,,,,,", "people.csv, line 3: 'ann,,,,,,,,,' has 10 cells, but there are 7 columns."),
    ("people", 'ann,"Ann,,,,,', "people.csv, line 3: 'line 3' is no proper CSV: a quote that opens here is never closed."),
    ("content", "/a,pots,,,,,,,,,", "content.csv, line 2, kind: 'pots' is no kind of this site. Did you mean post?"),
    ("content", "a,page,,,,,,,,,", "content.csv, line 2: 'a' is no path: a path starts with '/'."),
    ("content", "/a,page,,,,,,,,,\n/a,post,,,,,,,,,", "content.csv, line 3, path: '/a' is there twice (first in line 2); one item stands at a path."),
    ("content", "/a,page,,ann,,,,,,,", "content.csv, line 2, authors: 'ann' is no user of this site."),
    ("content", "/a,page,,,,live,,,,,", "content.csv, line 2, state: 'live' is not possible here: use one of draft, in-review, scheduled, published, archived."),
    ("content", "/a,page,,,,scheduled,,,,,", "content.csv, line 2, public_from: 'scheduled' needs a public_from: when does it become public?"),
    ("content", "/a,page,,,,,,,2027-05-02,2027-05-01,", "content.csv, line 2, public_until: '2027-05-01' is not after public_from, 2027-05-02."),
    ("content", "/a,page,,,,,topic:see,,,,", "content.csv, line 2, categories: 'topic:see' is no category of this site. Did you mean topic:sea?"),
    ("content", "/a,post,,,,,topic:sea,,,,", "content.csv, line 2, categories: 'topic:sea' cannot be a category of a post: it is filed under series only."),
    ("content", "/a,page,,,,,,,,,/b", "content.csv, line 2, links_to: '/b' belongs to a link; this is a page."),
    ("content", "/a,link,,,,,,,,,", "content.csv, line 2, links_to: '/a' is a link and needs a path it links to."),
    ("content", "/a,link,,,,,,,,,/b\n/b,link,,,,,,,,,/a", "content.csv, line 2, links_to: '/a → /b → /a' leads round in a circle (a link must end at something that is no link)."),
    ("content", "/a,link,,,,,,,,,/x\n/a/b,page,,,,,,,,,", "content.csv, line 3, path: '/a/b' stands below the link /a; nothing can."),
    ("content", "/a/p,panel,,,,,,,,,", "content.csv, line 2, path: '/a/p' is a part without a page: no item stands at /a."),
    ("content", "/a,page,,,,,,,,,\n/a/p,panel,,mo,,draft,,,,,", "content.csv, line 3, authors: 'mo' must stay empty: the authors of a part are its page's."),
    ("content", "/a,page,,,,,,,,,\n/a/p,panel,,,,,,,,,\n/a/p/x,page,,,,,,,,,", "content.csv, line 4, path: '/a/p/x' stands below the part /a/p, where only parts can be."),
    ("content", "/a,page,,,,,,inner,,,", "content.csv, line 2, readership: 'inner' is no readership of this site."),
    ("content", "/closed,page,,,,,,public,,,", "site.toml, line 12, readership: '/closed' has a readership here and in content.csv (public); keep one."),
]  # fmt: skip
AROUND_ROWS = (
    "[kinds.post]\nfiled_under=['series']\n[category_sets.topic]\nsea='Sea'\n"
    "[category_sets.series]\ntalks=''\n[[places]]\nwhere='/closed'\nreadership='nobody'\n"
    "[plans.year]\nlasts='1 year'\n[groups.crew]\n"
)


def problems(folder) -> list[str]:
    with pytest.raises(pl.BadSite) as raised:
        pl.open_site(folder)
    return [str(problem) for problem in raised.value.problems]


@pytest.mark.parametrize(("toml", "message"), TOML_MISTAKES)
def test_a_mistake_in_site_toml(make_folder, toml, message):
    found = problems(make_folder(toml))
    assert message in found


@pytest.mark.parametrize(("file", "rows", "message"), ROW_MISTAKES)
def test_a_mistake_in_a_row(make_folder, file, rows, message):
    found = problems(make_folder(AROUND_ROWS, **{file: rows}))
    assert message in found


def test_all_mistakes_are_said_at_once_in_order(make_folder):
    folder = make_folder(
        "[groups.crew]\nmembers = ['nobody']\n[bad]\n" + RULE + "where = 'topic:x'",
        people="ann,,,asleep,,,\n",
        content="/a,pge,,,,,,,,,\nb,page,,,,,,,,,\n",
    )
    assert [each.rpartition(": ")[0].partition(":")[0] for each in problems(folder)] == [
        "site.toml, line 5, members",
        "site.toml, line 6",
        "site.toml, line 10, where",
        "people.csv, line 3, status",
        "content.csv, line 2, kind",
        "content.csv, line 3",
    ]


BROKEN_FILES = [
    ("people.csv", None, "people.csv, line 1: 'people.csv' is missing; a site folder has three files."),
    ("people.csv", b"login,name\n", "people.csv, line 1: 'groups' is a column that people.csv needs; its first line names the columns."),
    ("content.csv", b"path,kind,titel\n", "content.csv, line 1: 'titel' is no column of content.csv. Did you mean title?"),
    ("content.csv", b"path,title\n", "content.csv, line 1: 'kind' is a column that content.csv needs; its first line names the columns."),
    ("content.csv", b"path,kind,kind\n", "content.csv, line 1: 'kind' is the name of two columns; keep one."),
    ("content.csv", b"path,kind\n/a,page\n/b,p\xe4ge\n", "content.csv, line 3: '0xe4' is a byte that is not UTF-8; save the file as UTF-8."),
    ("content.csv", b'path,kind\n/a,"' + b"x" * 10_000_000 + b'"\n', "content.csv, line 2: 'line 2' is no proper CSV: a cell is longer than 131,072 letters. Is a closing quote missing?"),
    ("site.toml", b"[site]\nname = \"\xff\"\n", "site.toml, line 2: '0xff' is a byte that is not UTF-8; save the file as UTF-8."),
    ("site.toml", b"a = " + b"[" * 5000, "site.toml, line 1: 'site.toml' is no proper TOML: nested too deep."),
    ("site.toml", b"a = " + b"9" * 5000, "site.toml, line 1: 'site.toml' is no proper TOML: a number is too long."),
    ("site.toml", b"", "site.toml, line 1, owner: 'owner' is missing here."),
]  # fmt: skip


@pytest.mark.parametrize(("name", "content", "message"), BROKEN_FILES)
def test_a_file_that_is_broken_otherwise(make_folder, name, content, message):
    folder = make_folder()
    (folder / name).unlink()
    if content is not None:
        (folder / name).write_bytes(content)
    assert message in problems(folder)


def test_too_many_links_in_a_row_and_a_deep_tree(make_folder):
    links = "".join(f"/l{n},link,,,,,,,,,/l{n + 1}\n" for n in range(60))
    assert problems(make_folder(content=links)) == [
        "content.csv, line 2, links_to: '/l0' starts more than 50 links in a row; link to the end."
    ]
    deep = "/" + "/".join("x" for _ in range(1_000))
    site = pl.open_site(
        make_folder(RULE + "where = '/x'\nreach = 'only-below'", content=f"{deep},page,,,,,,,,,\n")
    )
    assert site.may(None, "edit", deep)
    assert not site.may(None, "delete", deep)


def test_there_is_no_site(tmp_path):
    with pytest.raises(pl.NoSite, match=r"no such folder\. 'prim-lantern new' makes one"):
        pl.open_site(tmp_path / "none")
    (tmp_path / "file").write_text("")
    with pytest.raises(pl.NoSite, match="it is a file, not a folder"):
        pl.open_site(tmp_path / "file")


@settings(max_examples=40)
@given(sites(), sites())
def test_overwriting_one_site_by_another_reads_back_equal(first, second):
    with TemporaryDirectory() as folder:
        write_folder(first, folder)
        write_folder(second, folder, overwrite=True)
        assert read_folder(folder) == second


def test_overwriting_keeps_comments_order_and_layout(tmp_path):
    folder = tmp_path / "site"
    shutil.copytree(pl.DEMO_FOLDER, folder)
    site = read_folder(folder)
    before = (folder / "site.toml").read_text(encoding="utf-8")
    write_folder(site, folder, overwrite=True)
    assert (folder / "site.toml").read_text(encoding="utf-8") == before
    changed = [
        replace(rule, actions=("edit",)) if rule.id == "teachers-never-edit" else rule
        for rule in site.rules
        if rule.id != "volunteers-see-visit"
    ]
    groups = {**site.groups, "choir": Group("choir", "Choir")}
    groups["office"] = replace(groups["office"], label="Office", counts_in=())
    write_folder(replace(site, rules=tuple(changed), groups=groups), folder, overwrite=True)
    lines = (folder / "site.toml").read_text(encoding="utf-8").splitlines()
    changes = [line for line in ndiff(before.splitlines(), lines) if line[0] in "+-" and line[2:]]
    assert changes == [
        '- label = "Back office"',
        '+ label = "Office"',
        '- counts_in = ["staff"]',
        "+ [groups.choir]",
        '+ label = "Choir"',
        '- deny = ["edit", "delete"]',
        '+ deny = ["edit"]',
        "- [[rules]]                           # never decides anything: the visit pages are public",
        '- id = "volunteers-see-visit"',
        '- allow = ["read"]',
        '- to = ["group:volunteers"]',
        '- where = "/visit"',
    ]


NOTED = {
    "roles": ("ann", "ben", "cyd"),
    "given": ("ann", "ben"),
    "rules": ("r1", "r2", "r3"),
    "promises": ("p1", "p2"),
}


def noted(entries):
    """A text with a heading above each section, and a line right above each table."""
    lines = ["[site]", 'name = "x"', ""]
    for section, names in entries.items():
        lines += [f"# HEADING {section}", ""]
        for name in names:
            header = f"[{section}.{name}]" if section == "roles" else f"[[{section}]]"
            lines += [f"# about {section} {name}", header, f'label = "{section} {name}"', ""]
    return "\n".join(lines)


def tables_of(entries):
    found = {"site": {"name": "x"}}
    for section, names in entries.items():
        rows = {name: {"label": f"{section} {name}"} for name in names}
        if rows:
            found[section] = rows if section == "roles" else list(rows.values())
    return found


@settings(max_examples=200)
@given(st.fixed_dictionaries({
    section: st.lists(st.sampled_from([*names, "new1", "new2"]), unique=True)
    for section, names in NOTED.items()
}))  # fmt: skip
def test_comments_stay_with_the_tables_that_they_are_about(wanted):
    order = {s: [*(n for n in names if n in wanted[s])] for s, names in NOTED.items()}
    new = {s: [n for n in wanted[s] if n.startswith("new")] for s in NOTED}
    now = {s: [*new[s][:1], *order[s], *new[s][1:]] for s in NOTED}  # before and after the others
    text = updated_text(noted(NOTED), tables_of(NOTED), tables_of(now))
    assert "\n\n\n" not in text and text.endswith("\n")
    assert {s: v for s, v in tomllib.loads(text).items() if v} == tables_of(now)
    lines = text.splitlines()
    for section, names in order.items():
        for name in NOTED[section]:
            about = f"# about {section} {name}"
            if name in names:
                assert lines[lines.index(about) + 2] == f'label = "{section} {name}"'
            elif section == "roles":  # of what is listed, another may have come in its place
                assert about not in lines
        assert lines.count(f"# HEADING {section}") == 1
        if names and section != "roles":  # above all that stand there
            assert lines.index(f"# HEADING {section}") < lines.index(f"[[{section}]]")


def in_whole(text, before, after):
    """The same update with the whole text parsed."""
    whole = Window(0, len(text), before, after)
    with mock.patch("prim_lantern.formats.folder.toml_text.window", return_value=whole):
        return updated_text(text, before, after)


@settings(max_examples=100)
@given(site=sites(), data=st.data())
def test_a_part_of_the_text_is_changed_as_the_whole_would_be(site, data):
    """Where tables come, go and change, only what lies around them is parsed."""
    before = plain_tables(site)
    text, after = fresh_text(before), deepcopy(before)
    for _ in range(data.draw(st.integers(1, 3))):
        name = data.draw(st.sampled_from(sorted(after.keys() - {"site"}) or ["site"]))
        section = after[name]
        if isinstance(section, list):
            at = data.draw(st.integers(0, len(section)))
            section[at : at + data.draw(st.integers(0, 2))] = data.draw(
                st.lists(st.sampled_from(before[name]), max_size=2)
            )
        else:
            key = data.draw(st.sampled_from(sorted(before[name])))
            section["new"] = before[name][key]
            section.pop(key, None)
        if not section:
            del after[name]
            break
    if after != before:
        part, whole = updated_text(text, before, after), in_whole(text, before, after)
        # of tables that are equal, one or the other may be taken for the new one
        assert list(filter(None, part.splitlines())) == list(filter(None, whole.splitlines()))


@pytest.mark.parametrize(
    ("odd", "told"),
    [
        ('[groups]\nchoir.label = "C"\n[site]\nname = "x"\n', None),
        ('site.name = "x"\n[groups.choir]\nlabel = "C"\n', None),
        ('[groups."choir"]  # those who sing\nlabel = "C"\n[site]\nname = "x"', None),
        (
            '[site]\nname = "x"\n[groups.choir]\nlabel = """\n[groups.band]\n"""\n',
            "[groups.band]\n",
        ),
    ],
)
def test_tables_in_another_form_are_changed_too(odd, told):
    choir = {"label": told or "C"}
    before = {"site": {"name": "x"}, "groups": {"choir": choir}}
    after = {"site": {"name": "y"}, "groups": {"choir": choir, "crew": {"label": "Crew"}}}
    text = updated_text(odd, before, after)
    assert tomllib.loads(text) == after
    assert ("# those who sing" in text) == ("# those who sing" in odd)


def test_a_section_that_lies_here_and_there_and_one_that_is_new():
    """What is added to a section stands with the last of it, a new section at the end."""
    text = '[groups.a]\n\n[site]\nname = "x"\n\n[groups.b]\n\n[roles.c]\n'
    before = {"groups": {"a": {}, "b": {}}, "site": {"name": "x"}, "roles": {"c": {}}}
    more = {**before, "groups": {"a": {"label": "A"}, "b": {}}}
    now = updated_text(text, before, more)
    assert tomllib.loads(now) == more
    assert now == in_whole(text, before, more)
    text = '[groups.a]\n\n[site]\nname = "x"\n'
    before = {"groups": {"a": {}}, "site": {"name": "x"}}
    now = updated_text(text, before, {**before, "rules": [{"id": "new"}]})
    assert now == f'{text}\n[[rules]]\nid = "new"\n'


def test_a_byte_order_mark_and_crlf_are_no_matter(make_folder):
    folder = make_folder(GROUPS, people="ann,Ann,,,crew,,\n", content="/a,page,A,ann,,,,,,,\n")
    plain = read_folder(folder)
    for file in folder.iterdir():
        text = file.read_text(encoding="utf-8").replace("\n", "\r\n")
        file.write_bytes(b"\xef\xbb\xbf" * (file.suffix == ".csv") + text.encode())
    assert read_folder(folder) == plain


def test_writing_does_not_overwrite_unless_told(tmp_path):
    site = read_folder(pl.DEMO_FOLDER)
    write_folder(site, tmp_path)
    with pytest.raises(pl.NotOverwritten, match=r"site\.toml' is already there"):
        write_folder(site, tmp_path)
    write_folder(site, tmp_path, overwrite=True)
    assert read_folder(tmp_path) == site
    assert sorted(file.name for file in tmp_path.iterdir()) == [
        "content.csv",
        "people.csv",
        "site.toml",
    ]


@pytest.mark.parametrize("empty", [True, False])
def test_a_new_folder_is_in_order_and_reads_back(tmp_path, empty):
    start_folder(tmp_path / "new", name='The "Harbour" \\ site', owner="mo.tarn", empty=empty)
    site = read_folder(tmp_path / "new")
    assert (site.name, site.owner) == ('The "Harbour" \\ site', "mo.tarn")
    assert bool(site.roles) is not empty
    with pytest.raises(pl.NotOverwritten):
        start_folder(tmp_path / "new", name="x", owner="mo")
    with pytest.raises(pl.BadValue, match="cannot be a login"):
        start_folder(tmp_path / "other", name="x", owner="mo tarn")
    assert not (tmp_path / "other").exists()


# The schema ------------------------------------------------------------------------


def as_json(toml: str) -> object:
    return json.loads(json.dumps(tomllib.loads(toml), default=lambda at: at.isoformat()))


@settings(max_examples=30)
@given(sites())
def test_the_schema_takes_what_the_reader_takes(site):
    jsonschema.validate(as_json(fresh_text(plain_tables(site))), site_schema())


@pytest.mark.parametrize(("toml", "message"), TOML_MISTAKES)
def test_the_schema_refuses_what_the_reader_calls_a_mistake_of_shape(toml, message):
    of_shape = ("is no key", "is no table", "cannot be the value", "double brackets", "stands beside",
                "is not possible here", "is no test", "no proper name here", "is missing here")  # fmt: skip
    if message and any(words in message for words in of_shape) and "kinds.page" not in toml:
        head = '[site]\nname = "Harbour"\nowner = "mo"\n'
        with pytest.raises(jsonschema.ValidationError):
            jsonschema.validate(as_json(head + toml), site_schema())


def test_the_schema_ships_as_a_proper_one_and_takes_the_demo():
    jsonschema.Draft202012Validator.check_schema(site_schema())
    text = (pl.DEMO_FOLDER / "site.toml").read_text(encoding="utf-8")
    jsonschema.validate(as_json(text), site_schema())


@given(sites())
def test_generated_sites_are_in_order_as_data_too(site):
    assert problems_in(site) == []
    with TemporaryDirectory() as folder:
        write_folder(site, folder)
        again = fresh_text(plain_tables(read_folder(folder)))
    assert again == fresh_text(plain_tables(site))


def test_a_change_touches_only_its_rows_of_a_table(make_folder):
    """Rows that nothing changes stay as they were written by hand, whatever their cells hold."""
    odd = [
        '"/odd",page,"Quoted ""path""",,,,,,,,',
        '/a,page,"A title\n/b,page,looks like a row,,,,,,,,\nin lines",,,,,,,,',
        "/b,page,  B with blanks ,,,,,,,,",
        '/c,page,5" pipes,,,,,,,,',
        "",
        "/last,page,Last,,,,,,,,",
    ]
    plain = ["/a,page, A ,,,,,,,,", "/b,page,B,,,,,,,,", "/last,page,Last,,,,,,,,"]
    for rows in (odd, plain):
        folder = make_folder(content="\n".join(rows) + "\n")
        shutil.rmtree(folder / ".last", ignore_errors=True)
        (folder / "history.jsonl").unlink(missing_ok=True)
        site = pl.open_site(folder)

        def differs(build, folder=folder, site=site):
            before = (folder / "content.csv").read_text(encoding="utf-8").split("\n")
            with site.change(by="mo") as change:
                build(change)
            assert pl.open_site(folder).data == site.data
            now = (folder / "content.csv").read_text(encoding="utf-8").split("\n")
            return [e for e in before if e not in now], [e for e in now if e not in before]

        old = next(row for row in rows if row.startswith("/b,"))
        new = "/b,page,New,,mo,,,,,,"
        assert differs(lambda c: c.change_item("/b", title="New")) == ([old], [new])
        added = "/b/x,page,X,mo,,draft,,,,,"
        assert differs(lambda c: c.add_item("/b/x", "page", title="X")) == ([], [added])
        assert differs(lambda c: c.remove_item("/b")) == ([new, added], [])
        assert differs(lambda c: c.change_item("/last", title="a, b"))[1] == [
            '/last,page,"a, b",,mo,,,,,,'
        ]
        # A row that is written otherwise than could be told at a glance is found, or all are anew.
        assert differs(lambda c: c.move_item("/a", "/last"))[1]
        assert site.store.check_history() == 5


def test_a_table_whose_first_column_is_another_is_changed_as_well(make_folder):
    folder = make_folder()
    names = (folder / "content.csv").read_text(encoding="utf-8").strip().split(",")
    turned = [*names[1:], names[0]]
    (folder / "content.csv").write_text(
        f"{','.join(turned)}\npage,T,,,,,,,,,/a\n", encoding="utf-8"
    )
    site = pl.open_site(folder)
    with site.change(by="mo") as change:
        change.change_item("/a", title="U")
    assert (folder / "content.csv").read_text(encoding="utf-8").split("\n")[1] == (
        "page,U,,mo,,,,,,,/a"
    )
    assert pl.open_site(folder).data == site.data


def test_a_carriage_return_in_the_row_of_something_else_stays(demo_folder):
    table = demo_folder / "content.csv"
    raw = table.read_bytes().replace(b"Terns over the landing", b'"Terns\rover"', 1)
    table.write_bytes(raw)
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor") as change:
        change.change_item("/log", title="Other")
    assert pl.open_site(demo_folder).data == site.data
    assert b'"Terns\rover"' in table.read_bytes()
