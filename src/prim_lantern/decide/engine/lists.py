"""Many decisions at once: all items of one person, all people of one item, all of all."""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterable, Mapping, Sequence
from functools import cached_property, partial
from typing import Any, Final, cast

import numpy as np

from prim_lantern.decide.engine.asked import Asked
from prim_lantern.decide.engine.counting.tally import Tally
from prim_lantern.decide.engine.engine import Engine
from prim_lantern.decide.engine.item_classes import MASK, Situation, apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.own_work import Work, answers_of_pairs
from prim_lantern.decide.engine.people import Person
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.population import Answers, Numbers, Places, Population
from prim_lantern.decide.engine.programs import FILED, MORE, WAY
from prim_lantern.decide.engine.said_to_one import SaidToOne, Sorts
from prim_lantern.decide.engine.situations import Situations
from prim_lantern.decide.engine.sums import distinct

_TABLE: Final = 2_000  # combinations that are worked out without looking which are met
_FEW: Final = 300  # situations, or people, that are asked about one after the other on a small site
_BITS: Final = 62  # of the numbers that are summed


class Lists:
    """What an engine says of everything at once."""

    def __init__(self, engine: Engine, population: Population | None = None) -> None:
        """Take an engine, and whom of its people to tell of (all, when left out)."""
        self.engine = engine
        self.size = len(engine.data.content)
        self._told: dict[Asked, SaidToOne] = {}
        if population is not None:
            self.__dict__["population"] = population

    def after(self, engine: Engine) -> Lists:
        """The same for an engine of the same people and the same work."""
        found = Lists(engine)
        found.__dict__["own_work"] = self.own_work
        population = self.population
        if engine.crowd.bits != self.engine.crowd.bits:
            population = population.heeding(engine.crowd)
        found.__dict__["population"] = population
        return found

    def among(self, mask: int) -> Lists:
        """The same of those alone who have any of some bits."""
        users = self.population.with_any_of(mask)
        numbers = np.full(self.population.size, -1, dtype=np.int64)
        numbers[users] = np.arange(len(users))
        found = Lists(self.engine, self.population.only(users))
        found.__dict__["own_work"] = self.own_work.among(numbers)
        return found

    def of_engine(self, engine: Engine) -> Lists:
        """The same of just these people, and of another engine: masks that it does not ask about
        make no difference to it."""
        found = Lists(engine, self.population)
        found.__dict__["own_work"] = self.own_work
        return found

    @cached_property
    def situations(self) -> Situations:
        """The situations of all items."""
        self.engine.settle_all()
        return Situations.of(self.engine.ground)

    @cached_property
    def population(self) -> Population:
        """All active users but the owner."""
        return Population(self.engine.crowd)

    # One person -----------------------------------------------------------------------

    def items_for(self, login: str | None, action: str, rows: Numbers | None = None) -> Answers:
        """Whether they may do this, for each row of the content, or for some."""
        engine = self.engine
        person = engine.crowd[login]
        if engine.is_owner(login):
            found = np.ones(self.size if rows is None else len(rows), dtype=np.bool_)
        else:
            plan, of_row = engine.plan(Asked(action)), self.situations.of_row
            if rows is None:
                found = self._by_class(person, plan, None)[of_row]
            else:
                some, which = np.unique(of_row[rows], return_inverse=True)
                found = self._by_class(person, plan, some)[which]
            self._heed_links(found, login, rows)
        index = engine.data.content.index
        own = {index[path]: path for path in self._one_by_one(login, person, action)}
        if rows is None:
            for row, path in own.items():
                found[row] = engine.allows(login, action, path)
        elif own:
            for at in np.flatnonzero(np.isin(rows, list(own))).tolist():
                found[at] = engine.allows(login, action, own[int(rows[at])])
        return found

    def _heed_links(self, found: Answers, login: str | None, rows: Numbers | None) -> None:
        """Take away links to what cannot be read; `found` is as if nothing were behind them."""
        links, targets = self._links
        at = links
        if rows is not None:
            at = np.flatnonzero(np.isin(rows, links))
            targets = targets[np.searchsorted(links, rows[at])]
        asked = found[at]
        at, targets = at[asked], targets[asked]
        if len(at):
            found[at] = self.items_for(login, "read", targets)

    @cached_property
    def _links(self) -> tuple[Numbers, Numbers]:
        """The rows of links to what is there, and those of what they lead to."""
        index = self.engine.data.content.index
        pairs = [(row, index[to]) for row, to in self.engine.links.items() if to in index]
        links, targets = np.array(sorted(pairs), dtype=np.int64).reshape(-1, 2).T
        return links, targets

    def _by_class(self, person: Person, plan: Plan, some: Numbers | None) -> Answers:
        """The answers for some situations, or all, links and own work aside."""
        of, mask = self.situations, person[0]
        if plan.put_together and len(of.way_at) <= _FEW:
            return self._one_after_the_other(mask, plan, some)
        said = self._said(plan)
        ways = filed = None
        way_at, both = of.way_at, (of.filed_at, of.more_at)
        filed_at = np.concatenate(both)
        if some is not None:
            ways, way_at = np.unique(of.way_at[some], return_inverse=True)
            both = of.filed_at[some], of.more_at[some]
            filed, filed_at = np.unique(np.concatenate(both), return_inverse=True)
        size = len(way_at)
        way_codes, on_way = np.unique(said.on_ways(mask, ways), return_inverse=True)
        filed_codes, by_filed = np.unique(said.at_categories(mask, filed), return_inverse=True)
        number = len(filed_codes)
        place = (on_way * (number * number))[way_at] + (by_filed * number)[filed_at[:size]]
        place += by_filed[filed_at[size:]]
        combinations = len(way_codes) * number * number
        if combinations <= min(size, _TABLE):
            return cast(Answers, table_of(plan, way_codes, filed_codes).reshape(-1)[place])
        met, which = distinct(place, combinations)  # there are more combinations than are met
        way, filed = np.divmod(met, number * number)
        keys = way_codes[way] | filed_codes[filed // number] << FILED
        keys |= filed_codes[filed % number] << MORE
        pairs = zip(keys.tolist(), (way_codes[way] != 0).tolist(), strict=True)
        answers = np.array([there and plan.answers[key] == YES for key, there in pairs])
        return cast(Answers, answers[which])

    def _one_after_the_other(self, mask: int, plan: Plan, some: Numbers | None) -> Answers:
        """The same for a few, which is quicker than with arrays."""
        situations, answer = self.engine.ground.situations, plan.answer
        asked = range(len(self.situations.way_at)) if some is None else some.tolist()
        some_situations = [situations[number] for number in asked]
        answers = [each & MASK != 0 and answer(mask, each) == YES for each in some_situations]
        return np.array(answers, dtype=np.bool_)

    def _said(self, plan: Plan) -> SaidToOne:
        """What a plan says to one person after the other."""
        found = self._told.get(plan.asked)
        if found is None:
            sorts = Sorts.of(self.engine.ground)
            found = self._told.setdefault(plan.asked, SaidToOne(plan, sorts))
        return found

    def _one_by_one(self, login: str | None, person: Person, action: str) -> Iterable[str]:
        """The paths of their own work, for which no class speaks."""
        if self.engine.is_owner(login):
            return self.engine.crowd.handiwork.of(login or "") if action == "publish" else ()
        return person[1]

    def paths(self, answers: Answers) -> list[str]:
        """The paths of the items with a yes, in tree order."""
        names, (rows, _) = self.engine.data.content.names, self._rows_of_pages
        return [names[row] for row in rows[answers[rows]].tolist()]

    def pages_before(self, answers: Answers) -> list[int]:
        """By place in tree order, how many items before it have a yes; parts aside."""
        found = np.cumsum(answers[self._rows_of_pages[0]] & self._rows_of_pages[1])
        before: list[int] = [0, *found.tolist()]
        return before

    @cached_property
    def _rows_of_pages(self) -> tuple[Numbers, Answers]:
        """The rows in tree order, and which of them are no parts."""
        data = self.engine.data
        parts = {kind.name for kind in data.all_kinds.values() if kind.part}
        kinds = data.content.values_of("kind")
        rows = np.fromiter(data.tree.rows, np.int64, self.size)
        whole = np.fromiter((each not in parts for each in kinds), np.bool_, self.size)
        return rows, whole[rows]

    # One item -------------------------------------------------------------------------

    def who_may(self, action: str, path: str) -> list[str]:
        """The active users who may do this to an item, sorted."""
        engine = self.engine
        found: list[str] = self.population.logins[self._who(action, path)].tolist()
        if engine.allows(engine.data.owner, action, path):
            insort(found, engine.data.owner)
        return found

    def _who(self, action: str, path: str) -> Answers:
        """Whether each of the population may do this to an item."""
        engine, content = self.engine, self.engine.data.content
        answers = self._of_everybody(engine.plan(Asked(action)), engine.situation_of(path))
        for login in engine.handiwork_on(path):
            number = self.population.numbers.get(login)
            if number is not None:
                answers[number] = engine.allows(login, action, path)
        target = engine.links.get(content.index[path])
        if target is not None and target in content.index:
            answers &= self._who("read", target)
        return answers

    def _of_everybody(self, plan: Plan, situation: Situation) -> Answers:
        """The answer for each of the population, in one situation."""
        population = self.population
        if plan.put_together and len(population.masks) <= _FEW:
            return np.array(
                [plan.answer(each, situation) == YES for each in population.masks], dtype=np.bool_
            )
        plan.grow()
        of_way, filed, more = apart(situation)
        site, way = plan.programs(of_way)
        says = population.says(site)
        spreads = [(population.spread(way), WAY)]
        for number, shift in ((filed, FILED), (more, MORE)):
            if number:
                spreads.append((population.spread(plan.filed_program(number)), shift))
        by_most = sum(spread.base << shift for spread, shift in spreads)
        by_code = np.zeros(int(says.max(initial=0)) + 1, dtype=np.bool_)
        for code in np.flatnonzero(np.bincount(says)).tolist():
            by_code[code] = plan.answers[code | by_most] == YES
        answers: Answers = by_code[says]
        some = np.unique(np.concatenate([spread.users for spread, _ in spreads]))
        key = says[some].astype(np.int64)
        for spread, shift in spreads:
            key |= population.dense(spread)[some] << shift
        met, which = np.unique(key, return_inverse=True)
        said = [plan.answers[each] == YES for each in met.tolist()]
        answers[some] = np.array(said, dtype=np.bool_)[which]
        return answers

    # All people, all items --------------------------------------------------------------

    def counts(self, action: str, some: Numbers | None = None) -> Numbers:
        """How many active users may do this, for each row of the content, or for some in order."""
        return self.counts_of([action], some)[0]

    def counts_of(self, actions: Sequence[str], some: Numbers | None = None) -> list[Numbers]:
        """The same for several actions, which is quicker together."""
        asked = np.arange(self.size) if some is None else some
        situations, which = np.unique(self.situations.of_row[asked], return_inverse=True)
        room = (self.population.size + 1).bit_length()  # in a sum of what several count for
        at_once = _BITS // room
        work = self.own_work.some(_flags(asked, self.size)[self.own_work.rows])
        found = []
        for start in range(0, len(actions), at_once):
            together = actions[start : start + at_once]
            plans = [self.engine.plan(Asked(action)) for action in together]
            tally = Tally(self.population, plans, partial(_yes_of_each, room))
            places = self.places(situations)
            told = tally.told(Places(*([column[0]] * len(plans) for column in places)))
            of_work = np.searchsorted(situations, self.situations.of_row[work.rows])
            sums, mine = tally.counts_and_pairs(told, work.users, of_work)
            for number, action in enumerate(together):
                counted = sums[which] >> number * room & (1 << room) - 1
                as_others = (mine >> number * room & 1).astype(np.bool_)
                found.append(self._set_right(action, asked, counted, work, as_others))
        return found

    def _set_right(
        self, action: str, asked: Numbers, counted: Numbers, work: Work, as_others: Answers
    ) -> Numbers:
        """Counts of rows that were asked, with the owner, own work and links as they are."""
        engine, index = self.engine, self.engine.data.content.index
        found: Numbers = np.zeros(self.size, dtype=np.int64)
        found[asked] = counted + 1  # the owner may
        if len(work.users):
            right = self._to_own_work(action, work, as_others).astype(np.int64) - as_others
            found += np.bincount(work.rows, right, self.size).astype(np.int64)
        if action == "publish":
            for path in engine.crowd.handiwork.of(engine.data.owner):
                owner_may = engine.allows(engine.data.owner, action, path)
                found[index[path]] -= not owner_may
        for row in engine.links.keys() & set(asked.tolist()):
            found[row] = len(self.who_may(action, engine.data.content.names[row]))
        return found[asked]

    def of_own_work(self, action: str, work: Work) -> tuple[Answers, Answers]:
        """The answers for pairs of one user and one row each that they wrote or changed, and what
        they would be for others; the targets of links aside."""
        as_others = self._one_each(Asked(action), work)
        return self._to_own_work(action, work, as_others), as_others

    def _to_own_work(self, action: str, work: Work, as_others: Answers) -> Answers:
        """The answers for such pairs, from what they would be for others."""
        allowed = as_others.copy()
        allowed[work.wrote] = self._one_each(Asked(action, author=True), work.some(work.wrote))
        if action == "publish":
            allowed[self._four_eyes[work.rows]] = False
        return allowed

    def _one_each(self, asked: Asked, work: Work) -> Answers:
        """The answers for pairs of one user and one row each."""
        engine, situations = self.engine, self.situations.of_row[work.rows]
        plan, ground = engine.plan(asked), engine.ground
        return answers_of_pairs(plan, self.population, ground, work.users, situations)

    def places(self, at: Any) -> Places:
        """The classes of some situations, as a tally takes them."""
        of = self.situations
        ways, filed = np.array(of.ways), np.array(of.filed)
        return Places([ways[of.way_at[at]]], [filed[of.filed_at[at]]], [filed[of.more_at[at]]])

    @cached_property
    def own_work(self) -> Work:
        """All that people have to do with their own work."""
        return Work.of(self.engine, self.population)

    @cached_property
    def _four_eyes(self) -> Answers:
        """Of each row, whether its kind, or that of its page, asks for four eyes."""
        ground, of = self.engine.ground, self.situations
        asking = self.engine.four_eyes
        asks = [not asking.isdisjoint(ground.classes[number].kinds) for number in of.ways]
        found: Answers = np.array(asks, dtype=np.bool_)[of.way_at][of.of_row]
        return found


def _yes_of_each(room: int, answers: tuple[int, ...]) -> int:
    """One number for several answers, of which each has room for a sum."""
    return sum((answer == YES) << number * room for number, answer in enumerate(answers))


def _flags(rows: Numbers, size: int) -> Answers:
    found = np.zeros(size, dtype=np.bool_)
    found[rows] = True
    return found


def table_of(plan: Plan, way_codes: Numbers, filed_codes: Numbers) -> Answers:
    """The answers by the codes of the way and those of up to two roots of categories."""
    codes: Mapping[int, int] = plan.answers
    filed = filed_codes.tolist()
    return np.array(
        [
            [
                [way != 0 and codes[way | one << FILED | two << MORE] == YES for two in filed]
                for one in filed
            ]
            for way in way_codes.tolist()
        ],
        dtype=np.bool_,
    )
