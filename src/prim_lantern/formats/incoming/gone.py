"""What an earlier file of the same source brought, and this one has no longer."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final, NamedTuple

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.content import RemoveItem
from prim_lantern.change.operations.groups import RemoveMembers
from prim_lantern.change.operations.people import Suspend
from prim_lantern.change.record import Record
from prim_lantern.formats.incoming.content import Incoming
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.people import ACTIVE, INVITED

_NAMED: Final = 10


class Gone(NamedTuple):
    """Items or people that are not in the file any more, and memberships of people who are."""

    names: tuple[str, ...] = ()
    memberships: tuple[tuple[str, str], ...] = ()

    def notes(self, *, dropped: bool) -> Iterator[str]:
        """What is said of them."""
        then = "" if dropped else " Kept; --drop-gone takes them away."
        if self.names:
            yield f"{len(self.names):,} not in the file any more: {_listed(self.names)}.{then}"
        if self.memberships:
            told = [f"{login} in {group}" for login, group in self.memberships]
            count = f"{len(told):,} membership{'s' if len(told) > 1 else ''}"
            yield f"{count} not in the file any more: {_listed(told)}.{then}"


def items_gone(records: Iterable[Record], source: str, found: Incoming, data: SiteData) -> Gone:
    """The items that earlier files of a source brought, that are there, and not in this one."""
    here = {row["path"] for row in found.rows}
    brought = dict.fromkeys(row["path"] for row in _rows(records, "import-items", source))
    gone = [path for path in brought if path in data.items and path not in here]
    return Gone(tuple(gone))


def people_gone(records: Iterable[Record], source: str, found: Incoming, data: SiteData) -> Gone:
    """The people whom earlier files of a source brought and who could sign in, and who are not in
    this one; and the groups that they said, by hand, of those who are."""
    here = {folded(row["login"]): row for row in found.rows}
    known = {folded(login): login for login in data.people.names}
    gone: dict[str, None] = {}
    left: dict[tuple[str, str], None] = {}
    for row in _rows(records, "import-people", source):
        login = known.get(folded(row["login"]))
        now = here.get(folded(row["login"]))
        if login is None or login == data.owner:
            continue
        user = data.users[login]
        if now is None and user.status in (ACTIVE, INVITED):
            gone[login] = None
        elif now is not None and "groups" in now:
            groups = {each.group for each in user.memberships} - {*now["groups"]}
            left |= dict.fromkeys((login, g) for g in row.get("groups", ()) if g in groups)
    return Gone(tuple(gone), tuple(left))


def _rows(records: Iterable[Record], do: str, source: str) -> Iterator[Mapping[str, Any]]:
    for record in records:
        for each in record.operations:
            if each.get("do") == do and each.get("source") == source:
                yield from each["rows"]


def dropping(what: str, gone: Gone) -> Iterator[Operation]:
    """The operations that take away what is gone: items are removed with all below them, people are
    suspended."""
    if what == "content":
        tops = [each for each in gone.names if not _below_another(each, set(gone.names))]
        yield from (RemoveItem(path) for path in tops)
        return
    yield from (Suspend(login) for login in gone.names)
    yield from (RemoveMembers(group, (login,)) for login, group in gone.memberships)


def _below_another(path: str, names: set[str]) -> bool:
    ends = [at for at, letter in enumerate(path) if letter == "/" and at]
    return any(path[:end] in names for end in ends)


def _listed(names: Iterable[str]) -> str:
    names = list(names)
    more = len(names) - _NAMED
    return ", ".join(names[:_NAMED]) + (f" and {more:,} more" if more > 0 else "")
