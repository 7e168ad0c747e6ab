"""Roles: defined, copied, changed, removed."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import ClassVar

from prim_lantern.change.operations.base import Made, Operation, Texts, only_said, row
from prim_lantern.change.operations.entries import (
    added,
    list_changed,
    named,
    put,
    without,
)
from prim_lantern.change.removal import without_whos
from prim_lantern.errors import BadChange
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.rights import Capability, Role
from prim_lantern.site.who import Who
from prim_lantern.values import replace


@dataclass(frozen=True)
class AddRole(Operation):
    """Define a role. `includes` are roles that it is built on: what they can do it can too,
    also when they change. Capability rows say what it can do (`can` on anybody's items, `own` on
    one's own), to which kinds, in which states."""

    do: ClassVar[str] = "add-role"
    name: str
    label: str = ""
    about: str = ""
    includes: Texts = ()
    capabilities: tuple[Capability, ...] = ()
    all_access: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        includes = tuple(named(data, "roles", each).name for each in self.includes)
        return added(
            data,
            "roles",
            Role(
                folded(self.name),
                self.label,
                self.about,
                includes,
                tuple(self.capabilities),
                self.all_access,
            ),
        )

    def said(self) -> str:
        on = f" on {row(self.includes)}" if self.includes else ""
        return f"add the role {self.name}{on}"


@dataclass(frozen=True)
class CopyRole(Operation):
    """Define a role as a copy of another; later changes to that one do not follow."""

    do: ClassVar[str] = "copy-role"
    name: str
    to: str
    label: str = ""
    about: str = ""

    def apply(self, data: SiteData, made: Made) -> SiteData:
        copied = named(data, "roles", self.name)
        label = self.label or f"{copied.called} (copy)"
        about = self.about or copied.about
        entry = replace(copied, name=folded(self.to), label=label, about=about, origin=None)
        return added(data, "roles", entry)

    def said(self) -> str:
        return f"copy the role {self.name} to {self.to}"


@dataclass(frozen=True)
class ChangeRole(Operation):
    """Change what a role is called, what it is for, what it is built on, and what it can do.

    `add` are further capability rows; with `instead` they take the place of what its own rows say
    of the same kinds. `drop` takes actions out of all its own rows, or, with `drop_kinds`, out of
    those rows that are about these kinds.
    """

    do: ClassVar[str] = "change-role"
    name: str
    label: str | None = None
    about: str | None = None
    build_on: Texts = ()
    no_longer_on: Texts = ()
    add: tuple[Capability, ...] = ()
    drop: Texts = ()
    drop_kinds: Texts = ()
    instead: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        role: Role = named(data, "roles", self.name)
        said = {
            "label": self.label,
            "about": self.about,
            "includes": self._includes(data, role) if self.build_on or self.no_longer_on else None,
            "capabilities": self._rows(role) if self.add or self.drop else None,
        }
        return put(data, "roles", replace(role, **only_said(**said)))

    def _includes(self, data: SiteData, role: Role) -> tuple[str, ...]:
        add = [named(data, "roles", each).name for each in self.build_on]
        what = f"the roles that {role.name} is built on"
        return list_changed(role.includes, add, map(folded, self.no_longer_on), what)

    def _rows(self, role: Role) -> tuple[Capability, ...]:
        kept = tuple(self._kept(role))
        if self.instead:
            same = [set(each.kinds) for each in self.add]
            kept = tuple(each for each in kept if set(each.kinds) not in same)
            if len(kept) == len(role.capabilities):
                raise BadChange(
                    f"The role {role.name} has no row of its own about just these kinds; without "
                    "'instead' one is added."
                )
        new = [each for each in self.add if each not in kept]
        if kept == role.capabilities and not new:
            what = row(self.drop) if self.drop else "all of that"
            has = "does not name" if self.drop else "has"
            raise BadChange(f"The role {role.name} {has} {what} already in rows of its own.")
        return (*kept, *new)

    def _kept(self, role: Role) -> Iterator[Capability]:
        drop, kinds = set(self.drop), set(self.drop_kinds)
        for each in role.capabilities:
            if kinds and not kinds & set(each.kinds):
                yield each
                continue
            left = [kind for kind in each.kinds if kind not in kinds]
            if kinds and left:  # the other kinds of the row keep all
                yield each._replace(kinds=tuple(left))
                each = each._replace(kinds=tuple(k for k in each.kinds if k in kinds))
            can = tuple(action for action in each.can if action not in drop)
            own = tuple(action for action in each.own if action not in drop)
            if can or own:
                yield each._replace(can=can, own=own)

    def said(self) -> str:
        return f"change the role {self.name}"


@dataclass(frozen=True)
class RemoveRole(Operation):
    """Remove a role, taking it back from everybody; rules about whoever has it go as well."""

    do: ClassVar[str] = "remove-role"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        role: Role = named(data, "roles", self.name)
        builders = [each.name for each in data.roles.values() if role.name in each.includes]
        if builders:
            raise BadChange(
                f"{row(builders)} {'is' if len(builders) == 1 else 'are'} built on the role "
                f"{role.name}: change that first ('role change … --not-on {role.name}')."
            )
        given = tuple(each for each in data.given if each.role != role.name)
        data = without_whos(data.with_parts(given=given), {Who("role", role.name)})
        return without(data, "roles", role.name)

    def said(self) -> str:
        return f"remove the role {self.name}"
