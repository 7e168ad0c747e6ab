"""A site as it is made simpler, step by step: what would change an answer is left out."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from typing import NamedTuple

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.rights import Give
from prim_lantern.decide.engine import Engine
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.alike import Alike
from prim_lantern.insight.commands import command_of
from prim_lantern.insight.fixes import remove_rule, take_back
from prim_lantern.insight.look import Look
from prim_lantern.insight.returning import with_all_back
from prim_lantern.insight.said_already import Words
from prim_lantern.insight.useless import tries_each
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Given, Rule


class Step(NamedTuple):
    """One thing that is made simpler: what it is, and the operations that do it."""

    says: str
    operations: tuple[Operation, ...]

    @property
    def commands(self) -> tuple[str, ...]:
        """The commands that do it."""
        return tuple(map(command_of, self.operations))


class Draft:
    """Operations that are put together one after the other, each on the site as those before left
    it: what a rule without an id is called depends on the others."""

    def __init__(self, data: SiteData, made: Made) -> None:
        self._data = data
        self._made = made
        self.operations: list[Operation] = []

    def add(self, operation: Operation) -> None:
        """Add an operation that can be made."""
        self._data = operation.apply(self._data, self._made)
        self.operations.append(operation)

    def remove(self, word: Rule | Given) -> None:
        """Add the operation that takes a word away."""
        self.add(remove_rule(self._data, word) if isinstance(word, Rule) else take_back(word))


class Work:
    """A site as it is made simpler, step by step; what would change an answer is left out."""

    def __init__(self, engine: Engine, *, today_only: bool, each_word: bool) -> None:
        self.start = engine
        self.data = engine.data
        self._each_word = each_word
        self.tries_each = tries_each(self.look)
        self.tried_each = self.tries_each
        self._alike: tuple[SiteData, Alike] | None = None
        self._words = Words(engine.data, engine.at)
        self.steps: list[Step] = []
        self._today_only = today_only

    def each_of(self, find: Find) -> None:
        """Make the steps of one sort that were found on the site as it was."""
        for step in list(find(self)):
            self._make(step)

    def all_of(self, find: Find) -> None:
        """Make all steps of one sort, also those that come of others."""
        tried: set[str] = set()
        made = True
        while made:
            made = False
            for step in find(self):
                known = str(step.operations)
                if known not in tried:
                    tried.add(known)
                    made = self._make(step) or made

    def has(self, words: Iterable[Rule | Given]) -> bool:
        """Whether words of the site as it was are there as they were."""
        there = set(map(id, (*self.data.rules, *self.data.given)))
        return all(id(each) in there for each in words)

    def _make(self, step: Step) -> bool:
        """Make a step, where everything is decided as before with it."""
        after = self._made(step)
        if after is None:
            return False
        said = Words(after, self.start.at, like=self._words)
        if not (said.say_the_same(self._words) or (self.tries_each and self._same(after))):
            return False
        self.data, self._words = after, said
        self.steps.append(step)
        return True

    def draft(self) -> Draft:
        """Operations to put together, on the site as it is so far."""
        return Draft(self.data, Made(self.data.owner, self.start.at))

    @property
    def look(self) -> Look:
        """The site as it is so far."""
        return Look(self.start.after(self.data, self.start.at), each_word=self._each_word)

    def _made(self, step: Step) -> SiteData | None:
        """The site after a step; None where it cannot be made."""
        data = self.data
        try:
            for each in step.operations:
                data = each.apply(data, Made(data.owner, self.start.at))
        except PrimLanternError:
            return None
        return None if problems_in(data, self.data) else data

    def _same(self, after: SiteData) -> bool:
        """Whether everything is decided as on the site as it is so far, also for whoever is away
        and comes back."""
        if self._alike is None or self._alike[0] is not self.data:
            back = with_all_back(self.data)
            look = Look(self.start.after(back, self.start.at))
            self._alike = self.data, Alike(look, self._alike and self._alike[1])
        data, alike = self._alike
        after = with_all_back(after, like=(data, alike.data))
        found = alike.decides_as(after, newcomers=not self._today_only)
        self.tried_each = self.tried_each and found is not None
        return bool(found)


Find = Callable[[Work], Iterator[Step]]
"""What finds one sort of steps on a site as it is so far."""


def given_again(given: Given, to: Sequence[str] | None = None) -> Operation:
    """The operation that gives a role as it is given, or to others."""
    within = tuple(each.name for each in given.within_any if each.kind != "site")
    whos = tuple(map(str, given.to)) if to is None else tuple(to)
    return Give(given.role, whos, within, given.period.since, given.period.until)
