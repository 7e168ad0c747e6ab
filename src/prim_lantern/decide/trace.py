"""How a decision was come to, step by step: what the reference returns and `explain` tells."""

from __future__ import annotations

from typing import Final, NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.subject import Subject
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import Place
from prim_lantern.site.rights import Given, Readership

YES: Final = "yes"
NO: Final = "no"
SILENT: Final = "silent"


class Say(NamedTuple):
    """What the clauses come to, those left over, and those that did not count.

    `outweighed` pairs a clause with one that outweighs it; `cut_off` are allows from
    outside `cut_at`, a path that lets no rights in from above.
    """

    answer: str = SILENT
    left: tuple[Clause, ...] = ()
    outweighed: tuple[tuple[Clause, Clause], ...] = ()
    cut_off: tuple[Clause, ...] = ()
    cut_at: str | None = None


UNSAID: Final = Say()


class AllAccess(NamedTuple):
    """A given all-access role that holds what is asked about, and through which place."""

    given: Given
    place: Place


class Standing(NamedTuple):
    """A readership, the place where it stands, and where that was written."""

    readership: Readership
    place: Place
    origin: Origin | None


class Met(NamedTuple):
    """A readership met on the way: how it was passed, if at all."""

    readership: Readership
    place: Place
    origin: Origin | None
    is_in: bool
    let_past_by: Clause | None

    @property
    def passed(self) -> bool:
        """Whether the user gets past it."""
        return self.is_in or self.let_past_by is not None


class Reading(NamedTuple):
    """May they read it? Every test that was made; None where one was not needed."""

    allowed: bool
    subject: Subject
    owner: bool = False
    final_deny: Clause | None = None
    met: tuple[Met, ...] = ()
    set_aside: tuple[Standing, ...] = ()
    all_access: AllAccess | None = None
    say: Say = UNSAID
    state_passed: bool = True
    author: bool = False
    drafts: Say = UNSAID
    of_page: Reading | None = None
    of_target: Reading | None = None


class Doing(NamedTuple):
    """May they do it, where "it" is any action but reading?"""

    allowed: bool
    action: str
    subject: Subject
    own_work: bool = False  # four eyes: they wrote or changed it
    owner: bool = False
    final_deny: Clause | None = None
    reading: Reading | None = None
    all_access: AllAccess | None = None
    say: Say = UNSAID


class Creating(NamedTuple):
    """May they create such an item there? `obstacle` says why it could not even stand."""

    allowed: bool
    obstacle: str | None = None
    parent: Reading | None = None
    doing: Doing | None = None
    filing: tuple[tuple[str, Doing], ...] = ()


class Filing(NamedTuple):
    """May they file it there?"""

    allowed: bool
    obstacle: str | None = None
    doing: Doing | None = None


class Moving(NamedTuple):
    """May they move it there? `editing` is of it and all below it."""

    allowed: bool
    obstacle: str | None = None
    editing: tuple[tuple[str, Doing], ...] = ()
    creating: Creating | None = None


class Managing(NamedTuple):
    """May they manage this place?"""

    allowed: bool
    action: str
    subject: Subject
    owner: bool = False
    final_deny: Clause | None = None
    all_access: AllAccess | None = None
    say: Say = UNSAID


Trace = Reading | Doing | Creating | Filing | Moving | Managing
