"""People who are pictured: somebody who is in one group, or has one role, and nothing else."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from itertools import chain

from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership, StandIn, User
from prim_lantern.site.rights import Given
from prim_lantern.site.who import SIGNED_IN, Who

STAND_IN = "somebody:"  # how a stand-in's login begins; no real one can hold a colon


class Beside(Mapping[str, User]):
    """Users, and a stand-in beside them."""

    def __init__(self, users: Mapping[str, User], added: StandIn) -> None:
        self._users = users
        self._added = added

    def __getitem__(self, login: str) -> User:
        return self._added if login == self._added.login else self._users[login]

    def __iter__(self) -> Iterator[str]:
        return chain(self._users, [self._added.login])

    def __len__(self) -> int:
        return len(self._users) + 1


def login_of(who: Who) -> str | None:
    """The login by which a who is asked about: a stand-in's for a group, a role or the signed-in.

    None is the guest.
    """
    if who.kind == "user":
        return who.name
    if who.kind in ("group", "role") or who == SIGNED_IN:
        return f"{STAND_IN}{who}"
    return None


def stand_in(data: SiteData, login: str) -> StandIn:
    """The stand-in of such a login: in one group, with one role (see `pictured_roles`), or merely
    signed in."""
    group = data.groups.get(login.removeprefix(f"{STAND_IN}group:"))
    role = data.roles.get(login.removeprefix(f"{STAND_IN}role:"))
    name = f"somebody in {group.called}" if group else "somebody signed in"
    if role:
        name = f"somebody with the role {role.called}"
    memberships = (Membership(group.name),) if group else ()
    return StandIn(login, name, memberships=memberships)


def pictured_roles(whos: Iterable[Who]) -> tuple[Given, ...]:
    """For each role among some whos: that its stand-in has it, on the whole site."""
    return tuple(
        Given(who.name, (Who("user", f"{STAND_IN}{who}"),)) for who in whos if who.kind == "role"
    )


def is_pictured(given: Given) -> bool:
    """Whether a role is given only in the picture."""
    return all(who.name.startswith(STAND_IN) for who in given.to)


def name_of(data: SiteData, login: str | None) -> str:
    """The name of a user or a stand-in; "a guest" for nobody."""
    if login is None:
        return "a guest"
    user = stand_in(data, login) if login.startswith(STAND_IN) else data.users[login]
    return user.called
