"""Nobody lets anybody do what they could not do themselves: found by classes.

Two sites are compared for every sort of person and of item that their words tell apart, at every
time from the change on; `plain.py` says the same for one person and one item.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence, Set
from datetime import datetime
from functools import cached_property
from typing import Any, Final, NamedTuple

import numpy as np

from prim_lantern.change.gate.finals import final_actions, has_finals
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import Person, Stretch, everybody, pictured_member, stewarded
from prim_lantern.change.gate.people import of_user as moments_of
from prim_lantern.change.gate.pictures import Pictures, Sort
from prim_lantern.change.gate.spots import Lanes, Way, filed_anew, spots
from prim_lantern.change.gate.spread import Answers, Bools, Spread
from prim_lantern.change.touched import all_access
from prim_lantern.decide import subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.belonging import Way as WayIn
from prim_lantern.decide.clauses import beyond
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.crowd import ANYBODY, GUEST
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.stand_ins import STAND_IN
from prim_lantern.decide.subject import FRESH, Subject, with_above
from prim_lantern.decide.timeline import turns_of_words
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, is_above, place, way_to
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.who import Who

_CREATE: Final = Asked("create", any_state=True)
_FILE: Final = Asked("file-under", reading=False)


class Gain(NamedTuple):
    """What somebody could newly do, or be freed of: the first of its sort that was found.

    `about` is the pictured item, or the place for an action of managing; `own` says whether it
    would be their own, and `by_own` whether it is by the one who makes the change.
    """

    who: str | None
    action: str
    about: Subject | Place
    at: datetime
    own: bool = False
    by_own: bool = False
    category: str | None = None


class Gains:
    """What a change opens that it may not open."""

    def __init__(self, judged: Judged) -> None:
        self.judged = judged

    # Time ------------------------------------------------------------------------------------

    @cached_property
    def stretches(self) -> list[Stretch]:
        """The times from the change on in which the two sites may differ."""
        judged, at = self.judged, self.judged.made.at
        sites = [judged.base, judged.after, *([judged.then] if judged.then else [])]
        base = judged.engine.after(judged.base, at)
        whole = Stretch(at, None, base, base.after(judged.after, at), None)
        turns = self._turns_of_maker(sites)
        if self._all_in_force():
            turns |= self._turns_that_matter(sites, whole)
        else:
            turns |= {turn for data in sites for turn in turns_of_words(data) if turn is not None}
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

    def _turns_that_matter(self, sites: Iterable[SiteData], whole: Stretch) -> set[datetime]:
        """When words come into force or end that can speak of anybody whose answers may differ, or
        of the maker, at a place that can hold what the change touches."""
        people = everybody(self.judged, whole)
        whos = set[Who]()
        for engine, masks in (
            (whole.before, [each.before for each in people]),
            (whole.after, [each.after for each in people]),
        ):
            bits = 0
            for mask in masks:
                bits |= mask
            if self.judged.by in engine.data.users:
                bits |= engine.crowd.mask_if_active(self.judged.by, engine.at)
            whos |= {who for who, bit in engine.crowd.bits.items() if bits & bit}
        for data in sites:
            if self.judged.by in data.users:
                ways = Belonging(data, whole.start).direct_ways(data.users[self.judged.by])
                whos |= {Who("group", group) for way in ways for group in _with_upper(data, way)}
        spoken = {
            name for engine in (whole.before, whole.after) for name in engine.rights.levels_of_roles
        }
        within = _paths_touched(whole.after)
        return {
            turn
            for data in sites
            for turn in turns_of_words(data, lambda word: _matters(word, whos, spoken, within))
            if turn is not None
        }

    def _same(self, after: Engine) -> bool:
        """Whether the two sites say the same at a moment."""
        return self.judged.sorts <= {"words", "items"} and after.spots == set()

    def _turns_of_maker(self, sites: Iterable[SiteData]) -> set[datetime]:
        """When whoever makes the change, and those they look after, come into groups or leave."""
        found = set()
        for data in sites:
            if self.judged.by in data.users:
                engine = self.judged.engine
                crowd = engine.after(data, engine.at).crowd
                found |= crowd.turns_of(self.judged.by)
        return found

    # Words ------------------------------------------------------------------------------------

    def by_words(self) -> Iterator[Gain]:
        """What somebody gains that the one who makes the change could not do before."""
        for stretch in self.stretches:
            search = _Search(self.judged, stretch, self._people(stretch))
            yield from search.gains()
            if search.suspects:
                yield from self._of_own_work(stretch, search)
            yield from self._by_authors(stretch)

    def _of_own_work(self, stretch: Stretch, search: _Search) -> Iterator[Gain]:
        """What those gain at items who wrote or changed them, and the maker did not; and at items
        of the maker's."""
        judged = self.judged
        handiwork = stretch.before.crowd.handiwork
        actions = _plain_actions(judged.after)
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
                for action in _plain_actions(judged.after):
                    could = _does(stretch.before, login, action, about)
                    if could or not _does(stretch.after, login, action, again):
                        continue
                    if not self._held(stretch, action, about):
                        yield Gain(login, action, about, stretch.start, own=True)

    # People -----------------------------------------------------------------------------------

    def by_people(self) -> Iterator[Gain]:
        """What the one who makes a change of people gains, or the groups that they look after."""
        judged = self.judged
        for stretch in self.stretches:
            groups = stewarded(judged, judged.after.groups)
            some = [
                *moments_of(stretch, judged.by),
                *(pictured_member(stretch, name) for name in groups),
            ]
            differing = [each for each in some if _differs(stretch, each)]
            if differing:
                yield from _Search(judged, stretch, differing, alone=True).gains()

    def _people(self, stretch: Stretch) -> list[Person]:
        """Everybody whose answers may differ."""
        some = everybody(self.judged, stretch)
        if self.judged.words_differ:
            return some
        return [each for each in some if _differs(stretch, each)]

    # What has no exceptions --------------------------------------------------------------------

    def _may_free(self) -> bool:
        """Whether the change can free anybody at all: the words without exceptions are the same, so
        that only people, or who has a role, can differ."""
        parts = ("given", "kinds", "actions")
        return "people" in self.judged.sorts or any(
            getattr(self.judged.base, part) != getattr(self.judged.after, part) for part in parts
        )

    def freed(self) -> Iterator[Gain]:
        """Whom a change frees of what has no exceptions."""
        if not self._may_free():
            return
        for stretch in self.stretches:
            if has_finals(stretch.before.data):
                yield from _Search(self.judged, stretch, self._people(stretch)).freed()


def _with_upper(data: SiteData, way: WayIn) -> set[str]:
    """The group of a way, and all that it counts in."""
    found, waiting = {way.group}, [way.group]
    while waiting:
        for upper in data.groups[waiting.pop()].counts_in:
            if upper not in found:
                found.add(upper)
                waiting.append(upper)
    return found


def _paths_touched(after: Engine) -> list[str] | None:
    """The paths at which words differ; None where it is elsewhere too."""
    if after.spots is None:
        return None
    paths = [name for kind, name in after.spots if kind == "path"]
    return paths if len(paths) == len(after.spots) else None


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


def _differs(stretch: Stretch, person: Person) -> bool:
    """Whether something else reaches somebody after: of whom words may speak."""
    was, now = (
        frozenset(who for who, bit in engine.crowd.bits.items() if mask & bit)
        for engine, mask in ((stretch.before, person.before), (stretch.after, person.after))
    )
    return was != now


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


def _plain_actions(data: SiteData) -> list[str]:
    """The actions that are asked of an item alone."""
    return [action for action in data.item_actions if action not in NEED_MORE]


def _mask(engine: Engine, person: Person) -> int:
    """The mask of somebody on another site; that of a guest where they are not there."""
    login, data = person.login, engine.data
    if login is None:
        return GUEST
    if login.startswith(STAND_IN):
        group = login.removeprefix(f"{STAND_IN}group:")
        return engine.crowd[login][0] if group in data.groups else ANYBODY
    return engine.crowd.mask_if_active(login, engine.at) if login in data.users else GUEST


def _among(ways: Sequence[Way], some: Iterable[Subject]) -> list[Way]:
    """The ways that are where some items are, whatever these are and are filed under."""
    bare = {(about.way, about.own_paths) for about in some}
    return [way for way in ways if (way.about.way, way.about.own_paths) in bare]


class _Search:
    """One look at a time: some people, two sites, and all that could stand on them."""

    def __init__(
        self, judged: Judged, stretch: Stretch, people: Sequence[Person], *, alone: bool = False
    ) -> None:
        """`alone` says that nobody among them may gain anything, whatever the maker holds now."""
        self.judged = judged
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
        self._known_ways: dict[Sort, list[Way]] = {}

    def _mask_of_maker(self, engine: Engine) -> int:
        if self.judged.by not in engine.data.users:
            return 0
        return engine.crowd.mask_if_active(self.judged.by, engine.at)

    def _pictures(self) -> Pictures:
        """All that words about these people and the maker tell apart."""
        stretch, were, are = self.stretch, 0, 0
        for each in self.people:
            were, are = were | each.before, are | each.after
        engines = [(stretch.before, were), (stretch.after, are)]
        engines += [(stretch.then, 0)] if stretch.then is not None else []
        return Pictures(
            [engine for engine, _ in engines],
            [bits | self._mask_of_maker(engine) for engine, bits in engines],
            self.within,
        )

    @cached_property
    def within(self) -> list[str] | None:
        """The paths at or below which words differ; None where it may be anywhere."""
        spots = self.stretch.after.spots
        if spots is None or self.judged.sorts & {"people"}:
            return None
        return _paths_touched(self.stretch.after)

    def may_hold(self, path: str) -> bool:
        """Whether the change can touch what stands at a path."""
        return self.within is None or not set(self.within).isdisjoint(way_to(path))

    # Gains --------------------------------------------------------------------------------------

    def gains(self) -> Iterator[Gain]:
        """What they gain that the one who makes the change could not do."""
        if not self.people:
            return
        for author in (False, True):
            readable: dict[Sort, list[Subject]] = {}
            for sort, ways in self._ways("read"):
                asked = Asked("read", author=author)
                yield from self._of_items(asked, ways, readable.setdefault(sort, []))
            opened = [about for some in readable.values() for about in some]
            for action in _plain_actions(self.stretch.after.data):
                if action != "read" and (opened or self._spoken_of(action)):
                    for _, ways in self._ways(action):
                        some = ways if self._spoken_of(action) else _among(ways, opened)
                        yield from self._of_items(Asked(action, author=author), some)
            if opened or self._spoken_of("file-under"):
                for _, ways in self._ways("file-under"):
                    yield from self._of_filing(author, ways)
            if opened or self._spoken_of("create") or self._spoken_of("file-under"):
                yield from self._creating(author)
        yield from self._of_managing()

    def _creating(self, author: bool) -> Iterator[Gain]:
        """Creating: what would be one's own then, as a draft, or a part of any page."""
        sorts = self.pictures.sorts("create", "file-under")
        draft = sorts[0].state if sorts else None  # the state that stands for drafts is met first
        for sort, ways in self._ways("create", "file-under"):
            if sort.page_kinds or (sort.state == draft and author):
                yield from self._of_creating(author, ways, on_page=bool(sort.page_kinds))

    def _ways(self, *actions: str) -> list[tuple[Sort, list[Way]]]:
        """For each sort of item that words about some actions tell apart, where it could stand."""
        return [(sort, self._ways_of(sort)) for sort in self.pictures.sorts(*actions)]

    def _ways_of(self, sort: Sort) -> list[Way]:
        found = self._known_ways.get(sort)
        if found is None:
            found = [Way(about) for about in self.pictures.ways(sort)]
            self._known_ways[sort] = found
        return found

    def _spoken_of(self, action: str) -> bool:
        """Whether words about an action may differ."""
        return self._all_touched or self._actions is None or action in self._actions

    @cached_property
    def _actions(self) -> frozenset[str] | None:
        """The actions about which words differ; None where it may be any."""
        judged = self.judged
        grants = (all_access(data) for data in (judged.base, judged.after))
        if len({frozenset(each) for each in grants}) > 1 or judged.base.actions != (
            judged.after.actions
        ):
            return None
        clauses = (*beyond(judged.base, judged.after), *beyond(judged.after, judged.base))
        held = {given.role for some in judged.gone_and_come("given") for given in some}
        if held & self.stretch.before.rights.levels_of_roles.keys() | held & (
            self.stretch.after.rights.levels_of_roles.keys()
        ):
            return None  # it is spoken of whoever has the role
        cuts = judged.base.rights_cut_at.keys() ^ judged.after.rights_cut_at.keys()
        return None if cuts else frozenset(each for clause in clauses for each in clause.actions)

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

    def _of_items(
        self, asked: Asked, ways: Sequence[Way], found_at: list[Subject] | None = None
    ) -> Iterator[Gain]:
        """`found_at` is told where anybody gains anything, held or not."""
        was, now = self.was.asked(asked), self.now.asked(asked)
        makers = {by_own: self._makers(asked, by_own) for by_own in (False, True)}
        lanes = Lanes([was], [now], [*makers[False], *makers[True]])
        for about, _ in spots(lanes, ways, self.pictures):
            gained = now.yes(about) & ~was.yes(about)
            for each in self.earlier:
                gained &= ~each.asked(asked).yes(about)
            gained = self._gained(gained, author=asked.author)
            if gained.any():
                if found_at is not None:
                    found_at.append(about)
                found = self._not_held(
                    gained,
                    asked.author,
                    lambda own, about=about: any(e.yes(about)[0] for e in makers[own]),  # type: ignore[misc]
                    (False, True),
                )
                if found is not None:
                    yield self._gain(found[0], asked, about, by_own=found[1])
                    return

    def _gain(self, person: int, asked: Asked, about: Subject, *, by_own: bool = False) -> Gain:
        login = self.people[person].login
        return Gain(login, asked.action, about, self.stretch.start, asked.author, by_own)

    # Creating and filing ----------------------------------------------------------------------

    def _of_creating(self, author: bool, ways: Sequence[Way], *, on_page: bool) -> Iterator[Gain]:
        """Creating as pictured: what is one's own then, or a part on whosesoever page."""
        whose = (False, True) if on_page else (True,)
        create, file = _CREATE._replace(author=author), _FILE._replace(author=author)
        both = create, file
        was, now = ([each.asked(asked) for asked in both] for each in (self.was, self.now))
        makers = {
            by_own: [[each.asked(a._replace(author=by_own)) for a in both] for each in self.maker]
            for by_own in whose
        }
        others = [answers for some in makers.values() for pair in some for answers in pair]
        alone = frozenset(id(each) for each in (was[1], now[1], *others[1::2]))
        lanes = Lanes(was, now, others, alone)
        for about, categories in spots(lanes, ways, self.pictures):
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
        read, file = Asked("read", author=author), _FILE._replace(author=author)
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
        for about, category in filed_anew(to_read, to_file, ways, self.pictures):

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
        for action in MANAGING_ACTIONS:
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
        for path in self.pictures.paths:
            for at in (path, f"{path.rstrip('/')}/{FRESH}"):
                yield place(path), Subject(way=way_to(at), own_paths=frozenset({at}))
        for category in self.pictures.categories:
            yield Place("category", category), Subject(categories=with_above([category]))

    # What has no exceptions -----------------------------------------------------------------------

    def freed(self) -> Iterator[Gain]:
        """From what somebody was kept without exceptions, and is no more."""
        if not self.people:
            return
        for action in final_actions(self.stretch.before.data):
            for _, ways in self._ways(action):
                for author in (False, True):
                    asked = Asked(action, author=author)
                    was, now = self.was.asked(asked), self.now.asked(asked)
                    for about, _ in spots(Lanes([was], [now], []), ways, self.pictures):
                        freed = was.kept(about) & ~now.kept(about)
                        freed = self._gained(freed, author=author)
                        for person in freed.nonzero()[0].tolist():
                            yield self._gain(person, asked, about)
                            return
