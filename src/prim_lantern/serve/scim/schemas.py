"""What of SCIM's users and groups a site keeps (RFC 7643, sections 4.1 and 4.2)."""

from __future__ import annotations

from typing import Annotated, Any

from scim2_models import (
    URN,
    CaseExact,
    ComplexAttribute,
    GroupMember,
    GroupMembership,
    Mutability,
    Required,
    Resource,
    Returned,
    Uniqueness,
)


class FullName(ComplexAttribute):
    """A name in parts; it is taken where no displayName is said."""

    formatted: str | None = None
    """The whole name."""
    given_name: str | None = None
    """The first name."""
    family_name: str | None = None
    """The last name."""


class Email(ComplexAttribute):
    """An address; a site keeps one for each person."""

    value: str | None = None
    """The address."""


class User(Resource[Any]):
    """Somebody with an account."""

    __schema__ = URN("urn:ietf:params:scim:schemas:core:2.0:User")

    external_id: Annotated[str | None, CaseExact.true] = None
    """What the directory knows them by."""
    user_name: Annotated[str | None, Uniqueness.server, Required.true] = None
    """The login."""
    display_name: str | None = None
    """The name."""
    name: Annotated[FullName | None, Mutability.write_only, Returned.never] = None
    """The name in parts."""
    emails: list[Email] | None = None
    """The e-mail address; the first of several is kept."""
    active: Annotated[bool | None, Required.true] = None
    """Whether they can sign in."""
    groups: Annotated[list[GroupMembership] | None, Mutability.read_only] = None
    """The groups that they are in."""


class Member(GroupMember):
    """A member of a group."""

    display: Annotated[str | None, Mutability.read_only, Returned.request] = None
    """What they are called, for those who ask for it."""


class Group(Resource[Any]):
    """A group; its members are those by hand."""

    __schema__ = URN("urn:ietf:params:scim:schemas:core:2.0:Group")

    external_id: Annotated[str | None, CaseExact.true] = None
    """What the directory knows it by."""
    display_name: Annotated[str | None, Required.true] = None
    """What it is called."""
    members: list[Member] | None = None
    """Who was put into it by hand, and the groups that count in it."""
