"""A login, or a path, looks like another, or holds what cannot be seen.

Whoever gives somebody a right could give it to another, or at another place: by a letter of a
different alphabet, or a blank of no width. Look whose each is before you use either; `user rename`
and `item move` give another name.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from prim_lantern.decide.explain.words import listed
from prim_lantern.insight.finding import MISTAKE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.look_alikes import looks_of, odd_letter, unseen_in

NAME = "look-alikes"


def find(look: Look) -> Iterator[Finding]:
    """All logins, and all paths, that look the same, and each that holds what cannot be seen."""
    users, items = look.data.users, look.data.items
    for logins in _misleading(look.data.people.names):
        people = [users[login] for login in logins]
        told = [_told(user.login, user.called) for user in people]
        where = written(user.origin for user in people)
        yield Finding(NAME, MISTAKE, _says("login", told), where, {"people": len(told)})
    for paths in _misleading(look.data.content.names):
        told = [_told(path, "") for path in paths]
        where = written(items[path].origin for path in paths)
        yield Finding(NAME, MISTAKE, _says("path", told), where, {"items": len(told)})


def _misleading(names: Sequence[str]) -> Iterator[list[str]]:
    alike: dict[str, list[str]] = {looks_of(name): [] for name in names if not name.isascii()}
    for name in names if alike else ():  # plain ones alone mislead nobody
        some = alike.get(looks_of(name))
        if some is not None:
            some.append(name)
    for some in alike.values():
        if len(some) > 1 or unseen_in("".join(some)):
            yield some


def _told(name: str, called: str) -> str:
    more = "; ".join(filter(None, (called, odd_letter(name))))
    return f"{name} ({more})" if more else name


def _says(what: str, told: list[str]) -> str:
    if len(told) == 1:
        return f"The {what} {told[0]} holds what cannot be seen."
    return f"The {what}s {listed(told)} look the same."
