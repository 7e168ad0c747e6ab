"""What the pages of a website ask: narrow questions, and names that are not known."""

from __future__ import annotations

import pickle

import pytest
from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.site import names
from sites import KINDS, LOGINS, MOMENTS, sites


@given(sites(), st.sampled_from(MOMENTS), st.sampled_from([None, *LOGINS, "group:crew"]))
def test_narrow_questions_answer_as_the_whole_look(data, at, who):
    site = pl.Site(data, checked=True)
    who = pl.pictured(who) if who and ":" in who else who
    view = site.looking_as(who, at)
    assert tuple(site.menu(who, at)) == view.menu
    if "/" in data.items:
        assert tuple(site.parts(who, "/", at)) == view.home_parts
    for kind in KINDS:
        parents = [offer.parent for offer in view.offers if offer.kind == kind]
        for _ in range(2):  # worked out, and remembered
            assert site.parents_for(who, kind, at) == parents
        assert site.parents_for(who, kind, at, limit=2) == parents[:2]
        assert site.parents_for(who, kind, at, limit=10**20) == parents
        assert site.parents_for(who, kind, at, below="/") == parents
    for offer in view.offers:
        assert tuple(site.categories_for(who, offer.kind, offer.parent, at)) == offer.categories
        below = [p for p in view.parents if p == offer.parent or p.startswith(f"{offer.parent}/")]
        found = site.parents_for(who, offer.kind, at, below=offer.parent)
        assert offer.parent in found
        assert set(found) <= {*below, *view.parents}


def test_parents_are_forgotten_with_the_site_that_had_them(demo):
    site = pl.Site(demo.data, checked=True)
    assert "/visit" not in site.parents_for("kit.farrow", "page")
    with site.change(by="hana.okafor") as change:
        change.allow("create", to="user:kit.farrow", where="/visit")
    assert "/visit" in site.parents_for("kit.farrow", "page")
    with site.change(by="hana.okafor") as change:
        change.undo(1)
    assert "/visit" not in site.parents_for("kit.farrow", "page")


def test_parts_are_those_that_somebody_sees(demo):
    assert [each.path for each in demo.parts(None, "/")] == ["/appeal", "/next-sailing", "/sign-in"]
    assert "/welcome" in [each.path for each in demo.parts("kit.farrow", "/")]
    assert demo.parts(None, "/visit/prices") == []


@pytest.mark.parametrize(
    ("ask", "message"),
    [
        (lambda s: s.parents_for(None, "pgae"), "The kind 'pgae' is not known on this site. Did you mean page or panel?"),
        (lambda s: s.parents_for(None, "page", limit=0), "'0' is no limit: say how many, 1 or more, or leave it out."),
        (lambda s: s.feed(None, "https://trust.example", most=-1), "'-1' is no number of entries: say 1 or more."),
        (lambda s: s.parents_for(None, "page", below="/lgo"), "The item '/lgo' is not known on this site. Did you mean /log?"),
        (lambda s: s.categories_for(None, "page", "/lgo"), "The item '/lgo' is not known on this site. Did you mean /log?"),
        (lambda s: s.parts(None, "/vist"), "The item '/vist' is not known on this site. Did you mean /visit or /menu/visit?"),
        (lambda s: s.menu("nobody.here"), "The user 'nobody.here' is not known on this site."),
        (lambda s: s.filter(None, "read", ["/visit", "/vist"]), "The item '/vist' is not known on this site. Did you mean /visit or /menu/visit?"),
        (lambda s: s.filter(None, "read", ["/visit"], unknown="maybe"), "'maybe' is no way to take unknown paths: use 'error' or 'skip'."),
    ],
)  # fmt: skip
def test_what_cannot_be_asked(demo, ask, message):
    with pytest.raises(pl.PrimLanternError) as refused:
        ask(demo)
    assert str(refused.value) == message


def test_unknown_paths_can_be_skipped(demo):
    asked = ["/news", "/nowhere", "/trustees", "/log"]
    assert demo.filter(None, "read", asked, unknown="skip") == ["/news", "/log"]


def test_near_names_are_looked_for_when_somebody_reads_them(demo, monkeypatch):
    looked = []
    nearest = names.nearest
    monkeypatch.setattr(
        "prim_lantern.site.names.nearest", lambda *a: looked.append(a) or nearest(*a)
    )
    for ask in (
        lambda: demo.may(None, "read", "/vist"),
        lambda: demo.may("sam.whitlok", "read", "/visit"),
        lambda: demo.may_create("sam.whitlock", "page", "/vist"),
    ):
        with pytest.raises(pl.UnknownName) as refused:
            ask()
        assert not looked
        assert (
            refused.value.suggestions == ("/visit", "/menu/visit")
            or "sam.whitlock" in refused.value.suggestions
        )
        assert "Did you mean" in str(refused.value)
        assert len(looked) == 1  # once, and then it is known
        looked.clear()


def test_an_unknown_name_can_be_sent_to_another_process(demo):
    with pytest.raises(pl.UnknownItem) as refused:
        demo.may(None, "read", "/vist")
    found = pickle.loads(pickle.dumps(refused.value))
    assert (str(found), found.path, found.suggestions) == (
        str(refused.value),
        "/vist",
        ("/visit", "/menu/visit"),
    )
