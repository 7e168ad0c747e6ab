"""All access is given to a group, or to more than three people.

Whoever has all access may do everything there. A group takes in people by hand, by condition, by
a plan or a mapping; whoever looks after one of these then says who may do everything.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, SERIOUS, Finding
from prim_lantern.insight.fixes import take_back_only
from prim_lantern.insight.look import Look, written
from prim_lantern.site.places import SITE

NAME = "all-access"
_MANY = 3


def find(look: Look) -> Iterator[Finding]:
    """Each given role of the kind, and how many people have all access to the whole site."""
    data, engine = look.data, look.engine
    everywhere = set[str]()
    for spot, some in engine.rights.all_access.items():
        for access in some:
            groups = [who for who in access.given.to if who.kind != "user"]
            bits = engine.crowd.mask(groups)
            holders = {login for login in look.active if engine.crowd[login][0] & bits}
            if groups:
                broad = any(who.kind == "audience" for who in groups)
                yield Finding(
                    NAME,
                    SERIOUS if broad else MISTAKE,
                    f"{words.given_name(data, access.given)} gives all access to "
                    f"{words.listed(words.who(data, each) for each in groups)}: "
                    f"{_people(len(holders))} now, and whoever comes into it.",
                    written([access.given.origin]),
                    {"people": len(holders)},
                    look.tried(*take_back_only(data, look.at, access.given, groups)),
                )
            if spot == SITE.spot:
                bits = engine.crowd.mask(access.given.to)
                everywhere |= {e for e in look.active if engine.crowd[e][0] & bits}
    if len(everywhere) > _MANY:
        called = words.listed(data.users[each].called for each in sorted(everywhere))
        yield Finding(
            NAME,
            NOTE,
            f"{len(everywhere)} people have all access to the whole site: {called}. Each may do "
            "everything, and take everything from the others.",
            touches={"people": len(everywhere)},
        )


def _people(count: int) -> str:
    return "1 person" if count == 1 else f"{count:,} people"
