"""A group that people come into by hand, or by signing up, has no steward.

Only those who manage all people can keep it in order then. Nothing is told where no group of the
site has a steward.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look, written

NAME = "looked-after-by-nobody"


def find(look: Look) -> Iterator[Finding]:
    """All such groups together."""
    data = look.data
    if not any(each.stewards for each in data.groups.values()):
        return
    by_hand = {group for each in data.people.values_of("memberships") for group, _ in each}
    by_hand |= {name for name, each in data.groups.items() if each.members}
    some = [
        each
        for name, each in data.groups.items()
        if not each.stewards and (name in by_hand or name in data.sign_up_groups)
    ]
    if some:
        are = "groups have" if len(some) > 1 else "group has"
        yield Finding(
            NAME,
            NOTE,
            f"{len(some)} {are} members put in by hand, and no steward: "
            f"{words.some([each.called for each in some])}.",
            written(each.origin for each in some),
            {"groups": len(some)},
        )
