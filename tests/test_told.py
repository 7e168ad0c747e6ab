"""All that is told to people, word for word: on a small site that uses every word.

What is told is kept in `told/`. After a change of words, run with `--retell`, which writes it
anew, and read the difference before you commit it.
"""

from __future__ import annotations

import difflib
import itertools
import json
import os
import pty
import re
import secrets
import shlex
import shutil
import subprocess
import sys
import termios
from contextlib import suppress
from pathlib import Path

import click
import pytest

import prim_lantern as pl
from prim_lantern.cli import checkup, items, start
from prim_lantern.cli.main import main
from prim_lantern.cli.start import run
from prim_lantern.formats.folder.writer import folder_texts
from prim_lantern.show import records, terminal

TOLD = Path(__file__).parent / "told"
NOW = "2027-05-10"
ASKED = [
    "read", "see-drafts", "edit", "publish", "comment", "sell", "delete", "send-back", "submit",
]  # fmt: skip
WIDE = ("show", "grid", "what", "who")


@pytest.fixture(autouse=True)
def clock(monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOW)


@pytest.fixture
def folder(tmp_path):
    return Path(shutil.copytree(TOLD / "site", tmp_path / "site"))


@pytest.fixture
def told(request):
    """Hold some text against what is kept under a name."""

    def same(name, lines):
        kept, text = TOLD / f"{name}.txt", "\n".join(lines) + "\n"
        if request.config.getoption("--retell"):
            kept.write_text(text, encoding="utf-8")
        assert text.splitlines() == kept.read_text(encoding="utf-8").splitlines()

    return same


# Reasons --------------------------------------------------------------------------------------


def questions(site):
    who = [*site.data.users, None, pl.pictured("group:guild")]
    for action, login, path in itertools.product(ASKED, who, site.data.items):
        yield site.may(login, action, path)
    for login, path in itertools.product(who, ("/", "/harbour", "/isle/cove", "/log", "/vault")):
        yield site.may_create(login, "page", path)
        yield site.may_create(login, "post", path, categories=["topic:sea/seals"])
        yield site.may_create(login, "post", path)
        yield site.may_create(login, "leaf", path)
    for login, path in itertools.product(who, ("/log/storm", "/harbour/quay", "/isle/cave")):
        yield site.may_file(login, path, "topic:press")
        yield site.may_file(login, path, "place:north")
        yield site.may_move(login, path, "/isle")
        yield site.may_move(login, path, "/harbour")
    for login in who:
        for where in ("site", "/harbour", "/isle/cove", "topic:sea"):
            yield site.may_manage(login, "manage-rights", where)
        yield site.may_manage(login, "manage-people", "site")


def shapes_of(text, site):
    """The lines of a text without names, so that of many like them one is kept."""
    names = [
        *site.data.users,
        *site.data.items,
        *(each.called for each in site.data.users.values()),
    ]
    names += [f"“{each.title}”" for each in site.data.items.values()]
    pattern = "|".join(re.escape(each) for each in sorted(names, key=len, reverse=True))
    return {
        re.sub(rf"(?<![\w/])(?:{pattern})(?![\w/])|line \d+", "…", line)
        for line in text.splitlines()
    }


def marks(explanation):
    """What a program would go by: the sort and the name of each point, section by section."""

    def of(points):
        return [f"{point.what}={point.name}{of(point.behind) or ''}" for point in points]

    return "; ".join(f"{name}: {', '.join(of(points))}" for name, points in explanation.sections())


def test_reasons(folder, told):
    site = pl.open_site(folder)
    known, lines = set(), []
    for decision in questions(site):
        text = f"{decision.explanation}\n{marks(decision.explanation)}"
        shapes = shapes_of(text, site)
        if not shapes <= known:
            known |= shapes
            lines += ["", text]
    told("reasons", lines)


def test_reasons_for_programs(folder, told):
    site = pl.open_site(folder)
    asked = [
        ("ann", "publish", "/log/seals"),
        ("ben", "edit", "/harbour/quay"),
        ("cyd", "read", "/harbour/quay/hut"),
        ("kim", "read", "/to-vault"),
    ]
    told("reasons-json", [json.dumps(site.why(*each).to_dict(), indent=1) for each in asked])


# Screens --------------------------------------------------------------------------------------


@pytest.fixture
def printed(folder, monkeypatch, capsys):
    """What a command prints, beside how it ends."""
    for name in ("SITE", "BY", "TRACE"):
        monkeypatch.delenv(f"PRIM_LANTERN_{name}", raising=False)

    def show(command, columns, site):
        monkeypatch.setenv("COLUMNS", str(columns))
        monkeypatch.setenv("PRIM_LANTERN_SITE", str(site))
        words = shlex.split(command.replace("SITE", str(site)))
        monkeypatch.setattr("sys.argv", ["prim-lantern", *words])
        with pytest.raises(SystemExit) as ended:
            run()
        text = "".join(capsys.readouterr()).replace(str(folder), "SITE").rstrip("\n")
        assert "mistake of Prim Lantern" not in text, command
        code = f"  [{ended.value.code}]" if ended.value.code else ""
        return [
            f"$ prim-lantern {command}{code}",
            *(line.rstrip() for line in text.split("\n")),
            "",
        ]

    return show


@pytest.fixture
def shown(folder, printed, monkeypatch):
    """What a command prints that writes no file of its own."""
    monkeypatch.chdir(TOLD / "files")  # by their names alone, lines break everywhere alike
    there = sorted(Path.cwd().iterdir())

    def show(command, columns):
        lines = printed(command, columns, folder)
        assert sorted(Path.cwd().iterdir()) == there, command
        return lines

    return show


def commands(name):
    text = (TOLD / f"{name}.commands").read_text(encoding="utf-8")
    return [line for line in text.splitlines() if line and not line.startswith("#")]


@pytest.mark.parametrize(
    "name", ["asking", "lists", "rarer", "trying", "trying-more", "for-programs", "the-whole"]
)
def test_screens(folder, shown, told, name):
    lines = []
    for command in commands(name):
        lines += shown(command, 100)
        if command.startswith(WIDE) and "--json" not in command and "--csv" not in command:
            lines += shown(command, 80)[1:]
    told(name, lines)
    assert pl.open_site(folder).data == pl.open_site(TOLD / "site").data  # nothing was changed


def test_screens_that_are_longer_than_a_page(shown, told, monkeypatch):
    monkeypatch.setattr(records, "PAGE", 2)
    monkeypatch.setattr(checkup, "_PAGE", 3)
    monkeypatch.setattr(items, "_MANY", 3)
    told("long", [line for each in commands("long") for line in shown(each, 80)])


@pytest.mark.parametrize("name", ["changing", "people"])
def test_screens_of_changes(folder, shown, told, name):
    told(name, [line for each in commands(name) for line in shown(each, 100)])
    whole = shown("history check", 100)
    assert whole[1].startswith("The history is whole"), whole


TEXTS = {".csv", ".json", ".toml", ".eml"}


def left_in(out):
    """By its name, what a file holds: that of texts, and of all else that it is there."""
    for path in sorted(each for each in out.rglob("*") if each.is_file()):
        text = path.read_text(encoding="utf-8") if path.suffix in TEXTS else ""
        yield str(path), text.splitlines()


def test_screens_of_commands_that_write_files(printed, folder, told, monkeypatch):
    shutil.copytree(TOLD / "files", folder.parent, dirs_exist_ok=True)
    monkeypatch.chdir(folder.parent)  # by their names alone, lines break everywhere alike
    numbers = itertools.count(1)
    monkeypatch.setattr(secrets, "token_urlsafe", lambda *_: f"token-{next(numbers)}")
    lines, there, out = [], {}, Path("out")
    out.mkdir()
    for command in commands("with-files"):
        if command.startswith("append "):  # somebody edits a file by hand
            _, file, text = command.split(" ", 2)
            with Path(file).open("a", encoding="utf-8") as edited:
                edited.write(f"{text}\n")
            lines += [f"# {command}", ""]
            continue
        lines += printed(command, 100, "site")
        left = dict(left_in(out))
        for name in sorted(left.keys() | there.keys()):
            if left.get(name) != there.get(name):
                lines += [f"> {name}" + " is gone" * (name not in left), *left.get(name, ()), ""]
        there = left
    told("with-files", lines)


START = "from prim_lantern.cli.start import run; run()"
END = b"\x04"  # nothing more is typed: whatever asks further is not answered


def with_answers(name):
    """The commands of a list, each with what is typed."""
    asked = []
    for line in commands(name):
        if line.startswith("<"):
            asked[-1][1].append(line[1:].strip())
        else:
            asked.append((line, []))
    return asked


def at_a_terminal(command, answers, site):
    """What a terminal shows of a command, and how it ends."""
    ours, theirs = pty.openpty()
    quiet = termios.tcgetattr(theirs)
    quiet[3] &= ~termios.ECHO  # what is typed is not shown: it could come before or after
    termios.tcsetattr(theirs, termios.TCSANOW, quiet)
    environment = {**os.environ, "NO_COLOR": "1", "COLUMNS": "100"}
    environment |= {"PRIM_LANTERN_SITE": site}
    with subprocess.Popen(
        [sys.executable, "-c", START, *shlex.split(command)],
        stdin=theirs, stdout=theirs, stderr=theirs, env=environment,
    ) as worker:  # fmt: skip
        os.close(theirs)
        os.write(ours, "".join(f"{each}\n" for each in answers).encode() + END * 3)
        shown = b""
        with suppress(OSError):  # the other side is closed
            while chunk := os.read(ours, 4096):
                shown += chunk
        os.close(ours)
        code = worker.wait(timeout=300)
    lines = shown.decode().replace("\r\n", "\n").rstrip("\n").split("\n")
    ended = f"  [{code}]" if code else ""
    return [f"$ prim-lantern {command}{ended}", *(line.rstrip() for line in lines), ""]


def test_what_is_asked_at_a_terminal(folder, told, monkeypatch):
    shutil.copytree(TOLD / "files", folder.parent, dirs_exist_ok=True)
    monkeypatch.chdir(folder.parent)
    monkeypatch.delenv("PRIM_LANTERN_BY", raising=False)
    told("answers", [x for each in with_answers("answers") for x in at_a_terminal(*each, "site")])


def test_screens_on_a_narrow_terminal_with_colours(shown, told, monkeypatch):
    """Each colour is told as a word in front of what has it; the command line, unlike the plain
    way, leaves out the ends of colours here, as this is no terminal."""
    monkeypatch.setattr(start, "answered", lambda _: None)
    monkeypatch.setattr(terminal, "colourful", lambda: True)
    for style in terminal._COLOURS:
        monkeypatch.setitem(terminal._COLOURS, style, f"<{style}>")
    told("on-a-terminal", [line for each in commands("on-a-terminal") for line in shown(each, 50)])


def test_helps(shown, told):
    def every(command, words):
        yield [*words, "--help"]
        if isinstance(command, click.Group):
            for name in command.list_commands(click.Context(command)):
                further = command.get_command(click.Context(command), name)
                yield from every(further, [*words, name])

    told("helps", [line for words in every(main, []) for line in shown(shlex.join(words), 80)])


# What operations change, and who may make them -------------------------------------------------

OWNER = "hana.okafor"
SOME = ("ines.varga", "beatrix.lowe", "leif.aronsen")  # all access; rights of a section; a steward


FILES = {path.name: path.read_text(encoding="utf-8") for path in pl.DEMO_FOLDER.glob("*.*")}


def what_it_changes(site, operation, by):
    """What is said of an operation, the lines that differ in the files, and what `by` would lack."""
    try:
        change = site.change(by=OWNER).do(operation)
    except pl.PrimLanternError as error:
        return [str(error)]
    lines = [*change.said, *change.in_short(), *change.cautions()]
    for name, text in folder_texts(change.data, site.data, FILES)[0].items():
        both = (FILES[name].splitlines(), text.splitlines())
        differs = difflib.unified_diff(*both, lineterm="", n=0)
        lines += [each for each in differs if not each.startswith(("---", "+++", "@@"))]
    try:
        site.change(by=by).do(operation).judge()
    except pl.NotAllowed as refused:
        whom = f" (ask {', '.join(refused.ask)})" if refused.ask else ""
        return [*lines, f"{by}: {'; '.join(refused.because)}{whom}"]
    return [*lines, f"{by}: may"]


@pytest.mark.parametrize("name", ["operations-on-people", "operations-on-words-and-content"])
def test_what_operations_change_and_who_may_make_them(told, name):
    site = pl.open_demo()
    lines = []
    operations = (TOLD / f"{name}.jsonl").read_text(encoding="utf-8").splitlines()
    for each, by in zip(operations, itertools.cycle(SOME), strict=False):
        lines += [each, *what_it_changes(site, json.loads(each), by), ""]
    told(name, lines)
