"""The time zone of a site: days and times are meant there, and are exact all the same."""

from __future__ import annotations

import pickle
from datetime import UTC, datetime, timedelta

import pytest
from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from conftest import run
from prim_lantern.site.moments import (
    Duration,
    Period,
    moment,
    start_of_day,
    told_in,
    written,
    zone_of,
)
from prim_lantern.starting import start_folder

OSLO = zone_of("Europe/Oslo")
ZONES = st.sampled_from(["Europe/Oslo", "America/St_Johns", "Pacific/Apia", "America/Santiago"])


@pytest.fixture
def harbour(tmp_path):
    start_folder(tmp_path / "site", name="Harbour", owner="mo.tarn", timezone="Europe/Oslo")
    return tmp_path / "site"


def utc(text):
    return datetime.fromisoformat(text).replace(tzinfo=UTC)


def test_from_1_may_is_midnight_there_by_every_way_in(harbour):
    site = pl.open_site(harbour)
    change = site.change(by="mo.tarn")
    change.add_user("wren.hale").allow("comment", "user:wren.hale", "/", since="2027-05-01")
    change.make()
    for kept in (site, pl.open_site(harbour)):
        assert not kept.may("wren.hale", "comment", "/", at=utc("2027-04-30T21:59"))
        assert kept.may("wren.hale", "comment", "/", at=utc("2027-04-30T22:00"))
        assert kept.may("wren.hale", "comment", "/", at="2027-05-01")
        assert not kept.may("wren.hale", "comment", "/", at=datetime(2027, 4, 30, 23, 59))
    assert "since = 2027-05-01\n" in (harbour / "site.toml").read_text(encoding="utf-8")
    assert "from 2027-05-01" in run("history", "show", "1", site=harbour).stdout
    asked = ("may", "wren.hale", "comment", "/", "--at")
    assert run(*asked, "2027-05-01T00:00", site=harbour).returncode == 0
    assert run(*asked, "2027-04-30T23:59", site=harbour).returncode == 1
    assert run(*asked, "2027-04-30T22:00Z", site=harbour).returncode == 0


@pytest.mark.parametrize(
    ("condition", "fits"),
    [
        ("joined is 2027-05-01", True),
        ("joined one_of 2027-05-01; 2027-05-02", True),
        ("joined after 2027-04-30", True),
        ("joined before 2027-05-01", False),
        ("joined after 2027-05-01", False),
        ("joined contains 2027-04", False),
    ],
)
def test_the_day_on_which_somebody_joined_is_that_of_the_site(harbour, condition, fits):
    with (harbour / "people.csv").open("a", encoding="utf-8") as people:
        people.write("wren.hale,Wren Hale,,,,,2027-05-01\n")
    site = pl.open_site(harbour)
    change = site.change(by="mo.tarn").add_group("spring").set_condition("spring", [condition])
    change.allow("comment", "group:spring", "/").make()
    assert bool(site.may("wren.hale", "comment", "/")) is fits


def test_a_database_and_the_history_keep_the_moments(harbour, tmp_path):
    site = pl.open_site(harbour)
    site.change(by="mo.tarn").allow("comment", "signed-in", "/", until="2027-05-01").make()
    address = f"sqlite:///{tmp_path}/site.db"
    assert run("folder", "in", str(harbour), site=address).returncode == 0
    kept = pl.open_site(address)
    assert kept.data == pl.open_site(harbour).data
    assert written(kept.data.rules[-1].period.until) == "2027-05-01"
    kept.change(by="mo.tarn").set_timezone("UTC").make()
    assert kept.data.rules[-1].period.until == utc("2027-05-01T00:00")
    kept.change(by="mo.tarn").undo(2).make()
    for each in (kept, pl.open_site(address)):
        assert written(each.data.rules[-1].period.until) == "2027-05-01"
        assert each.data.rules[-1].period.until == utc("2027-04-30T22:00")
    done = run("history", "check", site=address)
    assert done.returncode == 0, done.stdout


def test_answers_and_lists_are_told_there(harbour):
    site = pl.open_site(harbour)
    decision = site.may(None, "read", "/", at=utc("2027-04-30T22:00"))
    assert decision.to_dict()["question"]["at"] == "2027-05-01"
    assert (
        pickle.loads(pickle.dumps(decision))
        == decision
        == site.may(None, "read", "/", at="2027-05-01")
    )
    at = {"PRIM_LANTERN_NOW": "2027-05-10T12:00Z"}
    asked = run("may", "guest", "read", "/", "--json", site=harbour, variables=at)
    assert '"at": "2027-05-10T14:00:00+02:00"' in asked.stdout, asked.stdout
    with site.change(by="mo.tarn") as change:
        change.change_item("/", public_until=datetime(2027, 6, 1, 18))
    assert site.content.put(
        {"path": "/fog", "kind": "page", "public_from": datetime(2027, 5, 2)}
    ).new
    assert site.data.items["/"].public_until == utc("2027-06-01T16:00")
    assert site.data.items["/fog"].public_from == utc("2027-05-01T22:00")
    rows = (harbour / "content.csv").read_text(encoding="utf-8")
    assert "2027-06-01T18:00:00+02:00" in rows and ",2027-05-02," in rows
    shown = run("show", "/", site=harbour, variables=at).stdout
    assert "public until: 2027-06-01T18:00:00+02:00" in shown


@pytest.mark.parametrize("end", ["9999-12-31T23:30:00Z", "9999-12-31", "0001-01-01T00:00:00Z"])
def test_the_first_and_the_last_years(tmp_path, end):
    start_folder(tmp_path / "site", name="Harbour", owner="mo.tarn")
    site = pl.open_site(tmp_path / "site")
    when = {"since": end} if end.startswith("0") else {"until": end}
    site.change(by="mo.tarn").allow("comment", "signed-in", "/", **when).make()
    for name in ("Europe/Oslo", "America/St_Johns", "UTC"):
        site.change(by="mo.tarn").set_timezone(name).make()
        assert pl.open_site(tmp_path / "site").data == site.data
        assert site.may("mo.tarn", "comment", "/")
    address = f"sqlite:///{tmp_path}/site.db"
    assert run("folder", "in", str(tmp_path / "site"), site=address).returncode == 0
    assert pl.open_site(address).data == site.data


def test_plans_end_by_the_clock(harbour):
    site = pl.open_site(harbour)
    change = site.change(by="mo.tarn").add_user("wren.hale").add_group("crew")
    change.add_plan("half", groups=["crew"], lasts="6 months")
    change.enrol("half", ["wren.hale"], since="2027-05-01").make()
    assert "wren.hale" in site.members("crew", at=utc("2027-10-31T22:59"))
    assert "wren.hale" not in site.members("crew", at=utc("2027-10-31T23:00"))


def test_they_do_so_in_the_past_and_after_an_undo(harbour, monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", "2027-05-02T10:00Z")
    site = pl.open_site(harbour)
    change = site.change(by="mo.tarn").add_user("wren.hale").add_group("crew")
    change.add_plan("half", groups=["crew"], lasts="6 months")
    change.enrol("half", ["wren.hale"], since="2027-05-01").make()
    monkeypatch.setenv("PRIM_LANTERN_NOW", "2027-05-03T10:00Z")
    site.change(by="mo.tarn").change_user("wren.hale", name="Wren").make()
    before = pl.open_site(harbour).as_it_stood("2027-05-02T15:00")
    assert before.data.users["wren.hale"].name == ""
    site.change(by="mo.tarn").undo(2).make()
    for each in (before, site, pl.open_site(harbour)):
        assert "wren.hale" in each.members("crew", at=utc("2027-10-31T22:59"))
        assert "wren.hale" not in each.members("crew", at=utc("2027-10-31T23:00"))


def test_the_hour_that_clocks_show_twice():
    first, second = moment("2027-10-31T02:30", OSLO), told_in(utc("2027-10-31T01:30"), OSLO)
    assert first == utc("2027-10-31T00:30") and first < second and first != second
    assert second - first == timedelta(hours=1) and hash(first) == hash(utc("2027-10-31T00:30"))
    assert written(second) == "2027-10-31T02:30:00+01:00"
    assert moment("2027-03-28T02:30", OSLO) == utc("2027-03-28T01:30")  # clocks skip it
    assert start_of_day(second) == utc("2027-10-30T22:00")


@given(st.datetimes(datetime(1990, 1, 1), datetime(2060, 1, 1)), ZONES)
def test_what_is_written_reads_back(at, name):
    zone = zone_of(name)
    told = told_in(at.replace(tzinfo=UTC), zone)
    assert told == at.replace(tzinfo=UTC) == moment(written(told), zone)
    assert pickle.loads(pickle.dumps(told)) == told
    assert written(pickle.loads(pickle.dumps(told))) == written(told)
    midnight = start_of_day(told)
    assert midnight <= told and Duration(1, "day").after(midnight) > told


@pytest.mark.parametrize(
    "name", ["Europe/Osloo", "../UTC", "localtime", "", "/etc/passwd", "UTC\0"]
)
def test_what_is_no_zone_is_told(harbour, tmp_path, name):
    done = (
        run("new", "other", "--timezone", name, cwd=tmp_path) if name and "\0" not in name else None
    )
    assert done is None or (done.returncode == 2 and "is no time zone" in done.stderr)
    with pytest.raises(pl.BadValue, match="is no time zone"):
        zone_of(name)
    site = (harbour / "site.toml").read_text(encoding="utf-8")
    escaped = name.replace("\0", "\\u0000")
    (harbour / "site.toml").write_text(site.replace("Europe/Oslo", escaped), encoding="utf-8")
    if name:
        done = run("folder", "check", str(harbour))
        assert done.returncode == 2 and "is no time zone" in done.stdout, done.stdout


def test_the_commands(harbour):
    at = {"PRIM_LANTERN_NOW": "2027-05-10T12:00Z"}
    shown = run("timezone", "show", site=harbour, variables=at)
    assert shown.stdout == "Europe/Oslo; it is 2027-05-10 14:00 there.\n"
    told = run("timezone", "show", "--json", site=harbour, variables=at).stdout
    assert '"now": "2027-05-10T14:00:00+02:00"' in told
    asked = ("timezone", "set", "America/St_Johns", "--by", "mo.tarn")
    assert "Worth a second thought" in run(*asked, "--try", site=harbour).stdout
    assert run(*asked, "--yes", site=harbour).returncode == 0
    assert 'timezone = "America/St_Johns"' in (harbour / "site.toml").read_text(encoding="utf-8")
    assert run("undo", "1", "--by", "mo.tarn", "--yes", site=harbour).returncode == 0
    assert pl.open_site(harbour).data.timezone == "Europe/Oslo"


@pytest.mark.parametrize(
    ("start", "lasts", "end"),
    [
        ("2027-11-30", "3 months", "2028-02-29"),
        ("2027-12-31", "1 month", "2028-01-31"),
        ("2027-01-15", "11 months", "2027-12-15"),
        ("2028-02-29", "1 year", "2029-02-28"),
        ("2027-01-01", "2 years", "2029-01-01"),
        ("2027-01-01", "2 weeks", "2027-01-15"),
        ("2027-12-31", "1 day", "2028-01-01"),
    ],
)
def test_durations_end(start, lasts, end):
    found = Duration.read(lasts)
    assert str(found) == lasts
    assert written(found.after(moment(start))) == end
    assert written(found.after(moment(start, OSLO))) == end


def _period(text):
    since, until = (moment(f"2027-0{each}-01") if each != "-" else None for each in text)
    return Period(since, until)


@pytest.mark.parametrize(
    ("one", "other", "covers", "meets"),
    [
        ("--", "35", True, True),
        ("35", "--", False, True),
        ("35", "35", True, True),
        ("3-", "35", True, True),
        ("-5", "35", True, True),
        ("35", "-5", False, True),
        ("35", "3-", False, True),
        ("36", "45", True, True),
        ("45", "36", False, True),
        ("35", "57", False, False),
        ("57", "35", False, False),
        ("-5", "5-", False, False),
        ("5-", "-5", False, False),
        ("36", "57", False, True),
    ],
)
def test_periods_cover_and_meet(one, other, covers, meets):
    assert _period(one).covers(_period(other)) is covers
    assert _period(one).meets(_period(other)) is meets
    assert _period("35").holds(moment("2027-03-01")) and not _period("35").holds(
        moment("2027-05-01")
    )


@pytest.mark.parametrize("at", ["0001-01-01", "9999-12-31T23:59:59.999999"])
def test_everything_can_be_asked_at_the_first_and_the_last_moment(demo, tmp_path, at):
    assert demo.queue("sam.whitlock", at, days=10**12).who == "sam.whitlock"
    change = demo.change(by="hana.okafor").allow("edit", to="user:sam.whitlock", since=at)
    assert change.add_members("trustees", "sam.whitlock", since=at).in_short() is not None
    assert change.later() is not None
    assert demo.why("sam.whitlock", "edit", "/log", at)
    assert demo.check_promises(at, ever=True)
    assert demo.checkup(at)
    assert demo.compare("sam.whitlock", "kit.farrow", at=at)
    with pytest.raises(pl.BadQuestion, match="from the year 2 to 9997"):
        demo.draw("over-time", tmp_path / "over-time.svg", at=at)
