"""Groups: defined, nested, their members, stewards, conditions and mappings."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import ClassVar

from prim_lantern.change.operations.base import (
    Made,
    Operation,
    Texts,
    When,
    only_said,
    period,
    row,
    times,
)
from prim_lantern.change.operations.entries import (
    added,
    leads_to_all_access,
    list_changed,
    named,
    put,
    users_of,
    whos_in,
    with_users,
    without,
)
from prim_lantern.change.removal import without_whos
from prim_lantern.change.renames import Renames, renamed
from prim_lantern.errors import AlreadyThere, BadChange
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Group, Membership, Test
from prim_lantern.site.who import Who
from prim_lantern.values import replace


@dataclass(frozen=True)
class AddGroup(Operation):
    """Define a group; with `counts_in`, its members are members of those groups too."""

    do: ClassVar[str] = "add-group"
    name: str
    label: str = ""
    about: str = ""
    counts_in: Texts = ()
    stewards: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        counts_in = tuple(named(data, "groups", each).name for each in self.counts_in)
        stewards = whos_in(data, self.stewards, "user group") if self.stewards else ()
        name = names.folded(self.name)
        return added(data, "groups", Group(name, self.label, self.about, counts_in, stewards))

    def said(self) -> str:
        return f"add the group {self.name}"


@dataclass(frozen=True)
class ChangeGroup(Operation):
    """Change what a group is called, what it is for, and what a directory knows it by; nest it in
    others, or no longer."""

    do: ClassVar[str] = "change-group"
    name: str
    label: str | None = None
    about: str | None = None
    count_in: Texts = ()
    no_longer_in: Texts = ()
    external_id: str | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        group: Group = named(data, "groups", self.name)
        counts_in = None
        if self.count_in or self.no_longer_in:
            add = [named(data, "groups", each).name for each in self.count_in]
            drop = map(names.folded, self.no_longer_in)
            what = f"the groups that {group.name} counts in"
            counts_in = list_changed(group.counts_in, add, drop, what)
        said = only_said(
            label=self.label, about=self.about, counts_in=counts_in, external_id=self.external_id
        )
        return put(data, "groups", replace(group, **said))

    def said(self) -> str:
        nested = f", counting in {row(self.count_in)}" if self.count_in else ""
        return f"change the group {self.name}{nested}"


@dataclass(frozen=True)
class RenameGroup(Operation):
    """Give a group another name; everything that speaks of it goes along."""

    do: ClassVar[str] = "rename-group"
    name: str
    to: str

    def renames(self, data: SiteData) -> Renames:
        return Renames(groups={named(data, "groups", self.name).name: names.folded(self.to)})

    def apply(self, data: SiteData, made: Made) -> SiteData:
        renames = self.renames(data)
        if names.folded(self.to) in data.groups:
            raise AlreadyThere("group", self.to)
        names.key(names.folded(self.to))
        return renamed(data, renames)

    def said(self) -> str:
        return f"rename the group {self.name} to {self.to}"


@dataclass(frozen=True)
class RemoveGroup(Operation):
    """Remove a group, with its memberships and every word that speaks of it."""

    do: ClassVar[str] = "remove-group"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        name = named(data, "groups", self.name).name
        who = Who("group", name)
        data = without_whos(data, {who})
        members = [
            replace(user, memberships=tuple(m for m in user.memberships if m.group != name))
            for user in data.users.values()
            if any(each.group == name for each in user.memberships)
        ]
        groups = {
            each.name: replace(
                each,
                counts_in=tuple(upper for upper in each.counts_in if upper != name),
                stewards=tuple(steward for steward in each.stewards if steward != who),
            )
            if name in each.counts_in or who in each.stewards
            else each
            for each in data.groups.values()
        }
        plans = {
            plan.name: replace(plan, groups=tuple(each for each in plan.groups if each != name))
            if name in plan.groups
            else plan
            for plan in data.plans.values()
        }
        data = with_users(data, members) if members else data
        data = data.with_parts(
            groups=groups,
            plans=plans,
            sign_up_groups=tuple(each for each in data.sign_up_groups if each != name),
        )
        return without(data, "groups", name)

    def said(self) -> str:
        return f"remove the group {self.name}"


@dataclass(frozen=True)
class AddMembers(Operation):
    """Put people into a group by hand, maybe for a time."""

    do: ClassVar[str] = "add-members"
    group: str
    logins: Texts
    since: When = None
    until: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        group: Group = named(data, "groups", self.group)
        member = Membership(group.name, period(self.since, self.until, data.zone))
        new = [
            replace(user, memberships=(*user.memberships, member))
            for user in users_of(data, self.logins)
            if member not in user.memberships and user.login not in group.members
        ]
        if not new:
            raise BadChange(f"All of them are in {group.name} by hand already, or none was named.")
        return with_users(data, new)

    def said(self) -> str:
        return f"add {_some(self.logins)} to group:{self.group}{times(self.since, self.until)}"


@dataclass(frozen=True)
class RemoveMembers(Operation):
    """Take people out of a group that they are in by hand."""

    do: ClassVar[str] = "remove-members"
    group: str
    logins: Texts

    def apply(self, data: SiteData, made: Made) -> SiteData:
        group: Group = named(data, "groups", self.group)
        users = users_of(data, self.logins)
        by_hand = [
            user
            for user in users
            if user.login in group.members or any(m.group == group.name for m in user.memberships)
        ]
        others = [user.login for user in users if user not in by_hand]
        if others:
            raise BadChange(
                f"{row(others)}: not in {group.name} by hand. 'group show {group.name}' tells by "
                "which way somebody is a member."
            )
        leaving = {user.login for user in by_hand}
        members = tuple(each for each in group.members if each not in leaving)
        if members != group.members:
            data = put(data, "groups", replace(group, members=members))
        left = [
            replace(user, memberships=tuple(m for m in user.memberships if m.group != group.name))
            for user in by_hand
            if any(each.group == group.name for each in user.memberships)
        ]
        return with_users(data, left)

    def said(self) -> str:
        return f"take {_some(self.logins)} out of group:{self.group}"


@dataclass(frozen=True)
class SetStewards(Operation):
    """Say who looks after the members of a group, or no longer."""

    do: ClassVar[str] = "set-stewards"
    group: str
    add: Texts = ()
    drop: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        group: Group = named(data, "groups", self.group)
        add = whos_in(data, self.add, "user group") if self.add else ()
        drop = whos_in(data, self.drop, "user group") if self.drop else ()
        stewards = list_changed(group.stewards, add, drop, f"the stewards of {group.name}")
        return put(data, "groups", replace(group, stewards=stewards))

    def said(self) -> str:
        return f"change the stewards of group:{self.group}"


@dataclass(frozen=True)
class SetCondition(Operation):
    """Say whom a group takes in by condition: whoever fits all tests of one of the rows.

    A test is text such as "position is keeper"; several stand in one row with " and " between.
    No rows: nobody by condition.
    """

    do: ClassVar[str] = "set-condition"
    group: str
    rows: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        group: Group = named(data, "groups", self.group)
        return put(data, "groups", replace(group, when=condition(self.rows)))

    def said(self) -> str:
        rows = " or ".join(self.rows)
        whom = f"everybody whose {rows}" if rows else "nobody"
        return f"let group:{self.group} take in {whom} by condition"


@dataclass(frozen=True)
class SetSignUp(Operation):
    """Say which groups people join who sign up by themselves; none: nobody signs up."""

    do: ClassVar[str] = "set-sign-up"
    groups: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        wanted = tuple(dict.fromkeys(named(data, "groups", name).name for name in self.groups))
        for each in wanted:
            if leads_to_all_access(data, each, made.at):
                raise BadChange(f"The group {each} leads to all access: nobody joins it so.")
        return data.with_parts(sign_up_groups=wanted)

    def said(self) -> str:
        listed = ", ".join(self.groups)
        return f"let people sign up into {listed}" if listed else "let nobody sign up any more"


@dataclass(frozen=True)
class MapGroup(Operation):
    """Say whose roles in another system make them members of a group, or no longer."""

    do: ClassVar[str] = "map-group"
    group: str
    add: Texts = ()
    drop: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        group: Group = named(data, "groups", self.group)
        what = f"the roles elsewhere that lead to {group.name}"
        mapped = list_changed(group.mapped_from, self.add, self.drop, what)
        if mapped == group.mapped_from:
            raise BadChange(f"Nothing is said to change for the mapping of {group.name}.")
        return put(data, "groups", replace(group, mapped_from=mapped))

    def said(self) -> str:
        return (
            f"map {row([*self.add, *(f'no longer {each}' for each in self.drop)])} to {self.group}"
        )


def condition(rows: Iterable[str]) -> tuple[tuple[Test, ...], ...]:
    """The rows of a condition from texts such as "position is keeper and station is marrow"."""
    return tuple(tuple(map(Test.read, text.split(" and "))) for text in rows)


def _some(logins: Texts) -> str:
    logins = list(logins)
    return row(logins) if len(logins) <= 4 else f"{len(logins)} people"
