"""A group is looked after by people who are no longer active.

Its members can then be changed by those alone who manage people on the whole site.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, Finding
from prim_lantern.insight.look import Look, written

NAME = "stewards-gone"


def find(look: Look) -> Iterator[Finding]:
    """Each group with stewards, none of whom is active."""
    data, belonging = look.data, look.engine.crowd.belonging
    for group in data.groups.values():
        if not group.stewards:
            continue
        active = (*look.active, data.owner)
        if all(belonging.whos(login).isdisjoint(group.stewards) for login in active):
            called = words.listed(words.who(data, each) for each in group.stewards)
            yield Finding(
                NAME,
                MISTAKE,
                f"Group {group.called} is looked after by {called}, and nobody of them is active.",
                written([group.origin.of("stewards") if group.origin else None]),
            )
