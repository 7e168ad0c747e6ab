"""One look at a time: what some people gain, or are freed of, between two sites."""

from __future__ import annotations

from collections.abc import Hashable, Iterator, Mapping, Sequence, Set
from datetime import datetime
from functools import cached_property, partial
from typing import Final, NamedTuple

import numpy as np

from prim_lantern.change.gate.differing import Differing
from prim_lantern.change.gate.finals import final_actions
from prim_lantern.change.gate.finding import find
from prim_lantern.change.gate.gained import Gain, Gained, Sides, lost
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import Person, Stretch
from prim_lantern.change.gate.pictures import Picture, Pictures, Sort
from prim_lantern.change.gate.shortfall import CREATE, FILE
from prim_lantern.change.gate.spots import EACH, FIRST, NEXT, Lane, Question
from prim_lantern.change.gate.spread import Spread
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.asked import Asked
from prim_lantern.decide.subject import FRESH, Subject, with_above
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, place, way_to


class TooMuch(Exception):
    """Looking further would take too long."""

    def __init__(self, action: str, about: Subject, at: datetime) -> None:
        super().__init__(action)
        self.action, self.about, self.at = action, about, at


class Effort:
    """How much has been looked at, for one change."""

    def __init__(self) -> None:
        self.spent = 0

    def spend(self, effort: int) -> bool:
        """Look at something more; False where that would be too much."""
        self.spent += effort
        return self.spent <= AT_MOST


_LIKELY: Final = 6
AT_MOST: Final = 8_000_000  # some ten seconds


class Sought(NamedTuple):
    """A question, with what it is about and the sorts of items that it is asked of."""

    question: Question
    asked: Asked
    picture: Picture
    sorts: Sequence[Sort]


class Search:
    """One look at a time: some people, two sites, and all that could stand on them."""

    def __init__(
        self,
        judged: Judged,
        differing: Differing,
        stretch: Stretch,
        people: Sequence[Person],
        *,
        alone: bool = False,
        lacking: Set[str] | None = None,
        effort: Effort | None = None,
    ) -> None:
        """`alone` says that nobody among them may gain anything, whatever the maker holds now;
        `lacking` are the actions that the maker may lack (None: any)."""
        self.judged = judged
        self._differing = differing
        self._lacking = lacking
        self._effort = effort or Effort()
        self.stretch = stretch
        self.alone = alone
        self.people = people
        self._nothing = set[Hashable]()
        self.suspects = False
        """Whether some gain something of their own that the maker may not do for others."""
        self.pictures = self._pictures()
        self._of_anybody = Sides.of(stretch, people)
        self._of_authors = Sides.of(stretch, [e for e in people if e.login is not None])
        """A guest is never an author."""
        self.maker = [
            Spread(engine, [self._mask_of_maker(engine)])
            for engine in (None if alone else stretch.before, stretch.then)
            if engine is not None and judged.by in engine.data.users
        ]

    def _mask_of_maker(self, engine: Engine) -> int:
        if self.judged.by not in engine.data.users:
            return 0
        return engine.crowd.mask_if_active(self.judged.by, engine.at)

    def _pictures(self, *, final: bool = False) -> Pictures:
        """All that words about these people and the maker tell apart; `final` takes only what has
        no exceptions."""
        stretch, were, are = self.stretch, 0, 0
        for each in self.people:
            were, are = were | each.before, are | each.after
        engines = [(stretch.before, were), (stretch.after, are)]
        engines += [(stretch.then, 0)] if stretch.then is not None else []
        return Pictures(
            [engine for engine, _ in engines],
            [bits | self._mask_of_maker(engine) for engine, bits in engines],
            self.within,
            final=final,
        )

    @cached_property
    def within(self) -> list[str] | None:
        """The paths at or below which words differ; None where it may be anywhere."""
        return touched_in(self.judged, self.stretch)

    def may_hold(self, path: str) -> bool:
        """Whether the change can touch what stands at a path."""
        return self.within is None or not set(self.within).isdisjoint(way_to(path))

    # Gains --------------------------------------------------------------------------------------

    def gains(self, *, at_a_glance: bool = False) -> Iterator[Gain]:
        """What they gain that the one who makes the change could not do; `at_a_glance`, only at the
        first sort of item of each state."""
        if not self.people:
            return
        sought = list(self._sought())
        most = max((len(each.sorts) for each in sought), default=0)
        for number in range(most):
            for each in sought:
                if number < len(each.sorts):
                    sort = each.sorts[number]
                    if not at_a_glance or sort in each.picture.first_sorts:
                        yield from self._found(each, sort)
        yield from self._of_managing()

    def likely(self) -> list[Person]:
        """Those who gain something at one of a few items that are filed under nothing."""
        actions, sides = {"read", *self._named}, self._of_anybody
        found = np.zeros(len(self.people), dtype=np.bool_)
        for asked in map(Asked, sorted(actions.intersection(plain_actions(self.judged.after)))):
            picture = self.pictures.of(asked.action)
            for way in picture.ways(picture.sorts[0])[:_LIKELY]:
                found |= sides.now.asked(asked).yes(way.about) & ~sides.was.asked(asked).yes(
                    way.about
                )
        return [self.people[place] for place in found.nonzero()[0].tolist()]

    @cached_property
    def _named(self) -> frozenset[str]:
        """The actions that rules name which come."""
        come = self.judged.gone_and_come("rules")[1]
        return frozenset(action for rule in come for action in rule.actions)

    def _sought(self) -> Iterator[Sought]:
        """All that is asked of items; first the actions that the change itself names."""
        actions = plain_actions(self.stretch.after.data)
        for author in (False, True):
            for action in sorted(actions, key=lambda each: each not in self._named):
                first = self._differing.read_first(self.stretch, action)
                if self._looked_at(action) and (not first or self._come_to_read[author]):
                    yield self._of_items(Asked(action, author=author))
            if self._looked_at("file-under"):
                yield self._of_filing(author)
            if self._looked_at("create") or self._looked_at("file-under"):
                yield from self._of_creating(author)

    def _looked_at(self, action: str) -> bool:
        """Whether the maker may lack an action."""
        return self._lacking is None or action in self._lacking

    def _spoken_of(self, action: str) -> bool:
        """Whether words about an action may differ."""
        return self._all_touched or self._actions is None or action in self._actions

    @cached_property
    def _actions(self) -> frozenset[str] | None:
        """The actions about which words differ; None where it may be any."""
        return self._differing.actions(self.stretch.before, self.stretch.after)

    @property
    def _all_touched(self) -> bool:
        """Whether answers may differ though the words are the same, as people are not."""
        return "people" in self.judged.sorts or self.alone

    @cached_property
    def _come_to_read(self) -> Mapping[bool, bool]:
        """Whether anybody comes to read anything at all that is another's, or their own."""
        found = {}
        for author in (False, True):
            asked, sides = Asked("read", author=author), self.sides(author)
            lanes = [Lane(each.asked(asked)) for each in (sides.now, sides.was)]
            question = Question(lanes, (lost,), pairs=((1, 0),))
            picture = self.pictures.of("read")
            found[author] = bool(sides.people) and any(
                True
                for ways in map(picture.ways, picture.sorts)
                for _ in find(question, ways, picture, partial(self._spend, "read", ways[0].about))
            )
        return found

    def _of_items(self, asked: Asked) -> Sought:
        def asks(spread: Spread, own: bool) -> list[Lane]:
            return [Lane(spread.asked(asked._replace(author=own)))]

        def to_read(spread: Spread, own: bool) -> list[Lane]:
            return [Lane(spread.asked(Asked("read", author=own)))]

        first = self._differing.read_first(self.stretch, asked.action)
        gained = Gained(
            self.sides(asked.author),
            self.maker,
            asked.author,
            asks,
            read_first=to_read if first else None,
        )
        picture = self.pictures.of(asked.action)
        return Sought(gained.question, asked, picture, picture.sorts)

    def _found(self, sought: Sought, sort: Sort) -> Iterator[Gain]:
        """The first gain of a question, at items of a sort."""
        asked, picture = sought.asked, sought.picture
        people, ways = self.sides(asked.author).people, picture.ways(sort)
        if not people:
            return
        spend = partial(self._spend, asked.action, ways[0].about)
        nothing = self._nothing
        for suspected, person, spot in find(sought.question, ways, picture, spend, nothing=nothing):
            if suspected:
                self.suspects = True
                return
            gain = Gain(people[person].login, asked.action, spot.about, self.stretch.start)
            gain = gain._replace(own=asked.author, by_own=asked.author)
            yield gain._replace(category=spot.onto[0] if spot.onto else None)
            return

    def _spend(self, action: str, about: Subject, effort: int) -> None:
        if not self._effort.spend(effort):
            raise TooMuch(action, about, self.stretch.start)

    def sides(self, author: bool) -> Sides:
        """The people as those who did not write an item, or who did."""
        return self._of_authors if author else self._of_anybody

    # Creating and filing ----------------------------------------------------------------------

    def _of_creating(self, author: bool) -> Iterator[Sought]:
        """Creating: what would be one's own then, as a draft, or a part on whosesoever page, which
        is filed as its page."""

        def create(spread: Spread, own: bool) -> list[Lane]:
            return [Lane(spread.asked(CREATE._replace(author=own)))]

        def create_filed(spread: Spread, own: bool) -> list[Lane]:
            return [*create(spread, own), Lane(spread.asked(FILE._replace(author=own)), EACH)]

        picture, asked = self.pictures.of("create", "file-under"), CREATE._replace(author=author)
        parts = [each for each in picture.sorts if each.page_kinds]
        yield Sought(
            Gained(self.sides(author), self.maker, author, create).question, asked, picture, parts
        )
        if author:
            draft = picture.sorts[0].state if picture.sorts else None  # that stands for drafts
            drafts = [e for e in picture.sorts if not e.page_kinds and e.state == draft]
            gained = Gained(self.sides(author), self.maker, author, create_filed, whose=(True,))
            yield Sought(gained.question, asked, picture, drafts)

    def _of_filing(self, author: bool) -> Sought:
        """Filing what stands there, under nothing or one category, under another."""

        def asks(spread: Spread, own: bool) -> list[Lane]:
            read = Lane(spread.asked(Asked("read", author=own)), FIRST)
            return [read, Lane(spread.asked(FILE._replace(author=own)), NEXT)]

        gained = Gained(self.sides(author), self.maker, author, asks, filing=True)
        picture = self.pictures.of("file-under")
        asked = FILE._replace(author=author)
        return Sought(gained.question, asked, picture, picture.sorts)

    # Managing -----------------------------------------------------------------------------------

    def _of_managing(self) -> Iterator[Gain]:
        for action in filter(self._spoken_of, MANAGING_ACTIONS):
            asked = Asked(action, reading=False)
            sides = self._of_anybody
            was, now = sides.was.asked(asked), sides.now.asked(asked)
            makers = [each.asked(asked) for each in self.maker]
            for where, about in self._places(action):
                gained = now.yes(about) & ~was.yes(about)
                for each in sides.earlier:
                    gained &= ~each.asked(asked).yes(about)
                for person in gained.nonzero()[0].tolist():
                    if not any(each.yes(about)[0] for each in makers):
                        yield Gain(self.people[person].login, action, where, self.stretch.start)
                        return

    def _places(self, action: str) -> Iterator[tuple[Place, Subject]]:
        """The places at which somebody may manage: each that is spoken of, and below each path."""
        yield SITE, Subject()
        if action in SITE_WIDE_ACTIONS:
            return
        picture = self.pictures.of(action)
        for path in picture.paths:
            for at in (path, f"{path.rstrip('/')}/{FRESH}"):
                yield place(path), Subject(way=way_to(at), own_paths=frozenset({at}))
        for category in picture.categories:
            yield Place("category", category), Subject(categories=with_above([category]))

    # What has no exceptions -----------------------------------------------------------------------

    def freed(self) -> Iterator[Gain]:
        """From what somebody was kept without exceptions, and is no more."""
        if not self.people:
            return
        pictures = self._pictures(final=True)
        for action in final_actions(self.stretch.before.data):
            picture = pictures.of(action)
            for author in (False, True):
                asked = Asked(action, author=author)
                sides = self.sides(author)
                if not sides.people:
                    continue
                lanes = [Lane(each.asked(asked), kept=True) for each in (sides.was, sides.now)]
                freed = Question(lanes, (lost,), pairs=((0, 1),))
                for ways in map(picture.ways, picture.sorts):
                    for _, person, spot in find(freed, ways, picture):
                        login = sides.people[person].login
                        yield Gain(login, action, spot.about, self.stretch.start, author)
                        return


def plain_actions(data: SiteData) -> list[str]:
    """The actions that are asked of an item alone."""
    return [action for action in data.item_actions if action not in NEED_MORE]


def paths_touched(after: Engine) -> list[str] | None:
    """The paths at which words differ; None where it is elsewhere too."""
    if after.spots is None:
        return None
    paths = [name for kind, name in after.spots if kind == "path"]
    return paths if len(paths) == len(after.spots) else None


def touched_in(judged: Judged, stretch: Stretch) -> list[str] | None:
    """The paths at or below which words differ at a time; None where it may be anywhere."""
    if stretch.after.spots is None or "people" in judged.sorts:
        return None
    return paths_touched(stretch.after)
