"""The command line, run as a process on the demo site."""

from __future__ import annotations

import csv
import io
import json
import os
import subprocess
import sys

import click
import pytest
from click.testing import CliRunner

import prim_lantern as pl
from conftest import run
from prim_lantern.cli.main import main
from prim_lantern.demo import WALK
from prim_lantern.formats.folder.schema import site_schema
from prim_lantern.starting import start_folder

AT = ("--at", "2027-05-10")

# What is asked, the exit code, and the whole answer (or its beginning, before …).
ANSWERS = [
    ("may sam edit /log/seal-count", 0, "Yes: Sam Whitlock may edit “The spring seal count” (/log/seal-count): by the role Field writer,\nthrough group Volunteers.\n"),
    ("may SAM.WHITLOCK publish /log/seal-count", 1, "No: Sam Whitlock may not publish “The spring seal count” (/log/seal-count): it asks for four eyes,\nand they wrote or changed it.\n"),
    ("may guest read /trustees/minutes", 1, "No: A guest may not read “Minutes” (/trustees/minutes): the rule minutes-stay-inside forbids it\nwithout exceptions.\n"),
    ("may sam create /log --kind post --filed topic:wildlife", 0, "Yes: Sam Whitlock may create a Log entry below /log, filed under topic:wildlife: by the role Field\nwriter, through group Volunteers.\n"),
    ("may anneke file-under /log/bees --filed topic:press", 0, "Yes: Anneke Sorley may file “Bees in the wall” (/log/bees) under topic:press: by the rule\npress-only-by-newsroom, through group Newsroom.\n"),
    ("may leif move /stations/fennick/landing --below /stations/marrow", 1, "No: Leif Aronsen may not move “Landing at Fennick Rock” (/stations/fennick/landing) below\n/stations/marrow: they may not create it there: nothing gives them the right to create this here.\n"),
    ("may beatrix manage-rights /trustees", 0, "Yes: Beatrix Lowe may manage rights at /trustees: by the role Minute taker.\n"),
    ("may tomasz look-as", 0, "Yes: Tomasz Reeve may look as somebody else at the site: by the role Site helper.\n"),
    ("may dolores read /patrons", 0, "Yes: Dolores Pine may read “For patrons” (/patrons): it is published, and open to group Patrons.\n"),
    ("may group:friends create /events --kind event --filed series:work-parties", 0, "Yes: Somebody in Friends may create an Event below /events, filed under series:work-parties: by the\nrole Work party host, through group Friends.\n"),
    ("may signed-in read /sign-in", 1, "No: Somebody signed in may not read “Sign in” (/sign-in): they are not in the readership Visitors\nnot signed in at /sign-in and below.\n"),
    ("who edit /visit/prices", 0, "3 of 36 active people may edit /visit/prices.\nGuests may not.\n…"),
    ("user list zzz", 0, "Nobody fits 'zzz'.\n"),
    ("what bo.lind edit", 0, "Bo Lind may edit 2 of 122 items.\n…"),
    ("folder check", 0, "…: in order.\n  41 people, 16 groups, 14 roles, 12 readerships, 14 rules, 122 items\n"),
]  # fmt: skip

# What cannot be answered: exit code 2, one message on stderr, nothing on stdout.
REFUSED = [
    ("look-as sam", "prim-lantern: Say who does it: --by LOGIN, or the environment variable PRIM_LANTERN_BY. The owner of\n  this site is hana.okafor.\n"),
    ("look-as sam --by guest", "prim-lantern: A guest changes nothing: say who does it with --by LOGIN.\n"),
    ("suspend sam", "Usage: prim-lantern [OPTIONS] COMMAND [ARGS]...\nTry 'prim-lantern --help' for help.\n\nError: There is no command 'suspend'. 'prim-lantern --help' lists them.\n"),
    ("undo 3 --by hana.okafor", "prim-lantern: There is no change 3 in the history: it has no changes yet.\n"),
    ("history show 1", "prim-lantern: There is no change 1 in the history: it has no changes yet.\n"),
    ("user change sam.whitlock --set shoe --by hana.okafor", "prim-lantern: 'shoe' sets nothing: write NAME=VALUE, as in station=marrow.\n"),
    ("group add-members friends --by hana.okafor", "prim-lantern: Name people, a file of them (--from) or a condition (--where).\n"),
    ("group add-members friends --by hana.okafor --from /nowhere.csv", "prim-lantern: /nowhere.csv: No such file or directory.\n"),
    ("folder in . --site there", "prim-lantern: 'there' is a folder: name the database with --site, as in sqlite:///site.db.\n"),
    ("user accept nonsense", "prim-lantern: This link is not known, or was replaced or cancelled; ask for a new one.\n"),
    ("may Hol read /", "prim-lantern: 'Hol' fits 2 people; say which by the login:\n  dag.hollis  Dag Hollis\n  levin.holt  Levin Holt\n"),
    ("may samm read /", "prim-lantern: The user 'samm' is not known on this site. Did you mean sam.whitlock?\n"),
    ("may sam.whitlok read /", "prim-lantern: The user 'sam.whitlok' is not known on this site. Did you mean sam.whitlock?\n"),
    ("may sam raed /", "prim-lantern: The action 'raed' is not known on this site. Did you mean read?\n"),
    ("may sam read /lgo", "prim-lantern: The item '/lgo' is not known on this site. Did you mean /log?\n"),
    ("may sam read", "prim-lantern: 'read' is asked of an item: add its path, as in '/log'.\n"),
    ("may sam create /log", "prim-lantern: 'create' needs a kind: add --kind, as in '--kind page'.\n"),
    ("may sam file-under /log/terns", "prim-lantern: 'file-under' needs one category: add '--filed topic:…'.\n"),
    ("may sam move /log/terns", "prim-lantern: 'move' needs the new parent: add --below, as in '--below /log'.\n"),
    ("may sam edit /log --kind post", "prim-lantern: --kind belongs to create, not to 'edit'.\n"),
    ("may sam read /log --at soon", "prim-lantern: 'soon' is no moment: write a day as 2027-01-31 or a time as 2027-01-31T09:30Z.\n"),
    ("grid --rows categories --in /log", "prim-lantern: --in belongs to sections and items, not to categories.\n"),
    ("grid --in /lgo", "prim-lantern: The item '/lgo' is not known on this site. Did you mean /log?\n"),
    ("grid --action file-under", "prim-lantern: 'file-under' is asked of categories: name only those as rows.\n"),
    ("grid --csv /nowhere/grid.csv", "prim-lantern: '/nowhere/grid.csv' cannot be written: there is no folder /nowhere; make it first.\n"),
    ("may group:firends read /", "prim-lantern: The name 'group:firends' is not known on this site. Did you mean group:friends?\n"),
    ("user holdings group:friends", "prim-lantern: 'group:friends' is no single person; 'what' and 'look-as' tell of it.\n"),
    ("what role:frend", "prim-lantern: The name 'role:frend' is not known on this site.\n"),
    ("group show crew", "prim-lantern: The group 'crew' is not known on this site.\n"),
    ("role show feild-writer", "prim-lantern: The role 'feild-writer' is not known on this site. Did you mean field-writer or\n  news-writer?\n"),
]  # fmt: skip


@pytest.mark.parametrize(("command", "code", "answer"), ANSWERS)
def test_an_answer(command, code, answer):
    at = () if command == "folder check" else AT
    done = run(*command.split(), *at)
    start, open_end, rest = answer.partition("…")
    assert (done.returncode, done.stderr) == (code, "")
    assert done.stdout.startswith(start) if open_end else done.stdout == answer
    assert done.stdout.endswith(rest)


@pytest.mark.parametrize(("command", "message"), REFUSED)
def test_a_refusal(command, message):
    done = run(*command.split())
    assert (done.returncode, done.stdout, done.stderr) == (2, "", message)


EVERY_ANSWER = [
    "may sam edit /log/seal-count", "why sam edit /log/seal-count", "who edit /log/terns",
    "what sam", "what sam edit", "what guest", "look-as guest --by hana.okafor",
    "look-as group:friends --by hana.okafor", "look-as signed-in --by tomasz.reeve", "grid", "grid --rows items --in /log --who sam --action publish",
    "grid --rows categories --who newsroom --action file-under --action create",
    "user list", "user list kit", "user show sam", "group list", "group show teachers", "plan list",
]  # fmt: skip
WITHOUT_MOMENT = [
    "role list", "role show minute-taker", "role compare commenter field-writer", "rule list",
    "readership list", "folder check", "history", "history check", "user invitations",
]  # fmt: skip


@pytest.mark.parametrize("command", [*EVERY_ANSWER, *WITHOUT_MOMENT])
def test_every_answer_fits_the_width_and_has_its_json(command, demo_folder):
    at = () if command in WITHOUT_MOMENT else AT
    arguments = (*command.split(), *at)
    text, as_json = (run(*arguments, *more, site=demo_folder) for more in ((), ("--json",)))
    assert text.returncode == as_json.returncode == 0
    assert text.stdout.strip()
    assert max(map(len, text.stdout.splitlines())) <= 100
    assert "\x1b" not in text.stdout
    assert json.loads(as_json.stdout) or command in ("history", "user invitations")


def test_json_says_the_same_as_the_library(demo, demo_folder):
    found = json.loads(run("why", "sam", "publish", "/log/seal-count", *AT, "--json").stdout)
    assert found == demo.why("sam.whitlock", "publish", "/log/seal-count", "2027-05-10").to_dict()
    view = json.loads(
        run("look-as", "sam", "--by", "hana.okafor", *AT, "--json", site=demo_folder).stdout
    )
    assert [item["path"] for item in view["items"]] == demo.items_for("sam.whitlock", "read", AT[1])


def test_the_grid_as_csv(tmp_path, demo):
    arguments = ["grid", "--who", "sam", "--who", "guests", "--rows", "items", "--in", "/log", *AT]
    printed = run(*arguments, "--csv", "-").stdout
    assert run(*arguments, "--csv", str(tmp_path / "g.csv")).stdout.startswith("Wrote 23 rows to ")
    assert (tmp_path / "g.csv").read_text(encoding="utf-8") == printed.replace("\r\n", "\n")
    rows = {row["where"]: row for row in csv.DictReader(io.StringIO(printed))}
    assert rows["/log/seal-count"]["user:sam.whitlock edit"] == "yes"
    assert rows["/log/seal-count"]["guests read"] == "no"
    assert rows["/log/storm-watch"]["own_words"] == "1"
    frame = demo.grid(["sam.whitlock", "guests"], list(rows), ["read", "edit"], AT[1])
    assert frame.loc["/log/seal-count", ("user:sam.whitlock", "edit")] == "yes"


def test_the_site_is_found_by_option_variable_or_folder(make_folder, tmp_path):
    make_folder()
    there = run("may", "mo", "read", "/", site=None, cwd=tmp_path)
    assert there.stderr == "prim-lantern: The item '/' is not known on this site.\n"
    elsewhere = run("may", "sam", "read", "/", "--site", str(pl.DEMO_FOLDER), site=tmp_path)
    assert elsewhere.returncode == 0
    nowhere = run("may", "mo", "read", "/", site=None, cwd=tmp_path / "site")
    assert (nowhere.returncode, nowhere.stdout) == (2, "")
    assert nowhere.stderr == (
        "prim-lantern: There is no site at 'site': no such folder. 'prim-lantern new' makes one.\n"
    )


def test_folder_check_names_every_mistake(make_folder):
    folder = make_folder("[groups.a]\nmembers = ['nobody']\n", content="/a,pge,,,,,,,,,\n")
    done = run("folder", "check", str(folder))
    assert done.returncode == 2
    assert done.stdout == (
        f"{folder}: 2 mistakes.\n"
        "  site.toml, line 5, members: 'nobody' is no user of this site.\n"
        "  content.csv, line 2, kind: 'pge' is no kind of this site. Did you mean page?\n"
    )
    found = json.loads(run("folder", "check", str(folder), "--json").stdout)
    assert [each["line"] for each in found["problems"]] == [5, 2]
    asked = run("may", "mo", "read", "/", site=folder)
    assert (asked.returncode, asked.stdout) == (2, "")
    assert "2 mistakes" in asked.stderr
    assert "Traceback" not in asked.stderr


def test_the_demo_walks_through_and_overwrites_only_when_told(tmp_path):
    target = str(tmp_path / "demo")
    first = run("demo", "--to", target, site=None)
    assert (first.returncode, first.stderr) == (0, "")
    for number, step in enumerate(WALK, 1):
        assert f"\n{number}. {step.title}\n" in first.stdout
        for command in step.commands:
            assert f"$ prim-lantern {command} --site {target}\n" in first.stdout
    again = run("demo", "--to", target, site=None)
    assert again.returncode == 2
    assert again.stderr.endswith("left as it is. Use --to for another folder, or --yes.\n")
    (tmp_path / "demo" / "site.toml").write_text("changed", encoding="utf-8")
    assert run("demo", "--to", target, "--yes", site=None).returncode == 0
    assert pl.open_site(target).data == pl.open_demo().data


def test_new_makes_a_folder_that_answers(tmp_path):
    target = str(tmp_path / "site")
    made = run("new", target, "--owner", "mo.tarn", "--name", "Harbour", site=None)
    assert made.returncode == 0
    assert run("may", "mo", "delete", "/news", site=target).returncode == 0
    assert run("may", "guest", "read", "/team", site=target).returncode == 1
    refused = run("new", target, site=None)
    assert (refused.returncode, refused.stdout) == (2, "")


def test_help_completion_and_a_mistyped_command(tmp_path):
    listed = run("--help", site=None).stdout
    for command in ("demo", "new", "may", "why", "who", "what", "look-as", "grid", "folder"):
        assert command in listed
        assert run(command, "--help", site=None).returncode == 0
    assert run("--version", site=None).stdout == f"prim-lantern {pl.__version__}\n"
    assert json.loads(run("folder", "schema", site=None).stdout) == site_schema()
    assert "_PRIM_LANTERN_COMPLETE" in run("completion", "bash", site=None).stdout
    wrong = run("mya", site=None)
    assert wrong.returncode == 2
    assert "There is no command 'mya'. Did you mean may?" in wrong.stderr


def commands_below(command, name=""):
    """Every command with its whole name."""
    yield name.strip(), command
    if isinstance(command, click.Group):
        for each in command.list_commands(click.Context(command)):
            below = command.get_command(click.Context(command), each)
            yield from commands_below(below, f"{name} {each}")


def test_every_command_and_every_option_says_what_it_is_for():
    silent = [
        (name, option.opts)
        for name, command in commands_below(main)
        for option in command.params
        if isinstance(option, click.Option) and not (option.help or option.hidden)
    ]
    assert silent == []
    assert all(each.help or each.callback is None for _, each in commands_below(main))


@pytest.mark.parametrize("no_color", ["", "1"])
def test_colour_comes_only_on_a_terminal_and_not_against_the_wish(no_color):
    """The only test that needs a terminal: a pseudo one."""
    ours, theirs = os.openpty()
    environment = {**os.environ, "NO_COLOR": no_color, "COLUMNS": "100", "TERM": "xterm"}
    subprocess.run(
        [sys.executable, "-c", "from prim_lantern.cli.start import run; run()", "may", "guest",
         "read", "/trustees", "--site", str(pl.DEMO_FOLDER)],
        stdout=theirs, stdin=subprocess.DEVNULL, env=environment, check=False, timeout=300,
    )  # fmt: skip
    os.close(theirs)
    shown = os.read(ours, 4096).decode()
    os.close(ours)
    assert shown.startswith("No:" if no_color else "\x1b[31mNo\x1b[0m:")


def every_command(command, path, context):
    """All commands that do something, each with the words that lead to it."""
    if not isinstance(command, click.Group):
        yield path, command
        return
    for name in command.list_commands(context):
        further = command.get_command(context, name)
        yield from every_command(further, (*path, name), context)


COMMANDS = dict(every_command(main, (), click.Context(main)))
SERVING = ("serve",)  # would go on for good where an odd value does no harm; tested by itself


@pytest.mark.parametrize("path", sorted(COMMANDS.keys() - {SERVING}), ids=" ".join)
def test_odd_values_never_end_in_a_traceback(path, monkeypatch, tmp_path):
    """Each command, with an odd value for its arguments and for one option after the other."""
    monkeypatch.chdir(tmp_path)
    monkeypatch.setenv("PRIM_LANTERN_SITE", str(tmp_path / "site"))
    start_folder(tmp_path / "site", name="Harbour", owner="hana.okafor")
    command = COMMANDS[path]
    known = {option for each in command.params for option in each.opts}
    usual = ["--by", "hana.okafor"] if "--by" in known else []
    usual += ["--try"] if "--try" in known else []
    options = [
        each
        for each in command.params
        if isinstance(each, click.Option) and not each.is_flag and each.name not in ("by", "site")
    ]
    for odd in ("nobody", "a\x1bb"):
        arguments = [odd for each in command.params if isinstance(each, click.Argument)]
        for option in (None, *options):
            some = [] if option is None else [option.opts[-1], odd]
            for each in options:
                some += [each.opts[-1], "x"] if each.required and each is not option else []
            asked = [*path, *some, *usual, *arguments]
            ended = CliRunner().invoke(main, asked, standalone_mode=False)
            told = (pl.PrimLanternError, click.ClickException, click.exceptions.Exit, OSError)
            assert ended.exception is None or isinstance(ended.exception, told), asked
