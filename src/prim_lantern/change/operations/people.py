"""People: added, changed, invited, suspended, and the ownership handed over."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any, ClassVar, Protocol

from prim_lantern.change.operations.base import Made, Operation, PeopleRows, Texts, When, only_said
from prim_lantern.change.operations.entries import named, with_users
from prim_lantern.change.removal import without_people, without_whos, without_words
from prim_lantern.errors import BadChange
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.look_alikes import by_looks, looks_of, new_login
from prim_lantern.site.moments import moment, start_of_day
from prim_lantern.site.people import (
    ACTIVE,
    BYLINE,
    INVITED,
    SUSPENDED,
    Membership,
    User,
)
from prim_lantern.site.who import Who
from prim_lantern.values import names_of, replace


@dataclass(frozen=True)
class AddUser(Operation):
    """Add a person: active, or a byline (a named author without an account).

    `groups` are those they are in by hand. `attributes` are further columns of the people.
    """

    do: ClassVar[str] = "add-user"
    login: str
    name: str = ""
    email: str = ""
    status: str = ACTIVE
    groups: Texts = ()
    attributes: Mapping[str, str] = field(default_factory=dict)
    joined: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if self.status not in (ACTIVE, BYLINE):
            raise BadChange(f"{self.status!r}: somebody new is active or a byline, or invited.")
        joined = moment(self.joined, data.zone) if self.joined else start_of_day(made.at)
        since = joined if self.status == ACTIVE else None
        return with_new(data, self, self.status, since, self.attributes)

    def said(self) -> str:
        return f"add {self.name or self.login}{' as a byline' if self.status == BYLINE else ''}"


@dataclass(frozen=True)
class ImportPeople(Operation):
    """Add and change many people at once. Of whoever is there, only what the row says changes;
    groups are joined, never left. Anybody else is added, active unless the row says otherwise.
    `source` is what they come from, so that it is known later who is there no longer."""

    do: ClassVar[str] = "import-people"
    rows: PeopleRows
    source: str = ""

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if not self.rows:
            raise BadChange("There are no rows to import.")
        logins = {names.folded(login): login for login in data.people.names}
        attributes = dict.fromkeys(key for row in self.rows for key in row.get("attributes", ()))
        there = by_looks(data.people.names)
        put: dict[str, User] = {}
        for row in self.rows:
            named_so: str = row["login"]
            login = logins.get(names.folded(named_so), named_so)
            if names.folded(login) in put:
                raise BadChange(f"{login} is in two rows; keep one.")
            user = data.users.get(login)
            if user is None:
                user = _new_user(new_login(login, there), row, made)
                there[looks_of(login)] = login
            put[names.folded(login)] = as_row_says(data, user, row)
        return with_users(with_attributes(data, attributes), list(put.values()))

    def said(self) -> str:
        return f"import {len(self.rows):,} {'people' if len(self.rows) != 1 else 'person'}"


def _new_user(login: str, row: Mapping[str, Any], made: Made) -> User:
    status = row.get("status") or ACTIVE
    return User(login, status=status, joined=start_of_day(made.at) if status == ACTIVE else None)


def as_row_says(data: SiteData, user: User, row: Mapping[str, Any]) -> User:
    """A user as a row of people makes them."""
    user = in_groups(data, user, row.get("groups", ()))
    user = with_values(user, row.get("name"), row.get("email"), row.get("attributes", {}))
    said: dict[str, Any] = {}
    if row.get("status"):
        said["status"] = row["status"]
    if row.get("joined") is not None:
        said["joined"] = moment(row["joined"], data.zone)
    if "roles_elsewhere" in row:
        said["roles_elsewhere"] = row["roles_elsewhere"]
    return replace(user, **said) if said else user


@dataclass(frozen=True)
class ChangeUser(Operation):
    """Change a person's name, e-mail, attributes (an empty text takes any away) or what roles
    another system gives them. `account` makes an active person of a byline, or (false) a byline of
    anybody: they stay the author of what they wrote."""

    do: ClassVar[str] = "change-user"
    login: str
    name: str | None = None
    email: str | None = None
    attributes: Mapping[str, str] = field(default_factory=dict)
    roles_elsewhere: tuple[str, ...] | None = None
    account: bool | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        user = data.user(self.login)
        only_said(
            name=self.name,
            email=self.email,
            attributes=self.attributes or None,
            roles_elsewhere=self.roles_elsewhere,
            account=self.account,
        )
        user = with_values(user, self.name, self.email, self.attributes)
        gone: dict[str, Any] = {part: "" for part in ("name", "email") if getattr(self, part) == ""}
        user = replace(user, **gone)
        if self.roles_elsewhere is not None:
            user = replace(user, roles_elsewhere=tuple(self.roles_elsewhere))
        if self.account is not None:
            user = self._with_account(data, user, made)
            data = without_invitation(data, user.login)
        data = with_attributes(data, self.attributes)
        return with_users(data, [user])

    def _with_account(self, data: SiteData, user: User, made: Made) -> User:
        if self.account:
            user = _from_state(user, BYLINE, ACTIVE)
            return replace(user, joined=user.joined or start_of_day(made.at))
        if user.login == data.owner:
            raise BadChange(f"{user.called} is the owner: hand over the ownership first.")
        if user.status == BYLINE:
            raise BadChange(f"{user.called} is a byline already.")
        return replace(user, status=BYLINE)

    def said(self) -> str:
        return f"change {self.login}"


@dataclass(frozen=True)
class Suspend(Operation):
    """Suspend a person: they count as a guest until they are brought back."""

    do: ClassVar[str] = "suspend"
    login: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        user = data.user(self.login)
        if user.login == data.owner:
            raise BadChange(f"{user.called} is the owner: hand over the ownership first.")
        return with_users(data, [_from_state(user, ACTIVE, SUSPENDED)])

    def said(self) -> str:
        return f"suspend {self.login}"


@dataclass(frozen=True)
class BringBack(Operation):
    """Bring back somebody suspended, with all they had."""

    do: ClassVar[str] = "bring-back"
    login: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        return with_users(data, [_from_state(data.user(self.login), SUSPENDED, ACTIVE)])

    def said(self) -> str:
        return f"bring back {self.login}"


@dataclass(frozen=True)
class RemoveUser(Operation):
    """Remove a person, with every word that speaks of them. What they wrote stays, without an
    author where they were the only one."""

    do: ClassVar[str] = "remove-user"
    login: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        user = data.user(self.login)
        if user.login == data.owner:
            raise BadChange(f"{user.called} is the owner and can never be removed.")
        return without_user(data, user)

    def said(self) -> str:
        return f"remove {self.login}"


@dataclass(frozen=True)
class ReleaseUser(Operation):
    """Take away all that reaches a person by name: memberships, enrolments, roles elsewhere, rules,
    given roles, places in readerships, stewardships. They stay, and stay the author of what they
    wrote, unless that is handed to somebody else."""

    do: ClassVar[str] = "release-user"
    login: str
    hand_to: str | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        user = data.user(self.login)
        who, login = Who("user", user.login), user.login
        if login == data.owner:
            raise BadChange(f"{user.called} is the owner: hand over the ownership first.")
        heir = data.user(self.hand_to).login if self.hand_to is not None else None
        data = without_words(_without_readings(data, who), {who})
        groups = {
            name: replace(
                each,
                members=tuple(member for member in each.members if member != login),
                stewards=tuple(steward for steward in each.stewards if steward != who),
            )
            if login in each.members or who in each.stewards
            else each
            for name, each in data.groups.items()
        }
        if groups != data.groups:
            data = data.with_parts(groups=groups)
        bare = replace(user, memberships=(), enrolments=(), roles_elsewhere=())
        data = with_users(data, [bare])
        if heir is not None:
            data = _with_author(data, login, heir)
        return data

    def said(self) -> str:
        heir = f", and hand what they wrote to {self.hand_to}" if self.hand_to else ""
        return f"take away all that {self.login} has{heir}"


def _without_readings(data: SiteData, who: Who) -> SiteData:
    """The site with a person in no readership; one that is for them alone is in the way."""
    found = {}
    for name, each in data.readerships.items():
        readers = tuple(one for one in each.readers if one != who)
        but_not = tuple(one for one in each.but_not if one != who)
        if who in each.all_of or (who in each.readers and not readers):
            raise BadChange(
                f"The readership {name} is for {who.name} alone, or asks for them; change it "
                "first, so that it is clear who may view."
            )
        found[name] = replace(each, readers=readers, but_not=but_not)
    return data.with_parts(readerships=found) if found != data.readerships else data


def _with_author(data: SiteData, login: str, heir: str) -> SiteData:
    """The site with another author in the place of one."""
    items = []
    for row, authors in data.content.filled("authors").items():
        if login in authors:
            others = tuple(dict.fromkeys(heir if each == login else each for each in authors))
            items.append(replace(data.content.at(row), authors=others))
    return data.with_parts(items=data.content.revised(items)) if items else data


@dataclass(frozen=True)
class HandOver(Operation):
    """Hand over the ownership of the site to somebody active."""

    do: ClassVar[str] = "hand-over"
    to: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        user = data.user(self.to)
        if user.status != ACTIVE:
            hint = ", and has to accept the invitation first" if user.status == INVITED else ""
            raise BadChange(f"{user.called} is {user.status}{hint}: the owner must be active.")
        if user.login == data.owner:
            raise BadChange(f"{user.called} is the owner already.")
        return data.with_parts(owner=user.login)

    def said(self) -> str:
        return f"hand over the ownership to {self.to}"


class NewUser(Protocol):
    """What is said of somebody who comes."""

    @property
    def login(self) -> str: ...
    @property
    def name(self) -> str: ...
    @property
    def email(self) -> str: ...
    @property
    def groups(self) -> Texts: ...


def with_new(
    data: SiteData,
    new: NewUser,
    status: str,
    joined: datetime | None,
    attributes: Mapping[str, str],
) -> SiteData:
    """The site with somebody new."""
    login = new_login(new.login, by_looks(data.people.names))
    user = User(login, new.name, new.email, status, joined=joined)
    user = with_values(in_groups(data, user, new.groups), None, None, attributes)
    return with_users(with_attributes(data, attributes), [user])


def in_groups(data: SiteData, user: User, groups: Texts) -> User:
    """Somebody, listed by hand in some groups more; those that list them already have them."""
    have = {each.group for each in user.memberships}
    wanted = dict.fromkeys(named(data, "groups", name).name for name in groups)
    listed = {name for name in wanted if user.login in data.groups[name].members}
    new = tuple(Membership(name) for name in wanted if name not in have | listed)
    return replace(user, memberships=(*user.memberships, *new))


def with_values(user: User, name: str | None, email: str | None, values: Mapping[str, str]) -> User:
    """Somebody with another name or e-mail (None, or empty: as it is) and some attributes."""
    attributes = {**user.attributes, **{key: value.strip() for key, value in values.items()}}
    said: dict[str, Any] = {"attributes": {key: each for key, each in attributes.items() if each}}
    if name is not None:
        said["name"] = name or user.name
    if email is not None:
        said["email"] = email or user.email
    return replace(user, **said)


def with_attributes(data: SiteData, values: Iterable[str]) -> SiteData:
    """The site with some attributes of people among its own."""
    for name in values:
        names.key(name)
        if name in names_of(User) or name in ("groups", "roles_elsewhere"):
            raise BadChange(f"{name!r} is no attribute: it has an option of its own.")
    new = tuple(name for name in values if name not in data.attributes)
    return data.with_parts(attributes=(*data.attributes, *new)) if new else data


def _from_state(user: User, state: str, to: str) -> User:
    if user.status != state:
        raise BadChange(f"{user.called} is {user.status}, not {state}.")
    return replace(user, status=to)


def without_invitation(data: SiteData, login: str) -> SiteData:
    """The site without the link of somebody invited."""
    if login not in data.invitations:
        return data
    left = {name: each for name, each in data.invitations.items() if name != login}
    return data.with_parts(invitations=left)


def without_user(data: SiteData, user: User) -> SiteData:
    """The site without a user, and without the words about them alone."""
    return without_people(without_whos(data, {Who("user", user.login)}), {user.login})
