"""All active users at once: who is behind each bit, and what a program says to everybody."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from functools import cached_property
from threading import Lock
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.levels import Hits, Readers
from prim_lantern.decide.engine.people import ANYBODY, AUDIENCES, Crowd
from prim_lantern.decide.engine.programs import Program
from prim_lantern.decide.engine.several import Several
from prim_lantern.site.people import ACTIVE

_SAYS = 3  # how many values a fact can have
_AT_ONCE = 14  # sets of people by which they are told apart in one go
_PAIRS = 100_000  # of a person and a program that are looked at in one go
_AUDIENCES = 3  # the bits that everybody active has or has not alike
Numbers = NDArray[np.int64]
Answers = NDArray[np.bool_]


class Coded(Protocol):
    """Whatever gives a small number to a mask, and asks about some bits only."""

    @property
    def asks(self) -> int:
        """All bits that it asks about."""

    def masks(self) -> Iterable[int]:
        """The sets of bits that it asks about."""

    def code(self, mask: int) -> int:
        """The number for a mask."""


class Spread(NamedTuple):
    """What a program says to all users: `base`, but to `users` their own of `codes`."""

    base: int
    users: Numbers
    codes: Numbers


class Population:
    """The active users in order of login, but for the owner, who may everything."""

    def __init__(self, crowd: Crowd, logins: Collection[str] | None = None) -> None:
        """Take them all, or just some of them."""
        people, owner = crowd.data.people, crowd.data.owner
        states: Iterable[tuple[str, str]] = zip(
            people.names, people.values_of("status"), strict=True
        )
        if logins is not None:
            rows = ((each, people.index[each]) for each in logins if each in people.index)
            states = ((each, people.value("status", row)) for each, row in rows)
        else:
            crowd.gather()
        active = sorted(login for login, state in states if state == ACTIVE and login != owner)
        self._take(np.array(active, dtype=np.object_), [crowd[login][0] for login in active])

    def _take(self, logins: NDArray[np.object_], masks: list[int]) -> None:
        self.logins, self.masks, self.size = logins, masks, len(masks)
        self.numbers = {login: number for number, login in enumerate(logins.tolist())}
        self._members = self._by_bit()
        self._sets: dict[int, Numbers] = {}
        self._scratch = np.zeros(self.size, dtype=np.int64)
        self._lock = Lock()  # one thread at a time writes what it looks at there
        self._said: dict[int, NDArray[np.int32]] = {}

    def heeding(self, crowd: Crowd) -> Population:
        """The same people in a crowd that differs in nothing but that words speak of more of them
        by name."""
        found = object.__new__(Population)
        found.__dict__.update(self.__dict__)
        found.masks, found._members, found._said = self.masks[:], {**self._members}, {**self._said}
        found._scratch, found._sets = np.zeros(self.size, dtype=np.int64), {**self._sets}
        found.__dict__.pop("_bits", None)
        for who, bit in crowd.bits.items():
            number = self.numbers.get(who.name) if who.kind == "user" else None
            if number is not None and not self.masks[number] & bit:
                found.masks[number] |= bit
                found._members[bit.bit_length() - 1] = np.array([number])
        return found

    def with_any_of(self, mask: int) -> Numbers:
        """Those who have any of some bits."""
        return np.flatnonzero(self.has(mask))

    def only(self, users: Numbers) -> Population:
        """Just some of them, in the same order."""
        found = object.__new__(Population)
        found._take(self.logins[users], [self.masks[user] for user in users.tolist()])
        return found

    def _by_bit(self) -> dict[int, Numbers]:
        found: dict[int, list[int]] = {}
        for number, mask in enumerate(self.masks):
            rest = mask >> _AUDIENCES
            while rest:
                lowest = rest & -rest
                found.setdefault(lowest.bit_length() - 1 + _AUDIENCES, []).append(number)
                rest ^= lowest
        return {bit: np.array(users, dtype=np.int64) for bit, users in found.items()}

    def says(self, program: Program) -> NDArray[np.int32]:
        """The code that a program of the site has for each user; they are few, and kept.

        Many bits matter at the site, so everybody is looked at together, fact by fact.
        """
        found = self._said.get(program.number)
        if found is None:
            columns = [column for level in program.levels for column in self._facts(level)]
            key = np.zeros(self.size, dtype=np.int64)
            for column in columns:
                key = key * _SAYS + column
            first, codes = np.unique(key, return_index=True, return_inverse=True)[1:]
            known = np.array([program[self.masks[n] & program.asks] for n in first.tolist()])
            found = self._said[program.number] = known[codes].astype(np.int32)
        return found

    def _facts(self, level: Any) -> list[NDArray[Any]]:
        """The facts of the site's level (`SiteLevel.facts`), a column each."""
        return [
            self.has(level.never),
            *(self._lacks(readers) for readers in (level.final, level.readers)),
            self.has(level.access),
            *(self._first(hits) for hits in (level.read, level.drafts, level.act)),
        ]

    def has(self, mask: int) -> NDArray[np.bool_]:
        """Who has any of some bits."""
        found = np.full(self.size, bool(mask & ANYBODY))
        if not mask & ANYBODY:
            found[self._behind(mask)] = True
        return found

    def _lacks(self, readers: Readers | None) -> NDArray[np.bool_]:
        if readers is None:
            return np.zeros(self.size, dtype=np.bool_)
        found = self.has(readers.readers) & ~self.has(readers.but_not)
        for each in readers.all_of:
            found &= self.has(each)
        return ~found

    def _first(self, hits: Hits) -> NDArray[np.int64]:
        found = np.zeros(self.size, dtype=np.int64)
        for mask, says in reversed(hits):
            found[self.has(mask)] = says
        return found

    def spread(self, program: Coded) -> Spread:
        """What a program says to everybody."""
        base, masks = program.code(ANYBODY & program.asks), _masks_of_some(program)
        if not masks:
            return Spread(base, _NOBODY, _NOBODY)
        with self._lock:
            users, patterns = self._patterns(masks)
        room = int(patterns.max(initial=0)) + 1
        somebody = np.full(room, -1, dtype=np.int64)
        somebody[patterns] = users
        codes = np.full(room, base, dtype=np.int64)
        asks, masks_of = program.asks, self.masks
        there = np.flatnonzero(somebody >= 0)
        for pattern, user in zip(there.tolist(), somebody[there].tolist(), strict=True):
            codes[pattern] = program.code(masks_of[user] & asks)
        found = codes.take(patterns)
        others = np.flatnonzero(found != base)
        return Spread(base, users.take(others), found.take(others))

    def codes_of(self, programs: Sequence[Program], users: Numbers, which: Numbers) -> Numbers:
        """The code that a program has for a user, for each pair of a user and one of them."""
        to_most = [program.code(ANYBODY & program.asks) for program in programs]
        found = np.array(to_most, dtype=np.int64)[which]
        asks = _bits_as_bytes(
            [program.asks for program in programs], int(self._bits.values.max(initial=0))
        )
        for start in range(0, len(users), _PAIRS):
            theirs = self._bits.some(users[start : start + _PAIRS])
            program, bits = which[start : start + _PAIRS][theirs.owners], theirs.values
            asked = asks[program, bits >> 3] >> (bits & 7) & 1
            spoken_to = start + np.unique(theirs.owners[asked != 0])
            pairs = zip(users[spoken_to].tolist(), which[spoken_to].tolist(), strict=True)
            codes = [
                programs[number][self.masks[user] & programs[number].asks] for user, number in pairs
            ]
            found[spoken_to] = codes
        return found

    @cached_property
    def _bits(self) -> Several:
        """The bits of each user, but for those of audiences."""
        sizes = [len(each) for each in self._members.values()]
        bits = np.repeat(np.array([*self._members], dtype=np.int64), sizes)
        users = np.concatenate([_NOBODY, *self._members.values()])
        values = bits[np.argsort(users, kind="stable")]
        return Several.of(values, np.bincount(users, minlength=self.size))

    def _patterns(self, sets: list[int]) -> tuple[Numbers, Numbers]:
        """The users who are in any of some sets, and a number for which of them each is in."""
        seen = np.zeros(0, dtype=np.int64)
        users = seen
        for start in range(0, len(sets), _AT_ONCE):
            scratch, met = self._scratch, [users]
            if start:  # more sets than fit: number the patterns so far
                scratch[users] = (np.unique(seen, return_inverse=True)[1] + 1) << _AT_ONCE
            for number, mask in enumerate(sets[start : start + _AT_ONCE]):
                members = self._behind(mask)
                before = scratch.take(members)
                met.append(members[before == 0])
                scratch[members] = before | 1 << number
            users = np.sort(np.concatenate(met))
            seen = scratch.take(users)
            scratch[users] = 0
        if len(sets) > _AT_ONCE:
            seen = np.unique(seen, return_inverse=True)[1]
        return users, seen

    def _behind(self, mask: int) -> Numbers:
        """The users who have any of some bits."""
        found = self._sets.get(mask)
        if found is None:
            members = [self._members[bit] for bit in _bits(mask) if bit in self._members]
            some = np.zeros(self.size, dtype=np.bool_)
            for each in members:
                some[each] = True
            found = self._sets[mask] = np.flatnonzero(some)
        return found

    def dense(self, spread: Spread) -> Numbers:
        """The code of each user."""
        codes = np.full(self.size, spread.base, dtype=np.int64)
        codes[spread.users] = spread.codes
        return codes


def _masks_of_some(program: Coded) -> list[int]:
    """The sets of bits that a program asks about and that not everybody has alike."""
    masks = {mask & ~AUDIENCES for mask in program.masks() if not mask & ANYBODY}
    return sorted(masks - {0})


def _bits(mask: int) -> list[int]:
    found = []
    rest = mask >> _AUDIENCES
    while rest:
        lowest = rest & -rest
        found.append(lowest.bit_length() - 1 + _AUDIENCES)
        rest ^= lowest
    return found


def _bits_as_bytes(masks: Sequence[int], highest: int) -> NDArray[np.uint8]:
    """The bits of some masks, a row each, with room for the highest: eight in a byte, the lowest
    first."""
    width = max(highest, *(mask.bit_length() for mask in masks), 0) // 8 + 1
    packed = b"".join(mask.to_bytes(width, "little") for mask in masks)
    return np.frombuffer(packed, dtype=np.uint8).reshape(-1, width)


_NOBODY = np.empty(0, dtype=np.int64)


class Places(NamedTuple):
    """Situations to count in: for each of several plans, the classes of each situation.

    `way[k]`, `filed[k]` and `more[k]` belong to plan k; all have one entry a situation.
    """

    way: Sequence[Numbers]
    filed: Sequence[Numbers]
    more: Sequence[Numbers]
