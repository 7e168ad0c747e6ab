"""All that names a person is listed, and taken away in one change."""

from __future__ import annotations

import json
from dataclasses import replace
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from conftest import run
from prim_lantern.decide.views.naming import naming
from sites import random_site

NOW = {"PRIM_LANTERN_NOW": "2027-05-10"}


@given(st.integers(0, 2**32).map(Random))
def test_who_is_released_is_named_by_nothing_but_what_they_wrote(rng):
    data = random_site(rng)
    data = replace(data, items=data.content, users=data.people)
    site = pl.Site(data)
    login = rng.choice([each for each in data.users if each != data.owner])
    heir = rng.choice([None, *(each for each in data.users if each != login)])
    change = site.change(by=data.owner)
    try:
        change.release_user(login, heir)
    except pl.NothingToChange:
        assert {each.what for each in naming(data, login)} <= {"author", "hand"}
        return
    except pl.BadChange as refused:
        because = str(refused)
    else:
        because = ""
    if because:  # a readership is for them alone; or the site has texts that no change may leave
        alone = any(each.what == "readership" for each in naming(data, login))
        assert alone or "begins or ends with a blank" in because
        return
    left = naming(change.data, login)
    assert {each.what for each in left} <= {"author", "hand"}
    if heir is not None:
        assert "author" not in {each.what for each in left}
        before = {each.name for each in naming(data, login) if each.what == "author"}
        assert before <= {each.name for each in naming(change.data, heir) if each.what == "author"}
    others = [each for each in data.users if each not in (login, heir)]
    for other in others:
        before = {each for each in naming(data, other) if each.what not in ("promise", "hand")}
        after = {
            each for each in naming(change.data, other) if each.what not in ("promise", "hand")
        }
        kept = {(each.what, each.name) for each in after}
        assert {(each.what, each.name) for each in before} == kept


def test_holdings_and_release_on_the_demo(demo_folder):
    told = run("user", "holdings", "leif", site=demo_folder, variables=NOW)
    assert told.stdout.startswith("Leif Aronsen (leif.aronsen), active.\n")
    records = json.loads(run("user", "holdings", "leif", "--json", site=demo_folder).stdout)
    sorts = {each["what"] for each in records}
    assert {"steward", "membership", "author"} <= sorts
    suspended = run("user", "holdings", "theo", site=demo_folder, variables=NOW).stdout
    assert "Theo Marsh (theo.marsh), suspended." in suspended
    assert "If they acted again:\n  + Theo Marsh gains" in suspended
    done = run(
        "user", "release", "leif.aronsen", "--hand-to", "priya.nandakumar", "--by", "hana.okafor", "--yes",
        site=demo_folder, variables=NOW,
    )  # fmt: skip
    assert done.stdout.startswith(
        "Take away all that leif.aronsen has, and hand what they wrote to priya.nandakumar.\n"
    ), done
    left = json.loads(run("user", "holdings", "leif", "--json", site=demo_folder).stdout)
    assert {each["what"] for each in left} == {"hand"}  # he wrote it, and may not publish it
    run("undo", "1", "--by", "hana.okafor", "--yes", site=demo_folder, variables=NOW)
    before = pl.open_demo().data
    assert pl.open_site(demo_folder).data.users == before.users
    assert pl.open_site(demo_folder).data.groups == before.groups


@pytest.mark.parametrize(
    ("command", "said"),
    [
        (["holdings", "guest"], "A guest is nobody by name."),
        (["holdings", "nobody.here"], "The user 'nobody.here' is not known"),
        (["release", "hana.okafor", "--by", "hana.okafor"], "hand over the ownership first"),
        (
            ["release", "sam.whitlock", "--hand-to", "nix", "--by", "hana.okafor"],
            "'nix' is not known",
        ),
        (["release", "sam.whitlock", "--by", "kit.farrow"], "and may not manage people"),
    ],
)
def test_what_is_refused(command, said, demo_folder):
    done = run("user", *command, "--yes" if "--by" in command else "--json", site=demo_folder)
    assert said in done.stderr, done
    assert pl.open_site(demo_folder).data == pl.open_demo().data
