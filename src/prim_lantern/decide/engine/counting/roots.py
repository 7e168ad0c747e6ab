"""What roots of categories say to those to whom they say more than to most."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

import numpy as np

from prim_lantern.decide.engine.counting.ways import Codes, OfSite, OnWay
from prim_lantern.decide.engine.population import Answers, Numbers


class OfRoot(NamedTuple):
    """What one root says: `base` to most, to `users`, in order, something else."""

    base: int
    users: Codes
    codes: Codes


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
    users: Codes
    one: Codes
    two: Codes


class Roots:
    """What all roots of categories say, one after the other: the `bases`, and from each of
    `starts` on those to whom the root says something else."""

    def __init__(self, said: Sequence[OfRoot], people: int) -> None:
        """Take what is said, and the number of people."""
        self.bases = np.array([each.base for each in said], dtype=np.int64)
        self.starts = np.concatenate([[0], np.cumsum([len(each.users) for each in said])])
        self.users = np.concatenate([each.users for each in said])
        self.codes = np.concatenate([each.codes for each in said])
        self._heard: dict[tuple[int, int], Heard] = {}
        self._flags = np.zeros(people, dtype=np.bool_)
        self._scratch = np.full(people, -1, dtype=np.int32)
        self._places = np.zeros(len(said), dtype=np.int64)

    def _whom(self, root: int) -> slice:
        """Where those stand to whom one root says something else."""
        return slice(int(self.starts[root]), int(self.starts[root + 1]))

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
        """What roots say, for pairs of one and a user: all are looked up at once, halving."""
        found = self.bases[roots]
        first, last = self.starts[roots], self.starts[roots + 1]
        asked = np.flatnonzero(first < last)
        while len(asked):
            middle = (first[asked] + last[asked]) // 2
            there, wanted = self.users[middle], users[asked]
            met = there == wanted
            found[asked[met]] = self.codes[middle[met]]
            first[asked] = np.where(there < wanted, middle + 1, first[asked])
            last[asked] = np.where(there > wanted, middle, last[asked])
            asked = asked[~met & (first[asked] < last[asked])]
        return found

    def spoken_to(self, way: OnWay, met: Numbers) -> SpokenTo:
        """Those to whom some roots say something else, and the way as well."""
        runs = [self._whom(root) for root in met.tolist()]
        flags: Answers = way.others(self._flags)
        some = np.flatnonzero(flags.take(np.concatenate([self.users[run] for run in runs])))
        ends = np.cumsum([run.stop - run.start for run in runs])
        root = np.searchsorted(ends, some, side="right")
        some += (self.starts[met + 1] - ends)[root]
        users = self.users.take(some)
        common = way.most.by_site.take(way.site.codes.take(users))
        return SpokenTo(met, root, way.codes.take(users), common, self.codes.take(some))

    def heard(self, site: OfSite, root: int) -> Heard:
        """How many of those to whom a root says something else hear what."""
        found = self._heard.get((site.number, root))
        if found is None:
            run = self._whom(root)
            codes = self.codes[run]
            room = int(codes.max(initial=0)) + 1
            counts = np.bincount(site.codes.take(self.users[run]).astype(np.int64) * room + codes)
            met = np.flatnonzero(counts)
            found = Heard(met // room, (met % room).astype(np.int32), counts.take(met))
            self._heard[site.number, root] = found
        return found

    def spoken_to_twice(self, one: Numbers, two: Numbers) -> SpokenToTwice:
        """Those to whom both of a pair of roots say something else; pairs of one first root follow
        one another."""
        speaks = np.diff(self.starts) != 0
        codes, last, met = self._scratch, slice(0), []
        for place in np.flatnonzero(speaks[one] & speaks[two]).tolist():
            here, there = self._whom(one[place]), self._whom(two[place])
            if here != last:
                codes[self.users[last]] = -1
                codes[self.users[here]] = self.codes[here]
                last = here
            users = self.users[there]
            mine = codes.take(users)
            both = (mine >= 0).nonzero()[0]
            if len(both):
                told = (users.take(both), mine.take(both), self.codes[there].take(both))
                met.append((place, *told))
        codes[self.users[last]] = -1
        if not met:
            return SpokenToTwice(_NOBODY, *(3 * [_NOBODY.astype(np.int32)]))
        places, *columns = zip(*met, strict=True)
        pair = np.repeat(np.array(places), [len(each) for each in columns[0]])
        return SpokenToTwice(pair, *(np.concatenate(each) for each in columns))


_NOBODY: Final = np.zeros(0, dtype=np.int64)
