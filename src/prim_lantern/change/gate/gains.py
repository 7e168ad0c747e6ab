"""Nobody lets anybody do what they could not do themselves: found by classes.

Two sites are compared for every sort of person and of item that their words tell apart, at every
time from the change on; `plain.py` says the same for one person and one item.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence, Set
from contextlib import suppress
from datetime import datetime
from functools import cached_property
from typing import Final, NamedTuple

from prim_lantern.change.gate.differing import Differing
from prim_lantern.change.gate.finals import final_roles, final_whos, has_finals
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import (
    Person,
    Stretch,
    changed_people,
    differs,
    everybody,
    joined,
    lost_by,
    pictured_member,
    stewarded,
    there_on_both,
)
from prim_lantern.change.gate.people import of_user as moments_of
from prim_lantern.change.gate.search import (
    Effort,
    Gain,
    Search,
    TooMuch,
    paths_touched,
    plain_actions,
    touched_in,
)
from prim_lantern.change.gate.shortfall import Shortfall
from prim_lantern.decide import subject
from prim_lantern.decide.belonging import Belonging, upper_groups
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.asked import Asked
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.timeline import turns_of_words
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import is_above
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who

_AT_A_GLANCE: Final = 24  # people who are looked at first


class Short(NamedTuple):
    """A time in which whoever makes a change lacks some actions of all that it can open; and the
    actions of managing that it may give."""

    stretch: Stretch
    lacking: frozenset[str]
    managing: frozenset[str]

    def covers(self, at: datetime) -> bool:
        """Whether a moment is in it."""
        end = self.stretch.end
        return self.stretch.start <= at and (end is None or at < end)


class Gains:
    """What a change opens that it may not open."""

    def __init__(self, judged: Judged) -> None:
        self.judged = judged
        self.differing = Differing(judged)

    # Time ------------------------------------------------------------------------------------

    @cached_property
    def stretches(self) -> list[Stretch]:
        """The times from the change on in which the two sites may differ."""
        return self._cut(self._turns)

    def _cut(self, turns: Iterable[datetime]) -> list[Stretch]:
        """The same, cut at some turns alone."""
        judged, at, whole = self.judged, self.judged.made.at, self._whole
        base = whole.before
        moments = [at, *sorted(turn for turn in turns if turn > at)]
        found = []
        for number, start in enumerate(moments):
            end = moments[number + 1] if number + 1 < len(moments) else None
            before = base if start == at else base.after(judged.base, start)
            after = whole.after if start == at else before.after(judged.after, start)
            if self._same(after):
                continue
            then = before.after(judged.then, start) if judged.then else None
            found.append(Stretch(start, end, before, after, then))
        return found

    @cached_property
    def _whole(self) -> Stretch:
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
        people = everybody(self.judged, self._whole)
        whos = set(self._whos_of_maker)
        for engine, masks in (
            (self._whole.before, [each.before for each in people]),
            (self._whole.after, [each.after for each in people]),
        ):
            bits = 0
            for mask in masks:
                bits |= mask
            whos |= {who for who, bit in engine.crowd.bits.items() if bits & bit}
        return self._turns_about(whos)

    def _turns_about(self, whos: Set[Who]) -> set[datetime]:
        """When words about some, at places that can hold what is touched, begin or end."""
        engines = self._whole.before, self._whole.after
        spoken = {name for engine in engines for name in engine.rights.levels_of_roles}
        within = paths_touched(self._whole.after) if self._all_in_force else None
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
    def _stretches_of_maker(self) -> list[Stretch]:
        """The times in which nothing turns that reaches the maker."""
        turns = self._turns_of_maker | self._turns_about(self._whos_of_maker)
        turns |= {end for each in self.differing.clauses for end in each.period if end is not None}
        return self._cut(turns)

    def _shortfalls(self) -> Iterator[Short]:
        """The times in which the maker lacks some actions of all that the change can open."""
        for stretch in self._stretches_of_maker:
            shortfall = self._shortfall(stretch)
            lacking = shortfall.lacking()
            if lacking or shortfall.managing:
                yield Short(stretch, lacking, shortfall.managing)

    def _shortfall(self, stretch: Stretch) -> Shortfall:
        within = touched_in(self.judged, stretch)
        return Shortfall(self.judged, self.differing, stretch, within)

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

    # Words ------------------------------------------------------------------------------------

    def by_words(self) -> Iterator[Gain]:
        """What somebody gains that the one who makes the change could not do before."""
        if "people" in self.judged.sorts:
            every = frozenset({*self.judged.after.item_actions, *MANAGING_ACTIONS})
            looked_at = [(stretch, every) for stretch in self.stretches]
        else:
            yield from self._at_a_glance()
            looked_at = self._to_look_at(list(self._shortfalls()))
        effort = Effort()
        for stretch, lacking in looked_at:
            if lacking:
                people = self._people(stretch)
                search = Search(
                    self.judged, self.differing, stretch, people, lacking=lacking, effort=effort
                )
                for gain in _as_far_as_can_be(search):
                    yield gain
                    if gain.unsure:
                        return
                if search.suspects:
                    yield from self._of_own_work(stretch, search)
            yield from self._by_authors(stretch)

    def _at_a_glance(self) -> Iterator[Gain]:
        """What some people gain at one sort of item: mostly what is gained shows there already."""
        for stretch in self._stretches_of_maker[:1]:
            lacking = self._shortfall(stretch).lacking(at_a_glance=True)
            everybody = Search(self.judged, self.differing, stretch, self._people(stretch))
            people = everybody.likely() or everybody.people
            some = people[:: len(people) // _AT_A_GLANCE + 1]
            search = Search(self.judged, self.differing, stretch, some, lacking=lacking)
            with suppress(TooMuch):  # all is looked at afterwards
                yield from search.gains(at_a_glance=True)

    def _to_look_at(self, short: Sequence[Short]) -> list[tuple[Stretch, frozenset[str]]]:
        """The times at which somebody may gain what the maker lacks, with the actions."""
        if not short and not self.judged.new_authors:
            return []
        found = []
        for stretch in self.stretches:
            lacking = [each.lacking | each.managing for each in short if each.covers(stretch.start)]
            if lacking or self.judged.new_authors:
                found.append((stretch, frozenset[str]().union(*lacking)))
        return found

    def _of_own_work(self, stretch: Stretch, search: Search) -> Iterator[Gain]:
        """What those gain at items who wrote or changed them, and the maker did not; and at items
        of the maker's."""
        judged = self.judged
        handiwork = stretch.before.crowd.handiwork
        actions = plain_actions(judged.after)
        for login in {each.login for each in search.people}:
            own = handiwork.of(login) if login and login in judged.base.users else frozenset()
            for path in sorted(own | handiwork.of(judged.by)):
                if path not in judged.base.items or not search.may_hold(path):
                    continue
                about = subject.of_item(judged.base, judged.base.items[path], stretch.start)
                for action in actions:
                    if _does(stretch.before, login, action, about):
                        continue
                    if _does(stretch.after, login, action, about) and not self._held(
                        stretch, action, about
                    ):
                        own_work = login in about.authors
                        yield Gain(login, action, about, stretch.start, own=own_work)
                        return

    def _held(self, stretch: Stretch, action: str, about: Subject) -> bool:
        """Whether the maker holds an action at an item that is there."""
        return any(
            engine is not None and _does(engine, self.judged.by, action, about)
            for engine in (stretch.before, stretch.then)
        )

    def _by_authors(self, stretch: Stretch) -> Iterator[Gain]:
        """What those gain who are made an author of an item, or are one no more."""
        judged = self.judged
        for path, logins in judged.new_authors:
            item, was = judged.after.items[path], judged.base.items[path]
            about = subject.of_item(judged.base, was, stretch.start)
            again = about._replace(authors=frozenset(item.authors))
            for login in sorted(logins):
                for action in plain_actions(judged.after):
                    could = _does(stretch.before, login, action, about)
                    if could or not _does(stretch.after, login, action, again):
                        continue
                    if not self._held(stretch, action, about):
                        yield Gain(login, action, about, stretch.start, own=True)

    # People -----------------------------------------------------------------------------------

    def by_people(self) -> Iterator[Gain]:
        """What the one who makes a change of people gains, or the groups that they look after."""
        if not self._for_themselves(self._whole):
            return
        for stretch in self.stretches:
            differing = self._for_themselves(stretch)
            if differing:
                search = Search(self.judged, self.differing, stretch, differing, alone=True)
                yield from _as_far_as_can_be(search)

    def _for_themselves(self, stretch: Stretch) -> list[Person]:
        """Whoever makes the change, and members of the groups that they look after, where something
        else reaches them after."""
        groups = stewarded(self.judged, self.judged.after.groups)
        some = [
            *moments_of(stretch, self.judged.by),
            *(pictured_member(stretch, name) for name in groups),
        ]
        return [each for each in some if differs(stretch, each)]

    def _people(self, stretch: Stretch) -> list[Person]:
        """Everybody whose answers may differ."""
        if self.judged.words_differ:
            return everybody(self.judged, stretch)
        return [each for each in changed_people(stretch) if differs(stretch, each)]

    # What has no exceptions --------------------------------------------------------------------

    def _may_free(self) -> bool:
        """Whether the change can free anybody at all: the words without exceptions are the same, so
        that only people can differ, or who has a role of which such a word speaks."""
        base, after = self.judged.base, self.judged.after
        if "people" in self.judged.sorts or any(
            getattr(base, part) != getattr(after, part) for part in ("kinds", "actions")
        ):
            return True
        gone, come = self.judged.gone_and_come("given")
        return not {given.role for given in (*gone, *come)}.isdisjoint(final_roles(base))

    def freed(self) -> Iterator[Gain]:
        """Whom a change frees of what has no exceptions."""
        if not self._may_free() or not has_finals(self.judged.base):
            return
        if self.judged.words_differ or self._leaving(self._whole):
            for stretch in self.stretches:
                people = self._leaving(stretch)
                yield from Search(self.judged, self.differing, stretch, people).freed()

    def _leaving(self, stretch: Stretch) -> list[Person]:
        """Those who may be freed: where words do not differ, who are no more among somebody whom a
        word without exceptions keeps out. They are taken as if they had come into their new groups
        first, since to come among readers frees nobody."""
        kept_out = final_whos(self.judged.base)
        some = [
            each
            for each in self._people(stretch)
            if self.judged.words_differ or not kept_out.isdisjoint(lost_by(stretch, each))
        ]
        return [joined(stretch, each) for each in some if there_on_both(stretch, each)]


def _as_far_as_can_be(search: Search) -> Iterator[Gain]:
    """All that is gained; where there is too much to look at, that it may be gained."""
    try:
        yield from search.gains()
    except TooMuch as found:
        yield Gain(None, found.action, found.about, found.at, unsure=True)


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


def _does(engine: Engine, login: str | None, action: str, about: Subject) -> bool:
    """Whether somebody, as if they were active, may do it, four eyes aside."""
    data = engine.data
    if login is None or login not in data.users:
        return engine.allows_of(None, action, about)
    if engine.is_owner(login):
        return True
    asked = Asked(action, author=login in about.authors)
    mask = engine.crowd.mask_if_active(login, engine.at)
    return engine.plan(asked).answer(mask, engine.ground.of_subject(about)) == YES
