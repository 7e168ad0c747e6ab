"""What single levels say to masks: programs, which are worked out once for each mask."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator
from threading import RLock
from typing import Any

from prim_lantern.decide.engine.levels import UNFILED, Level
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.people import ANYBODY
from prim_lantern.decide.engine.verdict import together

WAY, FILED, MORE = 16, 32, 48  # where the codes of the levels stand in the key of an answer
_KEPT = 200_000  # masks that one program remembers


class Codes:
    """Small numbers for the facts of one level that have been met, and its programs."""

    def __init__(self, *nothing: Hashable) -> None:
        """Take the facts that come to nothing: they all have the number 0."""
        self.facts: Numbered[Any] = Numbered(None)
        self._nothing = frozenset(nothing)
        self._programs: dict[tuple[Level, ...], Program] = {}
        self._joined: dict[Hashable, Program] = {}
        self._lock = RLock()

    def of(self, facts: Hashable) -> int:
        """The number of these facts."""
        return 0 if facts in self._nothing else self.facts.number_of(facts)

    def together(self, codes: Iterable[int]) -> int:
        """The number of what several, of roots of categories that are apart, come to together."""
        said = [self.facts[code] for code in codes if code]
        # tables ask for a part's and a page's together, too, which no item has
        return self.of(tuple(map(together, zip(*said, strict=False)))) if said else 0

    def program(self, levels: tuple[Level, ...]) -> Program:
        """The program of these levels; equal ones are one."""
        found = self._programs.get(levels)
        if found is None:  # an empty program is a false one
            with self._lock:
                fresh = Program(levels, self, len(self._programs) + len(self._joined))
                found = self._programs.setdefault(levels, fresh)
        return found

    def joined(self, programs: tuple[Program, ...]) -> Program:
        """The program that says what several say together; of equal ones there is one."""
        key = ("together", *(each.number for each in programs))
        found = self._joined.get(key)
        if found is None:
            with self._lock:
                number = len(self._programs) + len(self._joined)
                found = self._joined.setdefault(key, Together(programs, self, number))
        return found


class Program(dict[int, int]):
    """What a level says, by the bits that it asks about: worked out once for each mask.

    A part has two levels of each sort, its own and its page's.
    """

    __slots__ = ("_codes", "asks", "levels", "number", "parts")

    def __init__(self, levels: tuple[Level, ...], codes: Codes, number: int) -> None:
        super().__init__()
        self.levels = levels
        self.asks = 0
        for mask in self.masks():
            self.asks |= mask
        self.number = number
        self.parts: Parts | None = None
        self._codes = codes

    def masks(self) -> Iterator[int]:
        """The sets of bits that it asks about."""
        return (mask for level in self.levels for mask in level.masks())

    def code(self, mask: int) -> int:
        """The code for a mask of just the bits that it asks about."""
        return self[mask]

    def __missing__(self, mask: int) -> int:
        code = self._codes.of(tuple(level.facts(mask) for level in self.levels))
        if len(self) >= _KEPT:
            self.clear()
        self[mask] = code
        return code

    def for_members(self, shift: int) -> Parts:
        """The same for those who are signed in, by the bits that not all of them have."""
        if self.parts is None:
            self.parts = Parts(self, shift)
        return self.parts


class Together(Program):
    """What several programs of categories say together: of roots that are apart."""

    __slots__ = ("programs",)

    def __init__(self, programs: tuple[Program, ...], codes: Codes, number: int) -> None:
        self.programs = programs
        super().__init__((), codes, number)

    def masks(self) -> Iterator[int]:
        """The sets of bits that they ask about."""
        return (mask for program in self.programs for mask in program.masks())

    def __missing__(self, mask: int) -> int:
        found = self._codes.together(program[mask & program.asks] for program in self.programs)
        if len(self) >= _KEPT:
            self.clear()
        self[mask] = found
        return found


class Parts(dict[int, int]):
    """A program for people who are signed in, by their bits beside those of audiences.

    Its codes are shifted to their place in the key of an answer.
    """

    def __init__(self, program: Program, shift: int) -> None:
        super().__init__()
        self._program = program
        self._shift = shift

    def __missing__(self, part: int) -> int:
        program = self._program
        code = program[(part | ANYBODY) & program.asks] << self._shift
        if len(self) >= _KEPT:
            self.clear()
        self[part] = code
        return code


class Shared:
    """What all plans of an engine, and the engines that follow it, have in common."""

    def __init__(self) -> None:
        self.site, self.way = Codes(), Codes()
        self.filed = Codes((UNFILED,), (UNFILED, UNFILED))
        self.cases: Numbered[Hashable] = Numbered()
        self.spoken: dict[Hashable, Any] = {}
