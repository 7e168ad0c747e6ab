"""One question, ready to be answered for any person and any class of items."""

from __future__ import annotations

from collections.abc import Hashable
from threading import RLock
from typing import Any, Final, Protocol

from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.compiler import Compiler
from prim_lantern.decide.engine.ground import Ground
from prim_lantern.decide.engine.levels import UNFILED, YES
from prim_lantern.decide.engine.verdict import verdict

_WAY, _FILED, _MORE = 16, 32, 48  # where the codes of the levels stand in the key of an answer
_KEPT = 200_000  # masks that one program remembers


class Level(Protocol):
    """What one level says to a mask."""

    @property
    def asks(self) -> int:
        """All bits that it asks about."""

    def facts(self, mask: int) -> Hashable:
        """What it comes to for one person."""


class Codes:
    """Small numbers for facts that have been met."""

    def __init__(self, *first: Hashable) -> None:
        self.facts: list[Any] = list(first)
        self._numbers = {each: number for number, each in enumerate(first)}
        self._lock = RLock()

    def of(self, facts: Hashable) -> int:
        """The number of these facts."""
        found = self._numbers.get(facts)
        if found is None:
            with self._lock:
                found = self._numbers.setdefault(facts, len(self.facts))
                if found == len(self.facts):
                    self.facts.append(facts)
        return found


class Program(dict[int, int]):
    """What a level says, by the bits that it asks about: worked out once for each mask.

    A part has two levels of each sort, its own and its page's.
    """

    __slots__ = ("_codes", "asks", "levels")

    def __init__(self, levels: tuple[Level, ...], codes: Codes) -> None:
        super().__init__()
        self.levels = levels
        self.asks = 0
        for level in levels:
            self.asks |= level.asks
        self._codes = codes

    def __missing__(self, mask: int) -> int:
        code = self._codes.of(tuple(level.facts(mask) for level in self.levels))
        if len(self) >= _KEPT:
            self.clear()
        self[mask] = code
        return code


Entry = tuple[int, Program, int, Program]
"""The programs of the site and of the way, each behind the bits that it asks about."""


class Shared:
    """What all plans of an engine, and the engines that follow it, have in common."""

    def __init__(self) -> None:
        self.site, self.way = Codes(), Codes()
        self.filed = Codes((UNFILED, UNFILED))
        self.programs: dict[Hashable, Program] = {}

    def program(self, levels: tuple[Level, ...], codes: Codes) -> Program:
        """The program of these levels; equal ones are one."""
        key = (levels, id(codes))
        found = self.programs.get(key)
        return found or self.programs.setdefault(key, Program(levels, codes))


class Plan:
    """The programs of one question by the classes of the ground, and its answers."""

    def __init__(self, asked: Asked, compiler: Compiler, ground: Ground, shared: Shared) -> None:
        self.asked = asked
        self.way: dict[int, Entry] = {}
        self.filed: dict[int, tuple[int, Program]] = {}
        self.answers = Answers(asked, shared)
        self._compiler = compiler
        self._ground = ground
        self._shared = shared
        self._of_page = Asked("read", author=asked.author)

    def key(self, mask: int, way: int, filed: int, more: int) -> int:
        """The key of the answer for a person's mask and the classes of an item."""
        site_asks, site, way_asks, on_way = self.way.get(way) or self.entry(way)
        key = site[mask & site_asks] | on_way[mask & way_asks] << _WAY
        if filed:
            asks, program = self.filed.get(filed) or self.filed_entry(filed)
            key |= program[mask & asks] << _FILED
            if more:
                asks, program = self.filed.get(more) or self.filed_entry(more)
                key |= program[mask & asks] << _MORE
        return key

    def entry(self, number: int) -> Entry:
        """The programs for a class of items, compiled."""
        item = self._ground.classes[number]
        if item is None:
            raise IndexError(number)
        levels = [self._compiler.levels(item, self.asked)]
        page = item.page
        if page is not None and self.asked.reading:
            levels.append(self._compiler.levels(page, self._of_page))
        site = self._shared.program(tuple(each for each, _ in levels), self._shared.site)
        way = self._shared.program(tuple(each for _, each in levels), self._shared.way)
        self.way[number] = (site.asks, site, way.asks, way)
        return self.way[number]

    def filed_entry(self, number: int) -> tuple[int, Program]:
        """The program for a class of categories, compiled."""
        found = self._ground.filed[number]
        if found is None:
            raise IndexError(number)
        categories, case = found
        levels = [self._compiler.filed_level(categories, case, self.asked)]
        if case.page_kinds is not None and self.asked.reading:
            levels.append(
                self._compiler.filed_level(categories, case, self._of_page, of_page=True)
            )
        program = self._shared.program(tuple(levels), self._shared.filed)
        self.filed[number] = (program.asks, program)
        return self.filed[number]


class Answers(dict[int, int]):
    """The answers of one question by the codes of the levels."""

    def __init__(self, asked: Asked, shared: Shared) -> None:
        super().__init__()
        self._asked = asked
        self._shared = shared

    def __missing__(self, key: int) -> int:
        site = self._shared.site.facts[key & _CODE]
        way = self._shared.way.facts[key >> _WAY & _CODE]
        codes = [code for code in (key >> _FILED & _CODE, key >> _MORE & _CODE) if code]
        filed = [self._shared.filed.facts[code] for code in codes]
        asked = self._asked
        answer = verdict(
            site[0],
            way[0],
            [each[0] for each in filed],
            reading=asked.reading,
            acting=asked.action != "read",
        )
        if answer == YES and len(site) > 1:  # a part: its page must be readable as well
            of_page = [each[1] for each in filed]
            answer = verdict(site[1], way[1], of_page, reading=True, acting=False)
        self[key] = answer
        return answer


_CODE: Final = (1 << _WAY) - 1
