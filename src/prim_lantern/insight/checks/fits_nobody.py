"""A condition of a group, or a role elsewhere that it takes in, fits nobody.

Mostly a word is written otherwise than in the list of people. The nearest values that occur are
named.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.names import folded, nearest
from prim_lantern.site.people import Test

NAME = "fits-nobody"


def find(look: Look) -> Iterator[Finding]:
    """Each row of a condition that fits nobody on record, and each role elsewhere nobody has."""
    data = look.data
    has = {folded(each) for some in data.people.values_of("roles_elsewhere") for each in some}
    for group in data.groups.values():
        origin = group.origin.of("when") if group.origin else None
        for row in group.when:
            if any(all(test.fits(user) for test in row) for user in data.users.values()):
                continue
            hints = [hint for test in row for hint in _hints(look, test)]
            near = f" Nearest: {words.listed(hints)}." if hints else ""
            tests = " and ".join(map(str, row))
            yield Finding(
                NAME,
                MISTAKE,
                f"Group {group.called} takes in whoever fits “{tests}”, and nobody does.{near}",
                written([origin]),
            )
        for role in group.mapped_from:
            if folded(role) not in has:
                hints = list(nearest(role, has))
                near = f" Nearest: {words.listed(hints)}." if hints else ""
                yield Finding(
                    NAME,
                    NOTE,
                    f"Group {group.called} takes in whoever has {role} elsewhere, and nobody "
                    f"has.{near}",
                    written([group.origin.of("mapped_from") if group.origin else None]),
                )


def _hints(look: Look, test: Test) -> Iterator[str]:
    """Values that occur and are near to what a test wants, where nobody passes it."""
    users = look.data.users.values()
    if any(test.fits(user) for user in users):
        return
    values = {
        value.strip()
        for user in users
        for value in user.value_of(test.attribute).split(";")
        if value
    }
    for wanted in test.values:
        yield from (f"{test.attribute} “{each}”" for each in nearest(wanted, sorted(values), 1))
