"""How somebody comes in: invited by a link, or signing up by themselves."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from hashlib import sha256
from hmac import compare_digest
from typing import ClassVar, Final

from prim_lantern.change.operations.base import Made, Operation, Texts, When
from prim_lantern.change.operations.entries import leads_to_all_access, named, with_users
from prim_lantern.change.operations.people import (
    in_groups,
    with_new,
    with_values,
    without_invitation,
    without_user,
)
from prim_lantern.decide.belonging import Belonging
from prim_lantern.errors import AlreadyThere, BadChange
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment, start_of_day, written
from prim_lantern.site.people import (
    ACTIVE,
    BYLINE,
    INVITED,
    Invitation,
)
from prim_lantern.values import replace


def hash_of(token: str) -> str:
    """What is kept of the token of an invitation, from which it cannot be had back.

    A token holds 256 random bits, so that plain SHA-256 (FIPS 180-4) is enough.
    """
    return f"sha256:{sha256(token.encode()).hexdigest()}"


@dataclass(frozen=True)
class Invite(Operation):
    """Invite a person: until they accept, they are a guest. Invited once more, somebody gets a
    new link, and the one before ends. A byline stays the author of what they wrote.

    `token_hash` is `hash_of` the token in their link, which ends at `until`.
    """

    do: ClassVar[str] = "invite"
    login: str
    token_hash: str
    until: When
    name: str = ""
    email: str = ""
    groups: Texts = ()
    attributes: Mapping[str, str] = field(default_factory=dict)

    def apply(self, data: SiteData, made: Made) -> SiteData:
        until = moment(self.until or made.at, data.zone)
        if until <= made.at:
            raise BadChange(f"An invitation until {written(until)} has ended already.")
        if names.folded(self.login) in map(names.folded, data.users):
            user = data.user(self.login)
            if user.status not in (INVITED, BYLINE):
                raise AlreadyThere("user", user.login)
            user = replace(user, status=INVITED)
            changed = with_values(user, self.name, self.email, self.attributes)
            data = with_users(data, [in_groups(data, changed, self.groups)])
        else:
            data = with_new(data, self, INVITED, None, self.attributes)
        login = data.login(self.login)
        invitation = Invitation(login, self.token_hash, until)
        return data.with_parts(invitations={**data.invitations, login: invitation})

    def said(self) -> str:
        return f"invite {self.name or self.login}"


@dataclass(frozen=True)
class Accept(Operation):
    """Accept an invitation, by the token of the link: the person is active from now on."""

    do: ClassVar[str] = "accept"
    login: str
    token_hash: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        login = data.login(self.login)
        invitation = data.invitations.get(login)
        if invitation is None or not compare_digest(invitation.token_hash, self.token_hash):
            raise BadChange(
                "This link is not known, or was replaced or cancelled; ask for a new one."
            )
        if made.at >= invitation.until:
            raise BadChange(
                f"This link has ended on {written(invitation.until)}; ask for a new one."
            )
        user = replace(data.users[login], status=ACTIVE, joined=start_of_day(made.at))
        return with_users(without_invitation(data, login), [user])

    def said(self) -> str:
        return f"accept the invitation of {self.login}"


@dataclass(frozen=True)
class SignUp(Operation):
    """Add a person who signs up by themselves: active, in the groups for that, or in some of them
    (`groups`; none said: in all)."""

    do: ClassVar[str] = "sign-up"
    login: str
    name: str = ""
    email: str = ""
    groups: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if not data.sign_up_groups:
            raise BadChange("Nobody signs up by themselves on this site.")
        wanted = [named(data, "groups", name).name for name in self.groups] or data.sign_up_groups
        for each in wanted:
            if each not in data.sign_up_groups:
                groups = ", ".join(data.sign_up_groups)
                raise BadChange(f"Nobody joins {each} by signing up; it is open for {groups}.")
            if leads_to_all_access(data, each, made.at):
                raise BadChange(f"The group {each} leads to all access: nobody joins it so.")
        after = with_new(
            data, replace(self, groups=tuple(wanted)), ACTIVE, start_of_day(made.at), {}
        )
        # what they say of themselves may fit the condition of a group
        for each in Belonging(after, made.at).ways(self.login):
            if leads_to_all_access(after, each, made.at):
                raise BadChange(f"{self.login} would come to all access: nobody signs up to that.")
        return after

    def said(self) -> str:
        return f"sign up {self.name or self.login}"


NOBODYS: Final = (Accept, SignUp)
"""What asks for no right: a person makes it by a link, or for themselves."""


@dataclass(frozen=True)
class CancelInvitation(Operation):
    """Cancel an invitation: its link ends, and the person is no longer there."""

    do: ClassVar[str] = "cancel-invitation"
    login: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        user = data.user(self.login)
        if user.status != INVITED:
            raise BadChange(f"{user.called} is {user.status}: there is no invitation to cancel.")
        return without_user(data, user)

    def said(self) -> str:
        return f"cancel the invitation of {self.login}"
