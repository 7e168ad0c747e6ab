"""Two roles, or two groups, are the same but for a little.

One of them may be a slip of the other, or left from before.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import combinations

from prim_lantern.decide.abilities import abilities, beyond
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look, written

NAME = "nearly-the-same"
_MEMBERS = 5  # of a group, before one more or less is little
_ROLES = 200


def find(look: Look) -> Iterator[Finding]:
    """Each pair of roles that differ in one line, and of groups that differ in one person."""
    data = look.data
    roles = [name for name, each in data.roles.items() if not each.all_access][:_ROLES]
    able = {name: abilities(data, name) for name in roles}
    for one, other in combinations(roles, 2):
        shared = able[one] & able[other]
        size = max(len(able[one]), len(able[other]))
        if able[one] == able[other] or len(shared) * 10 < size * 9:
            continue
        more, less = beyond(data, one, other), beyond(data, other, one)
        if len(more) + len(less) != 1:
            continue
        bigger, smaller = (one, other) if more else (other, one)
        yield Finding(
            NAME,
            NOTE,
            f"The roles {data.roles[one].called} and {data.roles[other].called} differ in one "
            f"thing: {data.roles[bigger].called} can {(more or less)[0]}, and "
            f"{data.roles[smaller].called} cannot.",
            written([data.roles[one].origin, data.roles[other].origin]),
        )
    yield from _groups(look)


def _groups(look: Look) -> Iterator[Finding]:
    data, members = look.data, look.members
    big = [name for name, some in members.items() if len(some) >= _MEMBERS]
    for one, other in combinations(big, 2):
        if abs(len(members[one]) - len(members[other])) != 1:
            continue
        apart = members[one] ^ members[other]
        nested = other in data.groups[one].counts_in or one in data.groups[other].counts_in
        if len(apart) == 1 and not nested:
            called = words.person(data, next(iter(apart)))
            yield Finding(
                NAME,
                NOTE,
                f"The groups {data.groups[one].called} and {data.groups[other].called} differ in "
                f"one member: {called}.",
                written([data.groups[one].origin, data.groups[other].origin]),
                {"people": max(len(members[one]), len(members[other]))},
            )
