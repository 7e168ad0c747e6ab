"""Two people with random powers change what they may, by every way in and over months: neither
comes to what neither could do."""

from __future__ import annotations

import os
from collections import Counter
from dataclasses import replace
from datetime import timedelta
from itertools import product
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from operations import random_operation, random_proposal
from prim_lantern.change.gate import Judged
from prim_lantern.change.operations.base import Made
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.moments import CLOCK
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import SITE, place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import Who
from sites import NOON, random_site

PLACES = [SITE, place("/a"), place("/b"), place("/c")]
DONE = ("edit", "publish", "delete")


@pytest.fixture(autouse=True)
def _clock():
    yield
    os.environ.pop(CLOCK, None)


def with_powers(rng, site, pair):
    """The site with some more rights for the two."""
    one, other = ((Who("user", login),) for login in pair)
    rules = [Rule(True, ("manage-rights",), one, rng.choice(PLACES[1:]))]
    rules += [Rule(True, ("manage-people",), other)] * rng.randrange(2)
    rules += [Rule(True, ("manage-roles",), one)] * (rng.random() < 0.3)
    rules += [Rule(True, ("all",), one, place("/a"))] * rng.randrange(2)
    return site.with_parts(rules=(*site.rules, *rules))


tried = Counter()


@settings(max_examples=max(20, settings.default.max_examples // 3))
@given(st.integers(0, 2**32).map(Random))
def test_nobody_comes_to_what_neither_of_two_could_do(rng):
    data = random_site(rng)
    data = replace(data, items=data.content, users=data.people)
    active = [login for login, user in data.users.items() if user.status == ACTIVE]
    some = [login for login in active if login != data.owner]
    pair = rng.sample(some, min(2, len(some)))
    if len(pair) < 2 or any(
        Judged(Engine(data, NOON), data, (), Made(p, NOON)).is_top for p in pair
    ):
        return
    data = with_powers(rng, data, pair)
    site = pl.Site(data)
    made, last_moment = attack(rng, site, pair)
    tried["sites"] += 1
    tried["made"] += len(made)
    for at in (last_moment, last_moment + timedelta(days=rng.randrange(400))):
        nobody_gained(Reference(data, at), Reference(site.data, at), pair, made)


def nobody_gained(first, last, pair, made):
    """Neither of the two, nor a guest, may do what neither could at that moment."""
    pair = [each for each in pair if each in first.data.users]

    def could(action, about):
        return any(first.do(each, action, about).allowed for each in pair)

    had = any(first.all_access(each, Subject()) for each in pair)  # from a later day on
    for login in (each for each in pair if each in last.data.users):
        assert had or last.all_access(login, Subject()) is None, made
        for action, where in product(MANAGING_ACTIONS, PLACES):
            may = last.may_manage(login, action, where).allowed
            could_manage = any(first.may_manage(each, action, where).allowed for each in pair)
            assert could_manage or not may, (action, where, made)
    if any("move" in said for _, said in made):
        return  # what moves opens what words give
    now, before = last.data.items, first.data.items
    same = [path for path in before if path in now and _bare(now[path]) == _bare(before[path])]
    there = [login for login in pair if login in last.data.users]
    for login, action, path in product([*there, None], DONE, same):
        about = first.subject(path)
        allowed = last.may(login, action, path).allowed
        free = login is None and first.do(None, action, about).allowed
        assert not allowed or free or could(action, about), (login, action, path, made)


def _bare(item):
    """An item without what does not decide: its title and who changed it."""
    return replace(item, title="", changed_by=())


def attack(rng, site, pair):
    """Some changes that the two may make, as the days go by."""
    made, at = [], NOON
    for _ in range(6):
        at += timedelta(days=rng.choice([0, 0, 1, 30, 200]))
        os.environ[CLOCK] = at.isoformat()
        by = rng.choice(pair)
        if by not in site.data.users or site.data.users[by].status != ACTIVE:
            continue
        change = site.change(by=by)
        try:
            way = rng.random()
            if way < 0.15 and site.seen.number:
                change.undo(rng.randrange(site.seen.number) + 1)
            elif way < 0.3:
                other = random_proposal(rng, site.data, site.data.owner, rng.randrange(1, 3)).data
                change.replace_with(other, "folder in")
            else:
                for _ in range(rng.choice([1, 1, 2])):
                    change.do(random_operation(rng, site.data))
            change.make()
        except pl.PrimLanternError as error:
            tried[type(error).__name__] += 1
            continue
        made.append((by, "; ".join(change.said)))
    return made, at
