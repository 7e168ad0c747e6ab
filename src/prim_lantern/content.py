"""A website keeps its pages in its own table: taking over what is new there, changed and gone."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from itertools import islice
from typing import TYPE_CHECKING, Any, Final, NamedTuple, Protocol

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.change.hands import with_hands
from prim_lantern.change.pieces import differences
from prim_lantern.change.record import FROM_THE_WEBSITE, Patch, Record
from prim_lantern.change.renames import Renames
from prim_lantern.errors import BadChange, BadSite, BadValue
from prim_lantern.formats.folder.source import without_collecting
from prim_lantern.site import moments, names
from prim_lantern.site.check import problems_in
from prim_lantern.site.content import DRAFT, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Problem
from prim_lantern.site.places import tree_order
from prim_lantern.store.base import Seen, Store
from prim_lantern.values import replace

if TYPE_CHECKING:
    from sqlalchemy import Connection

_MANY: Final = 10  # items, of which half are not gone at once
_AT_ONCE: Final = 50_000  # items in one line of the history
_LISTS: Final = ("authors", "categories", "changed_by")
_TIMES: Final = ("public_from", "public_until")
_SINGLE: Final = ("kind", "title", "state", "links_to")
_COLUMNS: Final = ("path", *_SINGLE, *_TIMES, *_LISTS)

Rows = Iterable[Mapping[str, Any]]


class Taken(NamedTuple):
    """What was taken over: how many items are new, have changed and are gone, and the number of the
    last change after that. Nothing is as good as never asked: the number stays."""

    new: int
    changed: int
    gone: int
    version: int


class Source(Protocol):
    """Where a website's content comes from, such as `prim_lantern.sql.ContentTable`."""

    def rows(self) -> Rows:
        """All of it, a mapping each; see `Content.put`."""


class Taking(Protocol):
    """What content is taken over for: `Site`, that is."""

    @property
    def seen(self) -> Seen:
        """The site as it was found in its store."""

    @property
    def store(self) -> Store:
        """Where it is kept."""

    def catch_up(self) -> int:
        """Take over what others have changed in the store since; how many changes that were."""

    def take(self, seen: Seen) -> None:
        """Take over the site as it was found in the store."""


@explains_its_arguments()
class Content:
    """The content of a site, as its website has it: `Site.content`.

    The website vouches for what it says here: it asks for nobody's right, and no effects are worked
    out. It is recorded with number and time, apart from what people change, and cannot be undone
    here, as the website's own table would say otherwise. What is said of rights (readerships) is
    left as it is. To say the same twice changes nothing.

    Each call takes a `connection` of SQLAlchemy, where the website's tables and the site are in one
    database: it then is part of the transaction there, made or not made with all else, and known
    here once that is committed and `Site.fresh_to` (or `keep_fresh`) has looked.
    """

    def __init__(self, site: Taking) -> None:
        """Take the site."""
        self._site = site

    def put(
        self,
        rows: Mapping[str, Any] | Rows,
        *,
        by: str | None = None,
        connection: Connection | None = None,
    ) -> Taken:
        """Take over items that are new or have changed: one row, or several.

        A row has `path`; for new items `kind`; and any of `title`, `state`, `authors`,
        `categories`, `changed_by` (lists), `public_from`, `public_until` (moments), `links_to`.
        What it leaves out stays as it is; a new item is a draft then. With `by`, a login, the
        change is noted as the work of somebody, which four eyes ask about; else only `changed_by`
        says that.
        Raises `BadSite` with all that is wrong, and takes over nothing then.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> site.content.put({"path": "/news/fog", "kind": "page", "title": "Fog"})
        Taken(new=1, changed=0, gone=0, version=1)
        >>> site.content.put({"path": "/news/fog", "title": "Fog"})
        Taken(new=0, changed=0, gone=0, version=1)
        """
        some = _listed([rows] if isinstance(rows, Mapping) else rows)
        return self._take_over(some, by=by, connection=connection)

    def remove(self, paths: str | Iterable[str], *, connection: Connection | None = None) -> Taken:
        """Take over that items are gone, with their parts; what is below them otherwise stays. A
        path where nothing stands is gone already.

        >>> import prim_lantern as pl
        >>> pl.open_demo().content.remove("/visit/winter").gone
        1
        """
        gone = [paths] if isinstance(paths, str) else list(paths)
        return self._take_over([], gone=gone, connection=connection)

    def touched(self, path: str, by: str, *, connection: Connection | None = None) -> Taken:
        """Take over that somebody has changed an item (or a part of it) in what is not known here,
        such as its text: four eyes ask about that.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> site.content.touched("/visit/prices", by="sam.whitlock").changed
        1
        >>> site.data.items["/visit/prices"].changed_by
        ('sam.whitlock',)
        """
        return self._take_over([{"path": path}], touched_by=by, connection=connection)

    def sync(self, rows: Rows, *, many_gone: bool = False) -> Taken:
        """Take over all content as it is: what is new, what has changed, and what is gone, as no
        row has it. Many thousand items are taken over in several changes, one after the other.

        What others change here meanwhile stays as they have it: let rows be read when they are gone
        through, as those of a `ContentTable` are, so that they are no older than this call.
        Raises `BadChange` where more than half of ten items or more would be gone, unless
        `many_gone` says that this is meant: a table that is empty by mistake would take along what
        is said of each item.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> rows = [{"path": path} for path in site.data.items if path != "/visit/winter"]
        >>> site.content.sync(rows).gone
        1
        """
        self._site.catch_up()
        since = self._site.seen
        ordered = sorted(_listed(rows), key=lambda row: tree_order(str(row.get("path", ""))))
        said = {str(row.get("path")) for row in ordered}
        gone = [path for path in since.data.content.names if path not in said]
        if gone and not many_gone:
            _few(gone, len(since.data.content))
        new = changed = 0
        ours = since.number  # of the last change, if nobody else makes one
        rest = iter(ordered)
        while batch := list(islice(rest, _AT_ONCE)):
            with without_collecting():  # it would walk through all that is there, again and again
                taken = self._take_over(batch, since=(since.data, ours))
            new, changed = new + taken.new, changed + taken.changed
            ours += 1 if taken.new or taken.changed else 0
        last = self._take_over([], gone=gone, since=(since.data, ours))
        return Taken(new, changed, last.gone, last.version)

    # Taking over ------------------------------------------------------------------------------

    def _take_over(
        self,
        rows: list[Mapping[str, Any]],
        gone: Iterable[str] = (),
        *,
        since: tuple[SiteData, int] | None = None,
        by: str | None = None,
        touched_by: str | None = None,
        connection: Connection | None = None,
    ) -> Taken:
        store = self._site.store
        with store.changing(connection) as turn:
            seen = turn.seen(self._site.seen)
            data = seen.data
            if since is not None and since[1] != seen.number:
                rows = [row for row in rows if _as_then(data, since[0], row.get("path"))]
                gone = [path for path in gone if _as_then(data, since[0], path)]
            after = _with_rows(data, rows, gone)
            hand = by or touched_by
            if hand is not None:
                after = _with_work(data, after, rows, data.login(hand), touched=by is None)
            pieces = differences(data, after) if after is not data else ()
            if not pieces:
                return Taken(0, 0, 0, seen.number)
            new = sum(piece.before is None for piece in pieces)
            left = sum(piece.after is None for piece in pieces)
            changed = len(pieces) - new - left
            at = max(moments.now(), seen.at) if seen.at is not None else moments.now()
            counts = {"new": new, "changed": changed, "gone": left}
            said = ", ".join(f"{count:,} {what}" for what, count in counts.items() if count)
            record = Record(
                seen.number + 1,
                at,
                "",
                "",
                (f"content of the website: {said}",),
                ({"do": FROM_THE_WEBSITE, **counts},),
                (Patch(Renames(), pieces),),
            )
            made = turn.make(record, seen, store.ready(seen, after, pieces))
        if connection is None:
            self._site.take(made)
            store.keep(made)
        return Taken(new, changed, left, made.number)


def _listed(rows: Rows) -> list[Mapping[str, Any]]:
    """Rows, of which each is one."""
    some = list(rows)
    for each in some:
        if not isinstance(each, Mapping):
            raise BadValue(each, "cannot be rows of content: each is a mapping with a path.")
    return some


def _few(gone: list[str], known: int) -> None:
    """Raise `BadChange` where it is hard to believe that so many items are gone."""
    if len(gone) * 2 > known >= _MANY:
        raise BadChange(
            f"{len(gone):,} of {known:,} items would be gone, such as {gone[0]}: no row has them. "
            "Where that is meant, take the rows over by site.content.sync(rows, many_gone=True)."
        )


def _as_then(data: SiteData, then: SiteData, path: Any) -> bool:
    """Whether an item is as it was; True for what is no path, which is told later."""
    return not isinstance(path, str) or data.items.get(path) == then.items.get(path)


def _with_rows(data: SiteData, rows: Iterable[Mapping[str, Any]], gone: Iterable[str]) -> SiteData:
    """A site with the rows put in and some paths gone; `BadSite` where that makes no sense."""
    problems: list[Problem] = []
    put: dict[str, Item] = {}
    for row in rows:
        try:
            path = _path(row)
            before = data.content.get(path)
            item = _item(data, row, path, before)
        except BadValue as error:
            problems.append(Problem(None, None, error.value, error.expected))
            continue
        if path in put:
            problems.append(Problem(None, None, path, "is in two rows; keep one."))
        if item is not before:
            put[path] = item
    without = {path for path in gone if path in data.items}
    with_parts = [
        path
        for each in without
        for path in data.tree.below(each)
        if data.is_part(path) and data.page_of(path) == data.page_of(each)
    ]
    without.update(with_parts)
    if problems:
        raise BadSite(problems)
    if not put and not without:
        return data
    after = data.with_parts(items=data.content.revised(put.values(), without))
    problems = problems_in(after, data)
    if problems:
        raise BadSite(problems)
    return after


def _path(row: Mapping[str, Any]) -> str:
    """The path of a row that has nothing but what a row has."""
    for name in row:
        if name not in _COLUMNS:
            more = f"is nothing that a row of content has: {', '.join(_COLUMNS)}."
            raise BadValue(name, more)
    path = row.get("path")
    if not isinstance(path, str):
        raise BadValue(path, "is no path: each row needs one.")
    return names.path(path)


def _item(data: SiteData, row: Mapping[str, Any], path: str, before: Item | None) -> Item:
    """The item that a row says, with what it leaves out as it is now; that one, where it says the
    same."""
    kind = row.get("kind", before.kind if before is not None else None)
    if not isinstance(kind, str) or kind not in data.all_kinds:
        raise BadValue(kind, f"is no kind of this site, for {path}: {', '.join(data.all_kinds)}.")
    said: dict[str, Any] = {"state": DRAFT} if before is None else {}
    for name, value in row.items():
        if name in _SINGLE:
            said[name] = _single(value, name, path)
        elif name in _TIMES:
            said[name] = moments.moment(value, data.zone) if value is not None else None
        elif name in _LISTS and value is not None:
            said[name] = _several(value, name, path)
    if data.all_kinds[kind].part:
        said = {name: said[name] for name in ("title", "kind") if name in said}
    if before is None:
        return Item(path, **said)
    same = all(getattr(before, name) == value for name, value in said.items())
    return before if same else replace(before, **said)


def _single(value: Any, name: str, path: str) -> str | None:
    if isinstance(value, str):
        return value
    if value is None and name in ("title", "links_to"):
        return "" if name == "title" else None  # nothing is said
    raise BadValue(value, f"is no text, as the {name} of {path} is.")


def _several(value: Any, name: str, path: str) -> tuple[str, ...]:
    listed = isinstance(value, Iterable) and not isinstance(value, str | bytes | Mapping)
    several: list[Any] = list(value) if listed else [None]
    for each in several:
        if not isinstance(each, str):
            raise BadValue(value, f"is no list of texts, as the {name} of {path} are.")
    return tuple(dict.fromkeys(several))


def _with_work(
    data: SiteData,
    after: SiteData,
    rows: Iterable[Mapping[str, Any]],
    by: str,
    *,
    touched: bool,
) -> SiteData:
    """The same with somebody's hands on what was changed."""
    if not touched:
        return with_hands(data, after, differences(data, after), Renames(), by)
    put = []
    for row in rows:
        page = after.items[after.page_of(names.path(row["path"]))]
        if by not in (*page.authors, *page.changed_by):
            put.append(replace(page, changed_by=(*page.changed_by, by)))
    return after.with_parts(items=after.content.revised(put)) if put else after
