"""A rule, a given role or a readership names somebody who is not active.

Suspended and invited people have it again when they come back, which may be meant; a byline is a
name without an account, and cannot use it.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import ACTIVE, BYLINE
from prim_lantern.site.who import Who

NAME = "named-but-gone"


def find(look: Look) -> Iterator[Finding]:
    """Each person who is not active, with all words that name them."""
    data = look.data
    found: dict[str, list[tuple[str, Origin | None]]] = {}
    for whos, says, origin in _words(data):
        for who in whos:
            if who.kind == "user" and data.users[who.name].status != ACTIVE:
                found.setdefault(who.name, []).append((says, origin))
    for login, some in found.items():
        user = data.users[login]
        yield Finding(
            NAME,
            MISTAKE if user.status == BYLINE else NOTE,
            f"{user.called} is {_is(user.status)}, and named by "
            f"{words.listed(says for says, _ in some)}.",
            written(origin for _, origin in some),
            {"people": 1},
        )


def _words(data: SiteData) -> Iterator[tuple[tuple[Who, ...], str, Origin | None]]:
    for rule in data.rules:
        called = f"the rule {rule.id}" if rule.id else f"a rule {words.where(rule.place)}"
        yield rule.to, called, rule.origin
    for given in data.given:
        yield given.to, f"the given role {data.roles[given.role].called}", given.origin
    for each in data.readerships.values():
        yield (*each.readers, *each.all_of), f"the readership {each.called}", each.origin


def _is(status: str) -> str:
    return "a byline without an account" if status == BYLINE else status
