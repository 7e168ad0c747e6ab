"""Two people with random powers make random changes: neither comes to what neither could do."""

from __future__ import annotations

from dataclasses import replace
from itertools import product
from random import Random

from hypothesis import given, settings
from hypothesis import strategies as st

from operations import random_operation
from prim_lantern.change.gate import Judged, missing_for
from prim_lantern.change.operations.base import Made
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.errors import PrimLanternError
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import SITE, place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from sites import NOON, random_site

PLACES = [SITE, place("/a"), place("/b"), place("/c")]


def with_powers(rng, site, pair):
    """The site with some more rights for the two."""
    one, other = ((Who("user", login),) for login in pair)
    rules = [Rule(True, ("manage-rights",), one, rng.choice(PLACES[1:]))]
    rules += [Rule(True, ("manage-people",), other)] * rng.randrange(2)
    rules += [Rule(True, ("manage-roles",), one)] * (rng.random() < 0.3)
    rules += [Rule(True, ("all",), one, place("/a"))] * rng.randrange(2)
    return site.with_parts(rules=(*site.rules, *rules))


@settings(max_examples=max(20, settings.default.max_examples // 3))
@given(st.integers(0, 2**32).map(Random))
def test_nobody_comes_to_what_neither_of_two_could_do(rng):
    site = random_site(rng)
    site = replace(site, items=site.content, users=site.people)
    active = [login for login, user in site.users.items() if user.status == ACTIVE]
    some = [login for login in active if login != site.owner]
    pair = rng.sample(some, min(2, len(some)))
    if len(pair) < 2 or any(
        Judged(Engine(site, NOON), site, (), Made(p, NOON)).is_top for p in pair
    ):
        return
    site = with_powers(rng, site, pair)
    made, data = changes_of(rng, site, pair)
    first, last = Reference(site, NOON), Reference(data, NOON)
    for login in (each for each in pair if each in data.users):
        assert last.all_access(login, Subject()) is None, made
        for action, where in product(MANAGING_ACTIONS, PLACES):
            could = any(first.may_manage(each, action, where).allowed for each in pair)
            may = last.may_manage(login, action, where).allowed
            assert could or not may, (action, where, made)
        same = [path for path in site.items if data.items.get(path) == site.items[path]]
        moved = any("move" in said for _, said in made)  # what moves opens what words give
        for action, path in product(("edit", "publish", "delete"), () if moved else same):
            about = first.subject(path)
            could = any(first.do(each, action, about).allowed for each in pair)
            assert could or not last.may(login, action, path).allowed, (action, path, made)


def changes_of(rng, site, pair):
    """Some changes that the two may make, and the site that they lead to."""
    made, data = [], site
    for _ in range(5):
        by = rng.choice(pair)
        if by not in data.users or data.users[by].status != ACTIVE:
            continue
        proposal = Proposal(data, Made(by, NOON))
        try:
            proposal.do(random_operation(rng, data))
        except PrimLanternError:
            continue
        engine = Engine(data, NOON)
        if not missing_for(Judged(engine, proposal.data, proposal.renames, proposal.made)):
            made.append((by, proposal.steps[0].said))
            data = proposal.data
    return made, data
