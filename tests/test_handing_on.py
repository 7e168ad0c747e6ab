"""Nobody gives what they do not hold; stewards change members, within bounds."""

from __future__ import annotations

from dataclasses import replace

import pytest

from prim_lantern.decide.clauses import clauses_of
from prim_lantern.decide.handing_on import HandingOn
from prim_lantern.decide.reference import Reference
from prim_lantern.site.moments import Period, moment
from prim_lantern.site.places import SITE, place
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.who import GUESTS, Who

NOW = moment("2027-05-10")
SITE_TOML = """
[groups.crew]
stewards = ["user:ann"]
[groups.bridge]
stewards = ["user:ann"]
counts_in = ["top"]
[groups.top]
[roles.editor]
capabilities = [{ kinds = ["page"], can = ["edit"] }]
[roles.steward]
capabilities = [{ can = ["manage-rights"] }]
[roles.clerk]
capabilities = [{ can = ["manage-people"] }]
[roles.all]
all_access = true
[[given]]
role = "all"
to = ["group:top"]
[[given]]
role = "editor"
to = ["user:ann"]
within_any = ["/a"]
until = 2028-01-01
[[given]]
role = "steward"
to = ["user:ann"]
within_any = ["/a"]
[[given]]
role = "clerk"
to = ["user:ben"]
[readerships.inner]
readers = ["user:ann"]
[readerships.sealed]
readers = ["user:ann"]
no_exceptions = true
"""
CYD = (Who("user", "cyd"),)


@pytest.fixture
def reference(make_site):
    people = "ann,Ann,,,,,\nben,Ben,,,,,\ncyd,Cyd,,,,,\ntess,Tess,,,top,,\n"
    site = make_site(SITE_TOML, people, "/a,page,A,,,,,,,,\n/a/b,page,B,,,,,,,,\n")
    return Reference(site.data, NOW)


def rule(**more):
    return Rule(
        **{
            "allow": True,
            "actions": ("edit",),
            "to": CYD,
            "place": place("/a/b"),
            "kinds": ("page",),
            "period": Period(None, moment("2027-12-01")),
            **more,
        }
    )


@pytest.mark.parametrize(
    ("login", "made", "missing"),
    [
        ("ann", rule(), None),
        ("ann", rule(whose="own", in_state=("draft",)), None),
        ("mo", rule(actions=("all",), place=SITE, kinds=()), None),
        ("tess", rule(actions=("all",), place=SITE, kinds=()), None),
        ("ann", rule(place=place("/")), "they may not manage rights at /"),
        ("ben", rule(), "they may not manage rights at /a/b"),
        ("ann", rule(actions=("publish",)), "they do not hold publish at /a/b themselves"),
        ("ann", rule(kinds=()), "they do not hold edit at /a/b themselves, for event"),
        ("ann", rule(period=Period()), "and for all that time"),
        ("ann", rule(allow=False, no_exceptions=True), "what has no exceptions is for the owner"),
        ("tess", rule(allow=False, no_exceptions=True), None),
    ],
)  # fmt: skip
def test_whoever_allows_must_hold_it(reference, login, made, missing):
    clause = clauses_of(replace(reference.data, rules=(made,), given=()))[0]
    found = HandingOn(reference, login).allow(clause)
    assert found is None if missing is None else missing in (found or "")


@pytest.mark.parametrize(
    ("login", "role", "within", "missing"),
    [
        ("ann", "editor", "/a/b", "and for all that time"),
        ("mo", "all", "site", None),
        ("tess", "editor", "/a", None),
        ("ann", "all", "/a", "a role with all access is for the owner"),
        ("ben", "editor", "/a", "they may not manage rights at /a"),
    ],
)
def test_whoever_gives_a_role_must_hold_what_it_can(reference, login, role, within, missing):
    given = Given(role, CYD, (place(within),))
    clauses = clauses_of(replace(reference.data, rules=(), given=(given,)))
    found = HandingOn(reference, login).role(given, clauses)
    assert found is None if missing is None else missing in (found or "")


@pytest.mark.parametrize(
    ("login", "group", "added", "missing"),
    [
        ("ann", "crew", ["cyd"], None),
        ("ann", "crew", ["ann"], "a steward cannot add themselves"),
        ("ann", "bridge", ["cyd"], "the group reaches a role with all access"),
        ("ann", "top", ["cyd"], "they are no steward of the group and may not manage people"),
        ("ben", "bridge", ["ben"], None),
        (None, "crew", [], "they are no steward of the group and may not manage people"),
    ],
)
def test_stewards_change_members_within_bounds(reference, login, group, added, missing):
    assert HandingOn(reference, login).members(group, added) == missing


def test_whoever_widens_a_readership_must_be_in_it(reference):
    inner, sealed = (reference.data.readerships[name] for name in ("inner", "sealed"))
    at = place("/a")
    assert HandingOn(reference, "ann").widening(inner, at) is None
    assert HandingOn(reference, "mo").widening(inner, at) is None
    assert "may not manage rights" in (HandingOn(reference, "cyd").widening(inner, at) or "")
    assert "not in the readership inner" in (HandingOn(reference, "tess").widening(inner, at) or "")
    assert "no exceptions" in (HandingOn(reference, "ann").widening(sealed, at) or "")
    assert reference.is_among(None, GUESTS, reference.subject("/a"))
