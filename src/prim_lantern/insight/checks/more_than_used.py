"""Somebody has a role by name that nothing they have a hand in needs.

What they wrote or changed they could write and change without it, by what else they have. It may be
left from a task that is done. What it gives them beyond is told.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.fixes import take_back_only
from prim_lantern.insight.look import Look, written
from prim_lantern.insight.use import beyond, but, enough_for, hands_at
from prim_lantern.values import replace

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
            hands = hands_at(engine, who.name, given)
            without = engine.after(data.with_parts(given=but(data.given, given, who)), look.at)
            if not hands or not enough_for(hands, who.name, engine, without):
                continue
            more = beyond(look, without, who.name, given)
            if more:
                name = data.users[who.name].called
                role = words.given_name(data, replace(given, to=(who,))).rstrip(",")
                yield Finding(
                    NAME,
                    NOTE,
                    f"{role}: nothing that {name} wrote or changed there needs it "
                    f"({words.some(hands, 2)}). It lets them {words.listed(more)} as well.",
                    written([given.origin]),
                    {"people": 1},
                    look.tried(*take_back_only(data, look.at, given, [who])),
                )
