"""All that some people may do between them, at one moment."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Final

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.decide.views.powers import managing_spots
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.places import SITE

_SECTIONS_ASKED: Final = 5_000

Holdings = Mapping[str, frozenset[str]]
"""By action ("create KIND" for each kind, too), the paths or places at which it may be done."""


def holdings_of(engine: Engine, logins: Iterable[str | None]) -> Holdings:
    """What at least one of some people may do."""
    data = engine.data
    found: dict[str, set[str]] = {}
    small = len(data.tree) <= _SECTIONS_ASKED
    spots = managing_spots(data, SITE)
    for login in logins:
        for action in data.item_actions:
            if action not in NEED_MORE:
                found.setdefault(action, set()).update(paths_for(engine, login, action))
        for parent in data.tree.sections() if small else ():
            for offer in offers_below(engine, login, parent):
                found.setdefault(f"create {offer.kind}", set()).add(parent)
        for action in MANAGING_ACTIONS:
            for spot in [SITE] if action in SITE_WIDE_ACTIONS else spots:
                if engine.may_manage(login, action, spot):
                    found.setdefault(action, set()).add(str(spot))
    return {action: frozenset(where) for action, where in found.items() if where}


def beyond(some: Holdings, others: Holdings) -> Holdings:
    """What is in the one and not in the other."""
    found = {a: where - others.get(a, frozenset()) for a, where in some.items()}
    return {action: where for action, where in found.items() if where}


def together(some: Holdings, others: Holdings) -> Holdings:
    """What is in either."""
    nothing: frozenset[str] = frozenset()
    return {a: some.get(a, nothing) | others.get(a, nothing) for a in {**some, **others}}
