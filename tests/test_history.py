"""The history in every store: asked for the past, taken back, checked, and what breaks it."""

from __future__ import annotations

import json
import shutil
from pathlib import Path

import pytest
from sqlalchemy import create_engine, text
from sqlalchemy.pool import NullPool

import prim_lantern as pl
from conftest import run
from prim_lantern.store import base
from prim_lantern.store.folder import PAST, FolderStore
from prim_lantern.store.opening import store_at


def test_the_past_can_be_asked_and_changes_taken_back(where):
    site = pl.open_site(where)
    start = site.data
    with site.change(by="hana.okafor", reason="To help") as change:
        change.allow("edit", to="user:lena.osgood", where="/visit/prices")
    with site.change(by="ines.varga") as change:
        change.move_item("/visit/prices", "/about")
    with site.change(by="hana.okafor") as change:
        change.add_group("night").add_members("night", ["sam.whitlock"])
    assert pl.open_site(where).may("lena.osgood", "edit", "/about/prices")
    first, second, _ = pl.open_site(where).history()
    assert (first.by, first.reason, second.undoes) == ("hana.okafor", "To help", None)
    assert site.as_it_stood(first.at).may("lena.osgood", "edit", "/visit/prices")
    assert site.as_it_stood("2020-01-01").data == start
    with pytest.raises(pl.BadChange, match=r"change 2 rests on it. Take back that first"):
        site.change(by="hana.okafor").undo(1)
    for number in (2, 1, 3):
        with site.change(by="hana.okafor") as change:
            change.undo(number)
    assert pl.open_site(where).data == start
    with pytest.raises(pl.BadChange, match="was taken back already, by change 4"):
        site.change(by="hana.okafor").undo(2)
    with site.change(by="hana.okafor") as change:  # taking back is taken back
        change.undo(4)
    assert "/about/prices" in pl.open_site(where).data.items
    assert site.store.check_history() == 7


def test_a_history_that_was_tampered_with_is_found_out(where, kind):
    site = pl.open_site(where)
    for number in range(3):
        with site.change(by="hana.okafor") as change:
            change.add_group(f"g{number}", "Label")
    if kind == "folder":
        history = Path(where) / "history.jsonl"
        good = history.read_text(encoding="utf-8")
        lines = good.splitlines()
        for bad, number, because in (
            ([lines[0], lines[1].replace("Label", "Other"), lines[2]], 2, "not what was written"),
            ([lines[0], lines[2]], 2, "its number is 3"),
            ([lines[0], lines[1], lines[2][:-40]], 3, "cannot be read"),
            (lines[:2], 2, "the site is not as this last change left it"),
        ):
            history.write_text("\n".join(bad) + "\n", encoding="utf-8")
            with pytest.raises(pl.BrokenHistory, match=because) as broken:
                store_at(where).check_history()
            assert broken.value.number == number
    else:
        engine = create_engine(where, poolclass=NullPool)
        with engine.begin() as connection:
            connection.execute(
                text("UPDATE people SET status = 'suspended' WHERE login = 'bo.lind'")
            )
        with pytest.raises(pl.BrokenHistory, match="the site is not as this last change left it"):
            store_at(where).check_history()


def test_what_was_edited_by_hand_goes_into_the_history(tmp_path):
    folder = tmp_path / "site"
    shutil.copytree(pl.DEMO_FOLDER, folder)
    before = (folder / "site.toml").read_text(encoding="utf-8")
    site = pl.open_site(folder)
    with site.change(by="hana.okafor") as change:
        change.change_group("friends", label="Good friends")
    by_hand = (folder / "site.toml").read_text(encoding="utf-8")
    assert by_hand == before.replace('label = "Friends"\n', 'label = "Good friends"\n')  # as it was
    (folder / "site.toml").write_text(by_hand.replace("Ticket desk", "Till"), encoding="utf-8")
    with site.change(by="hana.okafor") as change:
        change.change_group("office", about="Does the work")
    assert [(e.by, e.said) for e in site.history()][1] == ("", ("edited by hand",))
    with site.change(by="hana.okafor") as change:
        change.undo(2)
    assert pl.open_site(folder).data.groups["ticket-desk"].label == "Ticket desk"
    assert site.store.check_history() == 4


def test_what_was_edited_by_hand_comes_into_a_database_as_a_change(demo_folder, tmp_path):
    with pl.open_site(demo_folder).change(by="hana.okafor") as change:
        change.add_group("night")
    people = demo_folder / "people.csv"
    people.write_text(people.read_text().replace("Sam Whitlock", "Sam W"), encoding="utf-8")
    place = f"sqlite:///{tmp_path}/site.db"
    assert run("folder", "in", str(demo_folder), site=place).returncode == 0
    site = pl.open_site(place)
    assert [each.said for each in site.history()] == [
        ("add the group night",),
        ("edited by hand",),
    ]
    assert site.store.check_history() == 2
    assert site.data.users["sam.whitlock"].name == "Sam W"


def test_a_damaged_pending_file_and_history_say_the_way_back(demo_folder):
    with pl.open_site(demo_folder).change(by="hana.okafor") as change:
        change.add_group("night")
    mark, waits = "0" * 16, {"mark": "0" * 16, "files": {}, "was": {}, "after": 0, "line": ""}
    outside, other = {"../x": ""}, {"site.toml": ""}
    odd = [
        {**waits, "mark": "../" + mark},
        {**waits, "mark": mark + "\n"},
        {**waits, "files": outside, "was": outside},
        {**waits, "files": other},
        {**waits, "after": "1"},
        {**waits, "line": None},
    ]
    for damage in (b"", b"{}", b"[1]", b"\xff", *(json.dumps(each).encode() for each in odd)):
        (demo_folder / ".pending.json").write_bytes(damage)
        with pytest.raises(
            pl.StoreTrouble, match=r"is damaged\. Keep a copy of the folder, and take away its \.p"
        ):
            pl.open_site(demo_folder)
    (demo_folder / ".pending.json").unlink()
    history = demo_folder / "history.jsonl"
    good = history.read_bytes()
    for damage, said in (
        (good[:-30] + b"\n", "cannot be read"),
        (b"\n" + good, "(cannot be read|its number is 1)"),
        (b"\xff" + good, "it is not UTF-8"),
        (good + b"[" * 100_000 + b"\n", "cannot be read"),
    ):
        history.write_bytes(damage)
        store = FolderStore(demo_folder)
        for ask in (store.read, store.check_history, store.records, store.whole_history):
            with pytest.raises(pl.BrokenHistory, match=rf"{said}.*put history.jsonl and .last"):
                ask()
    history.unlink()
    shutil.rmtree(demo_folder / ".last")
    with pl.open_site(demo_folder).change(by="hana.okafor") as change:  # as it says
        change.add_group("day")
    assert FolderStore(demo_folder).check_history() == 1


def taken_back(store, number):
    """The site before a change, and how many changes were taken back to get there."""
    with pytest.MonkeyPatch.context() as patch:
        counted = []
        take_back = base._take_back
        patch.setattr(base, "_take_back", lambda *each: (counted.append(1), take_back(*each)))
        return store.before_change(number), len(counted)


def test_going_back_far_starts_from_what_was_kept_on_the_way(where, kind, monkeypatch):
    monkeypatch.setattr(base, "_APART", 4)
    site = pl.open_site(where)
    stood = [site.data]
    for number in range(1, 12):
        with site.change(by="hana.okafor") as change:
            if number % 3 == 2:
                change.change_item("/visit/prices", title=f"Prices {number}")
            else:
                change.add_group(f"g{number}", about="line one\nline two")
        stood.append(site.data)
    again = store_at(where)
    far = [taken_back(again, number + 1) for number in range(12)]
    assert [data for data, _ in far] == stood
    assert [count for _, count in far] == [4, 3, 2, 1, 0, 3, 2, 1, 0, 2, 1, 0]
    moments = [each.at for each in site.history()]
    for number, at in enumerate(moments, 1):
        assert again.as_it_stood(at).groups == stood[number].groups
    assert again.check_history() == 11

    # What was damaged, or is of another site, is never taken for the past.
    if kind == "folder":
        kept = Path(where) / PAST
        assert {each.name for each in kept.iterdir()} == {"4.zip", "8.zip"}
        shutil.copy(kept / "8.zip", kept / "4.zip")
        (kept / "8.zip").write_bytes(b"PK")
    else:
        engine = create_engine(where, poolclass=NullPool)
        with engine.begin() as connection:
            at_8 = connection.execute(text("SELECT site FROM kept WHERE number = 8")).scalar()
            put = text("UPDATE kept SET site = :raw WHERE number = :number")
            connection.execute(put, [{"raw": at_8, "number": 4}, {"raw": b"PK", "number": 8}])
    assert taken_back(again, 3) == (stood[2], 9)
    assert taken_back(again, 7) == (stood[6], 5)


def test_what_is_kept_goes_with_its_history_and_costs_no_change(tmp_path, demo_folder, monkeypatch):
    monkeypatch.setattr(base, "_APART", 2)
    site = pl.open_site(demo_folder)
    past = demo_folder / PAST
    past.write_text("no folder can be made here", encoding="utf-8")
    for number in range(2):
        with site.change(by="hana.okafor") as change:
            change.add_group(f"g{number}")
    assert past.is_file()  # it could not be kept; the change is made
    past.unlink()
    with site.change(by="hana.okafor") as change:
        change.add_group("g2")
    site.may("sam.whitlock", "read", "/")
    with site.change(by="hana.okafor") as change:
        change.add_group("g3")
    assert [each.name for each in past.iterdir()] == ["4.zip"]
    monkeypatch.setattr(base, "_MANY_THINGS", 10)  # a bigger site is kept rarer
    for number in range(4, 9):
        with site.change(by="hana.okafor") as change:
            change.add_group(f"g{number}")
    assert [each.name for each in past.iterdir()] == ["4.zip"]
    FolderStore(demo_folder).fill(site.data)
    assert not past.exists()


def test_what_is_listed_keeps_its_place_when_something_before_it_comes_or_goes(where):
    site = pl.open_site(where)
    names = [each.id for each in site.data.rules if each.id]
    with site.change(by="hana.okafor") as change:
        change.remove_rule(names[0])
    assert [each.id for each in pl.open_site(where).data.rules if each.id] == names[1:]
    with site.change(by="hana.okafor") as change:
        change.undo(1)
    assert [each.id for each in pl.open_site(where).data.rules if each.id] == names
    with site.change(by="hana.okafor") as change:
        change.remove_rule(names[2])
        change.undo(2)
    assert pl.open_site(where).data.rules == site.data.rules


@pytest.mark.parametrize("number", [0, -1, 2, 2**63, 10**20])
def test_a_change_that_there_is_not_is_told_whatever_its_number(where, number):
    site = pl.open_site(where)
    site.change(by="hana.okafor").add_group("crew").make(effects=False)
    with pytest.raises(pl.NoSuchChange, match=f"no change {number} in the history: .* 1 to 1"):
        site.change(by="hana.okafor").undo(number)


@pytest.mark.parametrize("number", [True, 1.0, "1", None])
def test_what_is_no_number_takes_nothing_back(demo, number):
    with pytest.raises(pl.BadValue, match=r"is no number of a change|expected a number"):
        demo.change(by="hana.okafor").undo(number)
