"""People and groups that go, with every word that speaks of them."""

from __future__ import annotations

from collections.abc import Collection, Iterable
from typing import Any

from prim_lantern.errors import BadChange
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.who import Who
from prim_lantern.values import replace


def without_whos(data: SiteData, gone: Collection[Who]) -> SiteData:
    """The site with every word about some whos taken out; words about nobody else go whole.

    Raises `BadChange` where a readership names one of them: somebody has to say who may view then.
    """
    for name, readership in data.readerships.items():
        for field in ("readers", "all_of", "but_not"):
            named = [who for who in getattr(readership, field) if who in gone]
            if named:
                raise BadChange(
                    f"The readership {name} names {row_of(named)} in {field}; change it first, so "
                    "that it is clear who may view."
                )
    return without_words(data, gone)


def without_words(data: SiteData, gone: Collection[Who]) -> SiteData:
    """The same, readerships aside."""
    parts = {
        "rules": _left(data.rules, "to", gone),
        "given": _left(data.given, "to", gone),
        "promises": _left(data.promises, "who", gone),
    }
    changed = {name: each for name, each in parts.items() if each != getattr(data, name)}
    return data.with_parts(**changed) if changed else data


def without_people(data: SiteData, logins: Collection[str]) -> SiteData:
    """The site without some users and all that is said of them, readerships aside: rules and given
    roles, lists of members and stewards, authors and who changed an item."""
    whos = {Who("user", login) for login in logins}
    data = without_words(data, whos)
    groups = {
        name: replace(
            each,
            members=tuple(member for member in each.members if member not in logins),
            stewards=tuple(steward for steward in each.stewards if steward not in whos),
        )
        if not whos.isdisjoint(each.stewards) or any(m in logins for m in each.members)
        else each
        for name, each in data.groups.items()
    }
    left = {name: each for name, each in data.invitations.items() if name not in logins}
    items = [_without_hands(data.content.at(row), logins) for row in sorted(_rows_by(data, logins))]
    return data.with_parts(
        groups=groups if groups != data.groups else data.groups,
        invitations=left if len(left) != len(data.invitations) else data.invitations,
        users=data.people.revised(gone=set(logins)),
        items=data.content.revised(items) if items else data.items,
    )


def _without_hands(item: Item, logins: Collection[str]) -> Item:
    authors = tuple(each for each in item.authors if each not in logins)
    changed_by = tuple(each for each in item.changed_by if each not in logins)
    return replace(item, authors=authors, changed_by=changed_by)


def _rows_by(data: SiteData, logins: Collection[str]) -> set[int]:
    """The rows of the items that some people wrote or changed."""
    return {
        row
        for column in ("authors", "changed_by")
        for row, hands in data.content.filled(column).items()
        if any(hand in logins for hand in hands)
    }


def _left(entries: tuple[Any, ...], field: str, gone: Collection[Who]) -> tuple[Any, ...]:
    found = []
    for each in entries:
        have = getattr(each, field)
        left = tuple(who for who in have if who not in gone)
        if left:
            found.append(each if left == have else replace(each, **{field: left}))
    return tuple(found)


def row_of(whos: Iterable[Who]) -> str:
    """Whos in a row."""
    return ", ".join(sorted(map(str, whos)))
