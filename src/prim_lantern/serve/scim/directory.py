"""A site's people and groups as resources; every write is a change in its history."""

from __future__ import annotations

import json
import re
from abc import ABC, abstractmethod
from collections.abc import Callable, Iterable, Iterator
from hashlib import sha256
from typing import Any, Final, Generic, TypeVar

from scim2_models import (
    ForbiddenException,
    GroupMembership,
    InvalidValueException,
    Meta,
    NotFoundException,
    Reference,
    Resource,
    UniquenessException,
)

from prim_lantern.changing import Change
from prim_lantern.errors import (
    AlreadyThere,
    NotAllowed,
    PrimLanternError,
    StoreTrouble,
)
from prim_lantern.live import Site
from prim_lantern.serve.scim.schemas import Email, Group, Member, User
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.people import ACTIVE, BYLINE, EXTERNAL_ID, SCIM_ID
from prim_lantern.site.people import User as Person

_R = TypeVar("_R", bound=Resource[Any])
_NO_KEY: Final = re.compile(r"[^a-z0-9]+")


class Ids:
    """The ids of people: logins, but for those whose login changed since a directory met them."""

    def __init__(self, site: Site) -> None:
        self._site = site
        self._others: tuple[object, dict[str, str]] = None, {}

    def of(self, logins: Iterable[str]) -> list[str]:
        """The ids of some people."""
        others = self._others_of(self._site.data)
        kept = {login: known_by for known_by, login in others.items()}
        return [kept.get(each, each) for each in logins]

    def user(self, id: str) -> Person | None:
        """Whom a directory knows by an id."""
        data = self._site.data
        found = data.users.get(self._others_of(data).get(id, id))
        return found if found is not None and found.scim_id == id else None

    def _others_of(self, data: SiteData) -> dict[str, str]:
        """The logins of those with an id of another name."""
        if SCIM_ID not in data.attributes:
            return {}
        people, (known_of, others) = data.people, self._others
        if known_of is not people:
            rows = zip(people.names, people.values_of("attributes"), strict=True)
            others = {values[SCIM_ID]: login for login, values in rows if values.get(SCIM_ID)}
            self._others = people, others
        return others


class Kept(ABC, Generic[_R]):
    """One sort of resource."""

    model: type[_R]
    endpoint: str

    def __init__(self, site: Site, ids: Ids) -> None:
        self._site = site
        self._ids = ids

    def completed(self, body: Any) -> Any:
        """What somebody sends, with what goes without saying."""
        return body

    @abstractmethod
    def ids(self) -> list[str]:
        """The ids of all."""

    @abstractmethod
    def known_as(self, attribute: str, value: str) -> list[str] | None:
        """The ids of those of which an attribute (in small letters) is this value, found without
        making all; None for an attribute that this cannot be told of."""

    @abstractmethod
    def _made(self, id: str, base: str) -> _R | None:
        """One as it is; None where there is none."""

    @abstractmethod
    def _create(self, change: Change, new: _R) -> str:
        """The steps by which a new one comes about; its id."""

    @abstractmethod
    def _replace(self, change: Change, before: _R, after: _R) -> None:
        """The steps by which one becomes another."""

    @abstractmethod
    def _delete(self, change: Change, id: str) -> None:
        """The steps by which one goes."""

    def get(self, id: str, base: str) -> _R:
        """One, with its place and its version; raises where there is none."""
        found = self._made(id, base)
        if found is None:
            raise NotFoundException(detail=f"There is no {self.model.__name__.lower()} {id!r}.")
        found.id = id
        told = json.dumps(found.model_dump(mode="json"), sort_keys=True, default=str)
        found.meta = Meta(
            resource_type=self.model.__name__,
            location=f"{base}{self.endpoint}/{id}",
            version=f'W/"{sha256(told.encode()).hexdigest()[:24]}"',
        )
        return found

    def all(self, base: str) -> Iterator[_R]:
        """All."""
        return (self.get(each, base) for each in self.ids())

    def create(self, new: _R, by: str, why: str) -> str:
        """Add one, as a user does; its id."""
        found: str = self._write(by, why, lambda change: self._create(change, new))
        return found

    def replace(self, before: _R, after: _R, by: str, why: str) -> None:
        """Make one be as another one."""
        self._write(by, why, lambda change: self._replace(change, before, after))

    def delete(self, id: str, by: str, why: str) -> None:
        """Take one away."""
        self._write(by, why, lambda change: self._delete(change, id))

    def _write(self, by: str, why: str, steps: Callable[[Change], Any]) -> Any:
        """One change, whole or not at all, with our errors as those of SCIM."""
        try:
            change = self._site.change(by=by, reason=why)
            found = steps(change)
            if change.said:
                change.make()
        except StoreTrouble:
            raise
        except NotAllowed as error:
            raise ForbiddenException(detail="; ".join(error.because)) from None
        except AlreadyThere as error:
            raise UniquenessException(detail=str(error)) from None
        except PrimLanternError as error:
            raise InvalidValueException(detail=str(error)) from None
        return found

    @property
    def _data(self) -> SiteData:
        return self._site.data


class Users(Kept[User]):
    """Everybody with an account."""

    model, endpoint = User, "/Users"

    def completed(self, body: Any) -> Any:
        """What somebody sends; who is not said to be inactive is active."""
        if isinstance(body, dict) and not any(name.lower() == "active" for name in body):
            return {**body, "active": True}
        return body

    def ids(self) -> list[str]:
        """Those of all but bylines."""
        return self._ids.of(self._logins())

    def _logins(self) -> list[str]:
        people = self._data.people
        states = people.values_of("status")
        return [n for n, status in zip(people.names, states, strict=True) if status != BYLINE]

    def known_as(self, attribute: str, value: str) -> list[str] | None:
        """By login, whatever its case, and by what the directory knows them by."""
        logins = self._logins()
        if attribute == "username":
            return self._ids.of(each for each in logins if each.casefold() == value.casefold())
        if attribute == "externalid":
            people = self._data.people
            rows = zip(people.names, people.values_of("attributes"), strict=True)
            known = {login for login, values in rows if values.get(EXTERNAL_ID) == value}
            return self._ids.of(each for each in logins if each in known)
        return None

    def _made(self, id: str, base: str) -> User | None:
        user = self._ids.user(id)
        if user is None or user.status == BYLINE:
            return None
        direct = {each.group for each in user.memberships}
        names = dict.fromkeys(each.group for each in self._site.memberships(user.login))
        groups = [
            GroupMembership(
                value=name,
                ref=Reference(f"{base}/Groups/{name}"),
                display=self._data.groups[name].called,
                type="direct" if name in direct else "indirect",
            )
            for name in names
        ]
        return User(
            external_id=user.attributes.get(EXTERNAL_ID),
            user_name=user.login,
            display_name=user.name or None,
            emails=[Email(value=user.email)] if user.email else None,
            active=user.status == ACTIVE,
            groups=groups or None,
        )

    def _create(self, change: Change, new: User) -> str:
        login = self._free(new.user_name or "")
        known_by = {EXTERNAL_ID: new.external_id} if new.external_id else {}
        change.add_user(login, _name(new), _email(new), attributes=known_by)
        if new.active is False:
            change.suspend(login)
        return login

    def _replace(self, change: Change, before: User, after: User) -> None:
        login = before.user_name or ""
        if after.user_name and folded(after.user_name) != folded(login):
            if folded(login) == folded(change.by):
                detail = f"The token acts as {login}: another one is to change this userName."
                raise ForbiddenException(detail=detail)
            new = self._free(after.user_name, before.id)
            if before.id == login:
                change.change_user(login, attributes={SCIM_ID: login})
            change.rename_user(login, new)
            login = new
        said = {"name": _name(after), "email": _email(after)}
        had = {"name": before.display_name or "", "email": _email(before)}
        differs: dict[str, Any] = {
            name: value for name, value in said.items() if value != had[name]
        }
        if (after.external_id or "") != (before.external_id or ""):
            differs["attributes"] = {EXTERNAL_ID: after.external_id or ""}
        if differs:
            change.change_user(login, **differs)
        active = True if after.active is None else after.active
        if active != before.active:
            (change.bring_back if active else change.suspend)(login)

    def _free(self, login: str, id: str | None = None) -> str:
        """A login that nobody has, and that is the id of nobody else."""
        wanted = folded(login)
        if any(folded(each) == wanted for each in self._data.people.names):
            raise AlreadyThere("user", login)
        if any(folded(each) == wanted for each in self.ids() if each != id):
            raise UniquenessException(detail=f"{login} is the id of somebody.")
        return login

    def _delete(self, change: Change, id: str) -> None:
        user = self._ids.user(id)
        if user is None:
            raise NotFoundException(detail=f"There is no user {id!r}.")
        change.remove_user(user.login)


def _name(user: User) -> str:
    if user.display_name:
        return user.display_name
    parts = user.name
    if parts is None:
        return ""
    return parts.formatted or " ".join(filter(None, (parts.given_name, parts.family_name)))


def _email(user: User) -> str:
    return next((each.value for each in user.emails or () if each.value), "")


class Groups(Kept[Group]):
    """All groups."""

    model, endpoint = Group, "/Groups"

    def ids(self) -> list[str]:
        """The names of all."""
        return list(self._data.groups)

    def known_as(self, attribute: str, value: str) -> list[str] | None:
        """By what the directory knows them by."""
        if attribute != "externalid":
            return None
        return [each.name for each in self._data.groups.values() if each.external_id == value]

    def _made(self, id: str, base: str) -> Group | None:
        found = self._data.groups.get(id)
        if found is None:
            return None
        data = self._data
        people = data.people
        by_hand = [
            people[login]
            for login, some in zip(people.names, people.values_of("memberships"), strict=True)
            if any(each.group == id for each in some)
        ]
        inner = [each for each in data.groups.values() if id in each.counts_in]
        members = [
            *(_member(f"{base}/Users", e.scim_id, "User", e.called) for e in by_hand),
            *(_member(f"{base}/Groups", e.name, "Group", e.called) for e in inner),
        ]
        return Group(
            external_id=found.external_id or None,
            display_name=found.label or found.name,
            members=members or None,
        )

    def _create(self, change: Change, new: Group) -> str:
        label = (new.display_name or "").strip()
        name = _NO_KEY.sub("-", folded(label)).strip("-")
        if not name:
            raise InvalidValueException(detail="A displayName needs letters or digits.")
        change.add_group(name, label)
        self._replace(change, Group(id=name, display_name=label), new)
        return name

    def _replace(self, change: Change, before: Group, after: Group) -> None:
        name, label = before.id or "", (after.display_name or "").strip()
        differs = {}
        if label and label != before.display_name:
            differs["label"] = label
        if (after.external_id or "") != (before.external_id or ""):
            differs["external_id"] = after.external_id or ""
        if differs:
            change.change_group(name, **differs)
        was, now = self._members(before), self._members(after)
        for login in now[0] - was[0]:
            change.add_members(name, login)
        for login in was[0] - now[0]:
            change.remove_members(name, login)
        for inner in now[1] - was[1]:
            change.change_group(inner, count_in=name)
        for inner in was[1] - now[1]:
            change.change_group(inner, no_longer_in=name)

    def _members(self, group: Group) -> tuple[set[str], set[str]]:
        """The logins of the users and the names of the groups among the members."""
        users: set[str] = set()
        groups: set[str] = set()
        for each in group.members or ():
            value = each.value or ""
            user = self._ids.user(value)
            is_group = (each.type or "").lower() == "group" or (
                not each.type and user is None and value in self._data.groups
            )
            if is_group:
                groups.add(value)
            elif user is not None:
                users.add(user.login)
            else:
                raise InvalidValueException(detail=f"There is no user {value!r}.")
        return users, groups

    def _delete(self, change: Change, id: str) -> None:
        change.remove_group(id)


def _member(where: str, id: str, type: str, called: str) -> Member:
    return Member(value=id, ref=Reference(f"{where}/{id}"), type=type, display=called)


__all__ = ["Groups", "Ids", "Kept", "Users"]
