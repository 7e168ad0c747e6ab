"""Somebody could break a promise, or come to much, by steps that they are free to make.

Whoever may manage people can add an account of their own to any group that has not all access.
'could-gain' tells step by step what that comes to.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.gaining.could_gain import could_gain
from prim_lantern.insight.look import Look
from prim_lantern.site.places import SITE

NAME = "could-break-promises"
_PEOPLE = 5  # of each kind who are looked at


def find(look: Look) -> Iterator[Finding]:
    """Each of them, of those who look after groups or manage people."""
    data, engine = look.data, look.engine
    managers = [e for e in look.active if engine.may_manage(e, "manage-people", SITE)]
    stewards = {who for each in data.groups.values() for who in each.stewards}
    some = look.among(stewards)
    looking_after = [each for each in look.active if each in some and each not in managers]
    left = len(managers[_PEOPLE:]) + len(looking_after[_PEOPLE:])
    if left:
        others = "1 more person manages" if left == 1 else f"{left:,} more people manage"
        yield Finding(
            NAME,
            NOTE,
            f"{others} people or groups; only {_PEOPLE} of each were looked at. 'could-gain WHO' "
            "tells of the others.",
            touches={"people": left},
        )
    for login in (*managers[:_PEOPLE], *looking_after[:_PEOPLE]):
        chains = could_gain(engine, login)
        called = data.users[login].called
        broken = dict.fromkeys(each for chain in chains for each in chain.breaks)
        if broken:
            yield Finding(
                NAME,
                MISTAKE,
                f"{called} could break {'promises' if len(broken) > 1 else 'a promise'} by steps "
                f"that they may make: {words.listed(broken)}. 'could-gain {login}' tells how.",
                touches={"people": 1},
            )
        elif login in managers and chains:
            yield Finding(
                NAME,
                NOTE,
                f"{called} may manage people, and could come to what any group without all access "
                f"gives, by an account of their own. 'could-gain {login}' tells what that is.",
                touches={"people": 1},
            )
