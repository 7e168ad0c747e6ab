"""What roles are able to do, compared: from least to most, and what one adds over another."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from prim_lantern.decide.clauses import actions_named, rows_of
from prim_lantern.site.actions import MANAGING_ACTIONS, brought_by
from prim_lantern.site.content import STATES
from prim_lantern.site.data import SiteData


class Ability(NamedTuple):
    """One action on one kind of item in one state: anybody's, or just one's own."""

    action: str
    kind: str
    state: str
    own: bool


def abilities(data: SiteData, role: str) -> frozenset[Ability]:
    """All that a role is able to do, what it brings along included; for all-access, everything.

    Whoever may do something to anybody's items may do it to their own.
    """
    if data.roles[role].all_access:
        every = (*data.item_actions, *MANAGING_ACTIONS)
        return frozenset(
            Ability(action, kind, state, own)
            for action in every
            for kind in data.all_kinds
            for state in STATES
            for own in (False, True)
        )
    found: set[Ability] = set()
    for _, row in rows_of(data, role):
        for named, whose in ((row.can, (False, True)), (row.own, (True,))):
            for action in actions_named(data, named):
                brought = brought_by(action, data.actions)
                for each in (action, *brought):
                    every_state = not row.in_state or (each == "read" and each in brought)
                    found.update(
                        Ability(each, kind, state, own)
                        for kind in row.kinds or data.all_kinds
                        for state in (STATES if every_state else row.in_state)
                        for own in whose
                    )
    return frozenset(found)


def from_least_to_most(data: SiteData) -> list[str]:
    """The names of all roles, from the least able to the most; one that is built on another, or
    can do all that it can, comes after it."""
    sizes = {name: len(abilities(data, name)) for name in data.roles}
    return sorted(data.roles, key=lambda name: (data.roles[name].all_access, sizes[name], name))


def next_lower(data: SiteData, role: str) -> str | None:
    """The most able of the roles that can do less than this one, and nothing that it cannot."""
    this = abilities(data, role)
    lower = [name for name in from_least_to_most(data) if abilities(data, name) < this]
    return lower[-1] if lower else None


def beyond(data: SiteData, role: str, other: str | None) -> list[str]:
    """What one role can do that another cannot, a line for each action: "edit: post, draft"."""
    more = abilities(data, role) - (abilities(data, other) if other is not None else frozenset())
    by_action: dict[str, set[Ability]] = {}
    for each in more:
        by_action.setdefault(each.action, set()).add(each)
    order = [*data.item_actions, *MANAGING_ACTIONS]
    return [
        f"{action}: {_on(data, by_action[action])}" for action in sorted(by_action, key=order.index)
    ]


def _on(data: SiteData, some: Iterable[Ability]) -> str:
    """On what: kinds of which the same holds together, anybody's apart from one's own."""
    some = set(some)
    alike: dict[tuple[bool, tuple[str, ...]], list[str]] = {}
    for kind in data.all_kinds:
        of_it = [each for each in some if each.kind == kind]
        anybodys = tuple(s for s in STATES if any(e.state == s and not e.own for e in of_it))
        own = tuple(s for s in STATES if any(e.state == s for e in of_it) and s not in anybodys)
        if anybodys:
            alike.setdefault((False, anybodys), []).append(kind)
        if own:
            alike.setdefault((True, own), []).append(kind)
    return "; ".join(_told(data, kinds, states, own=own) for (own, states), kinds in alike.items())


def _told(data: SiteData, kinds: list[str], states: tuple[str, ...], *, own: bool) -> str:
    what = "anything" if len(kinds) == len(data.all_kinds) else ", ".join(kinds)
    whose = " of one's own" if own else ""
    while_ = "" if len(states) == len(STATES) else f" while {' or '.join(states)}"
    return f"{what}{whose}{while_}"
