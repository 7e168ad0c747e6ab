"""What a change touched, as keys: two changes that share none can be taken back in any order."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NamedTuple

from prim_lantern.change.pieces import LISTED_PARTS, Piece
from prim_lantern.change.record import Record
from prim_lantern.site.content import Item
from prim_lantern.site.places import Place, way_to


class Touches(NamedTuple):
    """The keys of all that a change touched or speaks of; the paths that it moved; and the paths
    at which its things stand, with those above them."""

    keys: frozenset[str]
    moved: frozenset[str]
    stands: frozenset[str]

    def names(self) -> tuple[set[str], set[str]]:
        """Names, and parts of the site: whatever touched something in common names one of the first
        or is about one of the second."""
        names = {name for name in self.moved | self.stands if name != "/"}
        parts = set[str]()
        for key in self.keys:
            part, _, name = key.partition(":")
            if part == "site" or "=" in part:
                parts.add(part.partition("=")[0])
            else:
                names.add(name)
        return names, parts - {"rules", "given"}  # whoever these speak of is among the names

    def meet(self, other: Touches) -> bool:
        """Whether two changes touched something in common."""
        return not (
            self.keys.isdisjoint(other.keys)
            and self.moved.isdisjoint(other.stands | other.moved)
            and self.stands.isdisjoint(other.moved)
        )


def touches(record: Record) -> Touches:
    """What a change touched."""
    moved, stands, keys = set(), set(), set()
    for patch in record.patches:
        for old, new in patch.renames.paths.items():
            moved |= {old, new}
            stands |= {*way_to(old), *way_to(new)}
        keys |= {f"groups:{name}" for pair in patch.renames.groups.items() for name in pair}
        for piece in patch.pieces:
            keys.update(_of_piece(piece))
            for path in _paths_of(piece):
                stands.update(way_to(path))
    return Touches(frozenset(keys), frozenset(moved), frozenset(stands))


def _paths_of(piece: Piece) -> Iterator[str]:
    """The paths at which a thing stands."""
    for each in (piece.before, piece.after):
        place, where = getattr(each, "place", None), getattr(each, "where", None)
        for spot in (place, where, *getattr(each, "within_any", ())):
            if isinstance(spot, Place) and spot.kind == "path":
                yield spot.name
            elif isinstance(spot, str):
                yield spot
        if isinstance(each, Item):
            yield each.path
            if each.links_to:
                yield each.links_to


def _of_piece(piece: Piece) -> Iterator[str]:
    if piece.part not in LISTED_PARTS:
        yield f"{piece.part}:{piece.name}"
    for each in (piece.before, piece.after):
        if each is None:
            continue
        if piece.part in LISTED_PARTS:
            yield f"{piece.part}={each!r}"
        if isinstance(each, Item):
            yield from (f"items:{path}" for path in way_to(each.path)[1:-1])
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
