"""Nobody lets anybody do what they could not do themselves: found by classes.

Two sites are compared for every sort of person and of item that their words tell apart, at every
time from the change on; `plain.py` says the same for one person and one item.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import suppress
from datetime import datetime
from typing import Final, NamedTuple

from prim_lantern.change.gate.differing import Differing
from prim_lantern.change.gate.finals import final_roles, final_whos, has_finals
from prim_lantern.change.gate.gained import Gain
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
    Search,
    TooMuch,
    plain_actions,
    touched_in,
)
from prim_lantern.change.gate.shortfall import Shortfall
from prim_lantern.change.gate.times import Times
from prim_lantern.decide import subject
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.asked import Asked
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import MANAGING_ACTIONS

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
        self.times = Times(judged, self.differing)

    def _shortfalls(self) -> Iterator[Short]:
        """The times in which the maker lacks some actions of all that the change can open."""
        for stretch in self.times.of_maker:
            shortfall = self._shortfall(stretch)
            lacking = shortfall.lacking()
            if lacking or shortfall.managing:
                yield Short(stretch, lacking, shortfall.managing)

    def _shortfall(self, stretch: Stretch) -> Shortfall:
        within = touched_in(self.judged, stretch)
        return Shortfall(self.judged, self.differing, stretch, within)

    # Words ------------------------------------------------------------------------------------

    def by_words(self) -> Iterator[Gain]:
        """What somebody gains that the one who makes the change could not do before."""
        if "people" in self.judged.sorts:
            every = frozenset({*self.judged.after.item_actions, *MANAGING_ACTIONS})
            looked_at = [(stretch, every) for stretch in self.times.stretches]
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
        stretch = self.times.first_of_maker
        if stretch is None:
            return
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
        for stretch in self.times.stretches:
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
        if not self._for_themselves(self.times.whole):
            return
        for stretch in self.times.stretches:
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
        if self.judged.words_differ or self._leaving(self.times.whole):
            for stretch in self.times.stretches:
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


def _does(engine: Engine, login: str | None, action: str, about: Subject) -> bool:
    """Whether somebody, as if they were active, may do it, four eyes aside."""
    data = engine.data
    if login is None or login not in data.users:
        return engine.allows_of(None, action, about)
    if engine.is_owner(login):
        return True
    asked = Asked(action, author=login in about.authors)
    mask = engine.crowd.mask_if_active(login, engine.at)
    if engine.plan(asked).answer(mask, engine.ground.of_subject(about)) != YES:
        return False
    leads_to = engine.data.items.get(about.target or "")
    return leads_to is None or _does(engine, login, "read", engine.subject(leads_to.path))
