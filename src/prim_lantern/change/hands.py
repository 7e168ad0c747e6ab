"""Whose hands were on an item since it was last published: what four eyes ask about.

Nobody writes it; it follows from what is changed.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence

from prim_lantern.change.pieces import Piece
from prim_lantern.change.renames import Renames, new_categories, new_logins, new_readerships
from prim_lantern.site.content import PUBLISHED, SCHEDULED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.values import replace

_SEEN = ("title", "links_to", "categories", "kind", "authors")
_PUBLIC = (SCHEDULED, PUBLISHED)


def _called_now(before: SiteData, after: SiteData) -> Callable[[Item | None], Item | None]:
    """An item with the names that its categories, its readership and its people have after: to
    rename these is not to change it."""
    categories, readerships = new_categories(before, after), new_readerships(before, after)
    logins = new_logins(before, after)

    def called(item: Item | None) -> Item | None:
        if item is None or not (categories or readerships or logins):
            return item
        return replace(
            item,
            authors=tuple(logins.get(each, each) for each in item.authors),
            changed_by=tuple(logins.get(each, each) for each in item.changed_by),
            categories=tuple(categories.get(each, each) for each in item.categories),
            readership=readerships.get(item.readership or "", item.readership),
        )

    return called


def with_hands(
    before: SiteData,
    after: SiteData,
    pieces: Sequence[Piece],
    renames: Renames,
    by: str,
    *,
    brought_in: bool = False,
    taking_back: bool = False,
) -> SiteData:
    """The site after one step, with the hands on every item that it touched.

    Whoever changes an item or a part of it is one of them, and so is who was an author; publishing
    lets them go. `brought_in` says that new items came with theirs; `taking_back` that nothing is
    published anew, and no hand is forgotten.
    """
    as_called_now = _called_now(before, after)
    items = [
        _without_those_gone(piece, after)
        for piece in pieces
        if piece.part == "items" and as_called_now(piece.before) != piece.after
    ]
    put: dict[str, Item] = {}
    for piece in items:
        if piece.after is not None and after.all_kinds[piece.after.kind].part:
            continue  # its hands are its page's
        found = _with_own(piece, by, brought_in=brought_in, taking_back=taking_back)
        if found is not None and found != after.items[found.path]:
            put[found.path] = found
    for path in _pages_touched(before, after, items, renames):
        page = put.get(path) or after.items[path]
        if by not in (*page.authors, *page.changed_by):
            put[path] = replace(page, changed_by=(*page.changed_by, by))
    return after.with_parts(items=after.content.revised(put.values())) if put else after


def _without_those_gone(piece: Piece, after: SiteData) -> Piece:
    """An item as it was without the hands of people who are no longer there."""
    before: Item | None = piece.before
    if before is None or all(each in after.users for each in (*before.authors, *before.changed_by)):
        return piece
    authors, changed_by = (
        tuple(each for each in hands if each in after.users)
        for hands in (before.authors, before.changed_by)
    )
    return piece._replace(before=replace(before, authors=authors, changed_by=changed_by))


def _with_own(piece: Piece, by: str, *, brought_in: bool, taking_back: bool) -> Item | None:
    """An item that came or differs, with its hands; None for one that goes."""
    before: Item | None = piece.before
    after: Item | None = piece.after
    if after is None:
        return None
    if before is None:
        made = () if brought_in or taking_back or by in after.authors else (by,)
        return replace(after, changed_by=_joined(after, (*after.changed_by, *made)))
    hands = list(before.changed_by)
    if taking_back:
        hands += after.changed_by
    elif before.state not in _PUBLIC and after.state in _PUBLIC:
        hands = []
    if _seen_differs(before, after):
        hands += [*(each for each in before.authors if each not in after.authors), by]
    return replace(after, changed_by=_joined(after, hands))


def _seen_differs(before: Item, after: Item) -> bool:
    """Whether anything differs that four eyes are to look at."""
    return any(getattr(before, each) != getattr(after, each) for each in _SEEN)


def _joined(item: Item, hands: Iterable[str]) -> tuple[str, ...]:
    return tuple(each for each in dict.fromkeys(hands) if each not in item.authors)


def _pages_touched(
    before: SiteData, after: SiteData, items: Sequence[Piece], renames: Renames
) -> list[str]:
    """The pages of which a part came, went, differs or has moved."""
    found: dict[str, None] = {}
    for piece in items:
        if piece.before and piece.after and not _seen_differs(piece.before, piece.after):
            continue
        for data, item in ((before, piece.before), (after, piece.after)):
            if item is not None and data.all_kinds[item.kind].part:
                found[data.page_of(item.path)] = None
    for old, new in renames.paths.items():
        was = renames.inverse.path(new)
        if after.is_part(new):
            found[after.page_of(new)] = None
            if was == old:
                found[_page_above(after, old)] = None
    return [path for path in found if path in after.items and not after.is_part(path)]


def _page_above(data: SiteData, path: str) -> str:
    return data.page_of(path.rpartition("/")[0] or "/")
