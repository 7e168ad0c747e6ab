"""Rights: roles, what is given to whom, readerships, rules, settings, limits and promises."""

from __future__ import annotations

from typing import Final, NamedTuple

from prim_lantern.site.moments import ALWAYS, Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.who import AUTHORS, EVERYONE, SIGNED_IN, Who
from prim_lantern.values import field, value

ANY: Final = "any"
OWN: Final = "own"
OTHERS: Final = "others"
WHOSE: Final = (ANY, OWN, OTHERS)


class Capability(NamedTuple):
    """One row of a role: what it can do, to which kinds, in which states.

    `can` is on anybody's items, `own` on one's own. Empty `kinds` or `in_state` mean all.
    """

    kinds: tuple[str, ...] = ()
    can: tuple[str, ...] = ()
    own: tuple[str, ...] = ()
    in_state: tuple[str, ...] = ()


@value
class Role:
    """A named set of capabilities, or all-access."""

    name: str
    label: str = ""
    about: str = ""
    includes: tuple[str, ...] = ()
    capabilities: tuple[Capability, ...] = ()
    all_access: bool = False
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The label, or the name where there is none."""
        return self.label or self.name


@value
class Given:
    """A role given to people, within any of some places, maybe for a period."""

    role: str
    to: tuple[Who, ...]
    within_any: tuple[Place, ...] = (SITE,)
    period: Period = ALWAYS
    origin: Origin | None = field(default=None, compare=False, repr=False)


@value
class Readership:
    """Who may view: any of `readers`, each of `all_of`, and none of `but_not`."""

    name: str
    readers: tuple[Who, ...]
    label: str = ""
    all_of: tuple[Who, ...] = ()
    but_not: tuple[Who, ...] = ()
    no_exceptions: bool = False
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The label, or the name where there is none."""
        return self.label or self.name


BUILT_IN_READERSHIPS: Final = {
    readership.name: readership
    for readership in (
        Readership("public", (EVERYONE,), "Public"),
        Readership("signed-in", (SIGNED_IN,), "Signed in"),
        Readership("authors-only", (AUTHORS,), "Its authors only"),
        Readership("nobody", (), "Nobody"),
    )
}


@value
class PlaceSetting:
    """What is set at one path or category: a readership, and what comes from above."""

    place: Place
    readership: str | None = None
    readership_from_above: bool = True
    rights_from_above: bool = True
    origin: Origin | None = field(default=None, compare=False, repr=False)


@value
class Rule:
    """One explicit word at a place: these people may, or may not."""

    allow: bool
    actions: tuple[str, ...]
    to: tuple[Who, ...]
    place: Place = SITE
    kinds: tuple[str, ...] = ()
    whose: str = ANY
    in_state: tuple[str, ...] = ()
    period: Period = ALWAYS
    no_exceptions: bool = False
    id: str | None = None
    note: str = ""
    origin: Origin | None = field(default=None, compare=False, repr=False)


@value
class Limit:
    """How many items of exactly one kind may stand directly below a path."""

    kind: str
    where: str
    at_most: int
    origin: Origin | None = field(default=None, compare=False, repr=False)


@value
class Promise:
    """What must stay true: these people may, or may not, do this at a place and below."""

    who: tuple[Who, ...]
    may: bool
    actions: tuple[str, ...]
    where: Place
    note: str = ""
    origin: Origin | None = field(default=None, compare=False, repr=False)
