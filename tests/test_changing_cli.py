"""Changing a site from the command line: tried, confirmed, made, looked up, taken back."""

from __future__ import annotations

import csv
import json
import os
import pty
import subprocess
import sys

import pytest

import prim_lantern as pl
from conftest import run

CLOCK = {"PRIM_LANTERN_NOW": "2027-05-10", "PRIM_LANTERN_BY": "hana.okafor"}


@pytest.fixture
def do(demo_folder):
    """Run a command on a copy of the demo site, as its owner on 10 May 2027."""
    return lambda *arguments, **more: run(
        *arguments, site=demo_folder, variables={**CLOCK, **more.pop("variables", {})}, **more
    )


def test_trying_changes_nothing_and_shows_every_effect(do, demo_folder, tmp_path):
    before = {file.name: file.read_bytes() for file in demo_folder.iterdir()}
    tried = do(
        "allow",
        "lena.osgood,kit.farrow",
        "edit",
        "/visit/prices",
        "--try",
        "--list",
        "--csv",
        str(tmp_path / "e.csv"),
    )
    assert tried.returncode == 0
    assert (
        "+ Kit Farrow and Lena Osgood gain edit at /visit/prices" not in tried.stdout
    )  # drafts too
    assert "+ Kit Farrow and Lena Osgood gain see-drafts and edit at /visit/prices" in tried.stdout
    assert tried.stdout.endswith("Only tried; nothing was changed.\n")
    rows = list(csv.reader((tmp_path / "e.csv").read_text(encoding="utf-8").splitlines()))
    assert rows == [
        ["who", "action", "where", "effect"],
        *([who, action, "/visit/prices", "gains"] for action in ("see-drafts", "edit") for who in ("kit.farrow", "lena.osgood")),
    ]  # fmt: skip
    told = json.loads(
        do(
            "allow", "lena.osgood,kit.farrow", "edit", "/visit/prices", "--try", "--list", "--json"
        ).stdout
    )
    assert (told["made"], told["effects"]["pairs"]) == (False, 4)
    assert [list(each.values()) for each in told["effects"]["all"]] == rows[1:]
    assert {file.name: file.read_bytes() for file in demo_folder.iterdir()} == before


def test_what_is_worth_a_second_thought_is_made_only_when_confirmed(do, demo_folder):
    asked = ("allow", "everyone", "comment", "/visit")
    refused = do(*asked)
    assert refused.returncode == 2
    assert (
        "! Guests, that is everybody in the world" not in refused.stdout
    )  # a final deny keeps them
    assert "! It touches 34 people, at 7 places." in refused.stdout
    assert (
        refused.stderr
        == "prim-lantern: Nothing was changed. Add --yes to make this change all the same.\n"
    )
    as_json = do(*asked, "--json")
    assert (as_json.returncode, json.loads(as_json.stdout)["made"]) == (2, False)
    assert do("history").stdout == "Nothing has been changed yet.\n"
    made = json.loads(do(*asked, "--yes", "--json", "--because", "A campaign").stdout)
    assert (made["made"], made["number"]) == (True, 1)
    for answer, code in ((b"n\n", 2), (b"y\n", 0)):  # at a terminal it asks
        ours, theirs = pty.openpty()
        code_line = "from prim_lantern.cli.start import run; run()"
        worker = subprocess.Popen(
            [sys.executable, "-c", code_line, "undo", "1", "--site", str(demo_folder)],
            stdin=theirs, stdout=theirs, stderr=theirs, env={**os.environ, **CLOCK, "NO_COLOR": "1"},
        )  # fmt: skip
        os.close(theirs)
        os.write(ours, answer)
        shown = b""
        try:
            while chunk := os.read(ours, 4096):
                shown += chunk
        except OSError:
            pass  # the other side is closed
        os.close(ours)
        assert worker.wait() == code
        assert b"Make this change? [y/N]" in shown
    assert [each.undoes for each in pl.open_site(demo_folder).history()] == [None, 1]


def test_the_history_by_person_thing_and_time(do):
    do("group", "add", "night", "--because", "For the night")
    do(
        "group",
        "add-members",
        "night",
        "kit.farrow",
        "--by",
        "ines.varga",
        variables={"PRIM_LANTERN_NOW": "2027-05-11"},
    )
    do(
        "allow",
        "group:night",
        "read",
        "/trustees/plans",
        variables={"PRIM_LANTERN_NOW": "2027-05-12"},
    )
    for arguments, numbers in (
        ((), [3, 2, 1]),
        (("--by", "ines.varga"), [2]),
        (("--about", "group:night"), [3, 2, 1]),
        (("--about", "/trustees/plans"), [3]),
        (("--about", "kit.farrow"), [2]),
        (("--since", "2027-05-11", "--until", "2027-05-12"), [2]),
        (("--last", "1"), [3]),
    ):
        assert [
            e["number"] for e in json.loads(do("history", *arguments, "--json").stdout)
        ] == numbers
    assert "2 older ones; --last 3 shows all." in do("history", "--last", "1").stdout
    whole = do("history", "show", "2").stdout
    assert whole.splitlines()[0] == "Change 2, 2027-05-11 00:00:00 UTC, by ines.varga"
    assert "    + login = kit.farrow" in whole
    assert json.loads(do("history", "show", "1", "--json").stdout)["because"] == "For the night"
    assert (
        do("history", "check").stdout
        == "The history is whole: 3 changes, and the site is as the last left it.\n"
    )
    refused = do("undo", "1")
    assert refused.stderr.startswith(
        "prim-lantern: Change 1 cannot be taken back by itself: changes 3, 2 rest on it."
    )
    past = do("may", "kit", "read", "/trustees/plans", "--as-it-stood", "2027-05-11")
    clock = do(
        "may",
        "kit",
        "read",
        "/trustees/plans",
        "--at",
        "2027-05-11",
        variables={"PRIM_LANTERN_NOW": "2027-06-01"},
    )
    assert (past.returncode, clock.returncode) == (1, 1)
    assert "change 3 came later" in clock.stderr
    assert not past.stderr


def test_members_in_bulk_and_from_a_file(do, tmp_path, demo_folder):
    (tmp_path / "new.csv").write_text(
        "name,login\nKit,kit.farrow\nGwen,gwen.tarrow\n", encoding="utf-8"
    )
    added = do(
        "group",
        "add-members",
        "office",
        "--from",
        str(tmp_path / "new.csv"),
        "--where",
        "position is relief keeper",
    )
    assert added.stdout.startswith("Add kit.farrow, gwen.tarrow, dag.hollis to group:office.\n")
    members = pl.open_site(demo_folder).members("office")
    assert {"kit.farrow", "gwen.tarrow", "dag.hollis"} <= set(members)
    do("group", "remove-members", "office", "kit.farrow,gwen.tarrow", "Dag Hollis")
    assert set(pl.open_site(demo_folder).members("office")) == set(members) - {
        "kit.farrow",
        "gwen.tarrow",
        "dag.hollis",
    }
    (tmp_path / "bare.txt").write_text("kit.farrow\n\nSam.Whitlock\n", encoding="utf-8")
    bare = do("group", "add-members", "office", "--from", str(tmp_path / "bare.txt"), "--try")
    assert bare.stdout.startswith("Add kit.farrow, sam.whitlock to group:office.\n"), "no header"


def test_unhiding_brings_back_the_readership_of_before(do, demo_folder):
    do("item", "hide", "/friends", "--yes")
    assert do("may", "kit", "read", "/friends").returncode == 1
    do("item", "unhide", "/friends", "--yes")
    assert pl.open_site(demo_folder).data == pl.open_demo().data
    do("item", "hide", "/sign-in", "--yes")  # its readership is written in content.csv
    do("item", "unhide", "/sign-in", "--yes")
    assert do("may", "kit", "read", "/sign-in").returncode == 1
    assert do("may", "guest", "read", "/sign-in").returncode == 0


def test_every_changing_command_has_the_common_options():
    from prim_lantern.cli.main import _COMMANDS, main

    asking = {
        "list",
        "show",
        "check",
        "schema",
        "compare",
        "invitations",
        "accept",
        "sign-up",  # of a user; they do it themselves
        "out",
        "holdings",
    }
    found = 0
    for name in (
        "user",
        "group",
        "plan",
        "role",
        "readership",
        "rule",
        "item",
        "category",
        "kind",
        "action",
        "give",
        "take-back",
        "allow",
        "deny",
        "from-above",
        "limit",
        "undo",
    ):
        command = main.get_command(None, name)  # type: ignore[arg-type]
        each = getattr(command, "commands", {name: command})
        for sub, one in each.items():
            if sub not in asking:
                found += 1
                options = {option for parameter in one.params for option in parameter.opts}
                assert {
                    "--by",
                    "--because",
                    "--try",
                    "--yes",
                    "--json",
                    "--site",
                    "--list",
                    "--csv",
                } <= options, (name, sub)
                assert one.help, (name, sub)
    assert found > 40
    assert set(_COMMANDS) >= {"history", "undo", "give", "allow"}
