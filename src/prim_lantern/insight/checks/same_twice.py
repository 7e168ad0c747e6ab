"""Two roles allow the same, or two groups have the same members.

Who changes one will forget the other.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from prim_lantern.decide.clauses import rows_of
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look, written

NAME = "same-twice"


def find(look: Look) -> Iterator[Finding]:
    """Each pair of roles, and of groups of at least two people."""
    data = look.data
    rows = {
        name: frozenset(row for _, row in rows_of(data, name))
        for name, role in data.roles.items()
        if not role.all_access
    }
    for one, other in combinations(rows, 2):
        if rows[one] and rows[one] == rows[other]:
            called, again = data.roles[one], data.roles[other]
            yield Finding(
                NAME,
                NOTE,
                f"The roles {called.called} and {again.called} allow the same.",
                written([called.origin, again.origin]),
            )
    members = look.members
    for first, second in combinations(members, 2):
        if len(members[first]) > 1 and members[first] == members[second]:
            group, twin = data.groups[first], data.groups[second]
            nested = second in group.counts_in or first in twin.counts_in
            if not nested:
                yield Finding(
                    NAME,
                    NOTE,
                    f"The groups {group.called} and {twin.called} have the same "
                    f"{len(members[first])} members.",
                    written([group.origin, twin.origin]),
                    {"people": len(members[first])},
                )
