"""Kinds of items, and actions of the site's own."""

from __future__ import annotations

from dataclasses import dataclass
from typing import ClassVar

from prim_lantern.change.operations.base import Made, Operation, Texts, only_said
from prim_lantern.change.operations.entries import added, named, put, without
from prim_lantern.errors import AlreadyThere, BadChange, UnknownWho
from prim_lantern.site import names
from prim_lantern.site.actions import BUILT_IN_ACTIONS, EVERY_ACTION, MANAGING_ACTIONS, Action
from prim_lantern.site.content import BUILT_IN_KINDS, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.values import replace


@dataclass(frozen=True)
class AddKind(Operation):
    """Define a kind of item: a part of pages, a menu link, or else a page of its own.

    `filed_under` names the category sets that it takes (none: any), and `must_be_filed` says that
    it needs a category. With `four_eyes`, nobody publishes what they wrote or changed.
    """

    do: ClassVar[str] = "add-kind"
    name: str
    label: str = ""
    part: bool = False
    link: bool = False
    four_eyes: bool = False
    filed_under: Texts = ()
    must_be_filed: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if self.name in data.all_kinds:
            raise AlreadyThere("kind", self.name)
        sets = tuple(_set_of(data, each) for each in self.filed_under)
        kind = Kind(self.name, self.label, self.part, self.link, self.four_eyes, sets)
        return added(data, "kinds", replace(kind, must_be_filed=self.must_be_filed))

    def said(self) -> str:
        return f"add the kind {self.name}"


@dataclass(frozen=True)
class ChangeKind(Operation):
    """Change a kind, a built-in one too: its label, whether it asks for four eyes, and how it is
    filed. `filed_under` replaces the category sets that it takes."""

    do: ClassVar[str] = "change-kind"
    name: str
    label: str | None = None
    four_eyes: bool | None = None
    filed_under: tuple[str, ...] | None = None
    must_be_filed: bool | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        kind = _kind(data, self.name)
        sets = self.filed_under
        said = only_said(
            label=self.label,
            four_eyes=self.four_eyes,
            filed_under=None if sets is None else tuple(_set_of(data, each) for each in sets),
            must_be_filed=self.must_be_filed,
        )
        return put(data, "kinds", replace(kind, **said))

    def said(self) -> str:
        return f"change the kind {self.name}"


@dataclass(frozen=True)
class RemoveKind(Operation):
    """Remove a kind of the site's own that nothing is of and no word names; of a built-in one, all
    that the site says of it."""

    do: ClassVar[str] = "remove-kind"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        kind = _kind(data, self.name)
        if kind.name not in data.kinds:
            raise BadChange(f"The kind {kind.name} is built in, and the site says nothing of it.")
        if kind.name not in BUILT_IN_KINDS:
            of_it = [name for name, item in data.items.items() if item.kind == kind.name]
            if of_it:
                are = "item is" if len(of_it) == 1 else "items are"
                raise BadChange(f"{len(of_it)} {are} of the kind {kind.name}, such as {of_it[0]}.")
        return without(data, "kinds", kind.name)

    def said(self) -> str:
        return f"remove the kind {self.name}"


@dataclass(frozen=True)
class AddAction(Operation):
    """Define an action of the site's own; `brings` names what it cannot do without."""

    do: ClassVar[str] = "add-action"
    name: str
    label: str = ""
    brings: Texts = ()
    risky: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if self.name in BUILT_IN_ACTIONS or self.name in (*MANAGING_ACTIONS, EVERY_ACTION):
            raise AlreadyThere("action", self.name)
        return added(data, "actions", Action(self.name, self.label, tuple(self.brings), self.risky))

    def said(self) -> str:
        return f"add the action {self.name}"


@dataclass(frozen=True)
class ChangeAction(Operation):
    """Change an action of the site's own; `brings` replaces what it brings along."""

    do: ClassVar[str] = "change-action"
    name: str
    label: str | None = None
    brings: tuple[str, ...] | None = None
    risky: bool | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        said = only_said(label=self.label, brings=self.brings, risky=self.risky)
        return put(data, "actions", replace(_action(data, self.name), **said))

    def said(self) -> str:
        return f"change the action {self.name}"


@dataclass(frozen=True)
class RemoveAction(Operation):
    """Remove an action of the site's own that no word names."""

    do: ClassVar[str] = "remove-action"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        return without(data, "actions", _action(data, self.name).name)

    def said(self) -> str:
        return f"remove the action {self.name}"


def _kind(data: SiteData, name: str) -> Kind:
    found = data.all_kinds.get(names.folded(name))
    if found is None:
        raise UnknownWho(name, names.nearest(name, data.all_kinds), "kind")
    return found


def _action(data: SiteData, name: str) -> Action:
    if name in BUILT_IN_ACTIONS or name in MANAGING_ACTIONS:
        raise BadChange(f"The action {name} is built in; a site changes only those of its own.")
    found: Action = named(data, "actions", name)
    return found


def _set_of(data: SiteData, name: str) -> str:
    found: str = named(data, "category_sets", name).name
    return found
