"""What roots of categories say to those to whom they say more than to most."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.counting.ways import Codes, OfSite, OnWay
from prim_lantern.decide.engine.population import Answers, Numbers, Spread
from prim_lantern.decide.engine.several import Several
from prim_lantern.decide.engine.sums import counted, distinct, groups_of

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
        codes, said = distinct(spread.codes[others], int(spread.codes.max(initial=0)) + 1)
        users = spread.users[others].astype(np.min_scalar_type(people))
        said = said.astype(np.min_scalar_type(len(codes)))
        return cls(spread.base, users, said, codes.astype(np.int32))


class Heard(NamedTuple):
    """How many `users` hear what of the site and of a root."""

    site: Numbers
    codes: Codes
    users: Numbers


class SpokenTo(NamedTuple):
    """Users to whom some roots say something else, those `met`, and the way as well: in order, a
    place among `met` for each and who it is, what the way says to them, what it would say were it
    common, and what the root says."""

    met: Numbers
    root: Numbers
    users: Small
    theirs: Codes
    common: Numbers
    codes: Codes

    def twice(self, one: Numbers, two: Numbers) -> tuple[Numbers, Numbers, Numbers]:
        """For pairs of places among `met`, the users to whom both roots say something else: the
        pair for each, and where they stand here for the one and for the other."""
        counts = np.bincount(self.root, minlength=len(self.met))
        mine = Several.of(np.arange(len(self.root)), counts).some(one)
        room = int(self.users.max(initial=0)) + 1
        there = self.root * room + self.users
        wanted = two.take(mine.owners) * room + self.users.take(mine.values)
        at = np.searchsorted(there, wanted)
        at[at == len(there)] = 0
        both = np.flatnonzero(there.take(at) == wanted)
        return mine.owners.take(both), mine.values.take(both), at.take(both)


class HeardTwice(NamedTuple):
    """How many hear what of the site and of two roots that both say something else to them: the
    second of some roots for each, by its place among these; and from how many are told so."""

    second: Numbers
    site: Numbers
    one: Codes
    two: Codes
    users: Numbers

    def of_each(self, count: int) -> Several:
        """Where what is told of each of the second roots stands."""
        counts = np.bincount(self.second, minlength=count)
        return Several.of(np.arange(len(self.second)), counts)


class Roots:
    """What all roots of categories say, each with a number."""

    def __init__(self, said: Sequence[OfRoot], people: int) -> None:
        """Take what is said, and the number of people."""
        self._said = said
        self.bases = np.array([each.base for each in said], dtype=np.int64)
        self.sizes = np.array([len(each.users) for each in said], dtype=np.int64)
        self._heard: dict[tuple[int, int], Heard] = {}
        self._flags = np.zeros(people, dtype=np.bool_)
        self._places_said = np.zeros(people, dtype=np.int64)
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
        some = np.flatnonzero(_set(self._flags, way.users).take(users))
        root = np.searchsorted(np.cumsum(self.sizes[met]), some, side="right")
        codes = np.concatenate([each.codes for each in said])
        first = np.cumsum([0, *(len(each.codes) for each in said)])
        place = np.concatenate([each.said for each in said]).take(some) + first.take(root)
        users = users.take(some)
        common = way.most.by_site.take(way.most.site.codes.take(users))
        return SpokenTo(met, root, users, way.codes.take(users), common, codes.take(place))

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

    def heard_twice(self, sites: Sequence[OfSite], one: int, others: Numbers) -> list[HeardTwice]:
        """For each of some sites, how many hear what of those to whom a root and each of some
        others say something else."""
        here, theirs = self._said[one], [self._said[root] for root in others.tolist()]
        users = np.concatenate([each.users for each in theirs])
        both = np.flatnonzero(_set(self._flags, here.users).take(users))
        users = users.take(both)
        self._places_said[here.users] = here.said
        mine = self._places_said.take(users)
        second = np.searchsorted(np.cumsum(self.sizes[others]), both, side="right")
        said = np.concatenate([each.said for each in theirs]).take(both)
        first = np.cumsum([0, *(len(each.codes) for each in theirs)])
        codes = np.concatenate([each.codes for each in theirs])
        place = (said + first.take(second)) * len(here.codes) + mine
        found = []
        for site in sites:
            room = len(site.meant)
            below = len(codes) * len(here.codes) * room
            met, users_there = counted(place * room + site.codes.take(users), below)
            met, of_site = np.divmod(met, room)
            met, of_one = np.divmod(met, len(here.codes))
            of_second = np.searchsorted(first, met, side="right") - 1
            of_both = here.codes.take(of_one), codes.take(met)
            found.append(HeardTwice(of_second, of_site, *of_both, users_there))
        return found


def _set(flags: Answers, users: Numbers | Small) -> Answers:
    """Flags for some users alone, in place."""
    flags.fill(False)
    flags[users] = True
    return flags
