"""Content: items added, moved, filed, and taken along their states; categories."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from prim_lantern.change.operations.base import (
    Made,
    Operation,
    Texts,
    When,
    WhenOrNever,
    only_said,
    row,
)
from prim_lantern.change.operations.entries import list_changed, named
from prim_lantern.change.operations.readerships import with_setting
from prim_lantern.change.renames import Renames, renamed, set_at
from prim_lantern.decide import standing
from prim_lantern.errors import AlreadyThere, BadChange, UnknownItem
from prim_lantern.site import names
from prim_lantern.site.actions import STEPS
from prim_lantern.site.content import DRAFT, IN_REVIEW, PUBLISHED, CategorySet, Item, state_after
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.site.places import is_above, parent_of, place
from prim_lantern.values import replace
from prim_lantern.wording import with_article


@dataclass(frozen=True)
class AddItem(Operation):
    """Add an item at a path, as a draft; a part, which has its page's state, is there at once.

    Whoever adds it is its author, unless others are named.
    """

    do: ClassVar[str] = "add-item"
    path: str
    kind: str
    title: str = ""
    authors: Texts = ()
    categories: Texts = ()
    links_to: str | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        path, kind = names.path(self.path), data.kind(self.kind)
        if path in data.items:
            raise AlreadyThere("item", path)
        categories = tuple(dict.fromkeys(map(data.category, self.categories)))
        parent = parent_of(path)
        obstacle = standing.obstacle(data, kind, parent or "/", categories)
        if obstacle and parent is not None:
            raise BadChange(f"{path} cannot be added: {obstacle}.")
        page = not kind.part
        item = Item(
            path,
            kind.name,
            self.title,
            tuple(map(data.login, self.authors or (made.by,))) if page else (),
            state=DRAFT if page else PUBLISHED,
            categories=categories,
            links_to=self.links_to,
        )
        return data.with_parts(items=data.content.revised([item]))

    def said(self) -> str:
        return f"add {with_article(self.kind)} at {self.path}"


@dataclass(frozen=True)
class ImportItems(Operation):
    """Add and change many items at once, as rows of the content table: a path that is there is
    changed in the columns the row has, any other is added. Texts as in content.csv. `source` is
    what they come from, so that it is known later what is there no longer."""

    do: ClassVar[str] = "import-items"
    brings_in: ClassVar[bool] = True
    rows: tuple[Mapping[str, Any], ...]
    source: str = ""

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if not self.rows:
            raise BadChange("There are no rows to import.")
        put = {}
        for values in self.rows:
            item = self._item(data, values, made)
            if item.path in put:
                raise BadChange(f"{item.path} is in two rows; keep one.")
            put[item.path] = item
        data = data.with_parts(items=data.content.revised(put.values()))
        _within_limits(data, list(put))
        return data

    def _item(self, data: SiteData, values: Mapping[str, Any], made: Made) -> Item:
        path = names.path(values["path"])
        before = data.items.get(path)
        if before is None and not values.get("kind"):
            raise BadChange(f"{path} is new and needs a kind.")
        kind = data.kind(values.get("kind") or (before.kind if before else ""))
        if before is not None and values.get("changed_by", before.changed_by) != before.changed_by:
            raise BadChange(
                f"Who changed {path} is kept by the site itself: leave the column changed_by out "
                "for items that are there."
            )
        own = () if kind.part or values.get("authors") or made.brings_in else (made.by,)
        new = before or Item(path, kind.name, authors=own)
        if before is None and not made.brings_in:
            values = {name: each for name, each in values.items() if name != "changed_by"}
        if before is None and own:
            values = {name: each for name, each in values.items() if name != "authors"}
        times = {
            name: moment(values[name], data.zone)
            for name in ("public_from", "public_until")
            if values.get(name) is not None
        }
        return replace(new, **{**values, **times})

    def said(self) -> str:
        return f"import {len(self.rows):,} item{'s' if len(self.rows) != 1 else ''}"


@dataclass(frozen=True)
class RemoveItem(Operation):
    """Remove an item with all below it. What is said of those paths (rules, readerships, limits)
    stays where it stands, for whatever comes there next; `with_words` takes it away as well."""

    do: ClassVar[str] = "remove-item"
    path: str
    with_words: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        path = _there(data, self.path)
        if path == "/":
            raise BadChange("The home page cannot be removed.")
        gone = {each for each in (path, *data.tree.below(path)) if each in data.items}
        leading = [
            data.content.names[row]
            for row, to in data.content.filled("links_to").items()
            if to in gone and data.content.names[row] not in gone
        ]
        if leading:
            raise BadChange(f"{row(leading)} leads there: change or remove that first.")
        if self.with_words:
            data = _without_words_at(data, path)
        else:
            for each in sorted(gone):
                standing_there = data.items[each].readership
                if standing_there:  # written with the item, it stays at the place
                    data = with_setting(data, place(each), readership=standing_there)
        return data.with_parts(items=data.content.revised(gone=gone))

    def said(self) -> str:
        words = ", with all that is said of it" if self.with_words else ""
        return f"remove {self.path} and all below it{words}"


@dataclass(frozen=True)
class MoveItem(Operation):
    """Move an item, with all below it and all that is set there, under another parent; `name`
    is the last part of its new path, if that changes too."""

    do: ClassVar[str] = "move-item"
    path: str
    new_parent: str
    name: str | None = None

    def renames(self, data: SiteData) -> Renames:
        path = data.item(self.path).path
        if path == "/":
            raise BadChange("The home page cannot be moved.")
        last = self.name or path.rpartition("/")[2]
        return Renames(paths={path: names.path(f"{self.new_parent.rstrip('/')}/{last}")})

    def apply(self, data: SiteData, made: Made) -> SiteData:
        renames = self.renames(data)
        ((path, to),) = renames.paths.items()
        item, parent = data.items[path], _there(data, self.new_parent)
        there = set_at(data, to)
        if there is not None:
            raise BadChange(f"{path} cannot be moved to {to}: {there} stands there already.")
        if parent == parent_of(path):
            obstacle = None  # it only gets another name
        else:
            kind = data.all_kinds[item.kind]
            obstacle = standing.obstacle(data, kind, parent, item.categories, moved=item)
        if obstacle:
            raise BadChange(f"{path} cannot be moved there: {obstacle}.")
        return renamed(data, renames)

    def said(self) -> str:
        name = f" as {self.name}" if self.name else ""
        return f"move {self.path} under {self.new_parent}{name}"


@dataclass(frozen=True)
class ChangeItem(Operation):
    """Change an item's title, categories, authors, where a link leads, or from when until when it
    is public ("never" takes a moment away)."""

    do: ClassVar[str] = "change-item"
    path: str
    title: str | None = None
    file_under: Texts = ()
    no_longer_under: Texts = ()
    add_authors: Texts = ()
    drop_authors: Texts = ()
    links_to: str | None = None
    public_from: WhenOrNever = None
    public_until: WhenOrNever = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        item = data.item(self.path)
        categories = authors = None
        if self.file_under or self.no_longer_under:
            add = map(data.category, self.file_under)
            what = f"the categories of {item.path}"
            categories = list_changed(item.categories, add, self.no_longer_under, what)
            if not categories and data.all_kinds[item.kind].must_be_filed:
                called = with_article(data.all_kinds[item.kind].called)
                raise BadChange(f"{called} must be filed under at least one category.")
        if self.add_authors or self.drop_authors:
            more, fewer = map(data.login, self.add_authors), map(data.login, self.drop_authors)
            authors = list_changed(item.authors, more, fewer, f"the authors of {item.path}")
        said = only_said(
            title=self.title,
            categories=categories,
            authors=authors,
            links_to=self.links_to,
            public_from=self.public_from,
            public_until=self.public_until,
        )
        times: dict[str, Any] = {
            name: None if said[name] == "never" else moment(said[name], data.zone)
            for name in ("public_from", "public_until")
            if name in said
        }
        changed = replace(item, **{**said, **times})
        return data.with_parts(items=data.content.revised([changed]))

    def said(self) -> str:
        return f"change {self.path}"


@dataclass(frozen=True)
class TakeStep(Operation):
    """Take an item one step along its states: submit, send-back, publish, withdraw, archive."""

    do: ClassVar[str] = "take-step"
    path: str
    step: str
    public_from: When = None
    public_until: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        item = data.item(self.path)
        if self.step not in STEPS:
            data.action(self.step)
            raise BadChange(f"{self.step!r} is no step: use one of {', '.join(STEPS)}.")
        if data.all_kinds[item.kind].part:
            raise BadChange(
                f"{item.path} is a part: its state is that of {data.page_of(item.path)}."
            )
        for name in ("public_from", "public_until"):
            if getattr(self, name) is not None:
                at = moment(getattr(self, name), data.zone)
                item = replace(item, **{name: at})
        now = item.state_at(made.at)
        state = state_after(self.step, item, made.at, own=made.by in item.authors)
        if state is None:
            own = " of their own" if now == IN_REVIEW and self.step == "withdraw" else ""
            raise BadChange(
                f"{item.path} is {now}: {self.step} is possible for what is "
                f"{' or '.join(STEPS[self.step].from_states)}{own}."
            )
        ended = item.public_until is not None and item.public_until <= made.at
        if self.step == "publish" and ended:
            item = replace(item, public_until=None)
        return data.with_parts(items=data.content.revised([replace(item, state=state)]))

    def said(self) -> str:
        return f"{self.step} {self.path}"


@dataclass(frozen=True)
class AddCategory(Operation):
    """Add a category, as topic:wildlife/seals; a set that is new is made."""

    do: ClassVar[str] = "add-category"
    category: str
    label: str = ""

    def apply(self, data: SiteData, made: Made) -> SiteData:
        set_name, colon, key = self.category.partition(":")
        if not colon or not key:
            raise BadChange(f"{self.category!r} is no category: write it as topic:wildlife.")
        found = data.category_sets.get(set_name) or CategorySet(names.key(set_name))
        if key in found.categories:
            raise AlreadyThere("category", self.category)
        categories = {**found.categories, key: self.label or key.rpartition("/")[2].capitalize()}
        entry = replace(found, categories=categories)
        return data.with_parts(category_sets={**data.category_sets, set_name: entry})

    def said(self) -> str:
        return f"add the category {self.category}"


@dataclass(frozen=True)
class RemoveCategory(Operation):
    """Remove a category that nothing is filed under and where nothing is set."""

    do: ClassVar[str] = "remove-category"
    category: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        name = data.category(self.category)
        set_name, _, key = name.partition(":")
        filed = data.content.values_of("categories")
        uses = [data.content.names[row] for row, each in enumerate(filed) if name in each]
        if uses:
            are = "item is" if len(uses) == 1 else "items are"
            raise BadChange(f"{len(uses)} {are} filed under {name}, such as {uses[0]}.")
        found = named(data, "category_sets", set_name)
        left = {each: label for each, label in found.categories.items() if each != key}
        entry = replace(found, categories=left)
        return data.with_parts(category_sets={**data.category_sets, set_name: entry})

    def said(self) -> str:
        return f"remove the category {self.category}"


def _without_words_at(data: SiteData, path: str) -> SiteData:
    kept: dict[str, list[Any]] = {
        "rules": [each for each in data.rules if not _within(path, each.place.name)],
        "places": [each for each in data.places if not _within(path, each.place.name)],
        "limits": [each for each in data.limits if not _within(path, each.where)],
        "promises": [each for each in data.promises if not _within(path, each.where.name)],
        "given": [
            replace(each, within_any=left) if left != each.within_any else each
            for each in data.given
            if (left := tuple(p for p in each.within_any if not _within(path, p.name)))
        ],
    }
    return data.with_parts(**{part: tuple(entries) for part, entries in kept.items()})


def _there(data: SiteData, path: str) -> str:
    if not data.tree.holds(path):
        raise UnknownItem(path, names.nearest(path, data.sections))
    return path


def _within(top: str, name: str) -> bool:
    return name == top or (name.startswith("/") and is_above(top, name))


def _within_limits(data: SiteData, paths: Iterable[str]) -> None:
    parents = {parent_of(path) for path in paths}
    for limit in data.limits:
        if limit.where in parents:
            there = [e for e in data.directly_below(limit.where) if e.kind == limit.kind]
            if len(there) > limit.at_most:
                raise BadChange(
                    f"{len(there)} items of the kind {limit.kind} would stand below {limit.where}, "
                    f"and the limit is {limit.at_most}."
                )
