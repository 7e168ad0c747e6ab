"""People: users, groups, conditions and plans."""

from __future__ import annotations

import re
from collections.abc import Mapping
from datetime import datetime
from typing import Final, NamedTuple

from prim_lantern.errors import BadValue
from prim_lantern.site.moments import ALWAYS, Duration, Period, moment, written
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin
from prim_lantern.site.who import Who
from prim_lantern.values import field, value

ACTIVE: Final = "active"
INVITED: Final = "invited"
SUSPENDED: Final = "suspended"
BYLINE: Final = "byline"
EXTERNAL_ID: Final = "external_id"
"""The attribute that holds what a directory knows somebody by (RFC 7643, section 3.1)."""
SCIM_ID: Final = "scim_id"
"""The attribute that holds the id which somebody keeps for directories though their login is
another one now: an id stays (RFC 7643, section 3.1)."""
STATUSES: Final = (ACTIVE, INVITED, SUSPENDED, BYLINE)


class Membership(NamedTuple):
    """A group that a user is in by hand, maybe for a period."""

    group: str
    period: Period = ALWAYS


class Enrolment(NamedTuple):
    """A plan that a user is enrolled in, from a moment on; `until` says when it was ended, where
    that was before its time."""

    plan: str
    since: datetime
    until: datetime | None = None


@value
class User:
    """A person: an account, an invitation, or a byline without an account."""

    login: str
    name: str = ""
    email: str = ""
    status: str = ACTIVE
    memberships: tuple[Membership, ...] = ()
    enrolments: tuple[Enrolment, ...] = ()
    roles_elsewhere: tuple[str, ...] = ()
    joined: datetime | None = None
    attributes: Mapping[str, str] = field(default_factory=dict)
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The name that people use: the name, or the login where none is given."""
        return self.name or self.login

    @property
    def scim_id(self) -> str:
        """The id by which directories know them: the login, if no other is kept."""
        return self.attributes.get(SCIM_ID) or self.login

    def value_of(self, attribute: str) -> str:
        """What a test reads: an attribute, or one of the columns that everybody has."""
        match attribute:
            case "login" | "name" | "email" | "status":
                return str(getattr(self, attribute))
            case "joined":
                return written(self.joined) if self.joined else ""
            case _:
                return self.attributes.get(attribute, "")


@value
class Invitation:
    """A link that was sent to somebody invited: a hash of its token, and when it ends.

    Whoever shows the token before then becomes an active user.
    """

    login: str
    token_hash: str
    until: datetime
    origin: Origin | None = field(default=None, compare=False, repr=False)


class StandIn(User):
    """Somebody pictured who is in just the groups listed: nothing else is known of them."""

    __slots__ = ()


TESTABLE_COLUMNS: Final = ("login", "name", "email", "status", "joined")
OPERATORS: Final = (
    "is",
    "is_not",
    "one_of",
    "none_of",
    "contains",
    "before",
    "after",
    "filled",
)

_TEST: Final = (  # few starts need it compiled
    r"(\S+)\s+(is_not|is not|is|one_of|one of|none_of|none of|contains|before|after|filled)"
    r"(?:\s+(.*))?"
)


class Test(NamedTuple):
    """One test on an attribute: `values` holds one text, several, or a moment's text.

    `filled` is written with "true" or "false".
    """

    attribute: str
    operator: str
    values: tuple[str, ...]

    @classmethod
    def read(cls, text: str) -> Test:
        """A test from words such as "position is keeper", or "station one_of fennick; marrow".

        Raises `BadValue` for anything else.

        >>> Test.read("position is not keeper").operator
        'is_not'
        """
        fit = re.fullmatch(_TEST, text.strip(), re.DOTALL)
        if not fit:
            raise BadValue(
                text,
                f"is no test: write ATTRIBUTE, one of {', '.join(OPERATORS)}, and a value, as in "
                "'position is keeper' (several with ';').",
            )
        attribute, operator, rest = fit[1], fit[2].replace(" ", "_"), (fit[3] or "").strip()
        values = tuple(filter(None, map(str.strip, rest.split(";"))))
        if operator == "filled":
            values = (rest.casefold() or "true",)
            if values[0] not in ("true", "false"):
                raise BadValue(text, "cannot be read: 'filled' takes true or false.")
        elif operator in ("before", "after"):
            values = (written(moment(rest)),)
        if not values or (len(values) > 1 and operator not in ("one_of", "none_of")):
            raise BadValue(text, f"needs a value for {operator}; one_of takes several.")
        return cls(attribute, operator, values)

    def fits(self, user: User) -> bool:
        """Whether the user passes; values compare without regard to case and outer space."""
        return self.fits_value(user.value_of(self.attribute))

    def fits_value(self, text: str) -> bool:
        """Whether somebody passes of whom the attribute has this value."""
        have = [each for each in map(folded, text.split(";")) if each]
        want = [folded(value) for value in self.values]
        match self.operator:
            case "is" | "one_of":
                return any(value in have for value in want)
            case "is_not" | "none_of":
                return not any(value in have for value in want)
            case "contains":
                return any(value in each for value in want for each in have)
            case "filled":
                return bool(have) == (want == ["true"])
            case _:
                limit = moment(self.values[0])
                dates = [at for each in have if (at := _moment_or_none(each)) is not None]
                return any(at < limit if self.operator == "before" else at > limit for at in dates)

    def __str__(self) -> str:
        words = self.operator.replace("_", " ")
        if self.operator == "filled":
            return f"{self.attribute} is {'filled' if self.values == ('true',) else 'empty'}"
        return f"{self.attribute} {words} {' or '.join(self.values)}"


def _moment_or_none(text: str) -> datetime | None:
    try:
        return moment(text.upper())
    except BadValue:
        return None


Row = tuple[Test, ...]
"""Tests that must all fit; a condition is several rows, one of which is enough."""


@value
class Group:
    """A group of people, with all the ways to be a member."""

    name: str
    label: str = ""
    about: str = ""
    counts_in: tuple[str, ...] = ()
    stewards: tuple[Who, ...] = ()
    members: tuple[str, ...] = ()
    when: tuple[Row, ...] = ()
    mapped_from: tuple[str, ...] = ()
    external_id: str = ""
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The label, or the name where there is none."""
        return self.label or self.name


@value
class Plan:
    """What people enrol in: groups for a time (no end where `lasts` is None)."""

    name: str
    label: str = ""
    groups: tuple[str, ...] = ()
    lasts: Duration | None = None
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The label, or the name where there is none."""
        return self.label or self.name

    def period_of(self, enrolment: Enrolment) -> Period:
        """The time that an enrolment covers."""
        ends = self.lasts.after(enrolment.since) if self.lasts else None
        ended = [each for each in (ends, enrolment.until) if each is not None]
        return Period(enrolment.since, min(ended, default=None))
