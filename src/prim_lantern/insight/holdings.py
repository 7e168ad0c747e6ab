"""All that some people may do between them, at one moment."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Final

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.stewards import LOOK_AFTER, by_steward, looked_after
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.decide.views.powers import managing_spots
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE

_SECTIONS_ASKED: Final = 5_000

Holdings = Mapping[str, frozenset[str]]
"""By action the paths or places at which it may be done; also "create KIND", that and "file-under"
with "in CATEGORY", and "look after" with the groups."""


def looks_at_all(data: SiteData) -> bool:
    """Whether a site is so small that it is looked at who may create and file what."""
    return len(data.tree) <= _SECTIONS_ASKED


def holdings_of(engine: Engine, logins: Iterable[str | None]) -> Holdings:
    """What at least one of some people may do."""
    data = engine.data
    found: dict[str, set[str]] = {}
    for login in logins:
        for action in data.item_actions:
            if action not in NEED_MORE:
                found.setdefault(action, set()).update(paths_for(engine, login, action))
        for action, where in _beside_items(engine, login):
            found.setdefault(action, set()).add(where)
    return {action: frozenset(where) for action, where in found.items() if where}


def _beside_items(engine: Engine, login: str | None) -> Iterator[tuple[str, str]]:
    """What somebody may create, file and manage, and whom they look after."""
    if looks_at_all(engine.data):
        yield from _created_and_filed(engine, login)
    spots = managing_spots(engine.data, SITE)
    for action in MANAGING_ACTIONS:
        for spot in [SITE] if action in SITE_WIDE_ACTIONS else spots:
            if engine.may_manage(login, action, spot):
                yield action, str(spot)
    whos = engine.reference_for(login).belonging.whos(engine.acting(login))
    every = engine.may_manage(login, "manage-people", SITE)
    for group in engine.data.groups if every else looked_after(by_steward(engine.data), whos):
        yield LOOK_AFTER, f"group:{group}"


def _created_and_filed(engine: Engine, login: str | None) -> Iterator[tuple[str, str]]:
    for parent in engine.data.tree.sections():
        for offer in offers_below(engine, login, parent):
            if not offer.needs_category:
                yield f"create {offer.kind}", parent
            for each in offer.categories:
                yield f"create {offer.kind} in {each}", parent
    editable = paths_for(engine, login, "edit")
    for path, categories in engine.beside(Filings).under_each(login, editable):
        for each in categories:
            yield f"file-under in {each}", path


def beyond(some: Holdings, others: Holdings) -> Holdings:
    """What is in the one and not in the other."""
    found = {a: where - others.get(a, frozenset()) for a, where in some.items()}
    return {action: where for action, where in found.items() if where}


def together(some: Holdings, others: Holdings) -> Holdings:
    """What is in either."""
    nothing: frozenset[str] = frozenset()
    return {a: some.get(a, nothing) | others.get(a, nothing) for a in {**some, **others}}
