"""What an earlier file of the same source brought, and this one has no longer."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Final, NamedTuple

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.content import RemoveItem
from prim_lantern.change.operations.groups import RemoveMembers
from prim_lantern.change.operations.people import Suspend
from prim_lantern.change.pieces import Piece
from prim_lantern.change.record import Record
from prim_lantern.formats.incoming.content import Incoming
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.people import ACTIVE, INVITED
from prim_lantern.site.places import way_to

_NAMED: Final = 10


class Gone(NamedTuple):
    """Items or people that are not in the file any more, and memberships of people who are. Of the
    items, those in `kept` have something below them that did not come from there."""

    names: tuple[str, ...] = ()
    memberships: tuple[tuple[str, str], ...] = ()
    kept: tuple[str, ...] = ()

    def notes(self, *, dropped: bool) -> Iterator[str]:
        """What is said of them."""
        then = "" if dropped else " Kept; --drop-gone takes them away."
        if self.names:
            yield f"{len(self.names):,} not in the file any more: {_listed(self.names)}.{then}"
        if self.memberships:
            told = [f"{login} in {group}" for login, group in self.memberships]
            count = f"{len(told):,} membership{'s' if len(told) > 1 else ''}"
            yield f"{count} not in the file any more: {_listed(told)}.{then}"
        if self.kept:
            yield (
                f"{len(self.kept):,} not in the file any more, and kept in any case, as something "
                f"stands below that did not come from there: {_listed(self.kept)}."
            )


def items_gone(records: Iterable[Record], source: str, found: Incoming, data: SiteData) -> Gone:
    """The items that earlier files of a source added, that are there, and not in this one."""
    here = {row["path"] for row in found.rows}
    brought = dict.fromkeys(
        piece.name for piece in _pieces(records, "import-items", source, "items") if _is_new(piece)
    )
    gone = {path: None for path in brought if path in data.items and path not in here}
    kept = {path for path in gone if any(each not in gone for each in data.tree.below(path))}
    return Gone(tuple(each for each in gone if each not in kept), kept=tuple(sorted(kept)))


def people_gone(records: Iterable[Record], source: str, found: Incoming, data: SiteData) -> Gone:
    """The people whom earlier files of a source added and who could sign in, and who are not in
    this one; and the groups that such files put those into who are."""
    here = {folded(row["login"]): row for row in found.rows}
    gone: dict[str, None] = {}
    left: dict[tuple[str, str], None] = {}
    for piece in _pieces(records, "import-people", source, "users"):
        login, now = piece.name, here.get(folded(piece.name))
        user = data.users.get(login)
        if user is None or login == data.owner:
            continue
        if now is None and _is_new(piece) and user.status in (ACTIVE, INVITED):
            gone[login] = None
        elif now is not None and "groups" in now:
            before = {e.group for e in piece.before.memberships} if piece.before else set()
            put_into = {e.group for e in piece.after.memberships} - before
            still = {each.group for each in user.memberships} & put_into
            left |= dict.fromkeys((login, each) for each in sorted(still - {*now["groups"]}))
    return Gone(tuple(gone), tuple(left))


def _pieces(records: Iterable[Record], do: str, source: str, part: str) -> Iterator[Piece]:
    """What earlier files of a source came to, in one part of the site."""
    for record in records:
        if any(e.get("do") == do and e.get("source") == source for e in record.operations):
            for patch in record.patches:
                yield from (e for e in patch.pieces if e.part == part and e.after is not None)


def _is_new(piece: Piece) -> bool:
    return piece.before is None


def dropping(what: str, gone: Gone) -> Iterator[Operation]:
    """The operations that take away what is gone: items are removed, people are suspended."""
    if what == "content":
        names = set(gone.names)
        yield from (RemoveItem(e) for e in gone.names if not _below_another(e, names))
        return
    yield from (Suspend(login) for login in gone.names)
    yield from (RemoveMembers(group, (login,)) for login, group in gone.memberships)


def _below_another(path: str, names: set[str]) -> bool:
    return any(each in names for each in way_to(path)[:-1])


def _listed(names: Iterable[str]) -> str:
    names = list(names)
    more = len(names) - _NAMED
    return ", ".join(names[:_NAMED]) + (f" and {more:,} more" if more > 0 else "")
