"""One question, ready to be answered for any person and any class of items."""

from __future__ import annotations

from functools import cached_property
from typing import Any, Final, NamedTuple

from prim_lantern.decide.engine.asked import Asked, Filed, ItemClass, Joined
from prim_lantern.decide.engine.class_places import ClassPlaces
from prim_lantern.decide.engine.compiler import Compiler
from prim_lantern.decide.engine.item_classes import MASK, Ground, Situation, apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.people import A_GUEST, AUDIENCES, SITE_CODES, Person
from prim_lantern.decide.engine.programs import FILED, MORE, WAY, Parts, Program, Shared
from prim_lantern.decide.engine.singly import Singly
from prim_lantern.decide.engine.verdict import kept_out, verdict
from prim_lantern.site.who import Who

_KEPT: Final = 100_000  # answers that are kept for single people
_SMALL: Final = 5_000  # items of a site whose classes are put together at once
_OFTEN: Final = 8  # from so many questions about a class on, it is put together for all

Entry = tuple[int, int, int, Parts]
"""For a class of items: the number of the site's program; the bits that the way asks about;
what it says to those who have none of them; and to the others."""

FiledEntry = tuple[int, int, Parts]
"""The same for a class of categories."""


class Renewed(NamedTuple):
    """What has to be compiled anew after a change of words: some classes of items and of
    categories, and all from certain numbers on; and of all classes what the site says, where that
    is something else. `whos` are those of whom the words speak (None where it may be anybody)."""

    ways: set[int]
    filed: set[int]
    ways_from: int
    filed_from: int
    site: bool
    whos: frozenset[Who] | None

    def and_then(self, other: Renewed) -> Renewed:
        """What has to be after both, one after the other."""
        return Renewed(
            self.ways | other.ways,
            self.filed | other.filed,
            min(self.ways_from, other.ways_from),
            min(self.filed_from, other.filed_from),
            self.site or other.site,
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
        self._on_ways: dict[int, Program] = {}  # what still holds of before, the site aside
        self._filed_programs: dict[int, Program] = {}
        self._nothing: Entry = (SITE_CODES - 1, 0, 0, Parts(Program((), shared.way, -1), WAY))
        self._asked_about: dict[int, int] = {}
        self._often = _OFTEN if len(ground.data.content) > _SMALL else 0
        self.said: dict[tuple[str | None, Situation], bool] = {}
        self._compiler = compiler
        self._ground = ground
        self._shared = shared
        self._of_site: dict[int, Program] = {}
        self._how = asked.reading, asked.any_state, asked.author
        self._acts = asked.action != "read"
        self.grow()

    def after(self, compiler: Compiler, ground: Ground, renewed: Renewed) -> Plan:
        """The same where some classes have to be compiled anew. Others may still ask this one, so
        that it can come to hold more while it is looked at: nothing is taken but what holds."""
        found = Plan(self.asked, compiler, ground, self._shared)
        found.answers, found.kept = self.answers, self.kept
        first = 0 if renewed.site else renewed.ways_from
        found.way, found.filed = self.way[:first], self.filed[: renewed.filed_from]
        kept = {
            number: each
            for number, each in dict(self._programs).items()
            if number < renewed.ways_from and number not in renewed.ways
        }
        found._on_ways = {
            number: each
            for number, each in dict(self._on_ways).items()
            if number < renewed.ways_from and number not in renewed.ways
        }
        if renewed.site:
            found._on_ways.update((number, way) for number, (_, way) in kept.items())
        else:
            found._programs, found._of_site = kept, self._of_site
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
        programs = self._programs.get(number)
        if programs is None:
            asked = self._asked_about[number] = self._asked_about.get(number, 0) + 1
            if asked < self._often and number not in self._on_ways:
                singly = self.singly
                return singly.site_code(mask, number) | singly.way_code(mask, number) << WAY
            programs = self.programs(number)
        site, way = programs
        return site[mask & site.asks] | way[mask & way.asks] << WAY

    def filed_code(self, mask: int, number: int) -> int:
        """What a class of categories says to a mask."""
        program = self._filed_programs.get(number)
        if program is None:
            asked = self._asked_about[-number] = self._asked_about.get(-number, 0) + 1
            if asked < self._often:
                found = self._ground.filed[number]
                if isinstance(found, Joined):
                    return self.together([self.filed_code(mask, each) for each in found.numbers])
                return self.singly.filed_code(mask, number)
            program = self.filed_program(number)
        return program[mask & program.asks]

    def site_code(self, mask: int, number: int) -> int:
        """What the words at the site say to a mask about a class of items."""
        site, _ = self.programs(number)
        return site[mask & site.asks]

    def way_code(self, mask: int, number: int) -> int:
        """What those on the way say."""
        _, way = self.programs(number)
        return way[mask & way.asks]

    @property
    def put_together(self) -> bool:
        """Whether classes are put together at once for all who may ask, as on a small site."""
        return not self._often

    @property
    def for_one(self) -> Plan | Singly:
        """What tells one person after the other about many classes: of a big site, they are not
        put together for all."""
        return self if self.put_together else self.singly

    @cached_property
    def singly(self) -> Singly:
        """What is said of classes that few ask about."""
        ground = self._ground
        places = ground.beside(ClassPlaces)
        return Singly(self.asked, self._compiler, self._shared, places, ground.classes)

    def remember(
        self, login: str | None, person: Person, situation: Situation, answer: bool
    ) -> None:
        """Keep an answer to somebody about what is not their own, links aside; and with a person
        what the site says to them, so that it is at hand."""
        mask, _, site = person
        if login is None:
            self.guests[situation] = answer
            return
        if len(self.said) >= _KEPT:
            self.said.clear()
        self.said[login, situation] = answer
        programs = self._programs.get(situation & MASK)
        if programs is not None and person is not A_GUEST:
            program, _ = programs
            code = program[mask & program.asks]
            if program.number < SITE_CODES - 1 and code < 256:
                site[program.number] = code

    def programs(self, number: int) -> tuple[Program, Program]:
        """The programs of the site and of the way for a class of items."""
        found = self._programs.get(number)
        if found is None:
            item = self._ground.classes[number]
            site = self.site_program(number)
            way = self._on_ways.pop(number, None) or self._way_program(number, item)
            found = self._programs[number] = site, way
            self.grow()
            if item.kinds.isdisjoint(self._ground.link_kinds):
                parts, number_of_site = way.for_members(WAY), min(site.number, SITE_CODES - 1)
                self.way[number] = number_of_site, way.asks & ~AUDIENCES, parts[0], parts
        return found

    def site_program(self, number: int) -> Program:
        """The program of the site for a class of items: one for all of a case."""
        item = self._ground.classes[number]
        case = self._compiler.site_case(number, item)
        found = self._of_site.get(case)
        if found is None:
            levels = self._compiler.site_levels(item, self.asked)
            found = self._of_site[case] = self._shared.site.program(levels)
        return found

    def site_case(self, number: int) -> int:
        """The number of the case in which the site speaks of a class of items."""
        return self._compiler.site_case(number, self._ground.classes[number])

    def _way_program(self, number: int, item: ItemClass) -> Program:
        """Where no word on the way is about the action, all such actions share one."""
        cases, told = self._compiler.cases(number, item), None
        if self._acts and self.asked.action in cases.actions:
            told = self._compiler.act_case(item, self.asked.action)
        key = ("way", self._how, cases.read, told)
        found: Program | None = self._compiler.programs.get(key)
        if found is None:
            levels = self._compiler.way_levels(item, self.asked)
            found = self._compiler.programs[key] = self._shared.way.program(levels)
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
            levels = self._compiler.filed_levels(categories, case, self.asked)
            found = self._compiler.programs[key] = self._shared.filed.program(levels)
        return found


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
