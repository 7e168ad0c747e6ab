"""All active users at once: who is behind each bit, and what a program says to everybody."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any, NamedTuple, Protocol

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine.crowd import ANYBODY, Crowd

_IN_A_WORD = 62  # bits that fit one number
_AUDIENCES = 3  # the bits that everybody active has or has not alike
Numbers = NDArray[np.int64]


class Coded(Protocol):
    """Whatever gives a small number to a mask, and asks about some bits only."""

    asks: int

    def code(self, mask: int) -> int:
        """The number for a mask."""


class Spread(NamedTuple):
    """What a program says to all users: `base`, but to `users` their own of `codes`."""

    base: int
    users: Numbers
    codes: Numbers


class Population:
    """The active users in order of login, but for the owner, who may everything."""

    def __init__(self, crowd: Crowd) -> None:
        data = crowd.data
        active = sorted(
            login
            for login, status in zip(data.people.names, data.people.values_of("status"), strict=True)
            if status == "active" and login != data.owner
        )
        self.logins: Sequence[str] = active
        self.numbers = {login: number for number, login in enumerate(active)}
        self.masks = [crowd[login][0] for login in active]
        self.size = len(active)
        self._members = self._by_bit()

    def _by_bit(self) -> dict[int, Numbers]:
        found: dict[int, list[int]] = {}
        for number, mask in enumerate(self.masks):
            rest = mask >> _AUDIENCES
            while rest:
                lowest = rest & -rest
                found.setdefault(lowest.bit_length() - 1 + _AUDIENCES, []).append(number)
                rest ^= lowest
        return {bit: np.array(users, dtype=np.int64) for bit, users in found.items()}

    def spread(self, program: Coded) -> Spread:
        """What a program says to everybody."""
        bits = [bit for bit in _bits(program.asks) if bit in self._members]
        base = program.code(ANYBODY & program.asks)
        if not bits:
            return Spread(base, _NOBODY, _NOBODY)
        touched = np.unique(np.concatenate([self._members[bit] for bit in bits]))
        if len(bits) > _IN_A_WORD:
            asks, code, masks = program.asks, program.code, self.masks
            codes = [code(masks[user] & asks) for user in touched.tolist()]
            return Spread(base, touched, np.array(codes, dtype=np.int64))
        patterns = np.zeros(self.size, dtype=np.int64)
        for number, bit in enumerate(bits):
            patterns[self._members[bit]] |= 1 << number
        distinct, which = np.unique(patterns[touched], return_inverse=True)
        known = np.array([program.code(self._mask(each, bits, program)) for each in distinct])
        return Spread(base, touched, known[which].astype(np.int64))

    def _mask(self, pattern: Any, bits: list[int], program: Coded) -> int:
        found = ANYBODY & program.asks
        for number, bit in enumerate(bits):
            if int(pattern) >> number & 1:
                found |= 1 << bit
        return found

    def dense(self, spread: Spread) -> Numbers:
        """The code of each user."""
        codes = np.full(self.size, spread.base, dtype=np.int64)
        codes[spread.users] = spread.codes
        return codes


def _bits(mask: int) -> list[int]:
    found = []
    rest = mask >> _AUDIENCES
    while rest:
        lowest = rest & -rest
        found.append(lowest.bit_length() - 1 + _AUDIENCES)
        rest ^= lowest
    return found


_NOBODY = np.empty(0, dtype=np.int64)
