"""People and pages come in from files of other systems, however those are written."""

from __future__ import annotations

import codecs
import json
from datetime import UTC, datetime

import pytest
from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from conftest import run
from prim_lantern.formats.incoming.cells import entries, path_of, when
from prim_lantern.formats.incoming.columns import Mapped, columns_of, mapped_from
from prim_lantern.formats.incoming.content import Reading, content_rows
from prim_lantern.formats.incoming.people import people_rows
from prim_lantern.formats.incoming.table import read_table

HANA = ("--by", "hana.okafor", "--yes")
PAGES = """URL;Headline;Written by;Status;Section;Go live;Words
https://old.example/visit/parking/;Parking;Lena Osgood;Live;;;120
https://old.example/log/gulls;Gulls at Tansy;sam.whitlock;In review;Wildlife;;300
https://old.example/log/fog%20horn;The fog horn;DAG HOLLIS;Live;topic:heritage|Press;13/5/2027;210
"""
MAP = [
    "URL=path", "Headline=title", "Written by=authors", "Status=state", "Section=categories",
    "Go live=public_from",
]  # fmt: skip


def maps(some, values=()):
    return [
        *(part for each in some for part in ("--map", each)),
        *(part for each in values for part in ("--value", each)),
    ]


@pytest.mark.parametrize(
    ("text", "day_first", "said"),
    [
        ("2027-05-01", None, "2027-05-01"),
        ("2027-05-01T09:30Z", None, "2027-05-01 09:30"),
        ("2027/5/1 9:30", None, "2027-05-01 09:30"),
        ("1.5.2027", False, "2027-05-01"),
        ("31/12/2027", None, "2027-12-31"),
        ("12/31/2027 23:59:30", None, "2027-12-31 23:59:30"),
        ("1/2/2027", True, "2027-02-01"),
        ("1/2/2027", False, "2027-01-02"),
        ("3/3/2027", None, "2027-03-03"),
        ("1/2/2027", None, "can be read in two ways: say --day-first or --month-first."),
        ("13/5/2027", False, "is no day that there is."),
        ("30.2.2027", None, "is no day that there is."),
        ("1.5.27", None, "is a date whose year has no four digits."),
        ("tomorrow", None, "is no moment: write a day as 2027-01-31"),
    ],
)
def test_dates_as_spreadsheets_write_them(text, day_first, said):
    if said.startswith("2"):
        assert when(text, day_first) == datetime.fromisoformat(said).replace(tzinfo=UTC)
        return
    with pytest.raises(pl.BadValue) as error:
        when(text, day_first)
    assert said in str(error.value)


@given(st.datetimes(datetime(1000, 1, 1), datetime(9999, 12, 31)), st.sampled_from("/-"))
def test_a_date_comes_back_whichever_way_it_was_said_to_be_written(at, mark):
    at = at.replace(microsecond=0, tzinfo=UTC)
    for first, form in ((True, f"%d{mark}%m{mark}%Y"), (False, f"%m{mark}%d{mark}%Y")):
        assert when(at.strftime(f"{form} %H:%M:%S"), first) == at
    assert when(at.strftime("%d.%m.%Y %H:%M:%S"), None) == at


@pytest.mark.parametrize(
    ("cell", "path"),
    [
        ("https://old.example/log/fog%20horn/?page=2#top", "/log/fog horn"),
        ("https://old.example", "/"),
        ("log/gulls/", "/log/gulls"),
        ("/", "/"),
        ("/a//b", "/a//b"),  # refused later, as it stands
    ],
)
def test_paths_from_addresses(cell, path):
    assert path_of(cell) == path


def test_entries_of_a_list():
    assert entries(" a; b |a\nc;") == ["a", "b", "c"]


@pytest.mark.parametrize("separator", [",", ";", "\t"])
@pytest.mark.parametrize("encoding", ["utf-8", "utf-8-sig", "utf-16", "windows-1252"])
def test_whatever_a_spreadsheet_writes_is_read_and_said(separator, encoding):
    text = separator.join(["login", "name"]) + "\r\n" + separator.join(["per", '"Öster, P; Per"'])
    table = read_table(text.encode(encoding), "f.csv")
    assert table.rows == [(2, ["per", "Öster, P; Per"])]
    assert any("Windows-1252" in note for note in table.notes) == (encoding == "windows-1252")
    assert any("separated by" in note for note in table.notes) == (separator != ",")


@pytest.mark.parametrize(
    ("raw", "said"),
    [
        (b"", "is empty"),
        (b"\n\n", "is empty"),
        (b"a,a\n1,2\n", "'a' is the name of two columns"),
        (b"a,\n1,2\n", "'column 2' has no name"),
        (b"a,b\n1\n1,2,3\n", "has 1 cells, but there are 2 columns"),
        (b'a,b\n"1,2\n', "is no proper CSV"),
        (codecs.BOM_UTF16_LE + b"a", "is neither UTF-8 nor what spreadsheets write"),
        (b"\x81\n", "is neither UTF-8 nor what spreadsheets write"),
    ],
)
def test_files_that_are_no_table(raw, said):
    with pytest.raises(pl.BadSite, match=said):
        read_table(raw, "f.csv")


def test_pages_with_other_columns_come_in_and_the_next_time_they_are_known(tmp_path, demo_folder):
    file = tmp_path / "pages.csv"
    file.write_text(PAGES, encoding="utf-8")
    values = ["state:live=published", "kind:x=page"]
    arguments = ["import", "content", str(file), "--kind", "post", "--day-first"]
    tried = run(*arguments, *maps(MAP, values), *HANA, "--try", site=demo_folder)
    assert "3 rows: 3 new, 0 changed, 0 as they are already.\nImport 3 items.\n" in tried.stdout, (
        tried
    )
    assert not (demo_folder / "imports.json").exists()
    done = run(*arguments, *maps(MAP, values), *HANA, site=demo_folder)
    assert "Left out: Words." in done.stdout
    assert "Of whole addresses only the path was taken." in done.stdout
    items = pl.open_site(demo_folder).data.items
    parking, gulls, horn = (items[p] for p in ("/visit/parking", "/log/gulls", "/log/fog horn"))
    assert (parking.authors, parking.state, parking.kind) == (("lena.osgood",), "published", "post")
    assert (gulls.state, gulls.categories) == ("in-review", ("topic:wildlife",))
    assert (horn.authors, horn.categories) == (("dag.hollis",), ("topic:heritage", "topic:press"))
    assert horn.public_from == datetime(2027, 5, 13, tzinfo=UTC)
    again = run(*arguments, *HANA, site=demo_folder)  # what was said is kept beside the site
    assert (
        "3 rows: 0 new, 0 changed, 3 as they are already.\nAll of it is so already" in again.stdout
    ), again
    assert again.returncode == 0
    file.write_text(PAGES.replace("Parking;", "Car park;"), encoding="utf-8")
    run(*arguments, *HANA, site=demo_folder)
    site = pl.open_site(demo_folder)
    assert site.data.items["/visit/parking"].title == "Car park"
    assert site.data.items["/log/gulls"] == gulls
    assert [each.said for each in site.history()] == [("import 3 items",)] * 2


def test_what_is_new_is_a_draft_unless_it_is_said(demo):
    table = read_table(b"path,kind\n/a,page\n/b,page\n", "f.csv")
    assert [row["state"] for row in content_rows(table, demo.data).rows] == ["draft"] * 2
    said = Reading(state="in-review")
    assert {row["state"] for row in content_rows(table, demo.data, said).rows} == {"in-review"}


def test_each_mistake_is_told_once_with_its_lines(demo):
    rows = "".join(f"/a{n},Artikel,nobody,,1/2/{2000 + n}\n" for n in range(9))
    raw = f"path,kind,authors,title,public_from\n{rows}/a1,page,,,\nno way/,page,,,\n".encode()
    with pytest.raises(pl.BadSite) as bad:
        content_rows(read_table(raw, "f.csv"), demo.data)
    told = str(bad.value).split("\n")
    assert told[0] == "8 mistakes in f.csv; nothing was loaded."
    assert told[1] == (
        "f.csv, line 2, kind: 'Artikel' is no kind of this site; --value \"kind:Artikel=page\" says "
        "what it means here. Also in line 3, 4 and 6 more."
    )
    assert told[2].startswith("f.csv, line 2, authors: 'nobody' is no person of this site;")
    two_ways = [each for each in told if "can be read in two ways" in each]
    assert len(two_ways) == 5
    assert two_ways[-1].endswith("And 4 more such values in this column.")
    assert "f.csv, line 11, path: '/a1' is in line 3 already; keep one." in told


def test_one_message_for_one_missing_column(demo_folder, tmp_path):
    file = tmp_path / "f.csv"
    file.write_text("Where,What\n/a,x\n/b,y\n", encoding="utf-8")
    found = run("import", "content", str(file), *HANA, site=demo_folder)
    assert found.stderr.replace("\n  ", " ") == (
        'prim-lantern: No column holds the path: say which does, as in --map "Where=path". The '
        "columns are Where, What.\n"
    )
    people = run("import", "people", str(file), *HANA, site=demo_folder)
    assert "No column holds the login" in people.stderr
    assert "--login-from email, or name, makes logins of those." in people.stderr.replace(
        "\n  ", " "
    )


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--map", "Nix=path"], "The file has no column 'Nix'."),
        (["--map", "path"], "'path' maps nothing: write THEIRS=OURS, as in URL=path."),
        (
            ["--map", "path=titel"],
            "There is no column 'titel' to map 'path' to. Did you mean title?",
        ),
        (["--map", "title=path"], "'path' and 'title' are both mapped to 'path'"),
        (["--value", "published"], "'published' maps nothing: write COLUMN:THEIRS=OURS"),
        (["--kind", "artikel"], "The kind 'artikel' is not known on this site."),
    ],
)
def test_what_was_said_of_columns_has_to_fit(arguments, said, demo_folder, tmp_path):
    file = tmp_path / "f.csv"
    file.write_text("path,title\n/a,x\n", encoding="utf-8")
    given = ["--map", "path=path"] if said.startswith("'path' and") else []
    found = run("import", "content", str(file), *given, *arguments, *HANA, site=demo_folder)
    assert said in found.stderr.replace("\n  ", " "), found
    assert found.returncode == 2


def test_people_of_another_system_come_in_join_groups_and_leave_none(demo_folder, tmp_path):
    file = tmp_path / "staff.tsv"
    head = "Mail\tFull name\tTeam\tSince\tPost"
    rows = [
        "maud.finch@oxlip.example\tMaud Finch\tVolunteers\t3.4.2026\tdeck hand",
        "per.oster@oxlip.example\tPer Öster\tvolunteers;Friends\t\tcook",
        "gwen@post.example\tGwen Tarrow-Lee\tFriends\t\t",
    ]
    file.write_text("\n".join([head, *rows]), encoding="utf-8")
    said = maps(["Mail=email", "Team=groups", "Since=joined", "Post=attribute:position"])
    before = pl.open_site(demo_folder).data.users["gwen.tarrow"]
    command = ["import", "people", str(file), *said, "--login-from", "name", *HANA]
    done = run(*command, site=demo_folder)
    assert "3 rows: 2 new, 1 changed, 0 as they are already." in done.stdout, done
    users = pl.open_site(demo_folder).data.users
    maud, per, gwen = users["maud.finch"], users["per.oster"], users["gwen.tarrow"]
    assert (maud.joined, maud.attributes) == (
        datetime(2026, 4, 3, tzinfo=UTC),
        {"position": "deck hand"},
    )
    assert [each.group for each in per.memberships] == ["volunteers", "friends"]
    assert gwen.name == "Gwen Tarrow-Lee"  # known by the e-mail address
    assert {e.group for e in gwen.memberships} == {e.group for e in before.memberships} | {
        "friends"
    }
    assert "All of it is so already" in run(*command, site=demo_folder).stdout
    undone = run("undo", "1", *HANA, site=demo_folder)
    assert undone.returncode == 0, undone
    assert pl.open_site(demo_folder).data == pl.open_demo().data


def test_people_need_who_manages_people(demo_folder, tmp_path):
    file = tmp_path / "staff.csv"
    file.write_text("login,groups\nzoe.new,web-team\n", encoding="utf-8")
    refused = run("import", "people", str(file), "--by", "sam.whitlock", "--yes", site=demo_folder)
    assert refused.returncode in (1, 2)
    assert pl.open_site(demo_folder).data == pl.open_demo().data
    change = pl.open_demo().change(by="sam.whitlock").import_people([{"login": "zoe.new"}])
    with pytest.raises(pl.NotAllowed, match="they may not manage people"):
        change.make()


@pytest.mark.parametrize(
    "rows",
    [(), ({},), ({"login": ""},), ({"login": "a b"},), ({"login": "zoe", "status": "king"},),
     ({"login": "zoe", "groups": ["nix"]},), ({"login": "zoe"}, {"login": "ZOE"}), ({"login": "z", "x": 1},),
     ({"login": "zoe", "joined": "soon"},), ({"login": "zoe", "attributes": {"name": "x"}},), (3,)],
)  # fmt: skip
def test_rows_of_people_that_make_no_sense_are_refused(rows):
    site = pl.open_demo()
    with pytest.raises(pl.PrimLanternError):
        site.change(by="hana.okafor").do({"do": "import-people", "rows": list(rows)}).make()
    assert site.data == pl.open_demo().data


@pytest.mark.parametrize(
    "kept",
    [[], 3, None, {"content": None}, {"content": {"columns": []}}, {"content": {"columns": {"URL": 3}}},
     {"people": {"values": {"status": "on"}}}, {"people": {"values": {"status": {"on": 3}}}}],
)  # fmt: skip
def test_what_was_kept_of_other_columns_and_makes_no_sense_is_said(kept, demo_folder):
    (demo_folder / "imports.json").write_text(json.dumps(kept), encoding="utf-8")
    (demo_folder / "pages.csv").write_text("path,kind\n/news/fog,page\n", encoding="utf-8")
    file = str(demo_folder / "pages.csv")
    done = run("import", "content", file, *HANA, "--try", site=demo_folder)
    assert done.returncode == 2
    assert "imports.json cannot be read; mend it" in done.stderr.replace("\n ", "")


def test_statuses_and_groups_may_be_called_otherwise(demo):
    raw = b"login,status,groups\nzoe,ON,Crew;none\nyan,,\n"
    values = mapped_from([], ["status:on=invited", "groups:crew=keepers-fennick", "groups:none=-"])
    found = people_rows(read_table(raw, "f.csv"), demo.data, Reading(values))
    assert found.rows[0] == {"login": "zoe", "status": "invited", "groups": ["keepers-fennick"]}
    with pytest.raises(pl.BadSite, match="'Crew' is no group; add it first"):
        people_rows(read_table(raw, "f.csv"), demo.data)


def test_columns_are_known_however_they_are_spelled():
    header = ["Login", "E-Mail", "Full Name", "Roles elsewhere", "Station", "x"]
    ours = ("login", "name", "email", "roles_elsewhere")
    assert columns_of(header, ours, ("station",), Mapped()) == {
        "Login": "login", "E-Mail": "email", "Full Name": "name",
        "Roles elsewhere": "roles_elsewhere", "Station": "attribute:station",
    }  # fmt: skip


def test_json_tells_the_effects_alone(demo_folder, tmp_path):
    file = tmp_path / "f.csv"
    file.write_text("path,kind,title\n/a,page,A\n", encoding="utf-8")
    found = run("import", "content", str(file), *HANA, "--json", site=demo_folder)
    assert json.loads(found.stdout)["said"] == ["import 1 item"]


CLERK = [
    ({"login": "ines.varga", "status": "suspended"}, "it changes ines.varga, who has all access"),
    ({"login": "ines.varga", "name": "X"}, "it changes ines.varga, who has all access"),
    ({"login": "hana.okafor", "email": "kit@post.example"}, "the owner alone changes their login"),
    ({"login": "kit.farrow", "groups": ["staff"]}, "nobody gives themselves more than they have"),
    ({"login": "kit.farrow", "roles_elsewhere": ["directory:teacher"]}, "nobody gives themselves"),
    (
        {"login": "kit.farrow", "attributes": {"position": "keeper", "station": "fennick"}},
        "nobody gives themselves more than they have",
    ),
]


@pytest.mark.parametrize(("row", "because"), CLERK)
def test_a_clerk_comes_to_nothing_by_a_file_of_people(row, because):
    """Whoever manages people brings others in, and neither the top down nor themselves up."""
    site = pl.open_demo()
    with site.change(by="hana.okafor") as change:
        change.allow("manage-people", to="user:kit.farrow")
    before = site.data
    with pytest.raises(pl.NotAllowed, match=because):
        site.change(by="kit.farrow").import_people([row]).make()
    assert site.data is before
    with site.change(by="kit.farrow") as change:  # others, as the groups have it
        change.import_people([{"login": "zoe.new", "groups": ["friends"]}])
    assert "zoe.new" in site.members("friends")
