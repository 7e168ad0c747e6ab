"""One question, ready to be answered for any person and any class of items."""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator
from threading import RLock
from typing import Any, Final, NamedTuple, Protocol

from prim_lantern.decide.engine.asked import Asked, Filed, FiledCase, ItemClass, Joined
from prim_lantern.decide.engine.compiler import Cases, Compiler
from prim_lantern.decide.engine.item_classes import Ground, Situation, apart
from prim_lantern.decide.engine.levels import UNFILED, YES
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.engine.people import ANYBODY, AUDIENCES, SITE_CODES
from prim_lantern.decide.engine.verdict import kept_out, together, verdict
from prim_lantern.site.who import Who

WAY, FILED, MORE = 16, 32, 48  # where the codes of the levels stand in the key of an answer
_KEPT = 200_000  # masks that one program remembers


class Level(Protocol):
    """What one level says to a mask."""

    def masks(self) -> Iterable[int]:
        """The sets of bits that it asks about."""

    def facts(self, mask: int) -> Hashable:
        """What it comes to for one person."""


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
        return self.of(tuple(map(together, zip(*said, strict=True)))) if said else 0

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


Entry = tuple[int, int, int, Parts]
"""For a class of items: the number of the site's program; the bits that the way asks about;
what it says to those who have none of them; and to the others."""

FiledEntry = tuple[int, int, Parts]
"""The same for a class of categories."""


class Shared:
    """What all plans of an engine, and the engines that follow it, have in common."""

    def __init__(self) -> None:
        self.site, self.way = Codes(), Codes()
        self.filed = Codes((UNFILED,), (UNFILED, UNFILED))


class Renewed(NamedTuple):
    """What has to be compiled anew after a change of words: some classes of items and of
    categories, and all from certain numbers on. `whos` are those of whom the words speak
    (None where it may be anybody)."""

    ways: set[int]
    filed: set[int]
    ways_from: int
    filed_from: int
    whos: frozenset[Who] | None

    def and_then(self, other: Renewed) -> Renewed:
        """What has to be after both, one after the other."""
        return Renewed(
            self.ways | other.ways,
            self.filed | other.filed,
            min(self.ways_from, other.ways_from),
            min(self.filed_from, other.filed_from),
            None if self.whos is None or other.whos is None else self.whos | other.whos,
        )


class Plan:
    """The programs of one question by the classes of the ground, and its answers.

    `way` and `filed` have an entry for each class, at hand for the quick way. Classes that
    are not compiled yet, and links (whose target must be readable as well), have one whose
    site says nothing to anybody, which sends them the careful way.
    """

    def __init__(self, asked: Asked, compiler: Compiler, ground: Ground, shared: Shared) -> None:
        self.asked = asked
        self.way: list[Entry] = []
        self.filed: list[FiledEntry | None] = []
        self.answers = Answers(asked, shared)
        self.kept = Kept(asked, shared)
        self.guests: dict[Situation, bool] = {}  # answers of guests, links aside
        self._programs: dict[int, tuple[Program, Program]] = {}
        self._filed_programs: dict[int, Program] = {}
        self._nothing: Entry = (SITE_CODES - 1, 0, 0, Parts(Program((), shared.way, -1), WAY))
        self._compiler = compiler
        self._ground = ground
        self._shared = shared
        self._of_page = Asked("read", author=asked.author)
        self._of_site: dict[int, Program] = {}
        self._how = asked.reading, asked.any_state, asked.author
        self._acts = asked.action != "read"
        self.grow()

    def after(self, compiler: Compiler, ground: Ground, renewed: Renewed) -> Plan:
        """The same where some classes have to be compiled anew. Others may still ask this one, so
        that it can come to hold more while it is looked at: nothing is taken but what holds."""
        found = Plan(self.asked, compiler, ground, self._shared)
        found.answers, found.kept = self.answers, self.kept
        found.way, found.filed = self.way[: renewed.ways_from], self.filed[: renewed.filed_from]
        found._programs = {
            number: each
            for number, each in dict(self._programs).items()
            if number < renewed.ways_from and number not in renewed.ways
        }
        found._filed_programs = {
            number: each
            for number, each in dict(self._filed_programs).items()
            if number < renewed.filed_from and number not in renewed.filed
        }
        found.grow()
        for number in renewed.ways:
            found.way[number] = found._nothing
        for number in renewed.filed:
            found.filed[number] = None
        return found

    def grow(self) -> None:
        """Make room for the classes that the ground has found since."""
        self.way += [self._nothing] * (len(self._ground.classes) - len(self.way))
        self.filed += [None] * (len(self._ground.filed) - len(self.filed))

    def answer(self, mask: int, situation: Situation) -> int:
        """What the words come to for a person's mask in a situation: YES, NO or SILENT."""
        way, filed, more = apart(situation)
        key = self.way_key(mask, way)
        if filed:
            key |= self.filed_code(mask, filed) << FILED
        if more:
            key |= self.filed_code(mask, more) << MORE
        return self.answers[key]

    def way_key(self, mask: int, number: int) -> int:
        """The part of the key that the site and the way give."""
        return self.site_code(mask, number) | self.way_code(mask, number) << WAY

    def site_code(self, mask: int, number: int) -> int:
        """What the words at the site say to a mask about a class of items."""
        site, _ = self.programs(number)
        return site[mask & site.asks]

    def way_code(self, mask: int, number: int) -> int:
        """What those on the way say."""
        _, way = self.programs(number)
        return way[mask & way.asks]

    def filed_code(self, mask: int, number: int) -> int:
        """What a class of categories says to a mask."""
        program = self.filed_program(number)
        return program[mask & program.asks]

    def programs(self, number: int) -> tuple[Program, Program]:
        """The programs of the site and of the way for a class of items."""
        found = self._programs.get(number)
        if found is None:
            item = self._ground.classes[number]
            cases = self._compiler.cases(number, item)
            site = self._site_program(cases, item)
            way = self._way_program(cases, item)
            found = self._programs[number] = site, way
            self.grow()
            if item.kinds.isdisjoint(self._ground.link_kinds):
                parts, number_of_site = way.for_members(WAY), min(site.number, SITE_CODES - 1)
                self.way[number] = number_of_site, way.asks & ~AUDIENCES, parts[0], parts
        return found

    def _site_program(self, cases: Cases, item: ItemClass) -> Program:
        found = self._of_site.get(cases.site)
        if found is None:
            levels = [self._compiler.site_level(item, self.asked)]
            page = item.page
            if page is not None and self.asked.reading:
                levels.append(self._compiler.site_level(page, self._of_page))
            found = self._of_site[cases.site] = self._shared.site.program(tuple(levels))
        return found

    def _way_program(self, cases: Cases, item: ItemClass) -> Program:
        """Where no word on the way is about the action, all such actions share one."""
        told = None
        if self._acts and self.asked.action in cases.actions:
            told = self._compiler.act_case(item, self.asked.action)
        key = ("way", self._how, cases.read, told)
        found: Program | None = self._compiler.programs.get(key)
        if found is None:
            levels = [self._compiler.way_level(item, self.asked)]
            page = item.page
            if page is not None and self.asked.reading:
                levels.append(self._compiler.way_level(page, self._of_page))
            found = self._compiler.programs[key] = self._shared.way.program(tuple(levels))
        return found

    def filed_program(self, number: int) -> Program:
        """The program for a class of categories."""
        found = self._filed_programs.get(number)
        if found is None:
            found = self._of_categories(number, self._ground.filed[number])
            self._filed_programs[number] = found
            self.grow()
            parts = found.for_members(FILED)
            self.filed[number] = found.asks & ~AUDIENCES, parts[0], parts
        return found

    def together(self, codes: list[int]) -> int:
        """What classes of categories of several roots say together, by the code of each."""
        return self._shared.filed.together(codes) if len(codes) > 1 else sum(codes)

    def _of_categories(self, number: int, filed: Filed | Joined) -> Program:
        if isinstance(filed, Joined):
            return self._shared.filed.joined(tuple(map(self.filed_program, filed.numbers)))
        categories, case = filed
        cases, told = self._compiler.cases_filed(number, categories, case), None
        if self._acts and self.asked.action in cases.actions:
            told = self._compiler.act_case_filed(categories, case, self.asked.action)
        key = ("filed", self._how, cases.read, told)
        found: Program | None = self._compiler.programs.get(key)
        if found is None:
            found = self._compiler.programs[key] = self._compiled_filed(categories, case)
        return found

    def _compiled_filed(self, categories: frozenset[str], case: FiledCase) -> Program:
        levels = [self._compiler.filed_level(categories, case, self.asked)]
        if case.page_kinds is not None and self.asked.reading:
            of_page = self._compiler.filed_level(categories, case, self._of_page, of_page=True)
            levels.append(of_page)
        return self._shared.filed.program(tuple(levels))


class Answers(dict[int, int]):
    """The answers of one question by the codes of the levels."""

    def __init__(self, asked: Asked, shared: Shared) -> None:
        super().__init__()
        self._asked = asked
        self._shared = shared

    def facts(self, key: int) -> tuple[Any, Any, list[Any]]:
        """The facts of the site, of the way and of the categories, each for all that is read."""
        codes = [code for code in (key >> FILED & _CODE, key >> MORE & _CODE) if code]
        return (
            self._shared.site.facts[key & _CODE],
            self._shared.way.facts[key >> WAY & _CODE],
            [self._shared.filed.facts[code] for code in codes],
        )

    def __missing__(self, key: int) -> int:
        site, way, filed = self.facts(key)
        asked = self._asked
        answer = verdict(
            site[0],
            way[0],
            [each[0] for each in filed],
            reading=asked.reading,
            acting=asked.action != "read",
        )
        if answer == YES and len(site) > 1:  # a part: its page must be readable as well
            # tables ask for combinations, too, that no item is in
            of_page = [each[1] for each in filed if len(each) > 1]
            answer = verdict(site[1], way[1], of_page, reading=True, acting=False)
        self[key] = answer
        return answer


class Kept(Answers):
    """Whether something without exceptions keeps from it: 1 or 0, by the codes of the levels."""

    def __missing__(self, key: int) -> int:
        site, way, filed = self.facts(key)
        of_page = [each[1] for each in filed if len(each) > 1]
        found = kept_out(site[0], way[0], [each[0] for each in filed]) or (
            len(site) > 1 and kept_out(site[1], way[1], of_page)
        )
        self[key] = int(found)
        return self[key]


_CODE: Final = (1 << WAY) - 1
