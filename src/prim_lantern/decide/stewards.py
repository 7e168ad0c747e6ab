"""Who looks after the members of a group: its stewards."""

from __future__ import annotations

from collections.abc import Mapping
from collections.abc import Set as AbstractSet
from typing import Final

from prim_lantern.site.data import SiteData
from prim_lantern.site.who import Who

LOOK_AFTER: Final = "look after"
"""What a steward may do, where it is told among actions; no action can be called so."""


def by_steward(data: SiteData) -> Mapping[Who, AbstractSet[str]]:
    """The groups that each steward looks after."""
    found: dict[Who, set[str]] = {}
    for name, group in data.groups.items():
        for who in group.stewards:
            found.setdefault(who, set()).add(name)
    return found


def looked_after(groups: Mapping[Who, AbstractSet[str]], whos: AbstractSet[Who]) -> set[str]:
    """Of the groups of `by_steward` those that somebody looks after who is all of these."""
    return {each for who in groups.keys() & whos for each in groups[who]}
