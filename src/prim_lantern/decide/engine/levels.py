"""What the words of one level come to: the site's, those on the way, those of categories.

Each level is a plain tuple of masks (so that equal ones are found and worked out once),
with a function that tells the facts for one person's mask. A say is 0 where nobody has
spoken, YES or NO; on the way, OWN_YES or OWN_NO where an own place of the item speaks.
"""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator
from typing import Final, NamedTuple, Protocol

from prim_lantern.decide.clauses import Clause

SILENT: Final = 0
YES: Final = 1
NO: Final = 2
OWN_YES: Final = 3
OWN_NO: Final = 4

Hits = tuple[tuple[int, int], ...]
"""Masks with what they say, the one that outweighs the others first."""

# How the readerships of the site and of categories count for an item on its way.
COUNTS: Final = 0
CUT_OFF: Final = 1
NOT_MET: Final = 2

_NOWHERE: Final = 1_000_000  # deeper than any chain of places


class Readers(NamedTuple):
    """A readership as masks; one with no `readers` has nobody in it."""

    readers: int
    all_of: tuple[int, ...]
    but_not: int

    def has(self, mask: int) -> bool:
        """Whether somebody with this mask is in it."""
        return bool(
            mask & self.readers
            and not mask & self.but_not
            and all(mask & each for each in self.all_of)
        )

    def masks(self) -> Iterator[int]:
        """The sets of bits that it asks about."""
        yield from (self.readers, self.but_not, *self.all_of)


def hits(clauses: Iterable[Clause], mask_of: Callable[[Clause], int]) -> Hits:
    """The words of one place in the order in which they outweigh each other.

    A higher rank comes first, and of one rank a no before a yes.
    """
    found: dict[tuple[int, bool], int] = {}
    for each in clauses:
        if not each.no_exceptions:
            mask = mask_of(each)
            if mask:
                key = (-each.who.rank, each.allow)
                found[key] = found.get(key, 0) | mask
    return tuple((found[key], YES if key[1] else NO) for key in sorted(found))


def finals(clauses: Iterable[Clause], mask_of: Callable[[Clause], int]) -> int:
    """The bits of those to whom a deny without exceptions speaks."""
    found = 0
    for each in clauses:
        if each.no_exceptions:
            found |= mask_of(each)
    return found


def _first(asked: Hits, mask: int) -> int:
    for each, says in asked:
        if mask & each:
            return says
    return SILENT


class Level(Protocol):
    """What one level says to a mask."""

    def masks(self) -> Iterable[int]:
        """The sets of bits that it asks about."""

    def facts(self, mask: int) -> Hashable:
        """What it comes to for one person."""


class SiteLevel(NamedTuple):
    """The words that stand at the site."""

    never: int
    final: Readers | None
    readers: Readers | None
    access: int
    read: Hits
    drafts: Hits
    act: Hits

    def masks(self) -> Iterator[int]:
        """The sets of bits that it asks about."""
        yield from (self.never, self.access)
        yield from (mask for hits in (self.read, self.drafts, self.act) for mask, _ in hits)
        yield from (m for each in (self.final, self.readers) if each for m in each.masks())

    def facts(self, mask: int) -> SiteFacts:
        """What it comes to for one person."""
        return SiteFacts(
            bool(mask & self.never),
            self.final is not None and not self.final.has(mask),
            self.readers is not None and not self.readers.has(mask),
            bool(mask & self.access),
            _first(self.read, mask),
            _first(self.drafts, mask),
            _first(self.act, mask),
        )


class SiteFacts(NamedTuple):
    """What the site's words come to: `out` of its readership, `barred` from a final one."""

    never: bool
    barred: bool
    out: bool
    access: bool
    read: int
    drafts: int
    act: int


class WayLevel(NamedTuple):
    """The words at the paths on the way.

    `read` are words with the depth of their place in the chain (0 is the nearest), and
    `readers` readerships with theirs. `published` says that no draft has to be seen;
    `site` and `filed` say how the readerships of the site and of categories count.
    `categories` is the level of the categories, where it cannot be decided apart.
    """

    never: int
    finals: tuple[Readers, ...]
    readers: tuple[tuple[int, Readers], ...]
    access: int
    read: tuple[tuple[int, int, int], ...]
    drafts: Hits
    act: Hits
    published: bool
    site: int
    filed: int
    categories: FiledLevel | None

    def masks(self) -> Iterator[int]:
        """The sets of bits that it asks about."""
        yield from (self.never, self.access, *(mask for mask, _, _ in self.read))
        yield from (mask for hits in (self.drafts, self.act) for mask, _ in hits)
        readers = (*self.finals, *(each for _, each in self.readers))
        yield from (mask for each in readers for mask in each.masks())
        if self.categories is not None:
            yield from self.categories.masks()

    def facts(self, mask: int) -> WayFacts:
        """What it comes to for one person."""
        read, depth = SILENT, _NOWHERE
        for each, says, at in self.read:
            if mask & each:
                read, depth = says, at
                break
        opened = depth if read in (YES, OWN_YES) else _NOWHERE
        return WayFacts(
            bool(mask & self.never) or not all(each.has(mask) for each in self.finals),
            any(opened > at and not each.has(mask) for at, each in self.readers),
            bool(mask & self.access),
            read,
            _first(self.drafts, mask),
            _first(self.act, mask),
            self.published,
            self.site,
            self.filed,
            self.categories.facts(mask) if self.categories else None,
        )


class WayFacts(NamedTuple):
    """What the words on the way come to: `out` of a readership that nothing lets past."""

    never: bool
    out: bool
    access: bool
    read: int
    drafts: int
    act: int
    published: bool
    site: int
    filed: int
    categories: FiledFacts | None


class FiledLevel(NamedTuple):
    """The words at categories, those further down first.

    `above` has for each category the numbers of those above it; words are by the number
    of their category, and so are readerships.
    """

    above: tuple[tuple[int, ...], ...]
    never: int
    finals: tuple[Readers, ...]
    readers: tuple[tuple[int, Readers], ...]
    access: int
    read: tuple[Hits, ...]
    drafts: tuple[Hits, ...]
    act: tuple[Hits, ...]

    def masks(self) -> Iterator[int]:
        """The sets of bits that it asks about."""
        yield from (self.never, self.access)
        words = (*self.read, *self.drafts, *self.act)
        yield from (mask for hits in words for mask, _ in hits)
        readers = (*self.finals, *(each for _, each in self.readers))
        yield from (mask for each in readers for mask in each.masks())

    def _left(self, asked: tuple[Hits, ...], mask: int) -> dict[int, int]:
        """What the categories say that no category further down outweighs."""
        found: dict[int, int] = {}
        outweighed: set[int] = set()
        for number, here in enumerate(asked):
            says = _first(here, mask) if here else SILENT
            if says:
                if number not in outweighed:
                    found[number] = says
                outweighed.update(self.above[number])
        return found

    def facts(self, mask: int) -> FiledFacts:
        """What it comes to for one person."""
        read = self._left(self.read, mask)
        opened = {n for n, says in read.items() if says == YES}
        opened.update(upper for n in tuple(opened) for upper in self.above[n])
        return FiledFacts(
            bool(mask & self.never),
            not all(each.has(mask) for each in self.finals),
            any(number not in opened and not each.has(mask) for number, each in self.readers),
            bool(mask & self.access),
            max(read.values(), default=SILENT),
            max(self._left(self.drafts, mask).values(), default=SILENT),
            max(self._left(self.act, mask).values(), default=SILENT),
        )


class FiledFacts(NamedTuple):
    """What the words of categories come to; a no (2) goes before a yes (1)."""

    never: bool
    barred: bool
    out: bool
    access: bool
    read: int
    drafts: int
    act: int


UNFILED: Final = FiledFacts(False, False, False, False, SILENT, SILENT, SILENT)
