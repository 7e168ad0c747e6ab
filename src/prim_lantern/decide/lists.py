"""Many decisions at once, whatever the size of the site.

Short lists are asked one by one: that is quick enough, and needs no arrays.
"""

from __future__ import annotations

from collections.abc import Sequence
from itertools import accumulate
from typing import TYPE_CHECKING, Final

from prim_lantern.decide.engine import Engine

if TYPE_CHECKING:
    from prim_lantern.decide.engine.lists import Lists

_SHORT: Final = 2_000


def lists_of(engine: Engine) -> Lists:
    """What an engine says of everything at once; it loads NumPy."""
    from prim_lantern.decide.engine.lists import Lists

    return engine.beside(Lists)


def paths_for(engine: Engine, login: str | None, action: str) -> list[str]:
    """The paths of the items to which somebody may do this, in tree order."""
    tree = engine.data.tree
    if len(tree) <= _SHORT:
        return [path for path in tree if engine.allows(login, action, path)]
    lists = lists_of(engine)
    return lists.paths(lists.items_for(login, action))


def pages_before(engine: Engine, login: str | None, action: str) -> Sequence[int]:
    """By place in tree order, how many items before it somebody may do this to; parts aside. It
    ends with how many there are in all."""
    data = engine.data
    if len(data.tree) <= _SHORT:
        allowed = (
            not data.is_part(path) and engine.allows(login, action, path) for path in data.tree
        )
        return [*accumulate(allowed, initial=0)]
    lists = lists_of(engine)
    return lists.pages_before(lists.items_for(login, action))


def who_may(engine: Engine, action: str, path: str) -> list[str]:
    """The logins of the active users who may do this to an item, sorted."""
    users = engine.data.users
    if len(users) <= _SHORT:
        active = (login for login in users if engine.acting(login) is not None)
        return sorted(login for login in active if engine.allows(login, action, path))
    return lists_of(engine).who_may(action, path)
