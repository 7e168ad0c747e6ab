"""A rule, a given role or a membership whose period has ended is still on record.

It does nothing any more. Enrolments are kept on purpose, as a record, and are not told.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.change.operations.groups import RemoveMembers
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import NOTE, Finding
from prim_lantern.insight.fixes import remove_rule, take_back_only
from prim_lantern.insight.look import Look, written

NAME = "over"


def find(look: Look) -> Iterator[Finding]:
    """Each of them."""
    data = look.data
    for rule in data.rules:
        if rule.period.until is not None and rule.period.until <= look.at:
            text = words.rule(data, rule)
            fix = look.tried(remove_rule(data, rule))
            yield Finding(NAME, NOTE, f"{text}: it is over.", written([rule.origin]), fix=fix)
    for given in data.given:
        if given.period.until is not None and given.period.until <= look.at:
            text = words.given_name(data, given).rstrip(",")
            fix = look.tried(*take_back_only(data, look.at, given))
            yield Finding(NAME, NOTE, f"{text}: it is over.", written([given.origin]), fix=fix)
    for login, user in data.users.items():
        for each in user.memberships:
            if each.period.until is not None and each.period.until <= look.at:
                group = data.groups[each.group]
                removal = RemoveMembers(each.group, (login,))  # takes out all that are by hand
                ways = [one for one in user.memberships if one.group == each.group]
                alone = len(ways) == 1 and login not in group.members
                yield Finding(
                    NAME,
                    NOTE,
                    f"{user.called}'s membership of group {group.called} is over.",
                    written([user.origin]),
                    {"people": 1},
                    look.tried(removal) if alone else (),
                )
