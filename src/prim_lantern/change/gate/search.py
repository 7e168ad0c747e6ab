"""One look at a time: what some people gain, or are freed of, between two sites."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence, Set
from datetime import datetime
from functools import cached_property
from itertools import islice
from typing import Any, Final, NamedTuple

import numpy as np

from prim_lantern.change.gate.differing import Differing
from prim_lantern.change.gate.finals import final_actions
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import Person, Stretch
from prim_lantern.change.gate.pictures import Pictures, Sort, Way
from prim_lantern.change.gate.shortfall import CREATE, FILE
from prim_lantern.change.gate.spots import Lanes, Spot, filed_anew, spots
from prim_lantern.change.gate.spread import Answers, Bools, Spread
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.crowd import ANYBODY, GUEST
from prim_lantern.decide.stand_ins import STAND_IN
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

    def spend(self, people: int, items: int = 1) -> bool:
        """Look at some more items for some people; False where that would be too much."""
        self.spent += items * (people + EACH_ITEM)
        return self.spent <= AT_MOST


AT_MOST: Final = 60_000_000  # some ten seconds
EACH_ITEM: Final = 700  # an item costs as much as so many people
_TOLD_APART: Final = 4  # to tell items apart costs more than to look at one of them


class Gain(NamedTuple):
    """What somebody could newly do, or be freed of: the first of its sort that was found.

    `about` is the pictured item, or the place for an action of managing; `own` says whether it
    would be their own, and `by_own` whether it is by the one who makes the change. `unsure` says
    that it would take too long to find out whether anybody could.
    """

    who: str | None
    action: str
    about: Subject | Place
    at: datetime
    own: bool = False
    by_own: bool = False
    category: str | None = None
    unsure: bool = False


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
        self.suspects = False
        """Whether some gain something of their own that the maker may not do for others."""
        self.pictures = self._pictures()
        self.was = Spread(stretch.before, [each.before for each in people])
        self.now = Spread(stretch.after, [each.after for each in people])
        self.maker = [
            Spread(engine, [self._mask_of_maker(engine)])
            for engine in (None if alone else stretch.before, stretch.then)
            if engine is not None and judged.by in engine.data.users
        ]
        then = stretch.then
        self.earlier = [] if then is None else [Spread(then, [_mask(then, e) for e in people])]
        """The same people before a change of one's own that is taken back: what they could do then
        they may come to again."""

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

    def gains(self) -> Iterator[Gain]:
        """What they gain that the one who makes the change could not do."""
        if not self.people:
            return
        for author in (False, True):
            for action in plain_actions(self.stretch.after.data):
                if self._looked_at(action):
                    for _, ways in self._ways(action):
                        yield from self._of_items(Asked(action, author=author), ways)
            if self._looked_at("file-under"):
                for _, ways in self._ways("file-under"):
                    yield from self._of_filing(author, ways)
            if self._looked_at("create") or self._looked_at("file-under"):
                yield from self._creating(author)
        yield from self._of_managing()

    def _looked_at(self, action: str) -> bool:
        """Whether the maker may lack an action."""
        return self._lacking is None or action in self._lacking

    def at(self, lacking: Mapping[str, Sequence[Spot]]) -> Iterator[Gain]:
        """What they gain at some items, by the action."""
        for action, some in lacking.items():
            if self.people and action not in NEED_MORE:
                for author in (False, True):
                    asked = Asked(action, author=author)
                    yield from islice(self._at_spots(asked, some), 1)

    def _creating(self, author: bool) -> Iterator[Gain]:
        """Creating: what would be one's own then, as a draft, or a part of any page."""
        sorts = self.pictures.of("create", "file-under").sorts
        draft = sorts[0].state if sorts else None  # the state that stands for drafts is met first
        for sort, ways in self._ways("create", "file-under"):
            if sort.page_kinds or (sort.state == draft and author):
                yield from self._of_creating(author, ways, on_page=bool(sort.page_kinds))

    def _ways(self, *actions: str) -> Iterator[tuple[Sort, list[Way]]]:
        """For each sort of item that words about some actions tell apart, where it could stand."""
        picture = self.pictures.of(*actions)
        for sort in picture.sorts:
            ways = picture.ways(sort)
            self._spend(
                actions[0], ways[0].about, _TOLD_APART * (len(ways) + len(picture.of_one_root))
            )
            yield sort, ways

    def _spend(self, action: str, about: Subject, items: int = 1) -> None:
        if not self._effort.spend(len(self.people), items):
            raise TooMuch(action, about, self.stretch.start)

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

    def _gained(self, gained: Bools, *, author: bool) -> Bools:
        """Those who gain; a guest is never an author."""
        return gained & self._members if author else gained

    @cached_property
    def _members(self) -> Bools:
        return np.array([each.login is not None for each in self.people], dtype=np.bool_)

    def _makers(self, asked: Asked, by_own: bool) -> list[Answers]:
        return [each.asked(asked._replace(author=by_own)) for each in self.maker]

    def _not_held(
        self, gained: Bools, author: bool, held: Callable[[bool], bool], whose: Sequence[bool]
    ) -> tuple[int, bool] | None:
        """One of those who gain, and whether the item would be the maker's own, where the maker
        does not hold it; what they gain themselves they never held."""
        for person in gained.nonzero()[0].tolist():
            if not held(author):
                return person, author
            self.suspects = self.suspects or any(not held(own) for own in whose if own != author)
        return None

    def _of_items(self, asked: Asked, ways: Sequence[Way]) -> Iterator[Gain]:
        was, now = self.was.asked(asked), self.now.asked(asked)
        makers = [self._makers(asked, own) for own in (False, True)]
        reads = [
            self._makers(Asked("read"), own)
            if self._differing.read_first(self.stretch, asked.action)
            else []
            for own in (False, True)
        ]

        def held(spot: Spot) -> bool:
            return all(
                any(each.yes(spot.about)[0] for each in some)
                or (bool(to_read) and not any(each.yes(spot.about)[0] for each in to_read))
                for some, to_read in zip(makers, reads, strict=True)
            )

        others = [each for some in (*makers, *reads) for each in some]
        lanes = Lanes([was], [now], others, held=held if self.maker else None)
        found = spots(lanes, ways, self.pictures.of(asked.action))
        yield from islice(self._at_spots(asked, found), 1)

    def _at_spots(self, asked: Asked, some: Iterable[Spot]) -> Iterator[Gain]:
        was, now = self.was.asked(asked), self.now.asked(asked)
        makers = {by_own: self._makers(asked, by_own) for by_own in (False, True)}
        for about, _ in some:
            self._spend(asked.action, about)
            gained = now.yes(about) & ~was.yes(about)
            for each in self.earlier:
                gained &= ~each.asked(asked).yes(about)
            gained = self._gained(gained, author=asked.author)
            if gained.any():
                found = self._not_held(
                    gained,
                    asked.author,
                    lambda own, about=about: any(e.yes(about)[0] for e in makers[own]),  # type: ignore[misc]
                    (False, True),
                )
                if found is not None:
                    yield self._gain(found[0], asked, about, by_own=found[1])

    def _gain(self, person: int, asked: Asked, about: Subject, *, by_own: bool = False) -> Gain:
        login = self.people[person].login
        return Gain(login, asked.action, about, self.stretch.start, asked.author, by_own)

    # Creating and filing ----------------------------------------------------------------------

    def _of_creating(self, author: bool, ways: Sequence[Way], *, on_page: bool) -> Iterator[Gain]:
        """Creating as pictured: what is one's own then, or a part on whosesoever page."""
        whose = (False, True) if on_page else (True,)
        create, file = CREATE._replace(author=author), FILE._replace(author=author)
        both = create, file
        was, now = ([each.asked(asked) for asked in both] for each in (self.was, self.now))
        makers = {
            by_own: [[each.asked(a._replace(author=by_own)) for a in both] for each in self.maker]
            for by_own in whose
        }
        others = [answers for some in makers.values() for pair in some for answers in pair]
        alone = frozenset(id(each) for each in (was[1], now[1], *others[1::2]))
        lanes = Lanes(was, now, others, alone)
        for about, categories in spots(lanes, ways, self.pictures.of("create", "file-under")):
            self._spend("create", about)
            filing = () if on_page else categories  # a part has its page's

            def yes(pair: Sequence[Answers], about: Subject = about, filing: Any = filing) -> Bools:
                return pair[0].yes(about) & pair[1].each_alone(about, filing)

            gained = yes(now) & ~yes(was)
            for each in self.earlier:
                gained &= ~yes([each.asked(asked) for asked in both])
            gained = self._gained(gained, author=author)
            if gained.any():
                found = self._not_held(
                    gained,
                    author,
                    lambda own, yes=yes: any(yes(pair)[0] for pair in makers[own]),  # type: ignore[misc]
                    whose,
                )
                if found is not None:
                    yield self._gain(found[0], create, about, by_own=found[1])
                    return

    def _of_filing(self, author: bool, ways: Sequence[Way]) -> Iterator[Gain]:
        """Filing what stands there, under nothing or one category, under another."""
        read, file = Asked("read", author=author), FILE._replace(author=author)
        reads = self.was.asked(read), self.now.asked(read)
        files = self.was.asked(file), self.now.asked(file)
        makers = {
            own: [
                (each.asked(read._replace(author=own)), each.asked(file._replace(author=own)))
                for each in self.maker
            ]
            for own in (False, True)
        }
        pairs = [pair for some in makers.values() for pair in some]
        to_read = Lanes([reads[0]], [reads[1]], [pair[0] for pair in pairs])
        filing = [pair[1] for pair in pairs]
        to_file = Lanes([files[0]], [files[1]], filing, frozenset(map(id, (*files, *filing))))
        for about, category in filed_anew(to_read, to_file, ways, self.pictures.of("file-under")):
            self._spend("file-under", about)

            def yes(
                pair: tuple[Answers, Answers], about: Subject = about, under: str = category
            ) -> Bools:
                return pair[0].yes(about) & pair[1].each_alone(about, [under])

            gained = yes((reads[1], files[1])) & ~yes((reads[0], files[0]))
            for each in self.earlier:
                gained &= ~yes((each.asked(read), each.asked(file)))
            gained = self._gained(gained, author=author)
            if gained.any():
                found = self._not_held(
                    gained,
                    author,
                    lambda own, yes=yes: any(yes(pair)[0] for pair in makers[own]),  # type: ignore[misc]
                    (False, True),
                )
                if found is not None:
                    gain = self._gain(found[0], file, about, by_own=found[1])
                    yield gain._replace(category=category)
                    return

    # Managing -----------------------------------------------------------------------------------

    def _of_managing(self) -> Iterator[Gain]:
        for action in filter(self._spoken_of, MANAGING_ACTIONS):
            asked = Asked(action, reading=False)
            was, now = self.was.asked(asked), self.now.asked(asked)
            makers = self._makers(asked, False)
            for where, about in self._places(action):
                gained = now.yes(about) & ~was.yes(about)
                for each in self.earlier:
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
            for ways in map(picture.ways, picture.sorts):
                for author in (False, True):
                    asked = Asked(action, author=author)
                    was, now = self.was.asked(asked), self.now.asked(asked)
                    for about, _ in spots(Lanes([was], [now], []), ways, picture):
                        freed = was.kept(about) & ~now.kept(about)
                        freed = self._gained(freed, author=author)
                        for person in freed.nonzero()[0].tolist():
                            yield self._gain(person, asked, about)
                            return


def _mask(engine: Engine, person: Person) -> int:
    """The mask of somebody on another site; that of a guest where they are not there."""
    login, data = person.login, engine.data
    if login is None:
        return GUEST
    if login.startswith(STAND_IN):
        group = login.removeprefix(f"{STAND_IN}group:")
        return engine.crowd[login][0] if group in data.groups else ANYBODY
    return engine.crowd.mask_if_active(login, engine.at) if login in data.users else GUEST


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
