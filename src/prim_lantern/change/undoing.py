"""Which later changes rest on one that is to be taken back: those that stand in its way."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import NamedTuple

from prim_lantern.change.pieces import LISTED_PARTS, Piece
from prim_lantern.change.record import Record
from prim_lantern.change.renames import Misfit
from prim_lantern.change.touches import touches
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import is_above

_TRIED_AT_MOST = 40  # changes of which it is tried whether they can stay
_MANY = 300  # changes with which it is no longer tried whether more rest on them


class Resting(NamedTuple):
    """The numbers of the changes that rest on one, the newest first; whether those are `all`."""

    numbers: tuple[int, ...]
    all: bool = True

    def why(self, number: int) -> str:
        """Why a change cannot be taken back by itself: the nearest of those that rest on it."""
        count, named = len(self.numbers), ", ".join(map(str, self.numbers[:5]))
        least = "" if self.all else "at least "
        more = f" and {least}{count - 5} more" if count > 5 else ""
        rest = f"change {named} rests" if count == 1 else f"changes {named}{more} rest"
        first = "that" if count == 1 else "those, in this order,"
        alone = f"Change {number} cannot be taken back by itself"
        return f"{alone}: {rest} on it. Take back {first} first."


def resting_on(data: SiteData, record: Record, later: Sequence[Record]) -> Resting:
    """The later changes that have to be taken back before a change can be.

    None, where it can be taken back at once. `data` is the site as it is now, `later` are those
    that touched something of what the change touched. Found by trying: whatever stands in the way
    is taken back first, until nothing does; and of few, each that can stay after all is left.
    """
    rest = [each for each in later if each.patches]
    needed: list[Record] = []
    while len(needed) < _MANY:
        obstacle = _obstacle(data, [*needed, record])
        if obstacle is None:
            break
        found = [each for each in rest if obstacle.made_by(each)] or rest[-1:]
        if not found:
            break
        numbers = {each.number for each in found}
        rest = [each for each in rest if each.number not in numbers]
        needed = sorted([*needed, *found], key=lambda each: each.number, reverse=True)
    for each in needed[::-1] if len(needed) <= _TRIED_AT_MOST else ():
        others = [other for other in needed if other is not each]
        if _obstacle(data, [*others, record]) is None:
            needed = others
    return Resting(tuple(each.number for each in needed), len(needed) < _MANY)


class _Obstacle(NamedTuple):
    """What stands in the way: a thing that another change changed, or names that are spoken of."""

    after: int
    """Changes up to this number have not made it."""
    piece: Piece | None = None
    names: frozenset[str] = frozenset()

    def made_by(self, record: Record) -> bool:
        """Whether a change may have made it."""
        if record.number <= self.after:
            return False
        if self.piece is None:
            return not self.names.isdisjoint(_named_in(record))
        part, name, was = self.piece.part, self.piece.name, self.piece.before
        for patch in record.patches:
            for each in patch.pieces:
                same = each.before == was if part in LISTED_PARTS else each.name == name
                if each.part == part and same:
                    return True
            for old, new in (*patch.renames.paths.items(), *patch.renames.groups.items()):
                if name in (old, new) or is_above(old, name) or is_above(new, name):
                    return True
        return False


def _named_in(record: Record) -> Iterator[str]:
    of_it = touches(record)
    for key in of_it.keys:
        yield from (key, key.partition(":")[2], key.partition(":")[2].partition(":")[2])
    yield from of_it.moved | of_it.stands


def _obstacle(data: SiteData, records: Iterable[Record]) -> _Obstacle | None:
    """What stands in the way of taking some changes back, the newest first; None where nothing
    does, and the site is in order then."""
    number = 0
    try:
        for record in records:
            number = record.number
            data = record.taken_back(data)
    except Misfit as misfit:
        (what,) = misfit.args
        if isinstance(what, Piece):
            return _Obstacle(number, what)
        return _Obstacle(number, None, frozenset({str(what)}))
    except LookupError as error:
        return _Obstacle(number, None, frozenset(map(str, error.args)))
    values = [str(each.value) for each in problems_in(data)]
    if not values:
        return None
    return _Obstacle(number, None, frozenset(n for v in values for n in (v, v.partition(":")[2])))
