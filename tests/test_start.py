"""How the command starts: a plain question is answered without the command line, and alike."""

from __future__ import annotations

import json
import os
import shutil
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given

import prim_lantern as pl
from conftest import run
from prim_lantern.cli import plain, start
from prim_lantern.cli.main import main
from prim_lantern.decide.explain.plainly import answer_of
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.store import at_hand
from prim_lantern.store.folder import FolderStore
from sites import NOON, sites
from test_structure import loaded_by

WHO = ("--by", "hana.okafor", "--because", "to see", "--yes")


@pytest.fixture(autouse=True)
def _noon(monkeypatch, tmp_path):
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOON.isoformat())
    monkeypatch.setenv("PRIM_LANTERN_CACHE", str(tmp_path / "cache"))


def keep(folder: Path) -> None:
    """Read the folder, so that it is at hand."""
    assert at_hand.site_in(str(folder)) is not None and is_at_hand(folder)


def is_at_hand(folder: Path) -> bool:
    seen = at_hand.seen_in(str(folder))
    return seen is not None and at_hand.kept(str(folder), seen) is not None


def told(capsys, *arguments: str) -> tuple[int | None, str, str]:
    code = plain.answered(arguments)
    return code, *capsys.readouterr()


def kept_file() -> Path:
    (found,) = (Path(os.environ["PRIM_LANTERN_CACHE"]) / "prim-lantern").iterdir()
    return found


def test_whoever_asks_whatever_of_whatever_is_told_the_same_by_both(demo_folder, capsys):
    keep(demo_folder)
    data = pl.open_site(demo_folder).data
    people = ["guest", "A Guest", "sam", "SAM.WHITLOCK", "user:hana.okafor", *data.users]
    actions = [each for each in data.item_actions if each not in NEED_MORE]
    left = 0
    for number, path in enumerate([*data.items][1::3]):
        who, action = people[number % len(people)], actions[number % len(actions)]
        asked = [("may", "why")[number % 2], who, action, path, "--site", str(demo_folder)]
        capsys.readouterr()
        code, out, err = told(capsys, *asked)
        whole = main(asked, standalone_mode=False), *capsys.readouterr()
        if code is None:
            assert (out, err) == ("", "")
            assert "This is about the right alone" in whole[1], asked
            left += 1
        else:
            assert (code, out, err) == whole, asked
    assert 0 < left < 10


@pytest.mark.parametrize(
    "asked",
    [
        "may", "may sam edit", "may sam edit /log --at 2027-01-01", "may sam edit /log --json", "who edit /log", "why sam create /log",
        "may group:volunteers read /log", "may signed-in read /log", "may role:writer read /log",
        "may nobody.known read /log", "may a read /log", "may sam paint /log", "may sam create /log",
        "may sam manage-rights /log", "may sam move /log", "may sam read /nowhere", "may sam read site",
        "may sam read /log /log", "may hana publish /visit", "may --help", "may sam read topic:wildlife",
        "may '' read /log", "may sam read /log --site", "may sam read /log --site sqlite:///site.db",
    ],
)  # fmt: skip
def test_whatever_is_unusual_is_left_to_the_command_line(asked, demo_folder, monkeypatch, capsys):
    monkeypatch.setenv("PRIM_LANTERN_SITE", str(demo_folder))
    keep(demo_folder)
    capsys.readouterr()
    assert told(capsys, *(asked.replace("''", " ").split(" ")))[0] is None
    assert told(capsys, "may", "sam", "read", "/log")[0] == 0


def test_somebody_whose_name_sounds_like_an_audience_is_not_taken_for_it(make_folder, capsys):
    folder = make_folder(people="sig,Mr Signed-In Jones,,,,,\n", content="/,page,Home,,,,,,,,\n")
    keep(folder)
    assert told(capsys, "may", "signed-in", "read", "/", "--site", str(folder))[0] is None


@pytest.mark.parametrize(
    ("asked", "state"),
    [
        (
            "withdraw /w",
            "/w is in-review now, and withdraw leads from in-review, scheduled or published",
        ),
        ("archive /panel", "/panel is a part, and its state is that of its page"),
    ],
)
def test_where_more_has_to_be_said_of_the_state_the_command_line_does(
    asked, state, make_folder, capsys
):
    folder = make_folder(
        content="/,page,Home,,,,,,,,\n/w,page,Waits,,,in-review,,,,,\n/panel,panel,News,,,,,,,,\n"
    )
    asked = ["may", "mo", *asked.split(), "--site", str(folder)]
    keep(folder)
    assert told(capsys, *asked)[0] is None
    main(asked, standalone_mode=False)
    said = " ".join(capsys.readouterr().out.split())
    assert said.endswith(f"This is about the right alone: {state}.")


def test_what_is_not_the_folder_as_it_is_is_never_kept(demo_folder, monkeypatch, capsys):
    where = ("--site", str(demo_folder))
    assert run("rule", "remove", "mirela-prices", *WHO, site=demo_folder).returncode == 0
    asked = ("may", "mirela", "edit", "/visit/prices", *where)
    assert main([*asked, "--as-it-stood", "2026-01-01"], standalone_mode=False) == 0
    assert not is_at_hand(demo_folder)
    people, read = demo_folder / "people.csv", FolderStore.read

    def read_and_edited(store):
        found = read(store)
        people.write_text(people.read_text(encoding="utf-8") + "new,New,,,,,\n", encoding="utf-8")
        return found

    monkeypatch.setattr(FolderStore, "read", read_and_edited)
    assert told(capsys, *asked)[0] == 1
    assert not (Path(os.environ["PRIM_LANTERN_CACHE"]) / "prim-lantern").exists()


@pytest.mark.parametrize("file", ["site.toml", "people.csv", "history.jsonl", None])
def test_what_is_wrong_in_a_folder_is_told_by_the_command_line(file, demo_folder, capsys):
    assert run("rule", "remove", "mirela-prices", *WHO, site=demo_folder).returncode == 0
    if file is None:
        shutil.rmtree(demo_folder)
    else:
        shutil.rmtree(demo_folder / ".last")
        (demo_folder / file).write_text("?", encoding="utf-8")
    assert told(capsys, "may", "sam", "read", "/log", "--site", str(demo_folder)) == (None, "", "")
    found = run("may", "sam", "read", "/log", site=demo_folder)
    assert found.returncode == 2 and found.stderr.startswith("prim-lantern: ")
    if file == "history.jsonl":  # there it is the answer
        assert run("history", "check", site=demo_folder).returncode == 1


def test_what_a_shell_wants_completed_is_no_question(demo_folder, monkeypatch, capsys):
    keep(demo_folder)
    monkeypatch.setenv("_PRIM_LANTERN_COMPLETE", "bash_complete")
    assert told(capsys, "may", "sam", "read", "/log", "--site", str(demo_folder))[0] is None


def test_as_processes_both_say_the_same_and_the_second_loads_little(demo_folder):
    asked = ("may", "sam", "edit", "/log/seal-count")
    first, second = (run(*asked, site=demo_folder, anew=True) for _ in range(2))
    assert (first.returncode, first.stdout, first.stderr) == (second.returncode, second.stdout, "")
    shutil.rmtree(os.environ["PRIM_LANTERN_CACHE"])
    arguments = [*asked, "--site", str(demo_folder)]
    for again in (False, True):
        loaded = loaded_by(f"from prim_lantern.cli.plain import answered; answered({arguments!r})")
        assert "prim_lantern.decide.reference" in loaded
        assert not {"click", "rich", "dataclasses", "inspect", "numpy", "zoneinfo"} & loaded
        assert not {name for name in loaded if name.startswith("prim_lantern.decide.engine")}
        assert not again or not {"tomllib", "pathlib"} & loaded


@given(sites())
def test_a_site_at_hand_is_the_one_that_was_read_and_answers_alike(tmp_path_factory, data):
    folder = tmp_path_factory.mktemp("any") / "site"
    pl.write_folder(data, folder)
    site = pl.open_site(folder)
    seen = at_hand.seen_in(str(folder))
    at_hand.keep(str(folder), seen, site.data)
    found = at_hand.kept(str(folder), seen)
    assert found == site.data
    for part in ("users", "items", "roles", "groups", "readerships"):
        for name, each in getattr(site.data, part).items():
            assert getattr(found, part)[name].origin == each.origin
    for mine, theirs in zip(
        (*found.rules, *found.given), (*site.data.rules, *site.data.given), strict=True
    ):
        assert (mine.origin, mine.origin.key_lines) == (theirs.origin, theirs.origin.key_lines)
    paths, people = list(data.items), [login for login, user in data.users.items()]
    for number, path in enumerate(paths):
        who, action = people[number % len(people)], ("read", "edit", "archive")[number % 3]
        answer = answer_of(found, who, action, path)
        assert answer is None or answer == site.why(who, action, path)


@pytest.mark.parametrize(
    "file",
    ["site.toml", "people.csv", "content.csv", "history.jsonl", ".pending.json", ".last/site.toml"],
)
def test_where_anything_is_not_to_the_letter_what_it_was_nothing_is_at_hand(
    file, demo_folder, capsys
):
    keep(demo_folder)
    asked = ("may", "sam", "read", "/log", "--site", str(demo_folder))
    assert told(capsys, *asked)[0] == 0
    (demo_folder / file).parent.mkdir(exist_ok=True)
    with (demo_folder / file).open("a", encoding="utf-8") as end:
        end.write("# \n")
    assert not is_at_hand(demo_folder)


def test_a_right_that_is_taken_away_is_gone_at_the_next_question(demo_folder):
    for _ in range(2):
        assert run("may", "mirela", "edit", "/visit/prices", site=demo_folder).returncode == 0
    assert run("rule", "remove", "mirela-prices", *WHO, site=demo_folder).returncode == 0
    for _ in range(2):
        assert run("may", "mirela", "edit", "/visit/prices", site=demo_folder).returncode == 1
    assert run("undo", "1", *WHO, site=demo_folder).returncode == 0
    for _ in range(2):
        assert run("may", "mirela", "edit", "/visit/prices", site=demo_folder).returncode == 0


def test_a_folder_edited_by_hand_is_said_to_be_each_time(demo_folder):
    remove = ("rule", "remove", "mirela-prices", *WHO)
    assert run(*remove, site=demo_folder).returncode == 0
    text = (demo_folder / "site.toml").read_text(encoding="utf-8")
    (demo_folder / "site.toml").write_text(
        text.replace('name = "Oxlip', 'name = "New Oxlip'), encoding="utf-8"
    )
    for _ in range(3):
        assert "edited by hand" in run("may", "sam", "read", "/log", site=demo_folder).stderr


@pytest.mark.parametrize("damage", ["cut", "other kind", "another's", "no text", "writable"])
def test_what_was_kept_and_cannot_be_trusted_is_not_used(damage, demo_folder, capsys):
    keep(demo_folder)
    asked = ("may", "sam", "read", "/log", "--site", str(demo_folder))
    assert told(capsys, *asked)[0] == 0
    file, whole = kept_file(), kept_file().read_bytes()
    assert file.stat().st_mode & 0o077 == 0
    if damage == "cut":
        file.write_bytes(whole[:-40])
    elif damage == "other kind":
        file.write_bytes(whole.replace(b'["Rule",', b'["Popen",'))
    elif damage == "another's":
        file.unlink()
        file.symlink_to("/etc/hostname")
    elif damage == "no text":
        file.write_bytes(whole.replace(b'["Rule",true', b'["Rule",{"a":["all"', 1))
    else:
        file.chmod(0o666)
    assert not is_at_hand(demo_folder)
    assert told(capsys, *asked)[0] == 0 and is_at_hand(demo_folder)
    assert file.read_bytes() == whole and file.stat().st_mode & 0o077 == 0


def test_a_mistake_in_the_plain_way_is_left_to_the_command_line(demo_folder, monkeypatch, capsys):
    monkeypatch.setattr(
        "sys.argv", ["prim-lantern", "may", "sam", "read", "/log", "--site", str(demo_folder)]
    )
    monkeypatch.setattr(start, "answered", lambda _: 1 // 0)
    with pytest.raises(SystemExit) as ended:
        start.run()
    assert ended.value.code == 0
    assert capsys.readouterr().out.startswith("Yes: Sam Whitlock may read")


def test_another_version_reads_anew(demo_folder, monkeypatch):
    keep(demo_folder)
    monkeypatch.setattr(at_hand, "__version__", "99")
    assert not is_at_hand(demo_folder)


def test_only_the_newest_are_kept_and_nothing_else_is_touched(demo_folder, tmp_path):
    theirs = tmp_path / "cache" / "prim-lantern" / "letter.txt"
    theirs.parent.mkdir(parents=True)
    theirs.write_text("mine")
    data = pl.open_site(demo_folder).data
    for number in range(25):
        copy = shutil.copytree(demo_folder, tmp_path / f"site-{number}")
        at_hand.keep(str(copy), at_hand.seen_in(str(copy)), data)
        os.utime(
            sorted(theirs.parent.iterdir(), key=lambda e: e.stat().st_mtime)[-1],
            (number + 9e8,) * 2,
        )
    assert theirs.read_text() == "mine"
    names = {each.name.rpartition("site-")[2] for each in theirs.parent.iterdir()} - {"letter.txt"}
    assert names == {f"{number}.kept" for number in range(5, 25)}


@pytest.mark.parametrize("cache", ["", "here", "/proc/none"])
def test_where_nothing_can_be_kept_the_answer_is_the_same(cache, demo_folder):
    variables = {"PRIM_LANTERN_CACHE": cache}
    for _ in range(2):
        found = run(
            "may", "sam", "read", "/log", site=demo_folder, variables=variables, cwd=demo_folder
        )
        assert (found.returncode, found.stderr) == (0, "")
    assert not (demo_folder / "here").exists()


def test_a_site_that_is_too_big_or_was_changed_in_memory_is_not_kept(
    demo_folder, monkeypatch, capsys
):
    monkeypatch.setattr(at_hand, "_MOST_BYTES", 1_000)
    assert at_hand.seen_in(str(demo_folder)) is None
    monkeypatch.undo()
    site = pl.open_site(demo_folder)
    with_changed = site.data.with_parts(
        items=site.data.content.with_changed([site.data.items["/log"]])
    )
    seen = at_hand.seen_in(str(demo_folder))
    at_hand.keep(str(demo_folder), seen, with_changed)
    assert at_hand.kept(str(demo_folder), seen) is None


def test_the_clocks_of_a_site_that_keeps_summer_time_are_kept(demo_folder, capsys):
    text = (demo_folder / "site.toml").read_text(encoding="utf-8")
    (demo_folder / "site.toml").write_text(
        text.replace("[site]", '[site]\ntimezone = "Europe/Oslo"', 1), encoding="utf-8"
    )
    keep(demo_folder)
    assert told(capsys, "may", "sam", "read", "/log", "--site", str(demo_folder))[0] == 0
    whole = kept_file().read_bytes()
    assert b"+02:00" in whole
    kept_file().write_bytes(
        whole.replace(b"+02:00", b"+03:00")
    )  # as before the clocks were set otherwise
    assert not is_at_hand(demo_folder)
    assert json.loads(whole[len(at_hand.seen_in(str(demo_folder))) :])["timezone"] == "Europe/Oslo"


def test_the_package_can_be_run_as_the_command():
    command = [sys.executable, "-m", "prim_lantern", "may", "sam", "publish", "/log/seal-count"]
    told = subprocess.run(command, capture_output=True, text=True, check=False, env={
        **os.environ, "PRIM_LANTERN_SITE": str(pl.DEMO_FOLDER)})  # fmt: skip
    assert (told.returncode, told.stdout[:15]) == (1, "No: Sam Whitloc")
