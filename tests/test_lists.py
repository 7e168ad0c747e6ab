"""Lists of what is there, and queues of what waits: as tables, CSV and JSON."""

from __future__ import annotations

import csv
import io
import json

import pytest

import prim_lantern as pl
from conftest import run

NOW = {"PRIM_LANTERN_NOW": "2027-05-10"}
LISTS = (
    ["item", "list"], ["category", "list"], ["limit", "list"], ["kind", "list"],
    ["action", "list"], ["group", "list"], ["readership", "list"], ["rule", "list"],
    ["user", "list"], ["promises"], ["who", "read", "/news"],
)  # fmt: skip


def rows(*command, **more):
    done = run(*command, "--csv", "-", variables=NOW, **more)
    return list(csv.DictReader(io.StringIO(done.stdout, newline="")))


@pytest.mark.parametrize("command", LISTS, ids=" ".join)
def test_a_list_says_the_same_as_table_csv_and_json(command):
    table = run(*command, "--all", variables=NOW).stdout
    told = json.loads(run(*command, "--json", variables=NOW).stdout)
    as_csv = rows(*command)
    assert len(told) == len(as_csv) > 0
    for record, row in zip(told, as_csv, strict=True):
        for key, cell in row.items():
            value = record[key]
            shown = "; ".join(value) if isinstance(value, list) else value
            shown = (
                {True: "yes", False: "", None: ""}.get(shown, shown)
                if not isinstance(shown, int) or isinstance(shown, bool)
                else shown
            )
            assert cell == str(shown), key
        first = next(iter(record.values()))
        if isinstance(first, str):
            assert first in table


@pytest.mark.parametrize("command", LISTS, ids=" ".join)
def test_a_list_works_on_a_site_with_nothing(command, tmp_path):
    run("new", str(tmp_path / "empty"), "--empty", site=None)
    place = ["/"] if command[-1] == "/news" else []
    done = run(*(command[:-1] if place else command), *place, site=tmp_path / "empty")
    assert "Traceback" not in done.stderr
    assert done.returncode == (2 if place else 0), done  # there is no item at all
    stood = run(*command, "--as-it-stood", "2020-01-01")
    assert stood.returncode in (0, 1), stood


@pytest.mark.parametrize(
    ("options", "paths"),
    [
        (["--state", "in-review"], {"/log/gull-colony", "/log/terns", "/stations/tansy/landing"}),
        (["--state", "scheduled"], {"/log/anniversary", "/events/summer-open-day"}),
        (["--kind", "banner"], {"/visit/season"}),
        (["--filed", "topic:wildlife/seals"], None),
        (["--author", "sam", "--state", "draft"], {"/log/seal-count"}),
        (["--in", "/log", "--own-words"], {"/log", "/log/storm-watch"}),
    ],
)
def test_items_are_found_by_what_they_are(options, paths, demo):
    found = {row["path"] for row in rows("item", "list", *options)}
    data = demo.data
    if options[0] == "--kind":
        paths = {path for path, item in data.items.items() if item.kind == "banner"}
    if options[0] == "--filed":
        paths = {p for p, item in data.items.items() if "topic:wildlife/seals" in item.categories}
    assert found == paths


def test_items_that_somebody_may_read_and_what_is_refused(demo):
    guests = {row["path"] for row in rows("item", "list", "--in", "/trustees", "--for", "guest")}
    assert guests == set()
    beatrix = {row["path"] for row in rows("item", "list", "--in", "/trustees", "--for", "beatrix")}
    everything = demo.items_for("beatrix.lowe", "read", "2027-05-10")
    assert beatrix == {path for path in everything if path.startswith("/trustees")}
    for options, said in (
        (["--kind", "paeg"], "The kind 'paeg' is not known"),
        (["--filed", "topic:xx"], "The category 'topic:xx' is not known"),
        (["--in", "/lgo"], "The item '/lgo' is not known"),
        (["--author", "nobody"], "The user 'nobody' is not known"),
    ):
        done = run("item", "list", *options)
        assert (done.returncode, done.stdout) == (2, "")
        assert said in done.stderr


def test_the_queue_of_who_decides_and_of_who_wrote(demo_folder):
    def do(*command, by, at="2027-05-10"):
        done = run(
            *command, "--by", by, "--yes", site=demo_folder, variables={"PRIM_LANTERN_NOW": at}
        )
        assert done.returncode == 0, done

    do(
        "item",
        "add",
        "/log/moths",
        "post",
        "--title",
        "Moths",
        "--filed",
        "topic:wildlife",
        by="sam.whitlock",
    )
    do("item", "step", "/log/moths", "submit", by="sam.whitlock")
    site = pl.open_site(demo_folder)
    queue = site.queue("anneke.sorley", "2027-05-10")
    assert [each.path for each in queue.to_decide] == [
        "/log/gull-colony",
        "/log/terns",
        "/log/moths",
    ]
    gulls, terns, moths = queue.to_decide
    assert gulls.may == ("send-back",)  # she had a hand in it
    assert (terns.may, terns.submitted, terns.guests) == (("publish", "send-back"), None, True)
    assert (moths.submitted.by, moths.submitted.at.isoformat()) == (
        "sam.whitlock",
        "2027-05-10T00:00:00+00:00",
    )
    assert [each.what for each in queue.coming] == ["ends", "becomes public"]
    mine = {each.path: each for each in site.queue("sam.whitlock", "2027-05-10").own}
    assert "anneke.sorley" in mine["/log/moths"].waits_for
    assert "sam.whitlock" not in mine["/log/moths"].waits_for  # four eyes
    do(
        "item",
        "step",
        "/log/moths",
        "send-back",
        "--because",
        "Which lamp?",
        by="anneke.sorley",
        at="2027-05-11",
    )
    told = run(
        "queue", "sam", site=demo_folder, variables={"PRIM_LANTERN_NOW": "2027-05-12"}
    ).stdout
    assert (
        "  /log/moths  “Moths” (draft)\n    sent back on 2027-05-11 by Anneke Sorley: Which lamp?\n"
        in told
    )
    empty = run("queue", "kit", variables=NOW).stdout
    assert empty.startswith("Waits for Kit Farrow to decide\n  nothing\n")
    data = json.loads(run("queue", "anneke", "--json", "--coming", "1", variables=NOW).stdout)
    assert data["coming"] == []
    assert data["to_decide"][1]["path"] == "/log/terns"
    for arguments, said in (([], "Say whose queue"), (["guest"], "Nothing waits for a guest.")):
        assert said in run("queue", *arguments).stderr


def test_the_front_page_is_one_screen_and_names_every_command():
    from prim_lantern.cli.main import _COMMANDS

    page = run("--help", variables={"COLUMNS": "80"}, site=None).stdout
    lines = page.splitlines()
    assert len(lines) <= 40
    assert max(map(len, lines)) <= 80
    named = {
        w.strip(",") for line in lines for w in line.partition("  ")[2].split("  ")[0].split(", ")
    }
    assert set(_COMMANDS) <= named | {w for each in named for w in each.split(", ")}
    headings = [line for line in lines if line.endswith(":") and not line.startswith(" ")]
    assert headings[-3:] == [
        "Asking:",
        "Changing (each can be tried first with --try):",
        "Looking after:",
    ]


def test_from_above_without_a_word_says_how_it_is_and_changes_nothing(demo_folder):
    for path, said in (
        ("/visit", "What is allowed above /visit reaches in; --stop stops it there.\n"),
        (
            "/trustees",
            "What is allowed above /trustees does not reach in; --let-in lets it in again.",
        ),
        (
            "/trustees/minutes",
            "What is allowed above /trustees does not reach in.  [site.toml, line 406]\n",
        ),
    ):
        done = run("from-above", path, site=demo_folder)
        assert done.stdout.startswith(said), done
    assert pl.open_site(demo_folder).data == pl.open_demo().data
    stopped = run(
        "from-above", "/visit", "--stop", "--by", "hana.okafor", "--yes", site=demo_folder
    )
    assert stopped.returncode == 0
    assert "/visit" in pl.open_site(demo_folder).data.rights_cut_at


def test_enrolments_that_end_soon_and_people_by_state(demo):
    ending = json.loads(run("plan", "list", "--ending", "60 days", "--json", variables=NOW).stdout)
    assert [each["enrolled"] for each in ending] == [
        [{"login": "viktor.haim", "until": "2027-06-01"}], []
    ]  # fmt: skip
    suspended = rows("user", "list", "--status", "suspended")
    assert [row["login"] for row in suspended] == ["theo.marsh"]
    nobody = run("user", "list", "zzz")
    assert nobody.stdout == "Nobody fits 'zzz'.\n"
    owner = run("user", "list", "hana").stdout
    assert "active (owner)" in owner
    about = rows("rule", "list", "--about", "group:volunteers")
    assert {row["id"] for row in about} >= {"volunteers-see-visit", "volunteers-file-wildlife"}
    assert len(about) == sum("group:volunteers" in map(str, rule.to) for rule in demo.data.rules)


@pytest.mark.parametrize(
    ("who", "step", "path", "possible"),
    [
        ("hana.okafor", "publish", "/log/terns", True),
        ("hana.okafor", "publish", "/visit", False),
        ("hana.okafor", "archive", "/visit", True),
        ("hana.okafor", "archive", "/next-sailing", False),  # a part goes with its page
        ("hana.okafor", "edit", "/next-sailing", True),
        ("sam.whitlock", "withdraw", "/log/terns", True),  # in review, and their own
        ("anneke.sorley", "withdraw", "/log/terns", False),
        (None, "submit", "/log/seal-count", True),
    ],
)
def test_a_step_leads_from_some_states_alone(demo, who, step, path, possible):
    assert demo.is_possible(who, step, path) is possible
    told = [seen for seen in demo.looking_as(who).items if seen.item.path == path]
    assert all(step not in seen.may for seen in told) or possible


def test_a_readership_is_told_as_it_is_decided(demo):
    """Whoever is in it, and nobody else, reads what stands open to it alone."""
    patrons = set(demo.members("patrons"))
    view = demo.readership_view("not-yet-patrons")
    assert view.guests and patrons.isdisjoint(view.people)
    assert len(view.people) + len(patrons) == 36
    assert [(each.place, each.alone, each.items) for each in view.stands_at] == [
        ("/appeal", False, 1)
    ]
    only = demo.readership_view("grown-keepers")  # keepers, who are staff as well
    assert set(only.people) == set(demo.members("keepers")) & set(demo.members("staff"))
    assert not only.guests and only.stands_at == ()
    with pytest.raises(pl.UnknownWho, match="Did you mean patrons"):
        demo.readership_view("patrns")


def test_what_stands_at_a_place_as_a_table():
    rows = list(csv.DictReader(io.StringIO(run("show", "/patrons", "--csv", "-").stdout)))
    assert list(rows[0]) == ["place", "about", "from", "what", "text", "file", "line"]
    assert {row["place"] for row in rows} == {"/patrons"}
    assert {row["about"] for row in rows} == {"facts", "promises", "readerships", "rights"}
    assert {row["from"] for row in rows if row["about"] != "facts"} <= {"here", "elsewhere"}
