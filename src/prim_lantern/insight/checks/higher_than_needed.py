"""Somebody has a role by name, and for all that they have a hand in the next lower one would do.

What they wrote or changed they could write and change by that as well. What it would take away is
told: they may need it for what they have not done yet.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache, partial

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.rights import Give
from prim_lantern.decide.abilities import next_lower
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.fixes import take_back_only
from prim_lantern.insight.look import Look, written
from prim_lantern.insight.use import beyond, but, enough_for, hands_at
from prim_lantern.site.rights import Given
from prim_lantern.values import replace

NAME = "higher-than-needed"
_ENOUGH = 3  # items that show what somebody does


def find(look: Look) -> Iterator[Finding]:
    """Each role given to an active person by name, of those who need it in part."""
    data, engine = look.data, look.engine
    lower_than = cache(partial(next_lower, data))
    for given in data.given:
        if not given.period.holds(look.at) or data.roles[given.role].all_access:
            continue
        lower = lower_than(given.role)
        for who in given.to:
            if lower is None or who.kind != "user" or who.name not in look.active:
                continue
            hands = hands_at(engine, who.name, given)
            if len(hands) < _ENOUGH:
                continue
            without, with_lower = (
                engine.after(data.with_parts(given=but(data.given, given, who, role)), look.at)
                for role in (None, lower)
            )
            if enough_for(hands, who.name, engine, without) or not enough_for(
                hands, who.name, engine, with_lower
            ):
                continue  # they need none of it, or all
            less = beyond(look, with_lower, who.name, given)
            if less:
                one = replace(given, to=(who,))
                role = words.given_name(data, one).rstrip(",")
                back = take_back_only(data, look.at, given, [who])
                yield Finding(
                    NAME,
                    NOTE,
                    f"{role}: for what {data.users[who.name].called} wrote or changed there "
                    f"({words.some(hands, 2)}) the next lower role, {data.roles[lower].called}, "
                    f"would do. It would take away: {words.listed(less)}.",
                    written([given.origin]),
                    {"people": 1},
                    look.tried(_give(one, lower), *back) if back else (),
                )


def _give(given: Given, role: str) -> Operation:
    within = tuple(each.name for each in given.within_any if each.kind != "site")
    since, until = given.period
    return Give(role, tuple(map(str, given.to)), within, since, until)
