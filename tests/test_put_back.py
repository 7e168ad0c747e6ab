"""A backup that is put back while processes answer: they know nothing that it does not say."""

from __future__ import annotations

import shutil

import pytest
from sqlalchemy import create_engine
from sqlalchemy.pool import NullPool

import prim_lantern as pl
from prim_lantern.store import tables

HANA = "hana.okafor"
ASKED = ("sam.whitlock", "edit", "/visit")


@pytest.fixture
def backup(where, tmp_path):
    """Takes a backup of the site in each store, as it would be taken there; the way back."""
    copy = tmp_path / "backup"

    def of_a_folder():
        shutil.copytree(where, copy)

        def put_back():
            shutil.rmtree(where)
            shutil.copytree(copy, where)

        return put_back

    def of_a_database():
        engine = create_engine(where, poolclass=NullPool)
        some = tables.metadata.sorted_tables
        with engine.connect() as connection:
            rows = {each: connection.execute(each.select()).mappings().all() for each in some}

        def put_back():
            with engine.begin() as connection:
                for each in some:
                    connection.execute(each.delete())
                    if rows[each]:
                        connection.execute(each.insert(), [dict(row) for row in rows[each]])

        return put_back

    return of_a_database if "://" in where else of_a_folder


def changed(site, name):
    site.change(by=HANA).add_group(name).make(effects=False)


@pytest.mark.parametrize(("before", "since"), [(0, 0), (1, 1), (1, 2), (1, 3)])
def test_what_came_after_the_backup_is_forgotten(where, backup, before, since):
    site = pl.open_site(where)
    for number in range(before):
        changed(site, f"before-{number}")
    put_back = backup()
    other = pl.open_site(where)
    change = site.change(by=HANA).allow("edit", to="user:sam.whitlock", where="/visit")
    change.suspend("ines.varga").make(effects=False)
    changed(site, "lost")
    other.catch_up()
    assert other.allows(*ASKED) and other.version == before + 2
    put_back()
    again = pl.open_site(where)
    for number in range(since):
        changed(again, f"since-{number}")
    assert other.behind()
    other.catch_up()
    assert not other.allows(*ASKED)
    assert (other.version, other.data) == (before + since, pl.open_site(where).data)
    # One who has not looked since makes a change of what is there now.
    changed(site, "after")
    assert not site.allows(*ASKED)
    assert (site.version, site.data) == (before + since + 1, pl.open_site(where).data)
    assert site.store.check_history() == before + since + 1


def test_what_a_transaction_takes_back_is_never_answered_by(tmp_path):
    place = f"sqlite:///{tmp_path}/site.db"
    site = pl.put_site(pl.open_demo().data, place)
    with create_engine(place, poolclass=NullPool).connect() as connection:
        begun = connection.begin()
        for where in ("/visit", "/about"):
            change = site.change(by=HANA).allow("edit", to="user:sam.whitlock", where=where)
            change.make(connection=connection)
            assert not site.allows(*ASKED) and site.version == 0
        begun.rollback()
    assert not site.allows(*ASKED)
    changed(site, "night")
    assert (site.version, site.data) == (1, pl.open_site(place).data)


def test_a_store_that_is_away_leaves_a_change_made(where, monkeypatch):
    """What is found in the store late is taken over late: the change has been made all the same."""
    site = pl.open_site(where)
    seen = site.seen
    changed(site, "night")

    def away(_):
        raise pl.StoreTrouble(where, "away")

    monkeypatch.setattr(site.store, "newer", away)
    site.take(seen)
    assert site.version == 1 and "night" in site.data.groups
    assert "away" in site.freshness.trouble


def test_another_site_in_its_place_is_seen_before_the_first_change(tmp_path):
    places = [tmp_path / "one.db", tmp_path / "two.db"]
    data = pl.open_demo().data
    site = pl.put_site(data, f"sqlite:///{places[0]}")
    pl.put_site(data.with_parts(rules=()), f"sqlite:///{places[1]}")
    assert not site.behind()
    shutil.copy(places[1], places[0])
    assert site.behind()
    site.catch_up()
    assert site.data.rules == ()
