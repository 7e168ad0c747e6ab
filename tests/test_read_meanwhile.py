"""Whoever reads a folder while somebody else writes to it finds it as it was at one moment."""

import os
import shutil
import stat
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest
from filelock import FileLock

import prim_lantern as pl
from prim_lantern.change.pieces import differences
from prim_lantern.demo import DEMO_FOLDER
from prim_lantern.formats.folder import beside, pending
from prim_lantern.formats.folder.beside import waiting
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.store import base, folder
from prim_lantern.store.folder import FolderStore

Look = Callable[[Path], object]
Finish = Callable[[Path, pending.Pending], None]


def _groups(data: pl.SiteData) -> set[str]:
    return {name for name in data.groups if name.startswith("new-")}


def _opened(where: Path) -> None:
    site = pl.open_site(where)
    assert len(_groups(site.data)) == site.seen.number


def _snapshot(where: Path) -> None:
    texts, data = FolderStore(where).snapshot()
    assert len(_groups(data)) == len(texts)


def _nothing_by_hand(where: Path) -> None:
    assert FolderStore(where).hand_work() is None


LOOKS: dict[str, Look] = {
    "open": _opened,
    "read": lambda where: _groups(read_folder(where)),
    "snapshot": _snapshot,
    "by hand": _nothing_by_hand,
    "records": lambda where: FolderStore(where).records(),
    "last": lambda where: FolderStore(where).last_line(),
}


def _half(folder: Path, waits: pending.Pending) -> None:
    """The line of the history is half written."""
    with open(folder / "history.jsonl", "ab") as file:
        file.write(waits.line[: len(waits.line) // 2])


def _first(folder: Path, waits: pending.Pending) -> None:
    """The first of the files is in its place."""
    place = folder / next(iter(waits.files))
    waiting(place, waits.mark).replace(place)


@pytest.mark.parametrize("finish", [pending.finish, _half, _first])
@pytest.mark.parametrize("look", LOOKS)
def test_a_change_at_any_moment_of_a_reading(
    look: str, finish: Finish, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Before each file that is read in turn, somebody makes a change."""
    where = tmp_path / "site"
    shutil.copytree(DEMO_FOLDER, where)
    writer, made = pl.open_site(where), 0
    read, reads, before = Path.read_bytes, 0, -1

    def write() -> None:
        nonlocal made
        made += 1
        change = writer.change(by="hana.okafor", reason="x" * 9_000)
        change.add_group(f"new-{made}").make(effects=False)

    def reading(path: Path) -> bytes:
        nonlocal reads
        reads += 1
        if reads - 1 == before:
            with monkeypatch.context() as quiet:
                quiet.setattr(Path, "read_bytes", read)
                writer.catch_up()
                quiet.setattr(pending, "finish", once)
                write()
        return read(path)

    whole = pending.finish

    def once(folder: Path, waits: pending.Pending) -> None:
        last = f'"number":{made},' in waits.line.decode()
        (finish if last else whole)(folder, waits)

    write()
    while before < reads:  # until a reading had fewer files than that
        reads, before = 0, before + 1
        with writer.store.changing():
            pass  # what the change before has left is put into the files
        with monkeypatch.context() as watched:
            watched.setattr(Path, "read_bytes", reading)
            LOOKS[look](where)
    assert len(_groups(pl.open_site(where).data)) == made == before + 1 > 2


def test_what_takes_long_is_done_before_anybody_has_to_wait(tmp_path, monkeypatch):
    where = Path(shutil.copytree(DEMO_FOLDER, tmp_path / "site"))
    texts, write, held, written = folder.folder_texts, beside.write_new, [], set()

    def is_held():
        return (where / ".lock-held-by").exists()

    def watched(*asked):
        held.append(is_held())
        return texts(*asked)

    def writing(path, text, *, like):
        written.add((path.name.split(".")[1], is_held()))
        write(path, text, like=like)

    monkeypatch.setattr(folder, "folder_texts", watched)
    for module in (beside, pending):
        monkeypatch.setattr(module, "write_new", writing)
    site, other = pl.open_site(where), pl.open_site(where)
    site.change(by="hana.okafor").add_group("one").make()
    assert held == [False]
    before = {("site", False), ("people", False), ("content", False), ("pending", True)}
    assert written == before, "the first writes all that `.last` has, too"
    other.change(by="hana.okafor").add_group("two").make()  # made anew, on what the first left
    assert held == [False, True] and written == {*before, ("site", True)}
    assert {"one", "two"} <= pl.open_site(where).data.groups.keys()
    site.content.put({"path": "/log", "title": "Diary"})
    assert not site.behind()
    assert pl.open_site(where).data.items["/log"].title == "Diary"


@pytest.mark.parametrize("name", ["site.toml", "people.csv"])
def test_what_is_edited_by_hand_while_a_change_is_written_is_not_written_over(
    name, tmp_path, monkeypatch
):
    where = Path(shutil.copytree(DEMO_FOLDER, tmp_path / "site"))
    site, seen = pl.open_site(where), folder._FolderTurn.seen

    def then_edited(turn, before):
        found = seen(turn, before)
        with (where / name).open("a") as file:
            file.write("# by hand\n" if name == "site.toml" else f"zoe,Zoe{',' * 7}\n")
        return found

    with monkeypatch.context() as patched:
        patched.setattr(folder._FolderTurn, "seen", then_edited)
        with pytest.raises(pl.StoreTrouble, match=r"edited while a change was made; nothing was"):
            site.change(by="hana.okafor").add_group("one").make()
    again = pl.open_site(where)
    assert "one" not in again.data.groups
    assert (name == "people.csv") == ("zoe" in again.data.users)
    assert (name == "site.toml") == ("# by hand" in (where / "site.toml").read_text())
    again.change(by="hana.okafor").add_group("one").make()
    assert "one" in pl.open_site(where).data.groups
    assert again.store.check_history() == len(again.history())


def test_what_is_edited_while_hand_work_is_taken_over_is_a_change_of_its_own(tmp_path, monkeypatch):
    where = Path(shutil.copytree(DEMO_FOLDER, tmp_path / "site"))
    site, work = pl.open_site(where), FolderStore.hand_work
    site.change(by="hana.okafor").add_group("one").make()

    def edit(login):
        with (where / "people.csv").open("a") as file:
            file.write(f"{login},Zoe{',' * 7}\n")

    def then_edited(store):
        found = work(store)
        edit("zoe.later")
        return found

    edit("zoe.first")
    with monkeypatch.context() as patched:
        patched.setattr(FolderStore, "hand_work", then_edited)
        with pytest.raises(pl.StoreTrouble, match="edited while a change was made"):
            site.change(by="hana.okafor").add_group("two").make()
    pl.open_site(where).change(by="hana.okafor").add_group("two").make()
    again = pl.open_site(where)
    pieces = [[p.name for p in each.patches[0].pieces] for each in again.history()]
    assert pieces == [["one"], ["zoe.first"], ["zoe.later"], ["two"]]
    assert again.store.check_history() == 4


# What waits beside the files ---------------------------------------------------------------------


@pytest.fixture
def where(tmp_path):
    return Path(shutil.copytree(DEMO_FOLDER, tmp_path / "site"))


def _waiting(where):
    return [each for each in where.rglob("*.new") if each.is_file()]


def test_what_nobody_makes_is_gone_but_not_by_a_process_that_was_forked_off(where):
    site = pl.open_site(where)
    ready = site.store.ready(site.seen, *_with_a_group(site))
    assert sorted(each.parent.name for each in _waiting(where)) == [".last"] * 3 + ["site"]
    if (child := os.fork()) == 0:
        del ready
        os._exit(len(_waiting(where)))
    assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 4
    del ready
    assert not _waiting(where)


def _with_a_group(site):
    after = site.change(by="hana.okafor").add_group("one")._proposal.data
    return after, differences(site.data, after)


def test_what_a_killed_process_left_is_removed_once_nobody_can_be_waiting(where):
    old, new, other = (where / f".site.toml.{mark}.new" for mark in ("0" * 16, "1" * 16, "mine"))
    for each in (old, new, other):
        each.write_text("")
        os.utime(each, (0, 0) if each != new else None)
    pl.open_site(where).change(by="hana.okafor").add_group("one").make()
    assert sorted(_waiting(where)) == [new, other]


def test_what_waits_and_is_taken_away_is_told(where, monkeypatch):
    site = pl.open_site(where)
    change, make = site.change(by="hana.okafor").add_group("one"), pending.make

    def tidied(*asked):
        _waiting(where)[0].unlink()
        make(*asked)

    with monkeypatch.context() as patched:
        patched.setattr(pending, "make", tidied)
        with pytest.raises(pl.StoreTrouble, match=r"tidied it; nothing was changed\. Try again"):
            change.make()
    assert not _waiting(where) and "one" not in pl.open_site(where).data.groups
    with monkeypatch.context() as patched:
        patched.setattr(pending, "finish", lambda *_: None)  # as if the process ended here
        site.change(by="hana.okafor").add_group("two").make()
    waits = pending.pending_in(where)
    assert "two" in pl.open_site(where).data.groups
    kept = {each: each.read_bytes() for each in _waiting(where)}
    for damage in (None, b"[site]\n"):
        for each in kept:
            each.unlink(missing_ok=True) if damage is None else each.write_bytes(damage)
        with pytest.raises(pl.StoreTrouble, match=r"to put into it is gone"):
            pl.open_site(where)
        with pytest.raises(pl.StoreTrouble, match=r"to put into it is gone.*take away its \.pend"):
            site.change(by="hana.okafor").add_group("three").make()
    for each, text in kept.items():
        each.write_bytes(text)
    (where / ".last" / "site.toml").write_text("odd")  # it is written anew in any case
    pl.open_site(where).change(by="hana.okafor").add_group("three").make()
    assert {"two", "three"} <= pl.open_site(where).data.groups.keys()
    assert pl.open_site(where).store.check_history() == 2 and not _waiting(where)
    shutil.copy(DEMO_FOLDER / "site.toml", where)  # what is just read, and was before that change
    text = (where / "site.toml").read_bytes()
    assert pending.read_waiting(where, "site.toml", waits) == text


@pytest.mark.skipif(os.name != "posix", reason="modes of files are POSIX's")
def test_nothing_that_is_kept_is_more_open_than_the_files(where, monkeypatch):
    monkeypatch.setattr(base, "_APART", 1)  # the site is put aside after each change
    for name in ("site.toml", "people.csv", "content.csv"):
        (where / name).chmod(0o600)
    open_ones, write = set(), beside.write_new

    def writing(path, text, *, like):
        write(path, text, like=like)
        open_ones.add(stat.S_IMODE(path.stat().st_mode))

    for module in (beside, pending, folder):
        monkeypatch.setattr(module, "write_new", writing)
    pl.open_site(where).change(by="hana.okafor").add_group("one").make()
    files = [each for each in where.rglob("*") if each.is_file() and ".lock" not in each.name]
    assert {".last", ".past"} <= {each.parent.name for each in files}
    assert {stat.S_IMODE(each.stat().st_mode) for each in files} == open_ones == {0o600}


@pytest.mark.skipif(not Path("/proc/self/fd").exists(), reason="there is no /proc to look into")
def test_what_was_replaced_is_given_back_to_the_disk_when_nobody_waits_any_more(where, monkeypatch):
    release, deleted = FileLock.release, []

    def held():
        files = []
        for each in os.listdir("/proc/self/fd"):
            with suppress(OSError):  # the list itself was one of them
                files.append(os.readlink(f"/proc/self/fd/{each}"))
        return [each for each in files if str(where) in each and each.endswith("(deleted)")]

    def releasing(lock, force=False):
        deleted.append(len(held()))
        release(lock, force)

    monkeypatch.setattr(FileLock, "release", releasing)
    with pl.open_site(where).change(by="hana.okafor") as change:
        change.change_item("/log", title="Diary")
    with pl.open_site(where).change(by="hana.okafor") as change:
        change.change_item("/log", title="Log")
    assert max(deleted) == 2 and not held(), "the file, and what it held after the last change"


@pytest.mark.skipif(os.name != "posix", reason="folders are told to be on the disk on POSIX alone")
def test_what_is_made_is_on_the_disk_before_it_is_said_to_be(where, monkeypatch):
    """A power cut at any moment finds all of a change or none: what is to take a place is on the
    disk before it is said so, and in its place before that is no longer said."""
    fsync, replace, unlink = os.fsync, os.replace, Path.unlink
    sure, told = set(), []

    def syncing(handle):
        fsync(handle)
        sure.add(os.fstat(handle).st_ino)

    def replacing(one, other):
        told.append((Path(other).name, os.stat(one).st_ino in sure))
        replace(one, other)
        sure.discard(os.stat(Path(other).parent).st_ino)

    def unlinking(path, missing_ok=False):
        if path.name == ".pending.json":
            paths = (where / "history.jsonl", where, where / ".last")
            told.append(("done", all(each.stat().st_ino in sure for each in paths)))
        unlink(path, missing_ok)

    site = pl.open_site(where)
    monkeypatch.setattr(os, "fsync", syncing)
    monkeypatch.setattr(os, "replace", replacing)
    monkeypatch.setattr(Path, "unlink", unlinking)
    site.change(by="hana.okafor").add_group("one").add_user("zoe").make()
    names = [name for name, _ in told]
    assert names[0] == ".pending.json" and names[-1] == "done"
    assert sorted(names[1:-1]) == ["content.csv", *["people.csv"] * 2, *["site.toml"] * 2]
    assert all(is_sure for _, is_sure in told), told


def test_what_the_last_change_left_is_there_after_the_next_in_any_case(where, monkeypatch):
    site, ready = pl.open_site(where), FolderStore.ready
    site.change(by="hana.okafor").add_group("one").make()

    def then_tidied(*asked):
        found = ready(*asked)
        (where / ".last" / "people.csv").unlink()
        return found

    monkeypatch.setattr(FolderStore, "ready", then_tidied)
    site.change(by="hana.okafor").add_group("two").make()
    last = (where / ".last" / "people.csv").read_bytes()
    assert last == (where / "people.csv").read_bytes()
    assert site.store.check_history() == 2 and not site.store.by_hand()
