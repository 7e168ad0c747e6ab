"""What differs between a site before and after a change, piece by piece; and putting it back."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, Final, NamedTuple

from prim_lantern.change.renames import Misfit
from prim_lantern.site.columns import Columns, Moved
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import all_told_in, zone_of
from prim_lantern.values import replace

SITE_FIELDS: Final = (
    "name",
    "owner",
    "default_readership",
    "sign_up_groups",
    "attributes",
    "timezone",
)
NAMED_PARTS: Final = (
    "kinds",
    "actions",
    "category_sets",
    "groups",
    "plans",
    "roles",
    "readerships",
    "invitations",
)
LISTED_PARTS: Final = ("given", "places", "rules", "limits", "promises", "accepted")
COLUMN_PARTS: Final = {"users": "people", "items": "content"}


class Piece(NamedTuple):
    """One thing that is not what it was: in which part of the site, of what name, and where
    in the list it stands. `before` or `after` is None where it comes or goes.
    """

    part: str
    name: str
    before: Any
    after: Any
    at: int = 0

    @property
    def inverse(self) -> Piece:
        """The piece that takes this one back."""
        return self._replace(before=self.after, after=self.before)


def inverse_of(pieces: Iterable[Piece]) -> tuple[Piece, ...]:
    """The pieces that take these back, the last first."""
    return tuple(piece.inverse for piece in reversed(tuple(pieces)))


def differences(before: SiteData, after: SiteData) -> tuple[Piece, ...]:
    """All pieces in which two sites differ."""
    return tuple(_differences(before, after))


def _differences(before: SiteData, after: SiteData) -> Iterator[Piece]:
    for field in SITE_FIELDS:
        was, now = getattr(before, field), getattr(after, field)
        if was != now:
            yield Piece("site", field, was, now)
    for part in NAMED_PARTS:
        yield from _named(part, getattr(before, part), getattr(after, part))
    for part in LISTED_PARTS:
        yield from _listed(part, getattr(before, part), getattr(after, part))
    for part, columns in COLUMN_PARTS.items():
        if getattr(before, part) is not getattr(after, part):
            yield from _in_columns(part, getattr(before, columns), getattr(after, columns))


def _named(part: str, before: Mapping[str, Any], after: Mapping[str, Any]) -> Iterator[Piece]:
    if before is after:
        return
    for at, (name, was) in enumerate(before.items()):
        now = after.get(name)
        if was is not now and was != now:
            yield Piece(part, name, was, now, at)
    for at, (name, now) in enumerate(after.items()):
        if name not in before:
            yield Piece(part, name, None, now, at)


def _listed(part: str, before: Sequence[Any], after: Sequence[Any]) -> Iterator[Piece]:
    if before is after:
        return
    start, end = 0, 0
    shorter = min(len(before), len(after))
    while start < shorter and before[start] == after[start]:
        start += 1
    while end < shorter - start and before[-1 - end] == after[-1 - end]:
        end += 1
    from difflib import SequenceMatcher  # only where lists differ

    was, now = before[start : len(before) - end], after[start : len(after) - end]
    for what, a, b, c, d in SequenceMatcher(None, was, now, autojunk=False).get_opcodes():
        if what == "equal":
            continue
        for step in range(max(b - a, d - c)):
            one = was[a + step] if a + step < b else None
            other = now[c + step] if c + step < d else None
            at = start + (c + step if one is None or other is not None else c + (d - c))
            yield Piece(part, "", one, other, at)


def _in_columns(part: str, before: Columns[Any], after: Columns[Any]) -> Iterator[Piece]:
    moved = after.moved_since(before)
    if moved is not None:
        yield from _in_moved(part, before, after, moved)
        return
    for name, row in before.index.items():
        other = after.index.get(name)
        if other is None:
            yield Piece(part, name, before.at(row), None, row)
        elif not before.same(row, after, other):
            yield Piece(part, name, before.at(row), after.at(other), row)
    for name, row in after.index.items():
        if name not in before.index:
            yield Piece(part, name, None, after.at(row), row)


def _in_moved(
    part: str, before: Columns[Any], after: Columns[Any], moved: Moved
) -> Iterator[Piece]:
    for row in moved.gone:
        if before.names[row] not in after.index:
            yield Piece(part, before.names[row], before.at(row), None, row)
    for row in (*sorted(moved.changed), *moved.new):
        was = before.get(after.names[row])
        if was != after.at(row):
            yield Piece(part, after.names[row], was, after.at(row), row)


def with_pieces(data: SiteData, pieces: Iterable[Piece], *, hands_aside: bool = False) -> SiteData:
    """The site with the pieces put in; raises `Misfit` where one does not fit.

    With `hands_aside` it does not matter who changed an item; those who did, and those whom the
    piece names, all stay.
    """
    parts: dict[str, Any] = {}
    by_part: dict[str, list[Piece]] = {}
    pieces = tuple(pieces)
    clock = {each.name: each.after for each in pieces if each.part == "site"}
    name = clock.get("timezone", data.timezone)
    zone = zone_of(name) if name is not None else None
    for piece in pieces:
        if piece.part != "site":
            piece = piece._replace(after=all_told_in(piece.after, zone))
        by_part.setdefault(piece.part, []).append(piece)
    for part, some in by_part.items():
        if part == "site":
            for piece in some:
                _fits(piece, getattr(data, piece.name))
                parts[piece.name] = piece.after
        elif part in COLUMN_PARTS:
            columns: Columns[Any] = getattr(data, COLUMN_PARTS[part])
            if hands_aside and part == "items":
                some = [_hands_aside(piece, columns.get(piece.name)) for piece in some]
            for piece in some:
                _fits(piece, columns.get(piece.name))
            put = [piece.after for piece in some if piece.after is not None]
            parts[part] = columns.revised(put, {p.name for p in some if p.after is None})
        elif part in NAMED_PARTS:
            parts[part] = _put_named(getattr(data, part), some)
        else:
            parts[part] = _put_listed(getattr(data, part), some)
    return data.with_parts(**parts)


def _hands_aside(piece: Piece, found: Any) -> Piece:
    """A piece of an item that fits whoever changed the item meanwhile."""
    if piece.before is None or found is None:
        return piece
    before = replace(piece.before, changed_by=found.changed_by)
    if piece.after is None:
        return piece._replace(before=before)
    hands = tuple(dict.fromkeys((*found.changed_by, *piece.after.changed_by)))
    return piece._replace(before=before, after=replace(piece.after, changed_by=hands))


def _fits(piece: Piece, found: Any) -> None:
    if found != piece.before:
        raise Misfit(piece)


def _put_named(named: Mapping[str, Any], pieces: Sequence[Piece]) -> Mapping[str, Any]:
    found = dict(named)
    for piece in sorted(pieces, key=lambda each: each.at):
        _fits(piece, found.get(piece.name))
        if piece.after is None:
            del found[piece.name]
        elif piece.before is not None:
            found[piece.name] = piece.after
        else:
            entries = list(found.items())
            entries.insert(piece.at, (piece.name, piece.after))
            found = dict(entries)
    return found


def _put_listed(entries: Sequence[Any], pieces: Sequence[Piece]) -> tuple[Any, ...]:
    found = list(entries)
    for piece in pieces:
        if piece.before is None:
            found.insert(piece.at, piece.after)
            continue
        at = _nearest(found, piece)
        if piece.after is None:
            del found[at]
        else:
            found[at] = piece.after
    return tuple(found)


def _nearest(found: Sequence[Any], piece: Piece) -> int:
    """Where the piece's thing stands: of several equal ones, the one nearest to its place."""
    places = [at for at, each in enumerate(found) if each == piece.before]
    if not places:
        raise Misfit(piece)
    return min(places, key=lambda at: abs(at - piece.at))
