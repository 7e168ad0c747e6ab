"""Whoever reads a folder while somebody else writes to it finds it as it was at one moment."""

import shutil
from collections.abc import Callable
from pathlib import Path

import pytest

import prim_lantern as pl
from prim_lantern.demo import DEMO_FOLDER
from prim_lantern.formats.folder import pending
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.store import folder
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
    with open(folder / waits.add_to, "ab") as file:
        file.write(waits.line[: len(waits.line) // 2])


@pytest.mark.parametrize("finish", [pending.finish, _half])
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
    texts, held = folder.folder_texts, []

    def watched(*asked):
        held.append((where / ".lock-held-by").exists())
        return texts(*asked)

    monkeypatch.setattr(folder, "folder_texts", watched)
    site, other = pl.open_site(where), pl.open_site(where)
    site.change(by="hana.okafor").add_group("one").make()
    assert held == [False]
    other.change(by="hana.okafor").add_group("two").make()  # made anew, on what the first left
    assert held == [False, True]
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
