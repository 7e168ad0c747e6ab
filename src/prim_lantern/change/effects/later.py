"""Effects of a change that are not there yet: words that begin on a later day, items that become
public, people who have still to accept."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import Any, Final

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.pieces import Piece
from prim_lantern.change.renames import Renames
from prim_lantern.decide.engine import Engine
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.people import ACTIVE, INVITED
from prim_lantern.values import replace

_MOMENTS: Final = 3  # later moments that are looked at, the nearest first; and the last of all


def later_effects(
    before: Engine, after: SiteData, renames: Sequence[Renames], pieces: Sequence[Piece]
) -> Iterator[tuple[str, Effects]]:
    """What a change comes to later, each with when: "From 2027-09-01", "Once accepted"."""
    moments = sorted(_beginnings(pieces, before.at))
    nearest, last = moments[:_MOMENTS], moments[_MOMENTS:][-1:]
    between = len(moments) - len(nearest) - len(last)
    for moment in (*nearest, *last):
        then = before.after(before.data, moment)
        effects = Effects(then, then.after(after, moment), renames)
        if effects:
            others = f"{between} day{'s' if between > 1 else ''}"
            more = f", with what begins on {others} before it" if between and moment in last else ""
            yield f"From {written(moment)}{more}", effects
    invited = [
        each.after
        for each in pieces
        if each.part == "users" and each.after is not None and each.after.status == INVITED
    ]
    if invited:
        as_invited = before.after(after, before.at)
        accepted = [replace(user, status=ACTIVE) for user in invited]
        people = after.people.revised(accepted)
        logins = {user.login for user in invited}
        left = {n: each for n, each in after.invitations.items() if n not in logins}
        once = after.with_parts(users=people, invitations=left)
        effects = Effects(as_invited, as_invited.after(once, before.at))
        if effects:
            yield "Once accepted", effects


def _beginnings(pieces: Iterable[Piece], now: datetime) -> Iterator[datetime]:
    """The later moments at which something of a change begins."""
    found: set[datetime] = set()
    for piece in pieces:
        for at in _of_thing(piece.after, piece.before):
            if at is not None and at > now:
                found.add(at)
    yield from found


def _of_thing(thing: Any, was: Any) -> Iterator[datetime | None]:
    period = getattr(thing, "period", None)
    if period is not None:
        yield period.since
    if isinstance(thing, Item) and (was is None or _public(thing) != _public(was)):
        yield thing.public_from
    had = getattr(was, "memberships", ())
    yield from (m.period.since for m in getattr(thing, "memberships", ()) if m not in had)
    for enrolment in getattr(thing, "enrolments", ()):
        if enrolment not in getattr(was, "enrolments", ()):
            yield enrolment.since


def _public(item: Item) -> tuple[str, datetime | None]:
    return item.state, item.public_from
