"""What reaches one person: their groups, the roles given to them, the rules that name them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from prim_lantern.decide.belonging import Way
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.many import paths_for
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.who import Who


class Powers(NamedTuple):
    """All that speaks to one person at a moment, and what it comes to.

    `beyond` has, by action, the paths where they may do what not everybody signed in may.
    """

    login: str | None
    owner: bool
    ways: tuple[Way, ...]
    given: tuple[Given, ...]
    rules: tuple[Rule, ...]
    may: Mapping[str, tuple[str, ...]]
    beyond: Mapping[str, tuple[str, ...]]


def powers_of(engine: Engine, login: str | None, anybody: str | None) -> Powers:
    """The powers of a user or a guest (None); `anybody` is the login of a stand-in for
    somebody signed in, to compare with."""
    data = engine.data
    belonging = engine.crowd.belonging
    whos = belonging.whos(belonging.acting(login))
    ways = belonging.ways(login).values() if login is not None else ()
    in_force = [each for each in data.given if each.period.holds(engine.at)]
    given = tuple(each for each in in_force if not whos.isdisjoint(each.to))
    whos |= {Who("role", each.role) for each in given}
    actions = [action for action in data.item_actions if action not in NEED_MORE]
    may = {action: tuple(paths_for(engine, login, action)) for action in actions}
    common = {action: set(paths_for(engine, anybody, action)) for action in actions}
    beyond = {
        action: tuple(path for path in paths if path not in common[action])
        for action, paths in may.items()
    }
    return Powers(
        login=login,
        owner=engine.is_owner(login),
        ways=tuple(way for each in ways for way in each),
        given=given,
        rules=tuple(
            each
            for each in data.rules
            if each.period.holds(engine.at) and not whos.isdisjoint(each.to)
        ),
        may={action: paths for action, paths in may.items() if paths},
        beyond={action: paths for action, paths in beyond.items() if paths},
    )
