"""The times from a change on in which what it does may differ."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence, Set
from datetime import datetime
from functools import cached_property

from prim_lantern.change.gate.differing import Differing
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import (
    Stretch,
    everybody,
)
from prim_lantern.change.gate.search import (
    paths_touched,
)
from prim_lantern.decide.belonging import Belonging, upper_groups
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.timeline import turns_of_words
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import is_above
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who


class Times:
    """When two sites may differ, and when something turns that reaches whoever makes the change."""

    def __init__(self, judged: Judged, differing: Differing) -> None:
        self.judged = judged
        self.differing = differing

    @cached_property
    def stretches(self) -> list[Stretch]:
        """The times from the change on in which the two sites may differ."""
        return list(self._cut(self._turns))

    def _cut(self, turns: Iterable[datetime]) -> Iterator[Stretch]:
        """The same, cut at some turns alone."""
        judged, at, whole = self.judged, self.judged.made.at, self.whole
        base = whole.before
        moments = [at, *sorted(turn for turn in turns if turn > at)]
        for number, start in enumerate(moments):
            end = moments[number + 1] if number + 1 < len(moments) else None
            before = base if start == at else base.after(judged.base, start)
            after = whole.after if start == at else before.after(judged.after, start)
            if self._same(after):
                continue
            then = before.after(judged.then, start) if judged.then else None
            yield Stretch(start, end, before, after, then)

    @cached_property
    def whole(self) -> Stretch:
        """The moment of the change, as if it lasted."""
        at = self.judged.made.at
        base = self.judged.engine.after(self.judged.base, at)
        return Stretch(at, None, base, base.after(self.judged.after, at), None)

    @cached_property
    def _sites(self) -> list[SiteData]:
        judged = self.judged
        return [judged.base, judged.after, *([judged.then] if judged.then else [])]

    @cached_property
    def _turns(self) -> set[datetime]:
        if self._all_in_force:
            return self._turns_of_maker | self._turns_that_matter
        turns = (turn for data in self._sites for turn in turns_of_words(data))
        return self._turns_of_maker | {turn for turn in turns if turn is not None}

    @cached_property
    def _all_in_force(self) -> bool:
        """Whether all that differs are words that are in force at the moment of the change, so that
        the two sites as they are then show at which places, and for whom, they ever differ."""
        judged = self.judged
        changed = [
            each
            for part in ("rules", "given")
            for some in judged.gone_and_come(part)
            for each in some
        ]
        steady = ("roles", "kinds", "actions")
        return (
            judged.sorts <= {"words", "items"}
            and all(getattr(judged.base, part) == getattr(judged.after, part) for part in steady)
            and all(each.period.holds(judged.made.at) for each in changed)
        )

    @cached_property
    def _turns_that_matter(self) -> set[datetime]:
        """When words come into force or end that can speak of anybody whose answers may differ, or
        of the maker, at a place that can hold what the change touches."""
        people = everybody(self.judged, self.whole)
        whos = set(self._whos_of_maker)
        for engine, masks in (
            (self.whole.before, [each.before for each in people]),
            (self.whole.after, [each.after for each in people]),
        ):
            bits = 0
            for mask in masks:
                bits |= mask
            whos |= {who for who, bit in engine.crowd.bits.items() if bits & bit}
        return self._turns_about(whos)

    def _turns_about(self, whos: Set[Who]) -> set[datetime]:
        """When words about some, at places that can hold what is touched, begin or end."""
        engines = self.whole.before, self.whole.after
        spoken = {name for engine in engines for name in engine.rights.levels_of_roles}
        within = paths_touched(self.whole.after) if self._all_in_force else None
        turns = (
            turn
            for data in self._sites
            for turn in turns_of_words(data, lambda word: _matters(word, whos, spoken, within))
        )
        return {turn for turn in turns if turn is not None}

    @cached_property
    def _whos_of_maker(self) -> set[Who]:
        """All that the maker is or will be, of whom words may speak."""
        found = {EVERYONE, SIGNED_IN, Who("user", self.judged.by)}
        for data in self._sites:
            if self.judged.by in data.users:
                ways = Belonging(data, self.judged.made.at).direct_ways(data.users[self.judged.by])
                found |= {
                    Who("group", group) for way in ways for group in upper_groups(data, way.group)
                }
        return found

    @cached_property
    def of_maker(self) -> list[Stretch]:
        """The times in which nothing turns that reaches the maker."""
        return list(self._cut(self._turns_for_maker))

    @property
    def first_of_maker(self) -> Stretch | None:
        """The first of these times."""
        return next(self._cut(self._turns_for_maker), None)

    @cached_property
    def _turns_for_maker(self) -> set[datetime]:
        turns = self._turns_of_maker | self._turns_about(self._whos_of_maker)
        ends = (end for each in self.differing.clauses for end in each.period)
        return turns.union(end for end in ends if end is not None)

    def _same(self, after: Engine) -> bool:
        """Whether the two sites say the same at a moment."""
        only_words = self.judged.sorts <= {"words", "items"} and not self.judged.new_authors
        return only_words and after.spots == set()

    @cached_property
    def _turns_of_maker(self) -> set[datetime]:
        """When whoever makes the change comes into groups or leaves."""
        found = set()
        for data in self._sites:
            if self.judged.by in data.users:
                engine = self.judged.engine
                crowd = engine.after(data, engine.at).crowd
                found |= crowd.turns_of(self.judged.by)
        return found


def _matters(
    word: Rule | Given, whos: Set[Who], spoken: Set[str], within: Sequence[str] | None
) -> bool:
    """Whether a word can speak of some people, of whatever is at or below some paths."""
    if isinstance(word, Given):
        places, about = word.within_any, word.role in spoken
    else:
        places, about = (word.place,), any(who.kind == "role" for who in word.to)
    holds = within is None or any(
        each.kind != "path"
        or any(
            each.name == path or is_above(each.name, path) or is_above(path, each.name)
            for path in within
        )
        for each in places
    )
    return holds and (about or not whos.isdisjoint(word.to))
