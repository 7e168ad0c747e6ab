"""A site that can be asked: the calls of the library."""

from __future__ import annotations

import os
from collections.abc import Iterable, Sequence
from datetime import date, datetime
from math import inf
from threading import RLock
from time import time
from typing import TYPE_CHECKING

from prim_lantern.change.record import Record
from prim_lantern.decide.belonging import Way
from prim_lantern.decide.decision import Decision, WhoMay
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import Explanation
from prim_lantern.decide.grid import Grid, grid_of
from prim_lantern.decide.looking import LookingAs, looking_as
from prim_lantern.decide.many import lists_of, paths_for, who_may
from prim_lantern.decide.powers import Powers, powers_of
from prim_lantern.decide.question import Question
from prim_lantern.decide.stand_ins import STAND_IN, login_of
from prim_lantern.decide.timeline import Timeline
from prim_lantern.errors import BadChange, BadQuestion, BadSite, NotAllowed, UnknownItem, UnknownWho
from prim_lantern.site import moments, names
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.site.places import Place, place
from prim_lantern.site.who import AUDIENCES, SIGNED_IN, Who, who
from prim_lantern.store.base import Seen, Store
from prim_lantern.store.memory import MemoryStore

if TYPE_CHECKING:
    from pandas import DataFrame

    from prim_lantern.changing import Change

Moment = date | datetime | str | None
_STRETCHES_KEPT = 4


class Site:
    """A site that can be asked who may do what, and why.

    Everywhere `who` is a login (in any case) or None for a guest; `group:…` means somebody
    who is in just that group, and `signed-in` somebody of whom nothing else is known. `at`
    is a date, datetime or ISO 8601 text (a naive one is UTC), now when left out. Asking about a
    user, item, action, kind or category that the site does not have raises the error of
    that name (`UnknownUser` …), and never gives a silent no.
    """

    def __init__(
        self,
        data: SiteData,
        *,
        checked: bool = False,
        store: Store | None = None,
        seen: Seen | None = None,
    ) -> None:
        """Take a site's data; raises `BadSite` when it does not make sense as a whole.

        `checked` says that this has been looked at already, as the readers do. `store` is
        where it is kept, and `seen` what was found there; without, it is kept in memory.
        """
        problems = [] if checked else problems_in(data)
        if problems:
            raise BadSite(problems)
        self.data = data
        self.store = store if store is not None else MemoryStore(data)
        self.seen = seen if seen is not None else self.store.read()
        self._timeline = Timeline(data)
        self._engines: dict[int, Engine] = {}
        self._now: tuple[float, Engine | None] = (0.0, None)
        self._lock = RLock()

    def adopt(self, data: SiteData, *, checked: bool = False) -> None:
        """Take over a site's data after a change; every answer from then on is of the new.

        Only what has changed is worked out anew, where `data` shares its other parts with
        the data before (see `SiteData.with_parts`). Raises `BadSite` as on opening, and
        leaves all as it was then. Nothing is written or recorded: `change` does that.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> kept = [rule for rule in site.data.rules if rule.id != "mirela-prices"]
        >>> site.adopt(site.data.with_parts(rules=tuple(kept)))
        >>> bool(site.may("mirela.kos", "edit", "/visit/prices"))
        False
        """
        problems = [] if checked else problems_in(data)
        if problems:
            raise BadSite(problems)
        with self._lock:
            now = self._now[1] or next(reversed(self._engines.values()), None)
            timeline = Timeline(data, self._timeline)
            engines = {}
            if now is not None:
                engine = now.after(data, now.at)
                engines[timeline.stretch(now.at)] = engine
            self.data, self._timeline, self._engines = data, timeline, engines
            self._now = (0.0, None)
            self.seen = self.seen._replace(data=data)

    # Changing -----------------------------------------------------------------------

    def change(self, by: str, reason: str = "") -> Change:
        """Begin a change: who makes it (the login of an active user), and why.

        See `Change`. Raises `UnknownUser` for nobody known.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> with site.change(by="hana.okafor", reason="She asked to help") as change:
        ...     _ = change.add_members("volunteers", "gwen.tarrow")
        >>> site.history()[-1].said
        ('add gwen.tarrow to group:volunteers',)
        """
        from prim_lantern.changing import Change  # asking does without all that changes

        return Change(self, by, reason)

    def accept(self, token: str) -> str:
        """Accept the invitation whose link holds this token, and return the login.

        The person is active from now on. Raises `BadChange` for a link that is not known, was
        replaced or cancelled, or has ended.
        """
        from prim_lantern.change.operations.people import Accept, hash_of

        wanted = hash_of(token)
        logins = (e.login for e in self.data.invitations.values() if e.token_hash == wanted)
        login = next(logins, None)
        if login is None:
            raise BadChange("This link is not known, or was replaced or cancelled; ask for a new.")
        with self.change(by=login, reason="By the link") as change:
            change.do(Accept(login, wanted))
        return login

    def history(self) -> list[Record]:
        """All changes, the oldest first."""
        return self.store.records()

    def as_it_stood(self, at: date | datetime | str) -> Site:
        """The site as it stood at a past moment: its rules, people and content of then.

        That is another question than `at` of the calls, which asks the site as it is now with the
        clock set. Where the history begins later, it is the site at its beginning. What comes back
        is kept in memory alone.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> with site.change(by="hana.okafor") as change:
        ...     _ = change.suspend("sam.whitlock")
        >>> site.as_it_stood("2026-01-01").data.users["sam.whitlock"].status
        'active'
        """
        moment = self.moment(at)
        data = self.store.last_recorded()
        for record in reversed(self.history()):
            if record.at <= moment:
                break
            data = record.before(data)
        return Site(data, checked=True)

    def catch_up(self) -> int:
        """Take over what others have changed in the store since; how many changes that were.

        For a website's process that runs for long, beside others that change the site.
        """
        records = self.store.records(after=self.seen.number)
        data = self.data
        for record in records:
            data = record.after(data)
        if records:
            self.take(self.seen._replace(data=data, number=records[-1].number))
        return len(records)

    def take(self, seen: Seen) -> None:
        """Take over the site as it was found in the store."""
        if seen.data is not self.data:
            self.adopt(seen.data, checked=True)
        self.seen = seen

    def engine_for(self, data: SiteData, at: datetime) -> Engine:
        """What decides at a moment, for the site as it is or as it was when `data` was taken."""
        engine = self._engine(at)
        return engine if engine.data is data and engine.at == at else engine.after(data, at)

    # May they? --------------------------------------------------------------------

    def may(self, who: str | None, action: str, path: str, at: Moment = None) -> Decision:
        """May this person do this to the item at this path?

        Raises `BadQuestion` for the actions that need more to be asked: create
        (`may_create`), file-under (`may_file`) and those of managing (`may_manage`).

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may("sam.whitlock", "publish", "/log/seal-count"))
        False
        """
        if at is None:
            seconds = time()
            until, engine = self._now
            if engine is not None and seconds < until:
                try:
                    allowed = engine.allows(who, action, path)
                    return Decision(allowed, engine, (who, action, path, seconds))
                except LookupError:
                    pass  # a name in another form or unknown, or the site is just changing
        login, engine, moment = self._asked(who, at)
        action, path = self._item_action(action), self._item(path)
        question = Question(login, action, moment, path)
        return Decision(engine.allows(login, action, path), engine, question)

    def allows(self, who: str | None, action: str, path: str, at: Moment = None) -> bool:
        """The same as a plain bool, for the busiest places of a website's code.

        >>> import prim_lantern as pl
        >>> pl.open_demo().allows(None, "read", "/visit")
        True
        """
        if at is None:
            until, engine = self._now
            if engine is not None and time() < until:
                try:
                    return engine.allows(who, action, path)
                except LookupError:
                    pass  # as in `may`
        return self.may(who, action, path, at).allowed

    def may_create(
        self,
        who: str | None,
        kind: str,
        parent: str,
        categories: Iterable[str] = (),
        at: Moment = None,
    ) -> Decision:
        """May this person create an item of this kind below the parent, filed so?

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> bool(site.may_create("sam.whitlock", "post", "/log", ["topic:wildlife"]))
        True
        """
        login, engine, moment = self._asked(who, at)
        kind, parent = self.data.kind(kind).name, self.section(parent)
        filed = tuple(dict.fromkeys(map(self.data.category, categories)))
        question = Question(login, "create", moment, parent, kind=kind, categories=filed)
        return Decision(engine.may_create(login, kind, parent, filed), engine, question)

    def may_file(self, who: str | None, path: str, category: str, at: Moment = None) -> Decision:
        """May this person file the item under the category? (The question of file-under.)

        Filing it needs `edit` on the item as well, which is a question of its own.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_file("sam.whitlock", "/log/seal-count", "topic:press"))
        False
        """
        login, engine, moment = self._asked(who, at)
        path, category = self._item(path), self.data.category(category)
        question = Question(login, "file-under", moment, path, category=category)
        return Decision(engine.may_file(login, path, category), engine, question)

    def may_move(self, who: str | None, path: str, new_parent: str, at: Moment = None) -> Decision:
        """May this person move the item, with all below it, under the new parent?

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_move("hana.okafor", "/visit/winter", "/about"))
        True
        """
        login, engine, moment = self._asked(who, at)
        path, new_parent = self._item(path), self.section(new_parent)
        question = Question(login, "move", moment, path, new_parent=new_parent)
        return Decision(engine.may_move(login, path, new_parent), engine, question)

    def may_manage(
        self, who: str | None, action: str, place: str = "site", at: Moment = None
    ) -> Decision:
        """May this person manage rights at a place, or people, roles, looking as others?

        `place` is "site", a path or a category. Raises `BadQuestion` for an action that is
        not about managing, and for places other than the site where only that is asked.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_manage("beatrix.lowe", "manage-rights", "/trustees"))
        True
        """
        login, engine, moment = self._asked(who, at)
        action = self.data.action(action)
        if action not in MANAGING_ACTIONS:
            raise BadQuestion(f"{action!r} is done to items: ask 'may' with a path.")
        where = self._place(place)
        if action in SITE_WIDE_ACTIONS and where.kind != "site":
            raise BadQuestion(f"{action!r} is asked of the whole site: leave the place out.")
        question = Question(login, action, moment, place=where)
        return Decision(engine.may_manage(login, action, where), engine, question)

    def why(self, who: str | None, action: str, path: str, at: Moment = None) -> Explanation:
        """Why this person may, or may not, do this to the item at this path.

        Every other question's decision has the same as its `.explanation`.

        >>> import prim_lantern as pl
        >>> print(pl.open_demo().why("hana.okafor", "read", "/trustees"))
        Yes: Hana Okafor may read “Trustees” (/trustees): they are the owner of the site, who \
may do everything.
        Because:
          - Hana Okafor is the owner of the site  [site.toml, line 6]
        """
        return self.may(who, action, path, at).explanation

    # Lists -------------------------------------------------------------------------

    def who_may(self, action: str, path: str, at: Moment = None) -> WhoMay:
        """Who may do this to the item: logins of active users, sorted; guests told apart.

        >>> import prim_lantern as pl
        >>> pl.open_demo().who_may("edit", "/visit/sailings").guests
        False
        """
        action, path = self._item_action(action), self._item(path)
        engine = self._engine(self.moment(at))
        logins = who_may(engine, action, path)
        return WhoMay(tuple(logins), engine.allows(None, action, path))

    def how_many_may(self, action: str, at: Moment = None) -> dict[str, int]:
        """How many active users may do this, by the path of each item, in tree order.

        >>> import prim_lantern as pl
        >>> counts = pl.open_demo().how_many_may("edit")
        >>> counts["/visit/prices"], counts["/trustees/minutes"]
        (3, 3)
        """
        engine = self._engine(self.moment(at))
        counts = lists_of(engine).counts(self._item_action(action)).tolist()
        names = self.data.content.names
        return {names[row]: counts[row] for row in self.data.tree.rows}

    def items_for(self, who: str | None, action: str = "read", at: Moment = None) -> list[str]:
        """The paths of the items to which this person may do this, in tree order.

        >>> import prim_lantern as pl
        >>> pl.open_demo().items_for("bo.lind", "edit", at="2027-05-10")
        ['/visit/sailings', '/visit/sailings/timetable']
        """
        login, engine, _ = self._asked(who, at)
        return paths_for(engine, login, self._item_action(action))

    def filter(
        self, who: str | None, action: str, paths: Iterable[str], at: Moment = None
    ) -> list[str]:
        """Those of some paths to which this person may do this, in the order they came.

        >>> import prim_lantern as pl
        >>> pl.open_demo().filter(None, "read", ["/news", "/trustees", "/log"])
        ['/news', '/log']
        """
        login, engine, _ = self._asked(who, at)
        action = self._item_action(action)
        asked = [self._item(path) for path in paths]
        return [path for path in asked if engine.allows(login, action, path)]

    def looking_as(self, who: str | None, at: Moment = None, *, by: str | None = None) -> LookingAs:
        """The site as this person sees it: items and what they may do with each, the menu,
        the parts of the home page, and what they may create where.

        `by` is the login of somebody else who looks: they need the right `look-as`, and it is
        noted in the history that they looked. Left out, it is the person themselves.
        Raises `UnknownUser` or `UnknownWho` for nobody known, and `NotAllowed`.

        >>> import prim_lantern as pl
        >>> view = pl.open_demo().looking_as("group:friends", at="2027-05-10")
        >>> [link.title for link in view.menu][:3], view.categories
        (['Events', 'Friends', 'Learn'], ('series:work-parties',))
        """
        login, engine, _ = self._asked(who, at)
        if by is not None and self.data.login(by) != login:
            self._note_looking(self.data.login(by), login)
        return looking_as(engine, login)

    def _note_looking(self, by: str, login: str | None) -> None:
        now = self.moment()
        whom = (login or "a guest").removeprefix(STAND_IN)
        if not self.may_manage(by, "look-as", at=now):
            raise NotAllowed(by, ["they have no right to look-as"], f"look at the site as {whom}")
        said, done = (f"look as {whom}",), ({"do": "look-as", "who": login},)
        with self.store.changing() as turn:
            seen = turn.seen(self.seen)
            record = Record(seen.number + 1, now, by, "", said, done)
            made = turn.make(record, seen, seen.data, ())
        self.take(made)

    def grid(
        self,
        who: Sequence[str] = ("guests", "signed-in"),
        where: Sequence[str] | None = None,
        actions: Sequence[str] = ("read", "edit"),
        at: Moment = None,
    ) -> DataFrame:
        """People, groups and audiences by places, as a pandas DataFrame.

        Parameters: `who` names logins, groups (`group:…`) and audiences; `where` names
        paths and categories, the top sections when left out; `actions` on items, create, and
        file-under where all rows are categories.
        Rows are places; columns are pairs of who and action; cells are "yes", "no", "own"
        (only their own) or "" (nobody has spoken). See `grid_data` for the same plainly.

        >>> import prim_lantern as pl
        >>> frame = pl.open_demo().grid(["guests"], ["/visit", "/trustees"], ["read"])
        >>> frame.loc["/trustees", ("guests", "read")]
        'no'
        """
        from prim_lantern.show.frames import grid_frame

        return grid_frame(self.grid_data(who, where, actions, at))

    def grid_data(
        self,
        who: Sequence[str] = ("guests", "signed-in"),
        where: Sequence[str] | None = None,
        actions: Sequence[str] = ("read", "edit"),
        at: Moment = None,
    ) -> Grid:
        """The grid as plain data, without pandas."""
        columns = [self._who(each) for each in who]
        rows = [self._row(each) for each in (where if where is not None else self.top_sections())]
        asked = [each if each in NEED_MORE else self._item_action(each) for each in actions]
        if "file-under" in asked and any(row.startswith("/") for row in rows):
            raise BadQuestion("'file-under' is asked of categories: name only those as rows.")
        return grid_of(self._engine(self.moment(at)), columns, rows, asked)

    def powers_of(self, who: str | None, at: Moment = None) -> Powers:
        """What reaches this person (groups, roles, rules), and where they may do what.

        >>> import prim_lantern as pl
        >>> [given.role for given in pl.open_demo().powers_of("bo.lind", "2027-05-10").given]
        ['commenter', 'timetable-desk']
        """
        login = None if who is None else self.data.login(who)
        return powers_of(self._engine(self.moment(at)), login, login_of(SIGNED_IN))

    # Finding -------------------------------------------------------------------------

    def memberships(self, who: str, at: Moment = None) -> list[Way]:
        """All the ways in which a user is in groups at a moment, active or not.

        >>> import prim_lantern as pl
        >>> [way.through for way in pl.open_demo().memberships("joon.park")]
        [('keepers-tansy',), ('keepers-tansy', 'keepers')]
        """
        ways = self._engine(self.moment(at)).crowd.belonging.ways(self.data.login(who))
        return [way for each in ways.values() for way in each]

    def members(self, group: str, at: Moment = None) -> list[str]:
        """The logins of the active members of a group at a moment, sorted.

        >>> import prim_lantern as pl
        >>> pl.open_demo().members("keepers-fennick")
        ['leif.aronsen', 'priya.nandakumar']
        """
        crowd = self._engine(self.moment(at)).crowd
        return crowd.members(self._who(f"group:{group}"))

    def find_users(self, text: str) -> list[User]:
        """The users whom a text fits: by login, else by part of login or name, case ignored.

        >>> import prim_lantern as pl
        >>> [user.login for user in pl.open_demo().find_users("hol")]
        ['dag.hollis', 'levin.holt']
        """
        wanted = names.folded(text)
        people = self.data.people
        if not wanted:
            return []
        logins = [names.folded(login) for login in people.names]
        called = [names.folded(name) for name in people.values_of("name")]
        for rows in (
            [row for row, login in enumerate(logins) if login == wanted],
            [row for row, name in enumerate(called) if name == wanted],
        ):
            if rows:
                return [people.at(row) for row in rows]
        both = enumerate(zip(logins, called, strict=True))
        return [people.at(row) for row, (a, b) in both if wanted in a or wanted in b]

    # Names and moments ------------------------------------------------------------------

    def _item(self, path: str) -> str:
        return path if path in self.data.items else self.data.item(path).path

    def _item_action(self, action: str) -> str:
        action = self.data.action(action)
        if action in MANAGING_ACTIONS:
            raise BadQuestion(f"{action!r} is asked of a place: use may_manage.")
        if action == "create":
            raise BadQuestion("'create' needs a kind and a parent: use may_create.")
        if action == "file-under":
            raise BadQuestion("'file-under' needs a category: use may_file.")
        return action

    def section(self, path: str) -> str:
        """The path, when an item stands at it or below; else `UnknownItem`."""
        if not self.data.tree.holds(path):
            raise UnknownItem(path, names.nearest(path, self.data.sections))
        return path

    def _place(self, text: str) -> Place:
        found = place(text)
        if found.kind == "category":
            self.data.category(text)
        elif found.kind == "path":
            self.section(text)
        return found

    def _row(self, text: str) -> str:
        return self.section(text) if text.startswith("/") else self.data.category(text)

    def _who(self, text: str) -> Who:
        """A login, `user:…`, a group (`group:…`) or an audience."""
        found = who(text) if ":" in text or text in AUDIENCES else Who("user", text)
        if found.kind == "group":
            if found.name not in self.data.groups:
                near = names.nearest(found.name, self.data.groups)
                raise UnknownWho(text, [f"group:{each}" for each in near])
            return found
        if found.kind == "user":
            return Who("user", self.data.user(found.name).login)
        if found.kind != "audience":
            raise BadQuestion(
                f"{text!r} cannot be asked about here: name a person, a group or an audience."
            )
        return found

    def top_sections(self) -> list[str]:
        """The home page and the paths one step below the root, in tree order."""
        return [path for path in ("/", *self.data.tree.steps_below("/")) if self._is_area(path)]

    def _is_area(self, path: str) -> bool:
        item = self.data.items.get(path)
        return item is None or not (
            self.data.all_kinds[item.kind].part or self.data.all_kinds[item.kind].link
        )

    @staticmethod
    def moment(at: Moment = None) -> datetime:
        """The moment that `at` means, in UTC: now when left out."""
        return moments.now() if at is None else moments.moment(at)

    def next_turn(self, at: Moment = None) -> datetime | None:
        """The next moment at which something changes by itself; until then answers hold."""
        return self._timeline.next_turn(self.moment(at))

    # Deciding -----------------------------------------------------------------------------

    def _engine(self, at: datetime) -> Engine:
        """What decides at a moment; kept for the whole stretch in which nothing changes."""
        stretch = self._timeline.stretch(at)
        found = self._engines.get(stretch)
        if found is None:
            with self._lock:
                found = self._engines.get(stretch) or self._new_engine(stretch, at)
        return found

    def _new_engine(self, stretch: int, at: datetime) -> Engine:
        if self._engines:
            nearest = min(self._engines, key=lambda other: abs(other - stretch))
            found = self._engines[nearest].after(self.data, at)
        else:
            found = Engine(self.data, at)
        if len(self._engines) >= _STRETCHES_KEPT:
            del self._engines[next(iter(self._engines))]
        self._engines[stretch] = found
        return found

    def _engine_now(self) -> tuple[Engine, datetime]:
        """What decides now, at hand until the next moment at which something changes."""
        now = self.moment()
        found = self._engine(now)
        turn = self._timeline.next_turn(now)
        if moments.CLOCK not in os.environ:
            self._now = (turn.timestamp() if turn is not None else inf, found)
        return found, now

    def _asked(self, who: str | None, at: Moment) -> tuple[str | None, Engine, datetime]:
        """The login that is asked about, what decides, and the moment."""
        if at is None:
            engine, moment = self._engine_now()
        else:
            moment = self.moment(at)
            engine = self._engine(moment)
        return None if who is None else login_of(self._who(who)), engine, moment
