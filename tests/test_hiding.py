"""Hiding an item with all below it, and showing it again."""

from __future__ import annotations

import pytest

import prim_lantern as pl

HANA = "hana.okafor"


@pytest.fixture
def clock(monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", "2027-05-10")


def test_hiding_and_showing_again(clock):
    site = pl.open_demo()
    with site.change(by=HANA) as change:
        change.hide("/friends")
    assert not site.may("kit.farrow", "read", "/friends")
    with site.change(by=HANA) as change:
        change.show("/friends", "friends")
    assert site.data == pl.open_demo().data


HIDING = """
[readerships.crew]
readers = ["group:crew"]
[[places]]
where = "/a"
reach = "only-below"
readership = "crew"
[[places]]
where = "/a/open"
readership = "public"
readership_from_above = false
[roles.desk]
capabilities = [{ can = ["edit"] }]
[roles.all]
all_access = true
[[given]]
role = "desk"
to = ["user:cy"]
within_any = ["/a", "/b"]
[[given]]
role = "all"
to = ["user:top"]
within_any = ["/a"]
[[rules]]
allow = ["comment"]
to = ["group:crew"]
where = "/a/deep"
[[rules]]
allow = ["edit"]
to = ["user:cy"]
where = "/a/deep"
whose = "own"
[groups.crew]
members = ["kim"]
"""


def test_hiding_covers_all_below_and_on_wish_every_word_there(make_folder):
    people = "cy,Cy,,active,,,\nkim,Kim,,active,,,\ntop,Top,,active,,,\nann,Ann,,active,,,"
    paths = ("/a", "/a/open", "/a/deep", "/b")
    content = "\n".join(
        f"{path},page,T,{'ann' if path == '/a/deep' else 'mo'},,published,,,,," for path in paths
    )
    site = pl.open_site(make_folder(HIDING, people, content))
    start = site.data

    def readers():
        whos = (None, "cy", "kim", "top", "ann")
        return [[str(who) for who in whos if site.may(who, "read", path)] for path in paths]

    everybody = ["None", "cy", "kim", "top", "ann"]
    assert readers() == [everybody, everybody, ["cy", "kim", "top"], everybody]
    with site.change(by="mo") as change:
        change.hide("/a")  # its readership stood only-below
    assert readers() == [["cy", "top"], everybody, ["cy", "kim", "top", "ann"], everybody]
    with pytest.raises(pl.BadChange, match="is hidden already"):
        site.change(by="mo").hide("/a")
    with site.change(by="mo") as change:
        change.hide("/a", with_words=True)
    assert readers() == [["top"], ["top"], ["top", "ann"], everybody]
    assert site.may("cy", "edit", "/b")
    assert [list(map(str, each.to)) for each in site.data.rules] == [["user:cy"]]
    with pytest.raises(pl.BadChange, match="hidden already, and no word there lets anybody past"):
        site.change(by="mo").hide("/a", with_words=True)
    with site.change(by="mo") as change:
        change.undo(2)
    with site.change(by="mo") as change:
        change.show("/a", "crew", "only-below")
    assert site.data == start
