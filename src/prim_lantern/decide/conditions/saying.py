"""The reference for all items of one region at once: what it says of them, as a formula.

To be read beside `decide/reference.py`, whose names it keeps.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Final, NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.conditions.formula import (
    AUTHOR,
    CHANGED,
    Among,
    Filed,
    Formula,
    both,
    each_of,
    either,
    negated,
    one_of,
)
from prim_lantern.decide.reference import Reference
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.places import (
    ONLY_BELOW,
    ONLY_HERE,
    SITE,
    Place,
    category_and_above,
    is_above,
    is_at_or_below,
)
from prim_lantern.site.rights import OTHERS, OWN, PlaceSetting, Readership
from prim_lantern.site.who import Who

_PUBLIC: Final[Formula] = Among("state", frozenset({PUBLISHED}))


class Region(NamedTuple):
    """Items that stand alike: `way` are the paths on the way to them at which something is said,
    from the root down, and `own` those that are their own places. For parts `page` is the one that
    may be their page, and is their own place then; `part` says whether they are parts.
    """

    way: tuple[str, ...]
    own: frozenset[str]
    part: bool = False
    page: str | None = None


class Asker:
    """One person, and what is said to them: the same in all regions."""

    def __init__(self, reference: Reference, login: str | None) -> None:
        self.reference, self.data, self.login = reference, reference.data, login
        self.acting = reference.belonging.acting(login)
        self.whos = reference.belonging.whos(self.acting)
        self.author: Formula = AUTHOR if self.acting is not None else False
        self.holds: dict[str, list[Place]] = {}
        """The places of each role that is given to them."""
        for given in reference.given:
            if not self.whos.isdisjoint(given.to):
                self.holds.setdefault(given.role, []).extend(given.within_any)
        self.all_access = [
            place
            for role, places in self.holds.items()
            if self.data.roles[role].all_access
            for place in places
        ]
        self._spoken: dict[str, tuple[list[Clause], dict[str, list[Clause]]]] = {}

    def spoken(self, action: str, way: Iterable[str]) -> list[Clause]:
        """The clauses that may speak to them in a region."""
        found = self._spoken.get(action)
        if found is None:
            wide: list[Clause] = []
            at_paths: dict[str, list[Clause]] = {}
            for each in self.reference.spoken(self.login, action):
                if each.who.kind == "role" and each.who.name not in self.holds:
                    continue
                at = at_paths.setdefault(each.place.name, []) if each.place.kind == "path" else wide
                at.append(each)
            found = self._spoken[action] = wide, at_paths
        return [*found[0], *(each for path in way for each in found[1].get(path, ()))]

    def spots(self, actions: Iterable[str]) -> frozenset[str]:
        """The paths at which anything is said that may concern them when they ask for actions."""
        spoken = [each for action in actions for each in self.reference.spoken(self.login, action)]
        places = [each.place for each in spoken]
        places += [place for some in self.holds.values() for place in some]
        places += [each.place for each in self.data.readerships_at.values()]
        named = {place.name for place in places if place.kind == "path"}
        return frozenset(named | set(self.data.rights_cut_at))


class Saying:
    """What one person may do in one region."""

    def __init__(self, asker: Asker, region: Region) -> None:
        self._asker, self._data, self._region = asker, asker.data, region
        self._left: dict[str, list[tuple[Clause, Formula]]] = {}

    # Places ---------------------------------------------------------------------------

    def _is_own(self, path: str) -> Formula:
        """Whether a path on the way is one of the own places."""
        if path in self._region.own:
            return True
        return Among("page", frozenset({path})) if path == self._region.page else False

    def _held_by(self, place: Place) -> Formula:
        if place.kind == "site":
            return True
        if place.kind == "category":
            return Filed(frozenset({place.name}))
        if place.name not in self._region.way:
            return False
        own = self._is_own(place.name)
        if place.reach == ONLY_BELOW:
            return negated(own)
        return own if place.reach == ONLY_HERE else True

    def _nearer(self, a: Place, b: Place) -> Formula:
        if b.kind == "site":
            return a.kind != "site"
        if a.kind == "path" and b.kind == "path":
            return is_above(b.name, a.name)
        if a.kind == "path" and b.kind == "category":
            return self._is_own(a.name)
        if a.kind == "category" and b.kind == "category":
            return b.name in category_and_above(a.name)[:-1]
        return False

    # People -----------------------------------------------------------------------------

    def _is_among(self, who: Who) -> Formula:
        if who.kind == "role":
            return one_of(map(self._held_by, self._asker.holds.get(who.name, ())))
        if who.kind == "authors":
            return self._asker.author
        return who in self._asker.whos

    def _all_access(self) -> Formula:
        return one_of(map(self._held_by, self._asker.all_access))

    def _is_in(self, readership: Readership) -> Formula:
        return both(
            one_of(map(self._is_among, readership.readers)),
            each_of(map(self._is_among, readership.all_of)),
            negated(one_of(map(self._is_among, readership.but_not))),
        )

    # Clauses ------------------------------------------------------------------------------

    def _kind(self, kinds: frozenset[str]) -> Formula:
        own: Formula = Among("kind", kinds)
        return either(own, Among("page kind", kinds)) if self._region.part else own

    def _fits(self, clause: Clause) -> Formula:
        return both(
            self._held_by(clause.place),
            clause.kinds is None or self._kind(clause.kinds),
            clause.states is None or Among("state", clause.states),
            clause.whose != OWN or self._asker.author,
            clause.whose != OTHERS or negated(self._asker.author),
            self._is_among(clause.who),
        )

    def _matching(self, action: str) -> list[tuple[Clause, Formula]]:
        spoken = self._asker.spoken(action, self._region.way)
        fitting = ((each, self._fits(each)) for each in spoken)
        return [(clause, fits) for clause, fits in fitting if fits is not False]

    def _final_deny(self, action: str) -> Formula:
        return one_of(fits for clause, fits in self._matching(action) if clause.no_exceptions)

    def _left_over(self, action: str) -> list[tuple[Clause, Formula]]:
        """The clauses that may be left over, each with when it is."""
        found = self._left.get(action)
        if found is not None:
            return found
        cuts = [path for path in self._region.way if path in self._data.rights_cut_at]
        cut_at = cuts[-1] if cuts else None
        speaking = [
            (clause, fits)
            for clause, fits in self._matching(action)
            if not clause.no_exceptions
            and not (clause.allow and not is_at_or_below(clause.place, cut_at))
        ]
        found = self._left[action] = []
        for clause, fits in speaking:
            outweighed = one_of(
                both(weighs, its)
                for other, its in speaking
                if (weighs := self._outweighs(other, clause)) is not False
            )
            left = both(fits, negated(outweighed))
            if left is not False:
                found.append((clause, left))
        return found

    def _outweighs(self, a: Clause, b: Clause) -> Formula:
        if a.place.spot == b.place.spot:
            return a.who.rank > b.who.rank
        return self._nearer(a.place, b.place)

    def _no(self, action: str) -> Formula:
        """The say is no."""
        return one_of(left for clause, left in self._left_over(action) if not clause.allow)

    def _yes(self, action: str) -> Formula:
        """The say is yes."""
        allowed = one_of(left for clause, left in self._left_over(action) if clause.allow)
        return both(allowed, negated(self._no(action)))

    # Reading --------------------------------------------------------------------------------

    def _readerships_met(self) -> list[tuple[Readership, Place, Formula]]:
        """The readerships that may be met, each with when it is."""
        stand, way = self._data.readerships_at, self._region.way
        at_paths = [each for path in way if (each := stand.get(("path", path)))]
        if self._region.part:  # the rest its page has met
            at_paths = [each for each in at_paths if each.place.name in self._region.own]
            elsewhere: Sequence[PlaceSetting] = ()
        else:
            site_wide = PlaceSetting(SITE, self._data.default_readership)
            at_categories = (each for spot, each in stand.items() if spot[0] == "category")
            elsewhere = (site_wide, *at_categories)
        at_paths = [each for each in at_paths if self._held_by(each.place)]
        cutting = [each.place.name for each in at_paths if not each.readership_from_above]
        nearest = cutting[-1] if cutting else None
        own = nearest in self._region.own
        met = []
        for each in (*elsewhere, *at_paths):
            readership = self._data.readership(each.readership or "")
            counts = (
                readership.no_exceptions
                or is_at_or_below(each.place, nearest)
                or (each.place.kind == "category" and not own)
            )
            if counts:
                met.append((readership, each.place, self._held_by(each.place)))
        return met

    def _passed(self, readership: Readership, place: Place) -> Formula:
        is_in = self._is_in(readership)
        if readership.no_exceptions or is_in is True:
            return is_in
        near = one_of(
            both(left, clause.place.spot == place.spot or self._nearer(clause.place, place))
            for clause, left in self._left_over("read")
        )
        return either(is_in, both(self._yes("read"), near))

    def read(self) -> Formula:
        """When they may read; the page of a part and the target of a link are asked beside."""
        if self._asker.login is not None and self._asker.login == self._data.owner:
            return True
        met = self._readerships_met()
        strict = each_of(
            either(negated(held), self._is_in(readership))
            for readership, _, held in met
            if readership.no_exceptions
        )
        drafts = both(negated(_PUBLIC), self._final_deny("see-drafts"))
        by_themselves = both(
            negated(self._no("read")),
            each_of(
                either(negated(held), self._passed(readership, place))
                for readership, place, held in met
            ),
            either(_PUBLIC, self._asker.author, self._yes("see-drafts")),
        )
        return both(
            negated(self._final_deny("read")),
            negated(drafts),
            strict,
            either(self._all_access(), by_themselves),
        )

    # Any other action -------------------------------------------------------------------------

    def may(self, action: str) -> Formula:
        """When they may do an action, as far as that is no matter of its page or its target."""
        if action == "read":
            return self.read()
        theirs = negated(self._own_work(action))
        if self._asker.login is not None and self._asker.login == self._data.owner:
            return theirs
        return both(
            theirs,
            negated(self._final_deny(action)),
            self.read(),
            either(self._all_access(), self._yes(action)),
        )

    def _own_work(self, action: str) -> Formula:
        """Four eyes: they wrote or changed what asks for them."""
        if action != "publish" or self._asker.acting is None:
            return False
        kinds = frozenset(name for name, kind in self._data.all_kinds.items() if kind.four_eyes)
        return both(self._kind(kinds), either(AUTHOR, CHANGED)) if kinds else False
