"""A role that is given to nobody, a group that nothing speaks of, a readership that stands nowhere.

It does nothing as it is. It may wait for its use, or be left from before. While nobody but the
owner is there, nothing is told.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.groups import RemoveGroup
from prim_lantern.change.operations.readerships import RemoveReadership
from prim_lantern.change.operations.roles import RemoveRole
from prim_lantern.decide.belonging import upper_groups
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Origin
from prim_lantern.site.who import Who

NAME = "used-nowhere"


def find(look: Look) -> Iterator[Finding]:
    """Each of them."""
    data = look.data
    if not look.active:
        return
    whos = set(_spoken_of(data))
    given = {each.role for each in data.given}
    given |= {name for each in data.roles.values() for name in each.includes}
    for name, role in data.roles.items():
        if name not in given and Who("role", name) not in whos:
            says = f"The role {role.called} is given to nobody, and no other is built on it."
            yield _found(look, says, role.origin, RemoveRole(name))
    for name, group in data.groups.items():
        if not any(Who("group", upper) in whos for upper in upper_groups(data, name)):
            says = f"Nothing speaks of the group {group.called}, nor of one that it counts in."
            yield _found(look, says, group.origin, RemoveGroup(name))
    standing = {each.readership for each in data.readerships_at.values()}
    for name, readership in data.readerships.items():
        if name not in standing and name != data.default_readership:
            says = f"The readership {readership.called} stands nowhere."
            yield _found(look, says, readership.origin, RemoveReadership(name))


def _spoken_of(data: SiteData) -> Iterator[Who]:
    """All of whom any word, readership, promise or group speaks."""
    for rule in data.rules:
        yield from rule.to
    for given in data.given:
        yield from given.to
    for each in data.readerships.values():
        yield from (*each.readers, *each.all_of, *each.but_not)
    for promise in data.promises:
        yield from promise.who
    for group in data.groups.values():
        yield from group.stewards


def _found(look: Look, says: str, origin: Origin | None, removal: Operation) -> Finding:
    return Finding(NAME, NOTE, says, written([origin]), fix=look.tried(removal))
