"""What some people gain between two sites that whoever makes a change does not hold."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import NamedTuple

import numpy as np

from prim_lantern.change.gate.people import Person, Stretch
from prim_lantern.change.gate.spots import Asks, Lane, Question, all_of, any_of
from prim_lantern.change.gate.spread import Bools, Spread
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.people import ANYBODY, GUEST
from prim_lantern.decide.stand_ins import Somebody
from prim_lantern.decide.subject import Subject
from prim_lantern.site.places import Place


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


class Sides(NamedTuple):
    """Some people before and after; `earlier` is before a change of one's own that is taken back:
    what they could do then they may come to again."""

    people: Sequence[Person]
    was: Spread
    now: Spread
    earlier: tuple[Spread, ...]

    @classmethod
    def of(cls, stretch: Stretch, people: Sequence[Person]) -> Sides:
        """The same people at one time."""
        then = stretch.then
        return cls(
            people,
            Spread(stretch.before, [each.before for each in people]),
            Spread(stretch.after, [each.after for each in people]),
            () if then is None else (Spread(then, [_mask(then, each) for each in people]),),
        )


class Gained:
    """What some gain that the one who makes a change does not hold, as a question; and, after that,
    what they gain of their own that the maker may not do for others, or the other way round."""

    def __init__(
        self,
        sides: Sides,
        maker: Sequence[Spread],
        author: bool,
        asks: Asks,
        *,
        whose: Sequence[bool] = (False, True),
        read_first: Asks | None = None,
        filing: bool = False,
    ) -> None:
        """`maker` is whoever makes the change, before it and before what is taken back; `whose`
        are the items that may be looked at: another's, the maker's own. With `read_first`, only
        what the maker may read has to be looked at."""
        self._author = author
        self._lanes: list[Lane] = []
        self._was, self._now = (self._both(asks(each, author)) for each in (sides.was, sides.now))
        self._earlier = [self._both(asks(each, author)) for each in sides.earlier]
        self._makers = {own: [self._both(asks(each, own)) for each in maker] for own in whose}
        self._reads = {
            own: [self._both(read_first(each, own)) for each in maker] if read_first else []
            for own in whose
        }
        shows = (self._shows, self._suspects) if len(whose) > 1 else (self._shows,)
        pairs = tuple(zip(self._was, self._now, strict=True))
        lanes = (self._was, self._now, *self._earlier)
        of_maker = (some for each in (self._makers, self._reads) for some in each.items())
        layout = (author, filing, lanes, tuple((own, *some) for own, some in of_maker))
        self.question = Question(self._lanes, shows, pairs, filing=filing, layout=layout)

    def _both(self, lanes: Sequence[Lane]) -> range:
        """Take some lanes that have to answer yes together."""
        self._lanes += lanes
        return range(len(self._lanes) - len(lanes), len(self._lanes))

    def _shows(self, values: Sequence[Bools], _: Bools) -> Bools:
        return self._looked_at(values) & ~self._held(values, self._author)

    def _suspects(self, values: Sequence[Bools], _: Bools) -> Bools:
        return self._looked_at(values) & ~self._held(values, not self._author)

    def _looked_at(self, values: Sequence[Bools]) -> Bools:
        gained = all_of(values, self._now) & ~any_of(values, [self._was, *self._earlier])
        unread = [
            self._held(values, own) | ~any_of(values, reads)
            for own, reads in self._reads.items()
            if reads
        ]
        return gained & ~np.logical_and.reduce(unread) if unread else gained

    def _held(self, values: Sequence[Bools], own: bool) -> Bools:
        return any_of(values, self._makers[own])


def lost(values: Sequence[Bools], _: Bools) -> Bools:
    """Where the first lane answers yes, and the second no."""
    was, now = values
    return was & ~now


def _mask(engine: Engine, person: Person) -> int:
    """The mask of somebody on another site; that of a guest where they are not there."""
    login, data = person.login, engine.data
    if login is None:
        return GUEST
    if isinstance(login, Somebody):
        return engine.crowd[login][0] if login.who.name in data.groups else ANYBODY
    return engine.crowd.mask_if_active(login, engine.at) if login in data.users else GUEST
