"""People who are pictured: somebody who is in one group and nothing else."""

from __future__ import annotations

from collections import ChainMap
from collections.abc import Iterable

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


def stand_in(data: SiteData, login: str) -> StandIn:
    """The stand-in of such a login: in one group, or merely signed in."""
    group = data.groups.get(login.removeprefix(f"{STAND_IN}group:"))
    name = f"somebody in {group.called}" if group else "somebody signed in"
    memberships = (Membership(group.name),) if group else ()
    return StandIn(login, name, memberships=memberships)


def with_stand_ins(data: SiteData, whos: Iterable[Who]) -> SiteData:
    """The site with a stand-in for each group, and for the signed-in, among these."""
    logins = {login_of(who) for who in whos if who.kind != "user"} - {None}
    if not logins:
        return data
    added = {login: stand_in(data, login) for login in logins if login is not None}
    return data.with_parts(users=ChainMap(added, data.users))
