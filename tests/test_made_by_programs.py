"""Sites and wishes that a program puts together by itself: what is wrong in them is said at once."""

from __future__ import annotations

import re
from datetime import datetime

import pytest

import prim_lantern as pl
from prim_lantern.site import people
from prim_lantern.values import replace

SOUND = pl.open_demo().data
NAIVE = datetime(2027, 1, 1)  # without a time zone, on purpose
SAM = SOUND.users["sam.whitlock"]
PAGE = SOUND.items["/visit/prices"]
GROUP = next(iter(SOUND.groups.values()))
PLAN = next(iter(SOUND.plans.values()))


def rule(**changes):
    return {"rules": (replace(SOUND.rules[0], **changes), *SOUND.rules[1:])}


def user(**changes):
    return {"users": {**SOUND.users, SAM.login: replace(SAM, **changes)}}


def item(**changes):
    return {"items": {**SOUND.items, PAGE.path: replace(PAGE, **changes)}}


def group(**changes):
    return {"groups": {**SOUND.groups, GROUP.name: replace(GROUP, **changes)}}


@pytest.mark.parametrize(
    ("parts", "says"),
    [
        (rule(allow="no"), "rules.allow: 'no' is of type str; expected True or False."),
        (rule(no_exceptions=1), "rules.no_exceptions: 1 is of type int; expected True or False."),
        (rule(to="guests"), "rules.to: 'guests' is of type str; expected a list."),
        (rule(to=("guests",)), "rules.to: 'guests' is of type str; expected Who."),
        (rule(place="/log"), "rules.place: '/log' is of type str; expected Place."),
        (rule(place=pl.Place("path", "/log", "near")), "'near' is no reach"),
        (rule(place=pl.Place("path", "/", "here-and-below")), "cannot be the reach of '/'"),
        (rule(place=pl.Place("site", "site", "only-here")), "only a path has one"),
        (rule(place=pl.Place("site", "whole")), "'whole' is no place"),
        (rule(place=pl.Place("category", "/log")), "'category' is no place where /log is: path."),
        (rule(to=(pl.Who("audience", "all"),)), "'all' is nobody: write everyone, guests"),
        (rule(to=(pl.Who("people", "x"),)), "cannot stand here, only: user, group"),
        (rule(period=pl.Period(NAIVE)), "rules.period.since: 2027-01-01 00:00:00 is of type datetime; expected a moment"),
        (user(attributes={"station": 3}), "users.sam.whitlock.attributes.station: 3 is of type"),
        (user(memberships=(GROUP.name,)), "users.sam.whitlock.memberships: "),
        (user(enrolments=(people.Enrolment(PLAN.name, NAIVE),)), "expected a moment with its time zone."),
        (user(login="sam"), "users: 'sam.whitlock' leads to what is called 'sam'."),
        (item(authors="sam.whitlock"), "items./visit/prices.authors: 'sam.whitlock' is of type"),
        (item(path="/prices"), "items: '/visit/prices' leads to what is called '/prices'."),
        (item(title=b"Prices"), "items./visit/prices.title: b'Prices' is of type bytes"),
        (group(when=((),)), "when[0]: () tests nothing: everybody would fit."),
        (group(when=((people.Test("status", "before", ()),),)), "() leaves nothing to test by before."),
        (group(members=None), "members: it is None; expected a list."),
        ({"plans": {PLAN.name: replace(PLAN, lasts=PLAN.lasts._replace(unit="moon"))}}, "no durat"),
        ({"roles": {"other": next(iter(SOUND.roles.values()))}}, "roles: 'other' leads to what is"),
        ({"limits": None}, "limits: it is None; expected a list."),
        ({"limits": (pl.Limit("page", "/log", True),)}, "at_most: True is of type bool; expected a"),
        ({"name": None}, "name: it is None; expected text."),
    ],
)  # fmt: skip
def test_a_site_of_a_program_is_looked_at_whole_and_nothing_is_written(parts, says, tmp_path):
    for take in (
        pl.Site,
        lambda data: pl.put_site(data, tmp_path / "site"),
        lambda data: pl.write_folder(data, tmp_path / "site"),
        lambda data: pl.put_site(data, f"sqlite:///{tmp_path}/site.db"),
        pl.open_demo().adopt,
        lambda data: pl.open_demo().change(by="hana.okafor").replace_with(data, "anew"),
    ):
        with pytest.raises((pl.BadSite, pl.BadValue, pl.BadChange), match=re.escape(says)):
            take(replace(SOUND, **parts))
    assert not [*tmp_path.iterdir()]


@pytest.mark.parametrize("rows", [None, 3, "sam", {"sam": 3}, {3: SAM}, ["sam"]])
def test_rows_that_are_none_are_refused_at_once(rows):
    for part in ("users", "items"):
        with pytest.raises(pl.BadValue, match=f"among the {part}: it is "):
            SOUND.with_parts(**{part: rows})


@pytest.mark.parametrize("where", ["site", "sqlite:///{}/site.db"])
def test_a_text_that_no_store_can_keep_is_refused(where, tmp_path):
    place = where.format(tmp_path) if "://" in where else tmp_path / where
    with pytest.raises(pl.BadValue, match="holds half a letter"):
        pl.put_site(SOUND.with_parts(name="Lamp \ud800"), place)
    assert pl.put_site(SOUND, place).data == SOUND


@pytest.mark.parametrize(
    ("changes", "error", "says"),
    [
        ({"who": "sam.whitlock"}, pl.BadValue, "cannot be who of a wish: it is of type str"),
        ({"who": pl.Who("user", "nobody.here")}, pl.UnknownUser, "nobody.here"),
        ({"who": pl.Who("group", "nobody")}, pl.UnknownWho, "group:nobody"),
        ({"action": "fly"}, pl.UnknownAction, "fly"),
        ({"action": "create"}, pl.BadQuestion, "create needs one"),
        ({"place": "/visit/prices"}, pl.BadValue, "cannot be place of a wish"),
        ({"place": pl.place("/nowhere")}, pl.UnknownItem, "/nowhere"),
        ({"may": "no"}, pl.BadValue, "expected True or False"),
        ({"categories": "topic:press"}, pl.BadValue, "expected a list"),
        ({"aside": (3,)}, pl.BadValue, "expected text"),
    ],
)
def test_a_wish_is_looked_at_anew_whoever_made_it(changes, error, says):
    site = pl.open_demo()
    wish = site.wish("gwen.tarrow", "edit", "/visit/prices")
    with pytest.raises(error, match=re.escape(says)):
        site.suggest(wish._replace(**changes))


def test_what_a_wish_leaves_aside_stays_aside():
    site = pl.open_demo()
    wish = site.wish("gwen.tarrow", "edit", "/visit", below=True)
    assert not site.suggest(wish).already
    assert site.suggest(wish._replace(aside=("/visit",))).already  # nothing is left of it
