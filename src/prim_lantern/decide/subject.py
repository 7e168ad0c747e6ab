"""What a decision is about: an item, a pictured item or a place, seen from the places around."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import NamedTuple

from prim_lantern.site.content import DRAFT, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import (
    ONLY_BELOW,
    ONLY_HERE,
    Place,
    category_and_above,
    is_above,
    way_to,
)

# The last segment of a pictured path: no real path can hold it, so nothing stands there.
FRESH = "\x00"


class Subject(NamedTuple):
    """What places hold it, and what clauses ask of it.

    `way` are the paths from the root down to it; `own_paths` its own path and, for a
    part, those from its page down. `categories` includes those above. `page` is the
    page of a part and `page_kinds` has its kind; `target` is the path that a link leads to.
    """

    way: tuple[str, ...] = ()
    own_paths: frozenset[str] = frozenset()
    categories: frozenset[str] = frozenset()
    kinds: frozenset[str] = frozenset()
    authors: frozenset[str] = frozenset()
    changed_by: frozenset[str] = frozenset()
    state: str = DRAFT
    page: str | None = None
    target: str | None = None
    page_kinds: frozenset[str] = frozenset()

    @property
    def of_page(self) -> Subject:
        """The page of a part: it has its state, authors and categories already."""
        page = self.page or "/"
        return self._replace(
            way=way_to(page),
            own_paths=frozenset({page}),
            kinds=self.page_kinds,
            page=None,
            target=None,
            page_kinds=frozenset(),
        )

    def is_held_by(self, place: Place) -> bool:
        """Whether a place holds it."""
        if place.kind == "site":
            return True
        if place.kind == "category":
            return place.name in self.categories
        if place.name not in self.way:
            return False
        own = place.name in self.own_paths
        return own if place.reach == ONLY_HERE else not own if place.reach == ONLY_BELOW else True

    def nearer(self, a: Place, b: Place) -> bool:
        """Whether, of two places that hold it, a is nearer than b."""
        if b.kind == "site":
            return a.kind != "site"
        if a.kind == "path" and b.kind == "path":
            return is_above(b.name, a.name)
        if a.kind == "path" and b.kind == "category":
            return a.name in self.own_paths
        if a.kind == "category" and b.kind == "category":
            return b.name in category_and_above(a.name)[:-1]
        return False

    def at_or_nearer(self, a: Place, b: Place) -> bool:
        """Whether a is the same place as b, or nearer."""
        return a.spot == b.spot or self.nearer(a, b)


def of_item(data: SiteData, item: Item, at: datetime) -> Subject:
    """An item of the site as it is at a moment."""
    return _standing(data, item.path, item, at)


def pictured(data: SiteData, item: Item, parent: str, at: datetime) -> Subject:
    """An item as it would be at a fresh path below a parent; its own path does not count."""
    path = f"{parent.rstrip('/')}/{FRESH}"
    return _standing(data, path, item, at)


def newly(
    data: SiteData, item: Item, above: str, parent: str, further: str, at: datetime
) -> Subject:
    """An item of a site as it would stand at a fresh path, or `further` below that, under a path
    `above`, which is called `parent` where it is asked about."""
    page = data.page_of(above) if data.all_kinds[item.kind].part and not further else None
    path = f"{parent.rstrip('/')}/{FRESH}{further}"
    page_path = None
    if page is not None:
        page_path = parent[: len(parent) - len(above.removeprefix(page))] or "/"
    return _of_page(data, path, item, page, page_path, at)


def _standing(data: SiteData, path: str, item: Item, at: datetime) -> Subject:
    page = data.page_of(way_to(path)[-2]) if data.all_kinds[item.kind].part else None
    return _of_page(data, path, item, page, page, at)


def _of_page(
    data: SiteData, path: str, item: Item, page: str | None, called: str | None, at: datetime
) -> Subject:
    """An item at a path; `page` is the page of a part, which is `called` so on the way."""
    way = way_to(path)
    own_paths = {path}
    source, page_kinds = item, frozenset[str]()
    if page is not None and called is not None:
        source = data.items[page]
        page_kinds = frozenset({source.kind})
        own_paths.update(each for each in way if each == called or is_above(called, each))
    return Subject(
        way=way,
        own_paths=frozenset(own_paths),
        categories=with_above(source.categories),
        kinds=frozenset({item.kind}) | page_kinds,
        authors=frozenset(source.authors),
        changed_by=frozenset(source.changed_by),
        state=source.state_at(at),
        page=called,
        target=item.links_to,
        page_kinds=page_kinds,
    )


def of_place(data: SiteData, place: Place) -> Subject:
    """A place that is asked about in itself, for managing: no kinds, states or authors."""
    if place.kind == "category":
        return Subject(categories=with_above([place.name]))
    if place.kind == "site":
        return Subject()
    way, page = way_to(place.name), data.page_of(place.name)
    own = frozenset(each for each in way if each == page or is_above(page, each))
    return Subject(way=way, own_paths=own)


def with_above(categories: Iterable[str]) -> frozenset[str]:
    """The categories and all above them."""
    return frozenset(above for each in categories for above in category_and_above(each))
