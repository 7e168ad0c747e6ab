"""Sheets: the site as a workbook to plan with; what people write into it comes true, all or none."""

from __future__ import annotations

import csv
import shutil
import subprocess
import zipfile
from functools import cache
from io import BytesIO
from pathlib import Path
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from openpyxl import Workbook, load_workbook
from openpyxl.styles import PatternFill

import prim_lantern as pl
from conftest import run
from prim_lantern.change.operations.base import Made
from prim_lantern.decide.engine import Engine
from prim_lantern.formats.workbook import xlsx
from prim_lantern.insight.wishes.wish import Wish
from prim_lantern.sheets.book import read_sheets, write_sheets
from prim_lantern.sheets.making import bare
from prim_lantern.site.moments import moment
from prim_lantern.site.places import place
from prim_lantern.site.who import who
from sites import sites

NOON = moment("2027-05-10T12:00:00Z")
NOW = "2027-05-10"
HANA = "hana.okafor"
FIRSTS = {
    "Who": "who", "Where": "where", "Grid": "where", "Roles": "role", "People": "login",
    "Readerships": "readership", "Who may view": "where",
}  # fmt: skip


def _cell(book, page, row, column):
    """A cell by its names; what is not there yet is added at the end."""
    sheet = book[page]
    head = [cell for cell in sheet["A"] if cell.value == FIRSTS[page]][-1].row
    columns = [each.column for each in sheet[head] if each.value == column]
    rows = [each.row for each in sheet["A"] if each.value == row and each.row > head]
    at_row = rows[0] if rows else sheet.max_row + 1
    at_column = columns[0] if columns else sheet.max_column + 1
    sheet.cell(at_row, 1, row)
    sheet.cell(head, at_column, column)
    return sheet.cell(at_row, at_column)


def edited(file, *edits):
    """The workbook with some cells written: page, row, column, text each."""
    book = load_workbook(file)
    for page, row, column, text in edits:
        _cell(book, page, row, column).value = text
    book.save(file)
    return file


@pytest.fixture(scope="module")
def page_of(workbook):
    """The workbook with one page that people write into, each made once: it is quicker to read."""

    @cache
    def only(page):
        book, saved = load_workbook(workbook), BytesIO()
        for sheet in book.worksheets:
            if sheet.title in FIRSTS and sheet.title not in {page, "Who"}:
                del book[sheet.title]
        book.save(saved)
        return saved.getvalue()

    return only


@pytest.fixture(scope="module")
def workbook(tmp_path_factory):
    """The workbook of the demo site, made once."""
    file = tmp_path_factory.mktemp("made") / "site.xlsx"
    assert pl.open_demo().write_sheets(file, at=NOW) == []
    return file


@pytest.fixture
def made(demo_folder, tmp_path, monkeypatch, workbook):
    """The demo site's folder and its workbook."""
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOW)
    return demo_folder, Path(shutil.copy(workbook, tmp_path))


def said(folder, file):
    return pl.open_site(folder).read_sheets(file, HANA)


def mistakes(folder, file):
    with pytest.raises(pl.BadSite) as caught:
        said(folder, file)
    return [f"{each.column.rpartition(', ')[2]}: {each.expected}" for each in caught.value.problems]


@settings(max_examples=15)
@given(site=sites(), kind=st.sampled_from([".xlsx", ""]))
def test_what_nobody_edited_changes_nothing(site, kind, tmp_path_factory):
    where = tmp_path_factory.mktemp("sheets") / f"site{kind}"
    engine = Engine(site, NOON)
    write_sheets(engine, where)
    assert read_sheets(engine, where, Made(site.owner, NOON)).steps == ()


@settings(max_examples=15)
@given(site=sites(), rng=st.randoms(use_true_random=False))
def test_a_cell_of_the_grid_comes_true_or_is_refused(site, rng: Random, tmp_path_factory):
    """After the steps, a fresh workbook says in that cell what was asked for."""
    where = tmp_path_factory.mktemp("sheets") / "site"
    engine = Engine(site, NOON)
    write_sheets(engine, where)
    file = where / "Grid.csv"
    rows = list(csv.reader(file.read_text(encoding="utf-8").splitlines()))
    row, column = rng.randrange(1, len(rows)), rng.randrange(2, len(rows[0]))
    before = rows[row][column]
    rows[row][column] = asked = rng.choice(["read", "read, edit", "nothing", "read, edit, publish"])
    with file.open("w", encoding="utf-8", newline="") as out:
        csv.writer(out).writerows(rows)
    try:
        found = read_sheets(engine, where, Made(site.owner, NOON))
    except pl.BadSite as error:
        problems = error.problems
        found = None
    if found is None:
        assert all("Grid.csv, line" in str(each) for each in problems)
        return
    data = engine.data
    for each in found.operations:
        data = each.apply(data, Made(site.owner, NOON))
    again = where.with_name("again")
    write_sheets(engine.after(data, NOON), again)
    after = list(csv.reader((again / "Grid.csv").read_text(encoding="utf-8").splitlines()))
    now = next(each for each in after if each[0] == rows[row][0])[column]
    words = set(bare(now).split(", ")) - {""}
    wanted = set() if asked == "nothing" else set(asked.split(", "))
    assert wanted <= words, (before, asked, now)
    assert {each for each in words if " " not in each} == wanted, (before, asked, now)


def test_every_page_can_be_edited(made):
    folder, file = made
    edited(
        file,
        ("Who", "group:shopkeepers", "called", "Shopkeepers"),
        ("Who", "group:friends", "about", "Those who like us."),
        ("Where", "/shop", "title", "The shop"),
        ("Where", "/shop/tills", "kind", "screen"),
        ("Where", "/visit", "title", "Visit"),
        ("Grid", "/shop", "group:shopkeepers", "read, edit, publish"),
        ("Grid", "/log", "group:newsroom", None),
        ("Grid", "/about", "group:volunteers", "read, edit own"),
        ("Roles", "commenter", "edit", "own: post, page"),
        ("Roles", "timetable-desk", "edit", None),
        ("Roles", "mender", "upload", "yes"),
        ("Roles", "mender", "built on", "commenter"),
        ("People", "sam.whitlock", "group:newsroom", "until 2027-12-31"),
        ("People", "nils.oakley", "group:log-approvers", None),
        ("People", "pim.ostler", "name", "Pim Ostler"),
        ("People", "pim.ostler", "group:shopkeepers", "yes"),
        ("Readerships", "friends", "any of", "group:friends; staff"),
        ("Readerships", "crew", "any of", "group:keepers"),
        ("Readerships", "crew", "but not", "group:staff"),
        ("Who may view", "/patrons", "readership", None),
        ("Who may view", "/shop/tills", "readership", "crew, alone"),
    )
    done = run("sheet", "in", file, "--by", HANA, "--yes", "--site", folder)
    assert done.returncode == 0, done.stderr
    shown = " ".join(done.stdout.split())
    for spot, command in (
        ("Who!C21", "group change friends --about 'Those who like us.'"),
        ("Who!A25", "group add shopkeepers --label Shopkeepers"),
        ("Where!B28", "item change /visit --title Visit"),
        ("Where!A29", "item add /shop page --title 'The shop'"),
        ("Where!A30", "item add /shop/tills screen"),
        ("Roles!H11", "role change commenter --own edit --kind post,page"),
        ("Roles!H19", "role change timetable-desk --drop edit"),
        ("Roles!A23", "role add mender --on commenter"),
        ("Roles!K23", "role change mender --can upload"),
        ("People!K17", "group add-members newsroom sam.whitlock --until 2027-12-31"),
        ("People!A48", "user add pim.ostler --name 'Pim Ostler'"),
        ("People!T48", "group add-members shopkeepers pim.ostler"),
        ("Readerships!C13", "readership change friends --drop group:patrons"),
        ("Readerships!A23", "readership add crew group:keepers --but-not group:staff"),
        ("Who may view!C21", "readership clear /patrons"),
        ("Who may view!C36", "readership set /shop/tills crew --alone"),
        ("Grid!J11", "allow group:volunteers edit /about --whose own"),
        ("Grid!L18", "deny group:newsroom read /log"),
        ("Grid!U32", "allow group:shopkeepers edit,publish /shop"),
    ):
        assert spot in shown
        assert command in shown
    site = pl.open_site(folder)
    data = site.data
    assert data.groups["shopkeepers"].label == "Shopkeepers"
    assert data.groups["friends"].about == "Those who like us."
    assert (data.items["/shop"].state, data.items["/shop/tills"].kind) == ("draft", "screen")
    assert data.items["/visit"].title == "Visit"
    assert site.may("pim.ostler", "publish", "/shop")
    assert not site.may("kit.farrow", "publish", "/shop")
    assert not site.data.roles["timetable-desk"].capabilities
    assert data.roles["mender"].includes == ("commenter",)
    assert [
        str(e.period) for e in data.users["sam.whitlock"].memberships if e.group == "newsroom"
    ] == ["until 2027-12-31"]
    assert "log-approvers" not in {e.group for e in data.users["nils.oakley"].memberships}
    assert list(map(str, data.readerships["friends"].readers)) == ["group:friends", "group:staff"]
    assert list(map(str, data.readerships["crew"].but_not)) == ["group:staff"]
    assert ("path", "/patrons") not in data.readerships_at or not data.readerships_at[
        "path", "/patrons"
    ].readership
    assert not data.readerships_at["path", "/shop/tills"].readership_from_above
    assert run("sheet", "in", file, "--by", HANA, "--site", folder).returncode == 2
    assert run("undo", "1", "--by", HANA, "--yes", "--site", folder).returncode == 0
    assert pl.open_site(folder).data == pl.open_demo().data.with_parts(
        **{name: getattr(pl.open_site(folder).data, name) for name in ("items", "users")}
    )


MISTAKES = [
    (("Grid", "/trustees", "group:staff", "raed"), "says nothing here: write read"),
    (("Grid", "/news", "group:nobodys", "read"), "is no group; write it on the page Who"),
    (("Grid", "/nwes", "guests", "read"), "is not there; write it on the page Where"),
    (("Grid", "/patrons", "guests", "nothing"), "is further in: give the places there"),
    (("Grid", "/news", "title", "New"), "is written on the page Where; change it there."),
    (("Grid", "/news", "staff of ours", "read"), "cannot be understood: 'staff of ours'"),
    (("Who", "guests", "called", "Strangers"), "cannot be changed: guests are there on every"),
    (("Who", "group:staff", "people", "7"), "is counted: say who is in a group on the page People."),
    (("Where", "news", "title", "News"), "is no path: a path starts with '/'."),
    (("Where", "/news", "kind", "post"), "is another kind than it has"),
    (("Where", "/x", "kind", "pagge"), "cannot be made so: "),
    (("Roles", "commenter", "edit", "own: psot"), "is no kind."),
    (("Roles", "commenter", "edit", "maybe"), "is nothing a role has: write yes or own."),
    (("Roles", "commenter", "fly", "yes"), "is no action of this site."),
    (("Roles", "field-writer", "edit", "yes"), "speaks of states: change that with"),
    (("Roles", "field-writer", "comment", None), "comes from a role that this one is built on"),
    (("Roles", "web-team", "read", "own"), "cannot be changed: this role has all access."),
    (("People", "sam.whitlock", "group:staff", "untill 2028"), "is no time in a group"),
    (("People", "sam.whitlock", "group:staff", "from 2028-01-01 until 2027-01-01"), "holds no moment"),
    (("People", "sam.whitlock", "group:none", "yes"), "cannot be made so: "),
    (("People", "sam.whitlock", "hobby", "yes"), "heads a column, and is no group"),
    (("People", "sam.whitlock", "status", "suspended"), "is changed by 'user suspend'"),
    (("People", "leif.aronsen", "group:keepers", None), "is not by hand"),
    (("Readerships", "public", "any of", "group:staff"), "cannot be changed: public is there"),
    (("Readerships", "crew", "called", "Crew"), "cannot be made so: Nobody was named"),
    (("Who may view", "/learn", "readership", "freinds"), "cannot be made so: "),
    (("Who may view", "site", "readership", None), "is empty: the site always has"),
    (("Who may view", "nowhere", "readership", "friends"), "is no place"),
]  # fmt: skip


@pytest.mark.parametrize("page", FIRSTS)
def test_what_cannot_be_understood_is_told_with_its_cell(made, page_of, page):
    """All mistakes of a page at once, but for those of one cell: each is told, with its cell."""
    folder, file = made
    left = [each for each in MISTAKES if each[0][0] == page]
    while left:
        book, expected, now, left = load_workbook(BytesIO(page_of(page))), {}, left, []
        for edit, told in now:
            cell = _cell(book, *edit[:3])
            if cell.coordinate in expected:
                left.append((edit, told))
                continue
            cell.value = edit[3]
            expected[cell.coordinate] = {f"{page}!{cell.coordinate}", f"{page}!A{cell.row}"}, told
        book.save(file)
        found = [each.partition(": ")[::2] for each in mistakes(folder, file)]
        assert len(found) == len(expected)
        for spots, told in expected.values():
            assert any(spot in spots and text.startswith(told) for spot, text in found), told


def test_a_formula_is_told_before_all_else(made):
    folder, file = made
    edited(file, ("Grid", "/news", "guests", "=A1"), ("Grid", "/news", "title", "New"))
    assert mistakes(folder, file) == ["Grid!C20: is a formula; write a value."]


def test_nothing_is_made_where_one_cell_is_wrong(made):
    folder, file = made
    before = pl.open_site(folder).data
    edited(
        file,
        ("Grid", "/visit", "group:volunteers", "read, edit"),
        ("Grid", "/news", "guests", "raed"),
    )
    done = run("sheet", "in", file, "--by", HANA, "--yes", "--site", folder)
    assert done.returncode == 2
    assert "Grid!C" in done.stderr
    assert "Traceback" not in done.stderr
    assert pl.open_site(folder).data == before


def test_rows_and_columns_count_by_their_names(made):
    """Moved about, taken out, sorted: nothing changes by that; what was added to is seen."""
    folder, file = made
    book = load_workbook(file)
    grid = book["Grid"]
    grid.insert_cols(3)
    grid.insert_rows(10, 3)
    grid.delete_cols(8)
    grid.delete_rows(16)
    grid.insert_rows(1)
    del book["Roles"]
    book.save(file)
    assert said(folder, file).steps == ()
    (step,) = said(folder, edited(file, ("Grid", "/visit", "group:volunteers", "read, edit"))).steps
    assert step.least
    assert step.commands == ("give timetable-desk group:volunteers --within /visit",)


def test_the_least_is_taken_and_it_is_what_suggest_puts_first(made):
    folder, file = made
    edited(file, ("Grid", "/friends", "group:staff", "nothing"))
    (step,) = said(folder, file).steps
    assert step.says == "Group Staff may not read at /friends and below"
    first = pl.open_site(folder).suggest(
        [Wish(who("group:staff"), "read", place("/friends"), False, below=True, in_general=True)]
    )
    assert step.operations == first.options[0].operations
    assert step.least


def test_more_than_reading_is_reading_as_well(made):
    folder, file = made
    edited(file, ("Grid", "/visit", "group:volunteers", "edit"))
    assert [each.says for each in said(folder, file).steps] == [
        "Group Volunteers may edit at /visit and below"
    ]


def test_what_others_changed_meanwhile_stays_and_is_told(made):
    folder, file = made
    with pl.open_site(folder).change(by=HANA) as change:
        change.set_readership("/learn", "trustees")
        change.add_members("newsroom", ["kit.farrow"])
    edited(file, ("Who may view", "/learn", "readership", "friends"))
    found = said(folder, file)
    assert [each.commands for each in found.steps] == [("readership set /learn friends",)]
    assert found.notes == (
        "Who may view!C15: meanwhile the site says “trustees” there, and no longer “(public)”.",
    )


def test_a_text_is_never_a_formula(demo_folder, tmp_path, monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOW)
    evil = '=HYPERLINK("https://evil.example","x")'
    site = pl.open_site(demo_folder)
    with site.change(by=HANA) as change:
        for path, title in (("/visit", evil), ("/news", "+1"), ("/learn", "-2"), ("/log", "@x")):
            change.change_item(path, title=title)
    file, folder = tmp_path / "site.xlsx", tmp_path / "csv"
    for each in (file, folder):
        site.write_sheets(each)
        assert site.read_sheets(each, HANA).steps == ()
    with zipfile.ZipFile(file) as packed:
        assert not any(b"<f>" in packed.read(name) for name in packed.namelist())
    text = (folder / "Where.csv").read_text(encoding="utf-8")
    for row in csv.reader(text.splitlines()):
        assert not any(cell.startswith(("=", "+", "-", "@")) for cell in row)
    assert evil in text.replace('""', '"')


@pytest.mark.parametrize(
    ("spoil", "told"),
    [
        (lambda file: file.write_bytes(b"PK\x03\x04 broken"), "is no workbook"),
        (lambda file: file.write_text("login,name"), "is no workbook"),
        (lambda file: Workbook().save(file), "has no page “as made”"),
        (lambda file: _without(file, "as made"), "has no page “as made”"),
        (lambda file: _renamed(file, "Grid", "Gird"), "is no page of this workbook"),
        (lambda file: edited(file, ("Grid", "/visit", "where", "/news")), "names a row that is there already"),
        (lambda file: _headless(file), "has no row of names any more"),
        (lambda file: _stray(file), "stands in a row without a name"),
    ],
)  # fmt: skip
def test_a_file_that_is_no_workbook_of_ours_is_refused(made, spoil, told):
    folder, file = made
    spoil(file)
    done = run("sheet", "in", file, "--by", HANA, "--site", folder)
    assert done.returncode == 2
    assert told in done.stderr.replace("\n  ", " ")
    assert "Traceback" not in done.stderr


def _without(file, page):
    book = load_workbook(file)
    del book[page]
    book.save(file)


def _renamed(file, page, name):
    book = load_workbook(file)
    book[page].title = name
    book.save(file)


def _headless(file):
    book = load_workbook(file)
    for row in book["Grid"]["A1:A12"]:
        row[0].value = None
    book.save(file)


def _stray(file):
    book = load_workbook(file)
    book["Grid"].cell(40, 5, "read")
    book.save(file)


def test_a_colour_at_the_end_of_a_page_is_nothing_and_a_word_there_is_told(made):
    """All cells up to it would be thousands of millions."""
    folder, file = made
    book = load_workbook(file)
    for sheet in book.worksheets:
        sheet.cell(1_048_576, 16_384).fill = PatternFill("solid", fgColor="FFFF00")
    book.save(file)
    assert said(folder, file) == pl.Edited((), ())
    book["Who"].cell(1_048_576, 16_384).value = "x"
    book.save(file)
    assert mistakes(folder, file) == ["Who!XFD1048576: stands in a row without a name."]


def test_a_day_and_a_number_typed_into_a_cell_are_read(made):
    from datetime import date

    folder, file = made
    edited(
        file,
        ("People", "sam.whitlock", "group:staff", date(2028, 1, 1)),
        ("Who", "group:staff", "about", 7),
    )
    (told,) = mistakes(folder, file)
    assert "is no time in a group" in told
    edited(file, ("People", "sam.whitlock", "group:staff", True))
    assert [each.operations[0].to_dict() for each in said(folder, file).steps] == [
        {"do": "change-group", "name": "staff", "about": "7"},
        {"do": "add-members", "group": "staff", "logins": ["sam.whitlock"]},
    ]


def test_a_file_is_not_overwritten_unless_said_and_columns_can_be_chosen(made, tmp_path):
    folder, file = made
    taken = run("sheet", "out", file, "--site", folder)
    assert taken.returncode == 2
    assert "already there" in " ".join(taken.stderr.split())
    some = ("--who", "group:friends", "--who", "guests", "--in", "/visit", "--overwrite")
    assert run("sheet", "out", file, *some, "--site", folder).returncode == 0
    grid = load_workbook(file)["Grid"]
    head = next(row for row in grid.iter_rows(values_only=True) if row[0] == "where")
    assert head[2:] == ("group:friends", "guests")
    assert {row[0] for row in grid.iter_rows(values_only=True)} >= {"site", "/visit"}
    assert "/news" not in {row[0] for row in grid.iter_rows(values_only=True)}
    assert said(folder, file).steps == ()


@pytest.mark.skipif(
    not shutil.which("soffice"), reason="LibreOffice (libreoffice-calc) is not installed"
)
def test_a_workbook_saved_by_libreoffice_says_the_same(made, tmp_path):
    folder, file = made

    def saved(source, kind):
        command = ["soffice", f"-env:UserInstallation=file://{tmp_path}/office", "--headless"]
        command += ["--convert-to", kind, "--outdir", str(tmp_path / kind), str(source)]
        subprocess.run(command, check=True, capture_output=True, timeout=300)
        return tmp_path / kind / f"{source.stem}.{kind}"

    edited(file, ("Grid", "/visit", "group:volunteers", "read, edit"))
    again = saved(saved(file, "ods"), "xlsx")
    assert [each.says for each in said(folder, again).steps] == [
        "Group Volunteers may edit at /visit and below"
    ]


def test_what_a_workbook_has_no_room_for_is_told_and_nothing_is_cut_off(
    make_site, tmp_path, monkeypatch
):
    logins = [f"somebody.with.a.long.name.{number:04}" for number in range(1_100)]
    readers = ", ".join(f'"user:{each}"' for each in logins)
    people = "".join(f"{each},Name,,,,,\n" for each in logins)
    site = make_site(f"[readerships.many]\nreaders = [{readers}]\n[groups.crew]\n", people)
    file = tmp_path / "site.xlsx"
    with pytest.raises(pl.BadValue, match=r"no room for 'any of' of 'many' .* takes 40,698\. Name"):
        site.write_sheets(file)
    folder = tmp_path / "folder"
    site.write_sheets(folder)  # has room
    assert site.read_sheets(folder, "mo").steps == ()
    demo = pl.open_demo()
    monkeypatch.setattr(xlsx, "_MOST_ROWS", 1_000)
    with pytest.raises(pl.BadValue, match=r"no room for [\d,]+ cells: .* has 1,000 rows"):
        demo.write_sheets(file)
    assert not file.exists()
