"""What reaches one person: their groups, the roles given to them, the rules that name them."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from typing import NamedTuple

from prim_lantern.decide.belonging import Belonging, Way
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings, Without
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.stand_ins import is_pictured
from prim_lantern.decide.stewards import LOOK_AFTER, by_steward, looked_after
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, is_above, place
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.who import Who


class Powers(NamedTuple):
    """All that speaks to one person at a moment, and what it comes to.

    `may` has, by action, the paths where they may do it, and `beyond` those where not everybody
    signed in may. `files` has, by categories, the items that they may edit and file under each of
    these, and `files_beyond` those that not everybody signed in may. `manages` has the places where
    they may manage ("site" alone, where it is the whole), and by "look after" the groups of which
    they are a steward. `later` are memberships, given roles and rules that begin on a later day.
    """

    login: str | None
    owner: bool
    ways: tuple[Way, ...]
    given: tuple[Given, ...]
    rules: tuple[Rule, ...]
    may: Mapping[str, tuple[str, ...]]
    beyond: Mapping[str, tuple[str, ...]]
    files: Mapping[tuple[str, ...], tuple[str, ...]]
    files_beyond: Mapping[tuple[str, ...], tuple[str, ...]]
    manages: Mapping[str, tuple[str, ...]]
    later: tuple[Way | Given | Rule, ...]


def powers_of(engine: Engine, login: str | None, anybody: str | None) -> Powers:
    """The powers of a user or a guest (None); `anybody` is the login of a stand-in for
    somebody signed in, to compare with."""
    data = engine.data
    belonging = engine.reference_for(login).belonging
    whos = belonging.whos(belonging.acting(login))
    ways = belonging.ways(login).values() if login is not None else ()
    in_force = [each for each in data.given if each.period.holds(engine.at)]
    reaching = [each for each in in_force if not whos.isdisjoint(each.to)]
    whos |= {Who("role", each.role) for each in reaching}
    given = tuple(each for each in reaching if not is_pictured(each))
    actions = [action for action in data.item_actions if action not in NEED_MORE]
    may = {action: tuple(paths_for(engine, login, action)) for action in actions}
    common = {action: set(paths_for(engine, anybody, action)) for action in actions}
    beyond = {
        action: tuple(path for path in paths if path not in common[action])
        for action, paths in may.items()
    }
    filings = engine.beside(Filings)
    filed = dict(filings.under_each(login, may["edit"]))
    alike = (path for path in may["edit"] if path in common["edit"])
    by_anybody = dict(filings.under_each(anybody, alike))
    more = Without()
    filed_beyond = {path: more.of(some, by_anybody.get(path, ())) for path, some in filed.items()}
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
        files=_by_categories(filed),
        files_beyond=_by_categories(filed_beyond),
        manages=_managed(engine, login),
        later=tuple(_later(engine, belonging, login, whos)),
    )


def _by_categories(
    filed: Mapping[str, Sequence[str]],
) -> Mapping[tuple[str, ...], tuple[str, ...]]:
    """The items that can be filed under the same categories, if under any."""
    together: dict[int, tuple[Sequence[str], list[str]]] = {}
    for path, categories in filed.items():
        together.setdefault(id(categories), (categories, []))[1].append(path)
    found: dict[tuple[str, ...], tuple[str, ...]] = {}
    for categories, paths in together.values():
        key = tuple(categories)
        found[key] = (*found.get(key, ()), *paths)
    return {categories: paths for categories, paths in found.items() if categories}


def _managed(engine: Engine, login: str | None) -> Mapping[str, tuple[str, ...]]:
    """By action, the places where somebody may manage."""
    found: dict[str, tuple[str, ...]] = {}
    for action in MANAGING_ACTIONS:
        if engine.may_manage(login, action, SITE):
            found[action] = ("site",)
        elif action not in SITE_WIDE_ACTIONS:
            spots = managing_spots(engine.data, SITE)
            at = tuple(str(each) for each in spots if engine.may_manage(login, action, each))
            if at:
                found[action] = at
    whos = engine.reference_for(login).belonging.whos(engine.acting(login))
    groups = sorted(looked_after(by_steward(engine.data), whos))
    return {**found, LOOK_AFTER: tuple(f"group:{e}" for e in groups)} if groups else found


def managing_spots(data: SiteData, where: Place) -> list[Place]:
    """A place, and those below it of which some word speaks: in between all is decided alike."""
    words = [each.place for each in data.rules]
    words += [each for given in data.given for each in given.within_any]
    if where.kind == "site":
        below = {each.name for each in words if each.kind != "site"}
    else:
        same = (each.name for each in words if each.kind == where.kind)
        below = {name for name in same if is_above(where.name, name)}
    return [where, *map(place, sorted(below))]


def _later(
    engine: Engine, belonging: Belonging, login: str | None, whos: AbstractSet[Who]
) -> Iterator[Way | Given | Rule]:
    """What will reach somebody on a later day."""
    at = engine.at
    if login is not None:
        for ways in belonging.ways_at_other_times(login).values():
            yield from (w for w in ways if w.period.since is not None and w.period.since > at)
    words: list[Given | Rule] = [*engine.data.given, *engine.data.rules]
    for word in words:
        since = word.period.since
        if since is not None and since > at and not whos.isdisjoint(word.to):
            yield word
