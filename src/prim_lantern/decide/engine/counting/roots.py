"""What roots of categories say to those to whom they say more than to most."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.counting.ways import Codes, OfSite, OnWay
from prim_lantern.decide.engine.population import Numbers, Spread
from prim_lantern.decide.engine.sums import groups_of

Small = NDArray[Any]


class OfRoot(NamedTuple):
    """What one root says: `base` to most, to `users`, in order, something else: one of `codes` by
    its place there. There can be tens of thousands of roots that speak to many, so that small
    numbers are kept."""

    base: int
    users: Small
    said: Small
    codes: Codes

    @classmethod
    def of(cls, spread: Spread, people: int) -> OfRoot:
        """What a program of categories says to some people."""
        others = spread.codes != spread.base
        codes, said = np.unique(spread.codes[others], return_inverse=True)
        users = spread.users[others].astype(np.min_scalar_type(people))
        said = said.astype(np.min_scalar_type(len(codes)))
        return cls(spread.base, users, said, codes.astype(np.int32))


class Heard(NamedTuple):
    """How many `users` hear what of the site and of a root."""

    site: Numbers
    codes: Codes
    users: Numbers


class SpokenTo(NamedTuple):
    """Users to whom some roots say something else, those `met`, and the way as well: a place among
    `met` for each, what the way says to them, what it would say were it common, and what the root
    says."""

    met: Numbers
    root: Numbers
    theirs: Numbers
    common: Numbers
    codes: Codes


class SpokenToTwice(NamedTuple):
    """Users to whom both of a pair of roots say something else: the place of the pair for each, and
    what the roots say."""

    pair: Numbers
    users: Small
    one: Codes
    two: Codes


class Roots:
    """What all roots of categories say, each with a number."""

    def __init__(self, said: Sequence[OfRoot], people: int) -> None:
        """Take what is said, and the number of people."""
        self._said = said
        self.bases = np.array([each.base for each in said], dtype=np.int64)
        self._sizes = np.array([len(each.users) for each in said], dtype=np.int64)
        self._heard: dict[tuple[int, int], Heard] = {}
        self._flags = np.zeros(people, dtype=np.bool_)
        self._scratch = np.full(people, -1, dtype=np.int32)
        self._places = np.zeros(len(said), dtype=np.int64)

    def met(self, roots: Numbers) -> tuple[Numbers, Numbers]:
        """The distinct ones of some roots, and which of them each is."""
        places = self._places
        places[roots] = -1
        met = np.flatnonzero(places)
        places[met] = np.arange(len(met))
        which = places[roots]
        places[met] = 0
        return met, which

    def say(self, roots: Numbers, users: Numbers) -> Numbers:
        """What roots say, for pairs of one and a user."""
        met, which = self.met(roots)
        found = self.bases[roots]
        for place, here in groups_of(which, len(met)):
            said = self._said[met[place]]
            if len(said.users):
                wanted = users[here]
                at = np.searchsorted(said.users, wanted)
                at[at == len(said.users)] = 0
                there = np.flatnonzero(said.users[at] == wanted)
                found[here[there]] = said.codes[said.said[at[there]]]
        return found

    def spoken_to(self, way: OnWay, met: Numbers) -> SpokenTo:
        """Those to whom some roots say something else, and the way as well."""
        said = [self._said[root] for root in met.tolist()]
        users = np.concatenate([each.users for each in said])
        some = np.flatnonzero(way.others(self._flags).take(users))
        root = np.searchsorted(np.cumsum(self._sizes[met]), some, side="right")
        codes = np.concatenate([each.codes for each in said])
        first = np.cumsum([0, *(len(each.codes) for each in said)])
        place = np.concatenate([each.said for each in said]).take(some) + first.take(root)
        users = users.take(some)
        common = way.most.by_site.take(way.site.codes.take(users))
        return SpokenTo(met, root, way.codes.take(users), common, codes.take(place))

    def heard(self, site: OfSite, root: int) -> Heard:
        """How many of those to whom a root says something else hear what."""
        found = self._heard.get((site.number, root))
        if found is None:
            said = self._said[root]
            room = max(1, len(said.codes))
            counts = np.bincount(site.codes.take(said.users) * room + said.said)
            met = np.flatnonzero(counts)
            found = Heard(met // room, said.codes.take(met % room), counts.take(met))
            self._heard[site.number, root] = found
        return found

    def spoken_to_twice(self, one: Numbers, two: Numbers) -> SpokenToTwice:
        """Those to whom both of a pair of roots say something else; pairs of one first root follow
        one another."""
        speaks = self._sizes != 0
        scratch, last, met = self._scratch, None, []
        for place in np.flatnonzero(speaks[one] & speaks[two]).tolist():
            here, there = self._said[one[place]], self._said[two[place]]
            if here is not last:
                if last is not None:
                    scratch[last.users] = -1
                scratch[here.users] = here.said
                last = here
            mine = scratch.take(there.users)
            both = (mine >= 0).nonzero()[0]
            if len(both):
                first, second = here.codes[mine.take(both)], there.codes[there.said.take(both)]
                met.append((place, there.users.take(both), first, second))
        if last is not None:
            scratch[last.users] = -1
        if not met:
            return SpokenToTwice(_NOBODY, *(3 * [_NOBODY.astype(np.int32)]))
        places, *columns = zip(*met, strict=True)
        pair = np.repeat(np.array(places), [len(each) for each in columns[0]])
        return SpokenToTwice(pair, *(np.concatenate(each) for each in columns))


_NOBODY: Final = np.zeros(0, dtype=np.int64)
