"""What a change touched, as keys: two changes that share none can be taken back in any order."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from prim_lantern.change.pieces import LISTED_PARTS, Piece
from prim_lantern.change.record import Record
from prim_lantern.site.content import Item
from prim_lantern.site.places import way_to


def touches(record: Record) -> frozenset[str]:
    """The keys of all that a change touched or speaks of."""
    return frozenset(_keys(record))


def _keys(record: Record) -> Iterator[str]:
    for patch in record.patches:
        for renamed, sort in ((patch.renames.paths, "items"), (patch.renames.groups, "groups")):
            for old, new in renamed.items():
                for name in (old, new):
                    yield f"{sort}:{name}"
                    if sort == "items":
                        yield f"moved:{name}"
        for piece in patch.pieces:
            yield from _of_piece(piece)


def _of_piece(piece: Piece) -> Iterator[str]:
    if piece.part not in LISTED_PARTS:
        yield f"{piece.part}:{piece.name}"
    for each in (piece.before, piece.after):
        if each is None:
            continue
        if piece.part in LISTED_PARTS:
            yield f"{piece.part}={each!r}"
        if isinstance(each, Item):
            yield from (f"below:{path}" for path in way_to(each.path)[:-1])
            yield from (f"users:{login}" for login in (*each.authors,))
            yield from (f"category:{name}" for name in each.categories)
        yield from _names_in(each)


def _names_in(thing: Any) -> Iterator[str]:
    """The groups, people, roles and readerships that a word speaks of."""
    for field in ("to", "readers", "all_of", "but_not", "who", "stewards"):
        for who in getattr(thing, field, ()):
            yield f"{who.kind}s:{who.name}"
    for group in (
        *getattr(thing, "counts_in", ()),
        *(each.group for each in getattr(thing, "memberships", ())),
        *(getattr(thing, "groups", ()) or ()),
    ):
        yield f"groups:{group}"
    role, readership = getattr(thing, "role", None), getattr(thing, "readership", None)
    if role:
        yield f"roles:{role}"
    if isinstance(readership, str):
        yield f"readerships:{readership}"
    yield from (f"roles:{name}" for name in getattr(thing, "includes", ()))
    yield from (f"plans:{each.plan}" for each in getattr(thing, "enrolments", ()))
    place = getattr(thing, "place", None)
    places = [*getattr(thing, "within_any", ()), *([place] if place is not None else [])]
    for where in places:
        if where.kind == "category":
            yield f"category:{where.name}"
