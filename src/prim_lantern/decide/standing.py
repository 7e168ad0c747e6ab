"""Where an item cannot stand at all, whoever asks."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.site.content import Item, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import is_above, way_to
from prim_lantern.wording import with_article


def obstacle(
    data: SiteData, kind: Kind, parent: str, categories: Iterable[str], moved: Item | None = None
) -> str | None:
    """Why no item of this kind, filed so, can stand directly below the parent; None if it can.

    `moved` is the item that would come there from elsewhere, if it is not a new one.
    """
    return (
        _above(data, kind, parent)
        or cannot_be_filed(kind, tuple(categories))
        or _full(data, kind, parent, moved)
        or (_moved(moved, parent) if moved else None)
    )


def cannot_move(data: SiteData, path: str, parent: str) -> bool:
    """Whether an item, as it is, cannot stand below another parent."""
    item = data.items[path]
    kind = data.all_kinds[item.kind]
    return obstacle(data, kind, parent, item.categories, moved=item) is not None


def cannot_stand(data: SiteData, kind: Kind, parent: str) -> bool:
    """Whether no new item of this kind can stand directly below the parent, however filed."""
    return (_above(data, kind, parent) or _full(data, kind, parent, None)) is not None


def filing_obstacle(kind: Kind, category: str) -> str | None:
    """Why no item of this kind can be filed under the category; None if it can."""
    if kind.part:
        return f"{with_article(kind.called)} is a part of a page and has its page's categories"
    if not kind.takes(category):
        return f"{with_article(kind.called)} is filed under {' or '.join(kind.filed_under)} only"
    return None


def _above(data: SiteData, kind: Kind, parent: str) -> str | None:
    for above in way_to(parent):
        item = data.items.get(above)
        if item and data.all_kinds[item.kind].link:
            return f"{above} is a link, and nothing can be below a link"
        if item and data.all_kinds[item.kind].part and not kind.part:
            return f"{above} is a part of a page, and below it only parts can be"
    if kind.part and parent not in data.items:
        called = with_article(kind.called)
        return f"{called} is a part and needs a page, and no item stands at {parent}"
    return None


def cannot_be_filed(kind: Kind, categories: tuple[str, ...]) -> str | None:
    """Why no item of this kind can be filed so; None if it can."""
    for category in categories:
        found = filing_obstacle(kind, category)
        if found:
            return found
    if kind.must_be_filed and not categories:
        return f"{with_article(kind.called)} must be filed under at least one category"
    return None


def _full(data: SiteData, kind: Kind, parent: str, moved: Item | None) -> str | None:
    for limit in data.limits:
        if limit.kind == kind.name and limit.where == parent:
            there = [
                each
                for each in data.directly_below(parent)
                if each.kind == kind.name and each is not moved
            ]
            if len(there) >= limit.at_most:
                return (
                    f"there are {len(there)} items of the kind {kind.called} below {parent} "
                    f"already, and the limit is {limit.at_most}"
                )
    return None


def _moved(moved: Item, parent: str) -> str | None:
    if moved.path == "/":
        return "the home page cannot be moved"
    if parent == moved.path or is_above(moved.path, parent):
        return "an item cannot be moved below itself"
    return None
