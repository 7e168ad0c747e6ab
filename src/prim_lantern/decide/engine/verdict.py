"""From the facts of all levels to the answer."""

from __future__ import annotations

from collections.abc import Sequence

from prim_lantern.decide.engine.levels import (
    COUNTS,
    NO,
    NOT_MET,
    OWN_NO,
    OWN_YES,
    SILENT,
    UNFILED,
    YES,
    FiledFacts,
    SiteFacts,
    WayFacts,
)


def verdict(
    site: SiteFacts, way: WayFacts, filed: Sequence[FiledFacts], *, reading: bool, acting: bool
) -> int:
    """YES or NO; SILENT where all that is missing is that somebody speaks for the action."""
    if way.categories is not None:
        filed = (*filed, way.categories)
    at = together(filed)
    if site.never or way.never or at.never:
        return NO
    access = site.access or way.access or at.access
    if reading and not _reads(site, way, at, access):
        return NO
    if access or not acting:
        return YES
    return _say(site.act, way.act, at.act)


def kept_out(site: SiteFacts, way: WayFacts, filed: Sequence[FiledFacts]) -> bool:
    """Whether something without exceptions keeps somebody from it, whatever else is said."""
    if way.categories is not None:
        filed = (*filed, way.categories)
    at = together(filed)
    return (
        site.never
        or way.never
        or at.never
        or (site.barred and way.site != NOT_MET)
        or (at.barred and way.filed != NOT_MET)
    )


def _reads(site: SiteFacts, way: WayFacts, filed: FiledFacts, access: bool) -> bool:
    if (site.barred and way.site != NOT_MET) or (filed.barred and way.filed != NOT_MET):
        return False
    if access:
        return True
    say = _say(site.read, way.read, filed.read)
    return not (
        say == NO
        or way.out
        or (site.out and way.site == COUNTS and say != YES)
        or (filed.out and way.filed == COUNTS and way.read != OWN_YES)
        or not (way.published or _say(site.drafts, way.drafts, filed.drafts) == YES)
    )


def _say(site: int, way: int, filed: int) -> int:
    """What the words come to: an item's own places before categories, the site last."""
    if way == OWN_YES:
        return YES
    if way == OWN_NO:
        return NO
    if NO in (way, filed):
        return NO
    if YES in (way, filed):
        return YES
    return site


def together(filed: Sequence[FiledFacts]) -> FiledFacts:
    """Categories of several roots: neither is nearer, so a no goes before a yes."""
    if not filed:
        return UNFILED
    if len(filed) == 1:
        return filed[0]
    return FiledFacts(
        any(each.never for each in filed),
        any(each.barred for each in filed),
        any(each.out for each in filed),
        any(each.access for each in filed),
        max(each.read for each in filed),
        max(each.drafts for each in filed),
        max(each.act for each in filed),
    )


__all__ = ["SILENT", "kept_out", "together", "verdict"]
