"""Checks of content: kinds, actions, categories, and how items stand in the tree."""

from __future__ import annotations

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
from prim_lantern.site.moments import written
from prim_lantern.site.places import parent_of, way_to

_LINKS_IN_A_ROW = 50


def check(notes: Notes) -> None:
    """Note all that is wrong with the content of a site."""
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
    for item in data.items.values():
        _item(notes, item)
    _links_in_a_row(notes)
    notes.circles(
        {item.path: [item.links_to] for item in data.items.values() if item.links_to},
        lambda path: data.items[path].origin,
        "links_to",
        "a link must end at something that is no link",
    )


def _links_in_a_row(notes: Notes) -> None:
    """Note links that lead to links to links …, further than a decision follows them."""
    leads_to = {item.path: item.links_to for item in notes.data.items.values() if item.links_to}
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
    for above in way_to(item.path)[:-1]:
        upper = notes.data.items.get(above)
        upper_kind = upper and notes.data.all_kinds.get(upper.kind)
        if upper_kind and upper_kind.link:
            notes.wrong(origin, "path", item.path, f"stands below the link {above}; nothing can.")
        elif upper_kind and upper_kind.part and not kind.part:
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
