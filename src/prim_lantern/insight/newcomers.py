"""People and items as they may come: nobody is in a group yet, nothing stands in a section yet, and
what is said of them decides all the same."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import product
from typing import Final

from prim_lantern.site.content import DRAFT, IN_REVIEW, PUBLISHED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership, User
from prim_lantern.site.places import Place
from prim_lantern.site.who import Who

_NEW: Final = "\0"  # begins what no login and no path can be
_STATES: Final = (DRAFT, IN_REVIEW, PUBLISHED)


def newcomers(whos: Iterable[Who]) -> list[User]:
    """Somebody new in each group among some whos, and somebody new in none."""
    groups = sorted({who.name for who in whos if who.kind == "group"})
    people = [User(_NEW, "Somebody new")]
    return people + [
        User(f"{_NEW}{g}", "Somebody new", memberships=(Membership(g),)) for g in groups
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
