"""Which later changes rest on one that is to be taken back: only those that touched the same."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from prim_lantern.change.record import Record
from prim_lantern.change.renames import Misfit
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData

_TRIED_AT_MOST = 40  # later changes that are looked at one by one, the nearest first


def resting_on(data: SiteData, record: Record, later: Sequence[Record]) -> list[int]:
    """The numbers of the later changes that have to be taken back before a change can be, the
    newest first.

    Empty, where it can be taken back at once. `data` is the site as it is now, `later` are those
    that touched something of what the change touched. Found by trying: all are taken back, and
    each that can be left is.
    """
    needed = sorted(
        (each for each in later if each.patches), key=lambda each: each.number, reverse=True
    )
    if _works(data, [record]):
        return []
    for each in sorted(needed, key=lambda one: one.number)[:_TRIED_AT_MOST]:
        others = [other for other in needed if other is not each]
        if _works(data, [*others, record]):
            needed = others
    return [each.number for each in needed]


def _works(data: SiteData, records: Iterable[Record]) -> bool:
    """Whether some changes can be taken back, the newest first, and leave the site in order."""
    try:
        for record in records:
            data = record.taken_back(data)
    except (Misfit, LookupError):
        return False
    return not problems_in(data)
