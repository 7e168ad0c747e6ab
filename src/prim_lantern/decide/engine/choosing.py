"""The words that speak of one class of items in one question, as levels of masks."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from typing import Final, NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine.asked import Asked, ItemClass
from prim_lantern.decide.engine.levels import (
    COUNTS,
    CUT_OFF,
    NOT_MET,
    OWN_NO,
    OWN_YES,
    YES,
    FiledLevel,
    Hits,
    Readers,
    SiteLevel,
    WayLevel,
    finals,
    hits,
)
from prim_lantern.decide.engine.people import BITS, Crowd
from prim_lantern.decide.engine.rights import Rights, Spot
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.places import (
    ONLY_BELOW,
    ONLY_HERE,
    SITE,
    Place,
    category_and_above,
)
from prim_lantern.site.rights import OTHERS, OWN, Readership
from prim_lantern.site.who import AUTHORS, EVERYONE, Who

DRAFTS: Final = "see-drafts"
_NOBODY = Readers(0, (), 0)


class Spoken(NamedTuple):
    """The words of one place about one action: all, the denies alone, and the final ones."""

    hits: Hits
    denies: Hits
    never: int


def _as_own(spoken: Spoken, own: bool, *, allows: bool) -> Hits:
    """What is spoken at a path, told apart where it is an own place of the item."""
    found = spoken.hits if allows else spoken.denies
    if not own:
        return found
    return tuple((mask, OWN_YES if says == YES else OWN_NO) for mask, says in found)


def _in_order(categories: Iterable[str]) -> list[str]:
    """Categories, those further down first."""
    return sorted(categories, key=lambda name: (-name.count("/"), name))


_UNSPOKEN = Spoken((), (), 0)
_KEPT = 100_000  # of what is said at places, by a site and what it was before
_NOT_ON_THE_WAY = -1  # the depth of a place that is no path


def _holds(item: ItemClass, place: Place) -> bool:
    """Whether a place holds the items of a class."""
    if place.kind == "site":
        return True
    if place.kind == "category":
        return item.filed is not None and place.name in item.filed
    return place.name in item.chain and reaches(item, item.chain.index(place.name), place.reach)


def reaches(item: ItemClass, at: int, reach: str) -> bool:
    """Whether a word that deep in the chain holds the item, by its reach."""
    own = at < item.own
    return own if reach == ONLY_HERE else not own if reach == ONLY_BELOW else True


class Chosen:
    """The words that speak of one class of items in one question."""

    def __init__(
        self,
        rights: Rights,
        crowd: Crowd,
        known: dict[Hashable, Spoken],
        item: ItemClass,
        asked: Asked,
        holds: Callable[[Place], bool] | None = None,
    ) -> None:
        """Take a class; `known` is what was found of single places, and `holds` says which places
        hold its items, where that is not told by its way."""
        self.rights, self.crowd, self.known = rights, crowd, known
        self.data = rights.data
        self.item = item
        self.asked = asked
        self.holds = holds if holds is not None else lambda place: _holds(item, place)
        self.cut_at = item.cut_at(self.data.rights_cut_at)
        self.needs_drafts = not (
            asked.any_state or item.state == PUBLISHED or asked.author or not asked.reading
        )

    # The levels ---------------------------------------------------------------------

    def site_level(self) -> SiteLevel:
        """The level of the words at the site."""
        spot, allows = SITE.spot, self.cut_at is None
        readers = final = None
        default = self.data.readership(self.data.default_readership)
        if self.asked.reading:
            compiled = self._readers(default)
            readers, final = (None, compiled) if default.no_exceptions else (compiled, None)
        never = self._never(spot)
        if self._acts:
            never |= self._spoken(spot, self.asked.action).never
        return SiteLevel(
            never,
            final,
            readers,
            self._access(spot),
            self._hits(spot, "read", allows) if self.asked.reading else (),
            self._hits(spot, DRAFTS, allows) if self.needs_drafts else (),
            self._hits(spot, self.asked.action, allows) if self._acts else (),
        )

    def way_level(self) -> WayLevel:
        """The level of the way, whatever is said of the action itself."""
        item = self.item
        met, cut = self._met() if self.asked.reading else ([], None)
        own_cut = cut is not None and cut < item.own
        part = item.page_kinds is not None
        never = access = 0
        for at, path in enumerate(item.chain):
            never |= self._never(("path", path), at)
            access |= self._access(("path", path))
        categories = None
        if item.filed is not None:
            categories = self.filed_level(item.filed, self.cut_at is None)
        return WayLevel(
            never,
            tuple(self._readers(each) for _, each in met if each.no_exceptions),
            tuple(
                (at, self._readers(each))
                for at, each in met
                if not each.no_exceptions and (cut is None or at <= cut)
            ),
            access,
            tuple(self._on_the_way("read")) if self.asked.reading else (),
            self._plainly_on_the_way(DRAFTS) if self.needs_drafts else (),
            (),
            not self.needs_drafts,
            NOT_MET if part else CUT_OFF if cut is not None else COUNTS,
            NOT_MET if part else CUT_OFF if own_cut else COUNTS,
            categories,
        )

    def filed_level(self, categories: frozenset[str], allows: bool) -> FiledLevel:
        """The level of categories, whatever is said of the action itself."""
        names = _in_order(categories)
        number = {name: at for at, name in enumerate(names)}
        spots = [("category", name) for name in names]
        never = access = 0
        for spot in spots:
            never |= self._never(spot)
            access |= self._access(spot)
        settings = [(at, self.rights.setting_at(spot)) for at, spot in enumerate(spots)]
        met = [(at, found[1]) for at, found in settings if found and self.asked.reading]
        return FiledLevel(
            tuple(
                tuple(number[upper] for upper in category_and_above(name)[:-1] if upper in number)
                for name in names
            ),
            never,
            tuple(self._readers(each) for _, each in met if each.no_exceptions),
            tuple((at, self._readers(each)) for at, each in met if not each.no_exceptions),
            access,
            self._each(spots, "read", allows) if self.asked.reading else (),
            self._each(spots, DRAFTS, allows) if self.needs_drafts else (),
            (),
        )

    def way_level_for_the_action(self, read: WayLevel) -> WayLevel:
        """The same, and what is said of the action itself."""
        if not self._acts:
            return read
        never, item, action = read.never, self.item, self.asked.action
        act: list[tuple[int, int]] = []
        for at, path in enumerate(item.chain):
            spot = ("path", path)
            if action in self.rights.actions_at(spot):
                spoken = self._spoken(spot, action, at)
                never |= spoken.never
                allows = self.cut_at is None or at <= self.cut_at
                act += _as_own(spoken, at < item.own, allows=allows)
        categories = read.categories
        if categories is not None and item.filed is not None:
            allows = self.cut_at is None
            categories = self.filed_level_for_the_action(categories, item.filed, allows)
        return read._replace(never=never, act=tuple(act), categories=categories)

    def filed_level_for_the_action(
        self, read: FiledLevel, categories: frozenset[str], allows: bool
    ) -> FiledLevel:
        """The same of categories."""
        if not self._acts:
            return read
        spots = [("category", name) for name in _in_order(categories)]
        never, action = read.never, self.asked.action
        for spot in spots:
            never |= self._spoken(spot, action).never
        return read._replace(never=never, act=self._each(spots, action, allows))

    def mask_of_role(self, role: str) -> int:
        """Those who have a role where these items are."""
        return self._mask([Who("role", role)])

    @property
    def _acts(self) -> bool:
        """Whether more is asked than reading."""
        return self.asked.action != "read"

    # Words --------------------------------------------------------------------------

    def _spoken(self, spot: Spot, action: str, at: int = _NOT_ON_THE_WAY) -> Spoken:
        """What stands at a place about an action, for such items; a path is `at` some depth."""
        words = self.rights.at(spot, action)
        if not words:
            return _UNSPOKEN
        item, author = self.item, self.asked.author
        since = self.rights.said_since(spot)
        key = (spot, since, action, item.kinds, item.state, author, at < item.own)
        found = self.known.get(key)
        if found is None:
            speaking = [
                each
                for each in words
                if (each.kinds is None or not each.kinds.isdisjoint(item.kinds))
                and (each.states is None or item.state in each.states)
                and (each.whose != OWN or author)
                and (each.whose != OTHERS or not author)
                and (at == _NOT_ON_THE_WAY or reaches(item, at, each.place.reach))
            ]
            found = Spoken(
                hits(speaking, self._mask_of),
                hits([each for each in speaking if not each.allow], self._mask_of),
                finals(speaking, self._mask_of),
            )
            if not any(each.who.kind == "role" for each in words):  # those depend on the item
                if len(self.known) >= _KEPT:
                    self.known.clear()
                self.known[key] = found
        return found

    def _hits(self, spot: Spot, action: str, allows: bool, at: int = _NOT_ON_THE_WAY) -> Hits:
        spoken = self._spoken(spot, action, at)
        return spoken.hits if allows else spoken.denies

    def _each(self, spots: Sequence[Spot], action: str, allows: bool) -> tuple[Hits, ...]:
        return tuple(self._hits(spot, action, allows) for spot in spots)

    def _on_the_way(self, action: str) -> Iterator[tuple[int, int, int]]:
        for at, path in enumerate(self.item.chain):
            allows = self.cut_at is None or at <= self.cut_at
            spoken = self._spoken(("path", path), action, at)
            for mask, says in _as_own(spoken, at < self.item.own, allows=allows):
                yield mask, says, at

    def _plainly_on_the_way(self, action: str) -> Hits:
        return tuple((mask, says) for mask, says, _ in self._on_the_way(action))

    def _never(self, spot: Spot, at: int = _NOT_ON_THE_WAY) -> int:
        """Those to whom a deny without exceptions of reading stands here."""
        if not self.asked.reading:
            return 0
        found = self._spoken(spot, "read", at).never
        if self.item.state != PUBLISHED:
            found |= self._spoken(spot, DRAFTS, at).never
        return found

    def _access(self, spot: Spot) -> int:
        """Those who have all access through a place, where it holds the item."""
        found = 0
        for each in self.rights.all_access.get(spot, ()):
            if spot[0] != "path" or _holds(self.item, each.place):
                found |= self.crowd.mask(each.given.to)
        return found

    # Readerships --------------------------------------------------------------------

    def _met(self) -> tuple[list[tuple[int, Readership]], int | None]:
        """The readerships met on the way, with their depth, and the depth of the nearest
        that keeps those from above away."""
        item = self.item
        met, cut = [], None
        # a part meets those below its page; the rest its page has met
        depth = item.own - item.page_own if item.page_kinds is not None else len(item.chain)
        for at, path in enumerate(item.chain[:depth]):
            found = self.rights.setting_at(("path", path))
            if found is not None and reaches(item, at, found[0].place.reach):
                met.append((at, found[1]))
                if cut is None and not found[0].readership_from_above:
                    cut = at
        return met, cut

    def _readers(self, readership: Readership) -> Readers:
        author = self.asked.author
        if author and AUTHORS in readership.but_not:
            return _NOBODY
        if not author and AUTHORS in readership.all_of:
            return _NOBODY
        everybody = author and AUTHORS in readership.readers
        return Readers(
            BITS[EVERYONE] if everybody else self._mask(readership.readers),
            tuple(self._mask([each]) for each in readership.all_of if each != AUTHORS),
            self._mask(readership.but_not),
        )

    # People -------------------------------------------------------------------------

    def _mask_of(self, clause: Clause) -> int:
        return self._mask([clause.who])

    def _mask(self, whos: Iterable[Who]) -> int:
        found = 0
        for who in whos:
            if who.kind == "role":
                for access in self.rights.holders.get(who.name, ()):
                    if self.holds(access.place):
                        found |= self.crowd.mask(access.given.to)
            elif who != AUTHORS:
                found |= self.crowd.bits[who]
        return found
