"""People and items as they may come: nobody is in a group yet, nothing stands in a section yet, and
what is said of them decides all the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import product
from typing import Final

from prim_lantern.site.content import DRAFT, IN_REVIEW, PUBLISHED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership, StandIn, User
from prim_lantern.site.places import Place
from prim_lantern.site.who import Who

_NEW: Final = "\0"  # begins what no login and no path can be
_STATES: Final = (DRAFT, IN_REVIEW, PUBLISHED)


def newcomers(data: SiteData, whos: Iterable[Who]) -> list[User]:
    """Somebody new in each group among some whos, and somebody new in none; where groups take in
    whoever fits a condition, also somebody in each of whom nothing is known that would fit."""
    groups = ["", *sorted({who.name for who in whos if who.kind == "group"})]
    conditions = any(group.when for group in data.groups.values())
    sorts = (User, StandIn) if conditions else (User,)
    return [
        sort(f"{_NEW * number}{g}", "Somebody new", memberships=(Membership(g),) if g else ())
        for number, sort in enumerate(sorts, 1)
        for g in groups
    ]


def with_newcomers(data: SiteData, people: list[User], places: Iterable[Place]) -> SiteData:
    """A site with some people more, and with new items at some places: of every kind, in the states
    that differ, of one of them and of nobody."""
    items = list(_items(data, dict.fromkeys(places), [each.login for each in people]))
    return data.with_parts(users=data.people.revised(people), items=data.content.revised(items))


def _items(data: SiteData, places: Iterable[Place], logins: list[str]) -> Iterator[Item]:
    kinds = [each.name for each in data.all_kinds.values() if not each.part and each.name != "link"]
    sorts = product(places, kinds, _STATES, ((), tuple(logins)))
    for number, (where, kind, state, authors) in enumerate(sorts):
        above = where.name.rstrip("/") if where.kind == "path" else ""
        filed = (where.name,) if where.kind == "category" else ()
        path = f"{above}/{_NEW}{number}"
        yield Item(path, kind, "New", authors, state=state, categories=filed)
