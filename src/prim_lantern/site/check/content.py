"""Checks of content: kinds, actions, categories, and how items stand in the tree."""

from __future__ import annotations

from collections.abc import Callable, Collection, Hashable, Mapping, Sequence
from functools import partial
from typing import TypeVar

from prim_lantern.site import names
from prim_lantern.site.actions import BUILT_IN_ACTIONS, EVERY_ACTION, MANAGING_ACTIONS
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.content import (
    BUILT_IN_KINDS,
    PUBLISHED,
    SCHEDULED,
    STATES,
    CategorySet,
    Item,
    Kind,
)
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.places import parent_of, way_to

_LINKS_IN_A_ROW = 50


def check(notes: Notes, sound: SiteData | None = None) -> None:
    """Note all that is wrong with the content of a site; of one that was `sound` before a change,
    with what the change touched."""
    data = notes.data
    rows: Collection[int] | None = _touched(data, sound) if sound is not None else None
    if rows is None:
        _what_is_there(notes)
        rows = range(len(data.content))
    for row in sorted(_worth_a_look(data, rows)):
        _item(notes, data.content.at(row))
    if sound is not None and not _links_touched(data, sound):
        return
    leads_to = {data.content.names[r]: to for r, to in data.content.filled("links_to").items()}
    _links_in_a_row(notes, leads_to)
    notes.circles(
        {path: [target] for path, target in leads_to.items()},
        lambda path: data.items[path].origin,
        "links_to",
        "a link must end at something that is no link",
    )


def _what_is_there(notes: Notes) -> None:
    """Kinds, actions and categories."""
    data = notes.data
    for kind in data.kinds.values():
        _kind(notes, kind)
    for action in data.actions.values():
        notes.spelled(action.origin, action.name, names.key)
        if action.name in (*BUILT_IN_ACTIONS, *MANAGING_ACTIONS, EVERY_ACTION):
            expected = "is built in; give an action of the site another name."
            notes.wrong(action.origin, None, action.name, expected)
        notes.actions(action.origin, "brings", action.brings, managing=False)
    notes.circles(
        {action.name: action.brings for action in data.actions.values()},
        lambda name: data.actions[name].origin,
        "brings",
        "an action cannot bring itself",
    )
    for category_set in data.category_sets.values():
        _category_set(notes, category_set)


def _touched(data: SiteData, sound: SiteData) -> set[int] | None:
    """The rows that may be wrong after a change of items: those that differ, and what stands below
    those that went, are of another kind, or came and have nothing below. None where it may be
    any."""
    if any(getattr(data, part) is not getattr(sound, part) for part in _RULING):
        return None
    moved = data.content.moved_since(sound.content)
    people = data.people.moved_since(sound.people)
    if moved is None or people is None or people.gone:
        return None
    content, was, ends = data.content, sound.content, _ends(data)
    others = {was.names[row] for row in moved.gone}
    others |= {content.names[r] for r in moved.new if content.value("kind", r) in ends}
    others |= {
        content.names[row]
        for row in moved.changed
        if content.value("kind", row) != was.value("kind", moved.was(row))
    }
    if len(others) > max(_FEW, len(was) // 10):
        return None
    found = {*moved.changed, *moved.new}
    for path in others:
        found.update(content.index[each] for each in data.tree.below(path))
    return found


def _links_touched(data: SiteData, sound: SiteData) -> bool:
    """Whether there may be links that were not there: of what else has changed, none go round."""
    moved = data.content.moved_since(sound.content)
    if moved is None:
        return True
    rows = (*moved.changed, *moved.new)
    return any(data.content.value("links_to", row) is not None for row in rows)


_FEW = 1_000
_RULING = ("kinds", "actions", "category_sets", "readerships")


def _worth_a_look(data: SiteData, rows: Collection[int]) -> set[int]:
    """Of some rows those in which something may be wrong.

    Most are seen to be in order from their columns, where many rows share few values; the
    others are looked at one by one.
    """
    column = partial(data.content.values_at, rows=rows)
    paths, kinds = column("path"), column("kind")
    found = {r for r, path in zip(rows, paths, strict=True) if not names.PLAIN_PATH.fullmatch(path)}

    def look(values: Sequence[_Value], suspect: Callable[[_Value], bool]) -> None:
        """Take the rows whose value is suspect; each distinct value is looked at once."""
        suspects = {value for value in set(values) if suspect(value)}
        if suspects:
            found.update(r for r, value in zip(rows, values, strict=True) if value in suspects)

    def is_special(name: str) -> bool:
        kind = data.all_kinds.get(name)
        return kind is None or kind.part or kind.link

    look(kinds, is_special)
    look(column("state"), lambda state: state not in STATES or state == SCHEDULED)
    for people in (column("authors"), column("changed_by")):
        look(people, lambda logins: any(each not in data.users for each in logins))
    filed = list(zip(kinds, column("categories"), strict=True))
    look(filed, lambda each: not _filed_well(data, *each))
    for rare in ("readership", "public_until", "links_to"):
        look(column(rare), lambda value: value is not None)
    above = [parent_of(path) if path.startswith("/") else None for path in paths]
    look(above, partial(_has_nothing_below, data, _ends(data), {}))
    return found


_Value = TypeVar("_Value", bound=Hashable)


def _filed_well(data: SiteData, kind: str, categories: tuple[str, ...]) -> bool:
    found = data.all_kinds.get(kind)
    return all(each in data.categories and (not found or found.takes(each)) for each in categories)


def _ends(data: SiteData) -> set[str]:
    """The kinds of what has nothing below: links, and parts, which have only parts."""
    return {kind.name for kind in data.all_kinds.values() if kind.part or kind.link}


def _has_nothing_below(
    data: SiteData, ends: Collection[str], known: dict[str, bool], path: str | None
) -> bool:
    """Whether a path, or one above it, is that of a link or a part. What is found out on the way
    comes to be `known`."""
    content, way = data.content, []
    while path is not None and path not in known:
        way.append(path)
        path = parent_of(path)
    found = path is not None and known[path]
    for each in reversed(way):
        row = content.index.get(each)
        found = found or (row is not None and content.value("kind", row) in ends)
        known[each] = found
    return found


def _links_in_a_row(notes: Notes, leads_to: Mapping[str, str]) -> None:
    """Note links that lead to links to links …, further than a decision follows them."""
    inner = {target for target in leads_to.values() if target in leads_to}
    for path in leads_to:
        if path not in inner:  # the first of a row
            at, steps = path, 0
            while at in leads_to and steps <= _LINKS_IN_A_ROW:
                at, steps = leads_to[at], steps + 1
            if steps > _LINKS_IN_A_ROW:
                expected = f"starts more than {_LINKS_IN_A_ROW} links in a row; link to the end."
                notes.wrong(notes.data.items[path].origin, "links_to", path, expected)


def _kind(notes: Notes, kind: Kind) -> None:
    notes.spelled(kind.origin, kind.name, names.key)
    if kind.part and kind.link:
        notes.wrong(kind.origin, "link", kind.name, "cannot be a part and a link at once.")
    built_in = BUILT_IN_KINDS.get(kind.name)
    if built_in and (kind.part, kind.link) != (built_in.part, built_in.link):
        what = "a part" if built_in.part else "a link" if built_in.link else "neither part nor link"
        expected = f"is built in as {what}; that cannot be changed. Name a new kind."
        notes.wrong(kind.origin, "link" if kind.link else "part", kind.name, expected)
    notes.among(
        kind.origin, "filed_under", kind.filed_under, notes.data.category_sets, "category set"
    )
    if kind.part and (kind.must_be_filed or kind.filed_under):
        expected = "is a part and has its page's categories; it cannot be filed itself."
        notes.wrong(kind.origin, "must_be_filed", kind.name, expected)


def _category_set(notes: Notes, category_set: CategorySet) -> None:
    notes.spelled(category_set.origin, category_set.name, names.key)
    for category in category_set.categories:
        for segment in category.split("/"):
            notes.spelled(
                category_set.origin and category_set.origin.of(category), segment, names.key
            )
        above = category.rpartition("/")[0]
        if above and above not in category_set.categories:
            expected = f"lies below {above!r}, which this set does not have; add it."
            notes.wrong(category_set.origin, category, category, expected)


def _item(notes: Notes, item: Item) -> None:
    data, origin = notes.data, item.origin
    notes.spelled(origin, item.path, names.path)
    notes.kinds(origin, "kind", [item.kind])
    notes.users(origin, "authors", item.authors)
    notes.users(origin, "changed_by", item.changed_by)
    notes.one_of(origin, "state", item.state, STATES)
    if item.readership is not None:
        notes.readership(origin, "readership", item.readership)
    if item.state == SCHEDULED and item.public_from is None:
        expected = "needs a public_from: when does it become public?"
        notes.wrong(origin, "public_from", item.state, expected)
    if item.public_from and item.public_until and item.public_until <= item.public_from:
        expected = f"is not after public_from, {written(item.public_from)}."
        notes.wrong(origin, "public_until", written(item.public_until), expected)
    for category in item.categories:
        if category not in data.categories:
            expected = "is no category of this site."
            notes.wrong(origin, "categories", category, expected, data.categories)
    kind = data.all_kinds.get(item.kind)
    if kind is not None:
        _as_its_kind(notes, item, kind)


def _as_its_kind(notes: Notes, item: Item, kind: Kind) -> None:
    origin = item.origin
    if kind.part:
        _part(notes, item)
    else:
        for category in item.categories:
            if category in notes.data.categories and not kind.takes(category):
                expected = (
                    f"cannot be a category of a {kind.name}: it is filed under "
                    f"{' or '.join(kind.filed_under)} only."
                )
                notes.wrong(origin, "categories", category, expected)
    if kind.link:
        if item.links_to is None:
            notes.wrong(origin, "links_to", item.path, "is a link and needs a path it links to.")
        else:
            notes.spelled(origin, item.links_to, names.path)
    elif item.links_to is not None:
        notes.wrong(origin, "links_to", item.links_to, f"belongs to a link; this is a {kind.name}.")
    content = notes.data.content
    for above in way_to(item.path)[:-1]:
        row = content.index.get(above)
        upper = notes.data.all_kinds.get(content.value("kind", row)) if row is not None else None
        if upper and upper.link:
            notes.wrong(origin, "path", item.path, f"stands below the link {above}; nothing can.")
        elif upper and upper.part and not kind.part:
            expected = f"stands below the part {above}, where only parts can be."
            notes.wrong(origin, "path", item.path, expected)


def _part(notes: Notes, item: Item) -> None:
    its_pages = {
        "authors": item.authors,
        "changed_by": item.changed_by,
        "state": item.state if item.state != PUBLISHED else None,
        "categories": item.categories,
        "public_from": item.public_from,
        "public_until": item.public_until,
    }
    for column, value in its_pages.items():
        if value:
            expected = f"must stay empty: the {column} of a part are its page's."
            shown = ";".join(value) if isinstance(value, tuple) else value
            notes.wrong(item.origin, column, str(shown), expected)
    parent = parent_of(item.path)
    if parent is None or parent not in notes.data.items:
        expected = f"is a part without a page: no item stands at {parent or 'any place above'}."
        notes.wrong(item.origin, "path", item.path, expected)
