"""All that answers from one site at one time: never changed, only replaced by another."""

from __future__ import annotations

import os
from collections.abc import Iterable
from datetime import date, datetime
from math import inf
from threading import Lock

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stand_ins import login_of, pictured_roles
from prim_lantern.decide.timeline import Timeline
from prim_lantern.errors import BadQuestion, BadValue, UnknownItem, UnknownWho
from prim_lantern.freshness import Confirmed
from prim_lantern.site import moments, names
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import Place, place
from prim_lantern.site.who import AUDIENCES, AUTHORS, Who, who
from prim_lantern.store.base import Seen

Moment = date | datetime | str | None
Whom = str | Who | None
"""Who is asked about: a login; None for a guest; or somebody pictured (see `pictured`)."""
_STRETCHES_KEPT = 4


def pictured(text: str) -> Who:
    """Somebody of whom only one thing is known, to be asked about in place of a login: that they
    are in a group (`group:…`), have a role (`role:…`) on the whole site, or are `signed-in`;
    `guests` and `everyone` are a guest, who is in just these.

    Only what comes from here is ever taken so: text is always a login. Raises `BadValue` for
    anything else, a login too.

    >>> import prim_lantern as pl
    >>> site = pl.open_demo()
    >>> bool(site.may(pl.pictured("group:trustees"), "read", "/trustees/minutes"))
    True
    >>> site.may("group:trustees", "read", "/trustees/minutes")
    Traceback (most recent call last):
    prim_lantern.errors.UnknownUser: The user 'group:trustees' is not known on this site.
    """
    found = who(text)
    if found.kind == "user" or found == AUTHORS:
        raise BadValue(text, "cannot be pictured: write group:…, role:…, signed-in or guests.")
    return found


class State:
    """A site as it was seen in its store, with the engines that answer from it.

    A call takes the state of its site once and asks that alone: whatever comes meanwhile, the
    answer is of one site, and nothing that is worked out late gets into a newer state.
    """

    def __init__(
        self, seen: Seen, before: State | None = None, confirmed: Confirmed | None = None
    ) -> None:
        """Take what was seen; what still holds of the state before is taken over. `confirmed` says
        how long it may be answered from this without hearing from the store."""
        self.seen = seen
        self.data: SiteData = seen.data
        earlier = before.timeline if before is not None else None
        self.timeline: Timeline = Timeline(self.data, earlier)
        self._engines: dict[int, Engine] = {}
        self._lock = Lock()
        self._confirmed = confirmed
        self.now: tuple[float, Engine | None] = (0.0, None)
        """What decides now, and until when (seconds since 1970) it does."""
        known = before.known_engine() if before is not None else None
        if known is not None:
            engine = known.after(self.data, known.at)
            self._engines[self.timeline.stretch(known.at)] = engine

    def seen_as(self, seen: Seen) -> State:
        """The same state, where a store has only another number for it."""
        found = object.__new__(State)
        found.__dict__.update(self.__dict__)
        found.seen = seen
        return found

    # Deciding -----------------------------------------------------------------------------

    def known_engine(self) -> Engine | None:
        """An engine that is there already: that of now, if any."""
        return self.now[1] or next(reversed(self._engines.copy().values()), None)

    def engine(self, at: datetime) -> Engine:
        """What decides at a moment; kept for the whole stretch in which nothing changes."""
        if self._confirmed is not None:
            self._confirmed.check()
        stretch = self.timeline.stretch(at)
        found = self._engines.get(stretch)
        if found is None:
            with self._lock:
                found = self._engines.get(stretch) or self._new_engine(stretch, at)
        return found

    def _new_engine(self, stretch: int, at: datetime) -> Engine:
        engines = self._engines
        if engines:
            nearest = min(engines, key=lambda other: abs(other - stretch))
            found = engines[nearest].after(self.data, at)
        else:
            found = Engine(self.data, at)
        kept = {**engines, stretch: found}
        if len(kept) > _STRETCHES_KEPT:
            del kept[next(iter(kept))]
        self._engines = kept  # in one step: it may be looked through just now
        return found

    def engine_now(self) -> tuple[Engine, datetime]:
        """What decides now, at hand until the next moment at which something changes."""
        now = moments.told_in(moments.now(), self.data.zone)
        found = self.engine(now)
        turn = self.timeline.next_turn(now)
        if moments.CLOCK not in os.environ:
            until = turn.timestamp() if turn is not None else inf
            if self._confirmed is not None:
                until = min(until, self._confirmed.until)
            self.now = (until, found)
        return found, now

    def asked(self, who: Whom, at: Moment) -> tuple[str | None, Engine, datetime]:
        """The login that is asked about, what decides, and the moment."""
        if at is None:
            engine, moment = self.engine_now()
        else:
            moment = moments.moment(at, self.data.zone)
            engine = self.engine(moment)
        if who is None:
            return None, engine, moment
        if isinstance(who, str):  # a login and nothing else, whatever it looks like
            return self.data.user(who).login, engine, moment
        if not isinstance(who, Who):
            raise TypeError(who)
        found = self.who(who)
        return login_of(found), self.picturing(engine, (found,)), moment

    def picturing(self, engine: Engine, whos: Iterable[Who]) -> Engine:
        """The same engine with somebody pictured for each role among some whos."""
        given = pictured_roles(whos)
        if not given:
            return engine
        data = engine.data
        return engine.after(data.with_parts(given=(*data.given, *given)), engine.at)

    # Names ----------------------------------------------------------------------------------

    def item(self, path: str) -> str:
        """The path of an item; else `UnknownItem`."""
        return path if path in self.data.items else self.data.item(path).path

    def item_action(self, action: str) -> str:
        """The name of an action that is asked of an item alone."""
        action = self.data.action(action)
        if action in MANAGING_ACTIONS:
            raise BadQuestion(f"{action!r} is asked of a place: 'site', a path or a category.")
        if action == "create":
            raise BadQuestion("'create' is asked with a kind and the parent of what would be new.")
        if action == "file-under":
            raise BadQuestion("'file-under' is asked with a category.")
        return action

    def section(self, path: str) -> str:
        """The path, when an item stands at it or below; else `UnknownItem`."""
        if not self.data.tree.holds(path):
            raise UnknownItem(path, names.Near(path, lambda: self.data.sections))
        return path

    def place(self, text: str) -> Place:
        """The place that a text names."""
        found = place(text)
        if found.kind == "category":
            self.data.category(text)
        elif found.kind == "path":
            self.section(text)
        return found

    def who(self, named: str | Who) -> Who:
        """A login, `user:…`, a group (`group:…`), a role (`role:…`) or an audience."""
        text = str(named)
        found = who(text) if ":" in text or text in AUDIENCES else Who("user", text)
        if found.kind == "group":
            if found.name not in self.data.groups:
                near = names.nearest(found.name, self.data.groups)
                raise UnknownWho(text, [f"group:{each}" for each in near])
            return found
        if found.kind == "role":
            if found.name not in self.data.roles:
                near = names.nearest(found.name, self.data.roles)
                raise UnknownWho(text, [f"role:{each}" for each in near])
            return found
        if found.kind == "user":
            return Who("user", self.data.user(found.name).login)
        if found.kind != "audience":
            raise BadQuestion(
                f"{text!r} cannot be asked about here: name a person, a group, a role or an "
                "audience."
            )
        return found
