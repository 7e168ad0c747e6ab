"""The tree of paths, cut into stretches of the alphabet in which all items stand alike."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable
from typing import Final, NamedTuple

from prim_lantern.decide.conditions.formula import Formula
from prim_lantern.decide.conditions.saying import Region
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import way_to

_JUST_AFTER: Final = "\x01"  # no path can hold it: between a path and it lies that path alone
_ROOT: Final = "/"


class Stretch(NamedTuple):
    """The items with paths from `start` on, up to `end` (None: the last), in the order of their
    letters' numbers, and when they may be."""

    start: str
    end: str | None
    formula: Formula


def stretches(
    data: SiteData, spots: Collection[str], say: Callable[[Region], Formula], *, parts: bool
) -> list[Stretch]:
    """All paths in order: neighbours of which the same is said are one stretch.

    `spots` are the paths at which something is said, and `say` tells a region's formula; of `parts`
    or of everything else.
    """
    known: dict[Region, Formula] = {}
    found = []
    for start, region in _regions(data, frozenset(spots), parts=parts):
        formula = known.get(region)
        if formula is None:
            formula = known[region] = say(region)
        found.append(Stretch(start, None, formula))
    return merged(found)


def merged(some: Iterable[Stretch]) -> list[Stretch]:
    """Stretches in order, with neighbours of which the same is said put together."""
    found: list[Stretch] = []
    for each in some:
        if found and found[-1].formula == each.formula:
            continue
        if found:
            found[-1] = found[-1]._replace(end=each.start)
        found.append(each._replace(end=None))
    return found


def _regions(data: SiteData, spots: frozenset[str], *, parts: bool) -> list[tuple[str, Region]]:
    starts: dict[str, tuple[str, ...]] = {"": _above(_ROOT, spots)}
    for spot in spots:
        above = tuple(path for path in way_to(spot) if path in spots)
        beside = above[:-1] if spot != _ROOT else _above(_ROOT, spots)
        starts.setdefault(spot + _JUST_AFTER, beside)
        if spot != _ROOT:
            starts.setdefault(spot + "/", above)
            starts.setdefault(_after_all_below(spot), beside)
    own = {spot: tuple(path for path in way_to(spot) if path in spots) for spot in spots}
    return [
        (start, _region(data, own.get(start, starts.get(start, ())), start in spots, parts=parts))
        for start in sorted({*starts, *spots})
    ]


def _after_all_below(path: str) -> str:
    """What comes right after all that lies below a path."""
    return path + chr(ord("/") + 1)


def _above(path: str, spots: frozenset[str]) -> tuple[str, ...]:
    return (path,) if path in spots else ()


def _region(data: SiteData, way: tuple[str, ...], at_spot: bool, *, parts: bool) -> Region:
    if not parts:
        return Region(way, frozenset(way[-1:]) if at_spot else frozenset())
    own = frozenset(path for path in way if data.is_part(path)) | frozenset(way[-1:] * at_spot)
    above = [path for path in way if path not in own]
    page = above[-1] if above and above[-1] in data.items else None
    return Region(way, own, part=True, page=page)
