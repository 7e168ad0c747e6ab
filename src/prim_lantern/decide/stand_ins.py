"""People who are pictured: somebody who is in one group and nothing else."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import replace

from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership, StandIn
from prim_lantern.site.who import SIGNED_IN, Who

STAND_IN = "somebody:"  # how a stand-in's login begins; no real one can hold a colon


def login_of(who: Who) -> str | None:
    """The login by which a who is asked about: a stand-in's for a group or the signed-in.

    None is the guest.
    """
    if who.kind == "user":
        return who.name
    if who.kind == "group" or who == SIGNED_IN:
        return f"{STAND_IN}{who}"
    return None


def with_stand_ins(data: SiteData, whos: Iterable[Who]) -> SiteData:
    """The site with a stand-in for each group, and for the signed-in, among these."""
    users = dict(data.users)
    for who in whos:
        login = login_of(who)
        if login is not None and who.kind != "user":
            group = data.groups[who.name] if who.kind == "group" else None
            name = f"somebody in {group.called}" if group else "somebody signed in"
            memberships = (Membership(group.name),) if group else ()
            users[login] = StandIn(login, name, memberships=memberships)
    return replace(data, users=users) if len(users) > len(data.users) else data
