"""Who comes to look after the members of a group by a change, and who no longer does."""

from __future__ import annotations

from collections.abc import Collection

from prim_lantern.change.effects.creating_and_managing import Pairs
from prim_lantern.change.effects.touched import Touched
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stewards import LOOK_AFTER, by_steward, looked_after
from prim_lantern.site.places import SITE
from prim_lantern.site.who import Who

_PEOPLE = ("users", "groups", "plans", "attributes", "owner")


def looking_after(touched: Touched) -> Pairs:
    """By "look after" and the group ("group:…"), who gains or loses it. Of whoever may manage all
    people, before or after, nothing is told: that says it all."""
    datas = [engine.data for engine in touched.engines]
    if all(getattr(datas[0], part) is getattr(datas[1], part) for part in _PEOPLE):
        return {}
    was, now = by_steward(touched.base), by_steward(datas[1])
    if not was and not now:
        return {}
    found: Pairs = {}
    differing = {who for who in was.keys() | now.keys() if was.get(who) != now.get(who)}
    for login in _concerned(touched, differing):
        earlier, later = touched.whos(login)
        had, has = looked_after(was, earlier), looked_after(now, later)
        if had != has and not any(_manages_people(engine, login) for engine in touched.engines):
            for group in had ^ has:
                found.setdefault((LOOK_AFTER, f"group:{group}"), {})[login] = group in has
    return found


def _manages_people(engine: Engine, login: str) -> bool:
    known = login if login in engine.data.users else None
    return engine.may_manage(known, "manage-people", SITE)


def _concerned(touched: Touched, differing: Collection[Who]) -> Collection[str]:
    """Those in other groups than they were, and those of whom stewards speak that differ."""
    if any(who.kind == "group" for who in differing):
        return touched.active
    named = {who.name for who in differing}
    return dict.fromkeys((*touched.concerned, *(e for e in touched.active if e in named)))
