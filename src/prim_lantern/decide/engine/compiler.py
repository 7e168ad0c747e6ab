"""From the words of a site to levels of masks, for one class of items and one question."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Iterable, Iterator, Sequence
from typing import NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine.asked import Asked, FiledCase, ItemClass
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

_DRAFTS = "see-drafts"
_NOBODY = Readers(0, (), 0)


class Spoken(NamedTuple):
    """The words of one place about one action: all, the denies alone, and the final ones."""

    hits: Hits
    denies: Hits
    never: int


class Named(NamedTuple):
    """The kinds and states that the words of some places name."""

    kinds: frozenset[str]
    states: frozenset[str]


_UNSPOKEN = Spoken((), (), 0)
_NOT_ON_THE_WAY = -1  # the depth of a place that is no path


class Compiler:
    """Chooses the words that speak of a class of items, and puts them into levels."""

    def __init__(self, rights: Rights, crowd: Crowd) -> None:
        self.rights = rights
        self.crowd = crowd
        self.data = rights.data
        self.known: dict[Hashable, Spoken] = {}
        self._levels: dict[Hashable, tuple[SiteLevel, WayLevel]] = {}
        self._filed_levels: dict[Hashable, FiledLevel] = {}
        self._named: dict[Hashable, Named] = {}

    def levels(self, item: ItemClass, asked: Asked) -> tuple[SiteLevel, WayLevel]:
        """The site's level and that of the way, for items of one class."""
        if item.filed is not None:
            return self._levels_of(item, asked)
        spots = (SITE.spot, *(("path", path) for path in item.chain))
        of_page = (item.own, item.page_kinds is None, item.page_own)
        key = (item.chain, of_page, asked, self._alike(spots, item.kinds, item.state, asked))
        found = self._levels.get(key)
        if found is None:
            found = self._levels[key] = self._levels_of(item, asked)
        return found

    def _levels_of(self, item: ItemClass, asked: Asked) -> tuple[SiteLevel, WayLevel]:
        on_site = _Chosen(self, item, asked, lambda place: _holds(item, place))
        return on_site.site_level(), on_site.way_level()

    def filed_level(
        self, categories: frozenset[str], case: FiledCase, asked: Asked, *, of_page: bool = False
    ) -> FiledLevel:
        """The level of some categories (those above included), for items of one case."""
        kinds = case.page_kinds if of_page and case.page_kinds is not None else case.kinds
        allows = case.page_allows if of_page else case.allows
        spots = tuple(("category", name) for name in categories)
        key = (categories, allows, asked, self._alike(spots, kinds, case.state, asked))
        found = self._filed_levels.get(key)
        if found is None:
            item = ItemClass((), 0, kinds, case.state)
            chosen = _Chosen(self, item, asked, lambda place: place.kind == "site")
            found = self._filed_levels[key] = chosen.filed_level(categories, allows)
        return found

    def _alike(
        self, spots: tuple[Spot, ...], kinds: frozenset[str], state: str, asked: Asked
    ) -> Hashable:
        """What the words at some places tell apart in a kind and a state: whoever shares this is
        spoken of alike."""
        key = (spots, asked.action)
        named = self._named.get(key)
        if named is None:
            named = self._named[key] = self._named_at(spots, {asked.action, "read", _DRAFTS})
        told = state if state in named.states else ""
        return kinds & named.kinds, told, state == PUBLISHED

    def _named_at(self, spots: Iterable[Spot], actions: Iterable[str]) -> Named:
        words = [
            each for spot in spots for action in actions for each in self.rights.at(spot, action)
        ]
        return Named(
            frozenset(kind for each in words for kind in each.kinds or ()),
            frozenset(state for each in words for state in each.states or ()),
        )


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


class _Chosen:
    """The words that speak of one class of items in one question."""

    def __init__(
        self,
        compiler: Compiler,
        item: ItemClass,
        asked: Asked,
        holds: Callable[[Place], bool],
    ) -> None:
        self.rights = compiler.rights
        self.data = compiler.data
        self.crowd = compiler.crowd
        self.known = compiler.known
        self.item = item
        self.asked = asked
        self.holds = holds
        self.cut_at = item.cut_at(self.data.rights_cut_at)
        self.needs_drafts = not (
            asked.any_state or item.state == PUBLISHED or asked.author or not asked.reading
        )

    # The levels ---------------------------------------------------------------------

    def site_level(self) -> SiteLevel:
        spot, allows = SITE.spot, self.cut_at is None
        readers = final = None
        default = self.data.readership(self.data.default_readership)
        if self.asked.reading:
            compiled = self._readers(default)
            readers, final = (None, compiled) if default.no_exceptions else (compiled, None)
        return SiteLevel(
            self._never(spot),
            final,
            readers,
            self._access(spot),
            self._hits(spot, "read", allows) if self.asked.reading else (),
            self._hits(spot, _DRAFTS, allows) if self.needs_drafts else (),
            self._hits(spot, self.asked.action, allows) if self._acts else (),
        )

    def way_level(self) -> WayLevel:
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
            self._plainly_on_the_way(_DRAFTS) if self.needs_drafts else (),
            self._plainly_on_the_way(self.asked.action) if self._acts else (),
            not self.needs_drafts,
            NOT_MET if part else CUT_OFF if cut is not None else COUNTS,
            NOT_MET if part else CUT_OFF if own_cut else COUNTS,
            categories,
        )

    def filed_level(self, categories: frozenset[str], allows: bool) -> FiledLevel:
        names = sorted(categories, key=lambda name: (-name.count("/"), name))
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
                tuple(number[upper] for upper in category_and_above(name)[:-1]) for name in names
            ),
            never,
            tuple(self._readers(each) for _, each in met if each.no_exceptions),
            tuple((at, self._readers(each)) for at, each in met if not each.no_exceptions),
            access,
            self._each(spots, "read", allows) if self.asked.reading else (),
            self._each(spots, _DRAFTS, allows) if self.needs_drafts else (),
            self._each(spots, self.asked.action, allows) if self._acts else (),
        )

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
        key = (spot, action, item.kinds, item.state, author, at < item.own)
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
            own = at < self.item.own
            for mask, says in self._hits(("path", path), action, allows, at):
                if own:
                    says = OWN_YES if says == YES else OWN_NO
                yield mask, says, at

    def _plainly_on_the_way(self, action: str) -> Hits:
        return tuple((mask, says) for mask, says, _ in self._on_the_way(action))

    def _never(self, spot: Spot, at: int = _NOT_ON_THE_WAY) -> int:
        """Those to whom a deny without exceptions stands here for what is asked."""
        actions = {self.asked.action} if self._acts else set()
        if self.asked.reading:
            actions.add("read")
            if self.item.state != PUBLISHED:
                actions.add(_DRAFTS)
        found = 0
        for action in actions:
            found |= self._spoken(spot, action, at).never
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
