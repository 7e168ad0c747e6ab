"""What can be decided otherwise when something changes by itself: at what begins, ends or becomes
public then, and for whoever comes into a group or leaves it.

Two sites that decided alike before need to be compared there alone.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from datetime import datetime
from itertools import product
from typing import NamedTuple

from prim_lantern.change.effects.creating_and_managing import FOR_CREATING
from prim_lantern.change.effects.effects import Effects
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.differences import differences
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.insight.nearby import Spot, clauses_of, places_of
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, category_and_above
from prim_lantern.site.rights import Given, Rule

_MOST = 20_000  # pairs of a person and an item or a category that are asked about one by one

_FOR_FILING = frozenset({"file-under"})

Asker = str | None


class Turn(NamedTuple):
    """What may be decided otherwise after a moment: items, what is created in some categories and
    what is filed in some, for everybody; and what some people may."""

    paths: frozenset[str]
    created_in: frozenset[str]
    filed_in: frozenset[str]
    logins: frozenset[str]


def turn_between(data: SiteData, then: datetime, engine: Engine) -> Turn | None:
    """What turned on a site since a moment, by the engine that decides after it; None where it may
    be anything."""
    differs = differences(data, then, data, engine.at)
    words: list[Rule | Given] = [*data.rules, *data.given]
    turned = [each for each in words if _between(then, each.period, engine.at)]
    given = {each.role for each in turned if isinstance(each, Given)}
    spots = {place.spot for each in turned for place in places_of(each)}
    if differs is None or SITE.spot in spots or not given.isdisjoint(engine.rights.levels_of_roles):
        return None
    names, links = data.content.names, engine.links.items()
    paths = {names[row] for row in differs.rows}
    for kind, name in spots:
        paths.update((name, *data.tree.below(name)) if kind == "path" else ())
    categories = _categories(data, turned)
    if categories:
        filed = enumerate(data.content.values_of("categories"))
        rows = {row for row, under in filed if not categories.isdisjoint(under)}
        rows |= {part for part, page in data.pages.items() if page in rows}
        paths.update(map(names.__getitem__, rows))
    paths &= data.content.index.keys()
    while leading := {names[row] for row, to in links if to in paths} - paths:
        paths |= leading
    logins = {each for each in differs.people if _turns(engine, each, then)}
    about = {
        id(word): {action for each in clauses_of(data, word) for action in each.actions}
        for word in turned
    }
    created, filed_in = (
        _categories(data, [each for each in turned if not actions.isdisjoint(about[id(each)])])
        for actions in (FOR_CREATING, _FOR_FILING)
    )
    return Turn(frozenset(paths), created, filed_in, frozenset(logins))


def _categories(data: SiteData, some: Iterable[Rule | Given]) -> frozenset[str]:
    """The categories at which some words stand, and those below."""
    names = {each.name for word in some for each in places_of(word) if each.kind == "category"}
    every = data.categories if names else ()
    return frozenset(each for each in every if not names.isdisjoint(category_and_above(each)))


def differ_at(turn: Turn | None, one: Engine, other: Engine) -> bool:
    """Whether two engines of one moment decide something otherwise, that are known to decide alike
    but for what turned."""
    data = one.data
    people: list[Asker] = [None, *(login for login in data.users if one.acting(login))]
    if turn is not None:
        sections = list(data.tree.sections())
        elsewhere = len(sections) * len(turn.created_in) + len(data.content) * len(turn.filed_in)
        asked = len(people) * (len(turn.paths) + elsewhere)
        asked += len(turn.logins) * len(data.content)
        if asked <= _MOST:
            everywhere = product(turn.logins, data.content.names)
            return (
                _items_differ(one, other, product(people, turn.paths))
                or _items_differ(one, other, everywhere)
                or _created_differs(one, other, product(people, sections), turn.created_in)
                or _filed_differs(one, other, product(people, data.content.names, turn.filed_in))
                or _managed_differs(one, other, people)
            )
    return bool(Effects(one, other))


def _items_differ(one: Engine, other: Engine, asked: Iterable[tuple[Asker, str]]) -> bool:
    """Whether anything is decided otherwise about some people and items, where they may file them,
    or what they may create right below."""
    actions = [each for each in one.data.item_actions if each not in NEED_MORE]
    filings = one.beside(Filings), other.beside(Filings)
    for login, path in asked:
        if any(one.allows(login, e, path) != other.allows(login, e, path) for e in actions):
            return True
        if filings[0].under(login, path) != filings[1].under(login, path):
            return True
        if [*offers_below(one, login, path)] != [*offers_below(other, login, path)]:
            return True
    return False


def _created_differs(
    one: Engine, other: Engine, asked: Iterable[tuple[Asker, str]], categories: Iterable[str]
) -> bool:
    """Whether something new that is filed in some categories can be created otherwise."""
    takes = [(kind, e) for kind in one.data.all_kinds.values() for e in categories if kind.takes(e)]
    return any(
        one.may_create(login, kind.name, parent, (each,))
        != other.may_create(login, kind.name, parent, (each,))
        for (login, parent), (kind, each) in product(asked, takes)
    )


def _filed_differs(one: Engine, other: Engine, asked: Iterable[tuple[Asker, str, str]]) -> bool:
    """Whether some people can file some items otherwise in some categories."""
    return any(one.may_file(*each) != other.may_file(*each) for each in asked)


def _managed_differs(one: Engine, other: Engine, people: Iterable[Asker]) -> bool:
    """Whether any place at which something is said of managing is managed otherwise."""
    return any(
        one.may_manage(login, action, Place(*spot)) != other.may_manage(login, action, Place(*spot))
        for spot in {*_managed(one), *_managed(other)}
        for login, action in product(people, MANAGING_ACTIONS)
        if spot == SITE.spot or action not in SITE_WIDE_ACTIONS
    )


def _managed(engine: Engine) -> Iterator[Spot]:
    for spot in engine.rights.spots():
        said = any(engine.rights.at(spot, action) for action in MANAGING_ACTIONS)
        if said or engine.rights.all_access.get(spot):
            yield spot


def _between(then: datetime, moments: Iterable[datetime | None], at: datetime) -> bool:
    return any(each is not None and then < each <= at for each in moments)


def _turns(engine: Engine, login: str, then: datetime) -> bool:
    turns = engine.crowd.turns_of(login)
    return _between(then, turns, engine.at)
