"""Somebody has a role by name that nothing they have a hand in needs.

What they wrote or changed they could write and change without it, by what else they have. It may be
left from a task that is done. What it gives them beyond is told.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import replace

from prim_lantern.decide.clauses import rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.lists import paths_for
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.fixes import take_back
from prim_lantern.insight.look import Look, written
from prim_lantern.site.rights import Given
from prim_lantern.site.who import Who

NAME = "more-than-used"


def find(look: Look) -> Iterator[Finding]:
    """Each role given to an active person by name, of those who have a hand in something there."""
    data, engine = look.data, look.engine
    for given in data.given:
        if not given.period.holds(look.at) or data.roles[given.role].all_access:
            continue
        for who in given.to:
            if who.kind != "user" or who.name not in look.active:
                continue
            hands = _hands(engine, who.name, given)
            without = engine.after(data.with_parts(given=_but(data.given, given, who)), look.at)
            if not hands or any(
                engine.allows(who.name, "edit", path) and not without.allows(who.name, "edit", path)
                for path in hands
            ):
                continue
            beyond = _beyond(look, without, who.name, given)
            if beyond:
                name = data.users[who.name].called
                role = words.given_name(data, replace(given, to=(who,))).rstrip(",")
                yield Finding(
                    NAME,
                    NOTE,
                    f"{role}: nothing that {name} wrote or changed there needs it "
                    f"({words.some(hands, 2)}). It lets them {words.listed(beyond)} as well.",
                    written([given.origin]),
                    {"people": 1},
                    look.tried(take_back(replace(given, to=(who,)))),
                )


def _hands(engine: Engine, login: str, given: Given) -> list[str]:
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


def _beyond(look: Look, without: Engine, login: str, given: Given) -> list[str]:
    """The actions that somebody would lose with a given role, and at how many items."""
    actions = {each for _, row in rows_of(look.data, given.role) for each in (*row.can, *row.own)}
    if "all" in actions:
        actions = set(look.data.item_actions)
    found = []
    for action in look.data.item_actions:
        if action in actions and action not in ("create", "file-under"):
            had = set(paths_for(look.engine, login, action))
            left = set(paths_for(without, login, action))
            if had - left:
                found.append(f"{action} {len(had - left)} item{'s' if len(had - left) > 1 else ''}")
    return found


def _but(some: Sequence[Given], one: Given, who: Who) -> tuple[Given, ...]:
    """The given roles, one of them not to somebody any more."""
    left = tuple(each for each in one.to if each != who)
    fewer = (replace(one, to=left),) if left else ()
    return tuple(kept for each in some for kept in (fewer if each is one else (each,)))
