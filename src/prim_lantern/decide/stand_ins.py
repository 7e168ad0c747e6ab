"""People who are pictured: somebody who is in one group, or has one role, and nothing else."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from itertools import chain

from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Membership, StandIn, User
from prim_lantern.site.rights import Given
from prim_lantern.site.who import SIGNED_IN, Who, who

_PREFIX = "somebody:"


class Somebody(str):
    """What a stand-in has for a login. It equals no plain text, so that no login that comes from
    outside, however it is spelled, can pass for it."""

    __slots__ = ()

    def __new__(cls, who: Who) -> Somebody:
        """The one who is pictured for a group, a role or an audience."""
        return super().__new__(cls, f"{_PREFIX}{who}")

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Somebody) and str.__eq__(self, other)

    def __ne__(self, other: object) -> bool:
        return not self == other

    def __hash__(self) -> int:
        return hash((_PREFIX, str.__hash__(self)))

    def __reduce__(self) -> tuple[type[Somebody], tuple[Who]]:
        return Somebody, (self.who,)

    @property
    def who(self) -> Who:
        """The group, the role or the audience that is all that is known of them."""
        return who(self.told)

    @property
    def told(self) -> str:
        """The same as text."""
        return self.removeprefix(_PREFIX)


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
        return Somebody(who)
    return None


def told(login: str | None) -> str | None:
    """A login, or for a stand-in the group, role or audience, as text."""
    return login.told if isinstance(login, Somebody) else login


def asked_of(login: str | None) -> str | Who | None:
    """Whom to name so that this one is asked about: see `State.asked`."""
    return login.who if isinstance(login, Somebody) else login


def stand_in(data: SiteData, login: Somebody) -> StandIn:
    """The stand-in of such a login: in one group, with one role (see `pictured_roles`), or merely
    signed in."""
    known = login.who
    group = data.groups.get(known.name) if known.kind == "group" else None
    role = data.roles.get(known.name) if known.kind == "role" else None
    name = f"somebody in {group.called}" if group else "somebody signed in"
    if role:
        name = f"somebody with the role {role.called}"
    memberships = (Membership(group.name),) if group else ()
    return StandIn(login, name, memberships=memberships)


def pictured_roles(whos: Iterable[Who]) -> tuple[Given, ...]:
    """For each role among some whos: that its stand-in has it, on the whole site."""
    return tuple(
        Given(who.name, (Who("user", Somebody(who)),)) for who in whos if who.kind == "role"
    )


def is_pictured(given: Given) -> bool:
    """Whether a role is given only in the picture."""
    return all(isinstance(who.name, Somebody) for who in given.to)


def name_of(data: SiteData, login: str | None) -> str:
    """The name of a user or a stand-in; "a guest" for nobody."""
    if login is None:
        return "a guest"
    user = stand_in(data, login) if isinstance(login, Somebody) else data.users[login]
    return user.called
