"""What people use of a role that is given to them: what they wrote or changed, and may edit."""

from __future__ import annotations

from collections.abc import Sequence

from prim_lantern.decide.clauses import rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import lists_of
from prim_lantern.insight.look import Look
from prim_lantern.site.rights import Given
from prim_lantern.site.who import Who
from prim_lantern.values import replace


def hands_at(engine: Engine, login: str, given: Given) -> list[str]:
    """What somebody wrote or changed at the places of a given role."""
    spots = {place.spot for place in given.within_any}
    found = []
    for path in sorted(engine.crowd.handiwork.of(login)):
        about = engine.subject(path)
        held = {("site", "site"), *(("path", each) for each in about.way)}
        held |= {("category", each) for each in about.categories}
        if spots & held:
            found.append(path)
    return found


def enough_for(paths: Sequence[str], login: str, engine: Engine, other: Engine) -> bool:
    """Whether somebody may still edit by another site what they may edit now."""
    return all(
        other.allows(login, "edit", path) for path in paths if engine.allows(login, "edit", path)
    )


def beyond(look: Look, without: Engine, login: str, given: Given) -> list[str]:
    """The actions that somebody would lose with a given role, and at how many items."""
    actions = {each for _, row in rows_of(look.data, given.role) for each in (*row.can, *row.own)}
    if "all" in actions:
        actions = set(look.data.item_actions)
    found = []
    for action in look.data.item_actions:
        if action in actions and action not in ("create", "file-under"):
            both = (look.engine, without)
            had, left = (lists_of(each).items_for(login, action) for each in both)
            lost = int((had & ~left).sum())
            if lost:
                found.append(f"{action} {lost} item{'s' if lost > 1 else ''}")
    return found


def but(
    some: Sequence[Given], one: Given, who: Who, instead: str | None = None
) -> tuple[Given, ...]:
    """The given roles, one of them not to somebody any more, who maybe has another `instead`."""
    left = tuple(each for each in one.to if each != who)
    now = [replace(one, to=left)] if left else []
    now += [replace(one, role=instead, to=(who,))] if instead is not None else []
    return tuple(kept for each in some for kept in (now if each is one else [each]))
