"""A site that can be asked: the calls of the library."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable, Sequence
from datetime import date, datetime
from threading import RLock
from time import time
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
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
from prim_lantern.errors import BadChange, BadQuestion, BadSite, NotAllowed
from prim_lantern.site import moments, names
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.site.places import SITE
from prim_lantern.site.who import SIGNED_IN
from prim_lantern.state import Moment, State
from prim_lantern.store.base import Seen, Store
from prim_lantern.store.memory import MemoryStore

if TYPE_CHECKING:
    from pandas import DataFrame

    from prim_lantern.changing import Change
    from prim_lantern.decide.access import Access
    from prim_lantern.decide.found import FoundItem
    from prim_lantern.decide.named import Naming
    from prim_lantern.decide.place_view import PlaceView
    from prim_lantern.decide.promises import PromiseCheck
    from prim_lantern.decide.queue import Queue


_WORD = re.compile(r"[\s._@-]+")


@explains_its_arguments(but=("allows",))  # it is in a hurry, and asks `may` where it fails
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
        self.store = store if store is not None else MemoryStore(data)
        self._state = State(seen if seen is not None else self.store.read())
        self._taking = RLock()

    @property
    def data(self) -> SiteData:
        """The site as it is here: plain frozen data."""
        return self._state.data

    @property
    def seen(self) -> Seen:
        """The site as it was found in its store, with the number of its last change."""
        return self._state.seen

    def adopt(self, data: SiteData, *, checked: bool = False) -> None:
        """Take over a site's data after a change; every answer from then on is of the new.

        Only what has changed is worked out anew, where `data` shares its other parts with
        the data before (see `SiteData.with_parts`). Raises `BadSite` as on opening, and
        leaves all as it was then. Nothing is written or recorded, so that it is for sites that are
        kept in memory alone: for others use `change` (`BadChange`).

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> kept = [rule for rule in site.data.rules if rule.id != "mirela-prices"]
        >>> site.adopt(site.data.with_parts(rules=tuple(kept)))
        >>> bool(site.may("mirela.kos", "edit", "/visit/prices"))
        False
        """
        if not isinstance(self.store, MemoryStore):
            raise BadChange(
                f"This site is kept at {self.store.where}, where every change is written and "
                "recorded: nothing can be taken over past that."
            )
        problems = [] if checked else problems_in(data)
        if problems:
            raise BadSite(problems)
        with self._taking:
            self.store.adopt(data)
            self._swap(self.store.read())

    def _swap(self, seen: Seen) -> None:
        """Put another state in the place of this one, in one step."""
        state = self._state
        same = seen.data is state.data
        self._state = state.seen_as(seen) if same else State(seen, state)

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
        from prim_lantern.change.operations.people import hash_of

        wanted = hash_of(token)
        invitations = self.data.invitations.values()
        login = next((each.login for each in invitations if each.token_hash == wanted), None)
        if login is None:
            raise BadChange("This link is not known, or was replaced or cancelled; ask for a new.")
        with self.change(by=login, reason="By the link") as change:
            change.accept(login, token)
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
        return Site(self.store.as_it_stood(self.moment(at)), checked=True)

    def behind(self) -> bool:
        """Whether somebody else has changed the site since it was taken over here: another
        process, or somebody who edited a folder by hand. It costs next to nothing.

        >>> import prim_lantern as pl
        >>> pl.open_demo().behind()
        False
        """
        return not self.store.is_at(self._state.seen)

    def catch_up(self) -> int:
        """Take over what others have changed in the store since; how many changes that were.

        For a website's process that runs for long, beside others that change the site. What was
        edited by hand in a folder is taken over too, and counts as none until the next change puts
        it into the history.
        """
        with self._taking:
            seen = self._state.seen
            found = self.store.newer(seen)
            if found is not seen:
                self._swap(found)
            return found.number - seen.number

    def take(self, seen: Seen) -> None:
        """Take over the site as it was found in the store; an older one than is here already is
        left."""
        with self._taking:
            if seen.number >= self._state.seen.number:
                self._swap(seen)

    def engine_for(self, data: SiteData, at: datetime) -> Engine:
        """What decides at a moment, for the site as it is or as it was when `data` was taken."""
        engine = self._state.engine(at)
        return engine if engine.data is data and engine.at == at else engine.after(data, at)

    def turn_between(self, one: datetime, other: datetime) -> bool:
        """Whether something changes by itself between two moments."""
        timeline = self._state.timeline
        return timeline.stretch(one) != timeline.stretch(other)

    # May they? --------------------------------------------------------------------

    def may(self, who: str | None, action: str, path: str, at: Moment = None) -> Decision:
        """May this person do this to the item at this path?

        Raises `BadQuestion` for the actions that need more to be asked: create
        (`may_create`), file-under (`may_file`) and those of managing (`may_manage`).

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may("sam.whitlock", "publish", "/log/seal-count"))
        False
        """
        state = self._state
        if at is None:
            seconds = time()
            until, engine = state.now
            if engine is not None and seconds < until:
                try:
                    allowed = engine.allows(who, action, path)
                    return Decision(allowed, engine, (who, action, path, seconds))
                except LookupError:
                    pass  # a name in another form, or unknown
        login, engine, moment = state.asked(who, at)
        action, path = state.item_action(action), state.item(path)
        question = Question(login, action, moment, path)
        return Decision(engine.allows(login, action, path), engine, question)

    def allows(self, who: str | None, action: str, path: str, at: Moment = None) -> bool:
        """The same as a plain bool, for the busiest places of a website's code.

        >>> import prim_lantern as pl
        >>> pl.open_demo().allows(None, "read", "/visit")
        True
        """
        if at is None:
            until, engine = self._state.now
            if engine is not None and time() < until:
                try:
                    return engine.allows(who, action, path)
                except (LookupError, TypeError, AttributeError):
                    pass  # as in `may`, which explains it
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
        state = self._state
        login, engine, moment = state.asked(who, at)
        kind, parent = state.data.kind(kind).name, state.section(parent)
        filed = tuple(dict.fromkeys(map(state.data.category, categories)))
        question = Question(login, "create", moment, parent, kind=kind, categories=filed)
        return Decision(engine.may_create(login, kind, parent, filed), engine, question)

    def may_file(self, who: str | None, path: str, category: str, at: Moment = None) -> Decision:
        """May this person file the item under the category? (The question of file-under.)

        Filing it needs `edit` on the item as well, which is a question of its own.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_file("sam.whitlock", "/log/seal-count", "topic:press"))
        False
        """
        state = self._state
        login, engine, moment = state.asked(who, at)
        path, category = state.item(path), state.data.category(category)
        question = Question(login, "file-under", moment, path, category=category)
        return Decision(engine.may_file(login, path, category), engine, question)

    def may_move(self, who: str | None, path: str, new_parent: str, at: Moment = None) -> Decision:
        """May this person move the item, with all below it, under the new parent?

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_move("hana.okafor", "/visit/winter", "/about"))
        True
        """
        state = self._state
        login, engine, moment = state.asked(who, at)
        path, new_parent = state.item(path), state.section(new_parent)
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
        state = self._state
        login, engine, moment = state.asked(who, at)
        action = state.data.action(action)
        if action not in MANAGING_ACTIONS:
            raise BadQuestion(f"{action!r} is done to items: ask 'may' with a path.")
        where = state.place(place)
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
        state = self._state
        action, path = state.item_action(action), state.item(path)
        engine = state.engine(self.moment(at))
        logins = who_may(engine, action, path)
        return WhoMay(tuple(logins), engine.allows(None, action, path))

    def access_to(
        self,
        place: str,
        actions: Sequence[str] = (),
        at: Moment = None,
        *,
        kind: str | None = None,
    ) -> list[Access]:
        """Who may do what at or below a place, to how much of it, and by which ways.

        Parameters: `place` is a path, a category or "site"; `actions` are any, those by which
        something is changed when left out; `kind` narrows "create" to one kind.
        Returns an `Access` for each person, action and way: guests first (`who` None), then active
        users by login. "file-under" is told where `place` is a category.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().access_to("/visit/prices", ["edit"])
        >>> [(each.who, each.why) for each in found][1:]
        [('ines.varga', 'their role Web team has all access on the whole site'), \
('mirela.kos', 'by the rule mirela-prices')]
        """
        from prim_lantern.decide.access import access_to, changing_actions

        state = self._state
        where = state.place(place)
        wanted = [state.data.action(each) for each in actions] or changing_actions(state.data)
        if "file-under" in wanted and where.kind != "category":
            raise BadQuestion("'file-under' is asked of a category.")
        named = state.data.kind(kind).name if kind is not None else None
        return list(access_to(state.engine(self.moment(at)), wanted, where, named))

    def how_many_may(self, action: str, at: Moment = None) -> dict[str, int]:
        """How many active users may do this, by the path of each item, in tree order.

        >>> import prim_lantern as pl
        >>> counts = pl.open_demo().how_many_may("edit")
        >>> counts["/visit/prices"], counts["/trustees/minutes"]
        (3, 3)
        """
        state = self._state
        engine = state.engine(self.moment(at))
        counts = lists_of(engine).counts(state.item_action(action)).tolist()
        names = state.data.content.names
        return {names[row]: counts[row] for row in state.data.tree.rows}

    def items_for(self, who: str | None, action: str = "read", at: Moment = None) -> list[str]:
        """The paths of the items to which this person may do this, in tree order.

        >>> import prim_lantern as pl
        >>> pl.open_demo().items_for("bo.lind", "edit", at="2027-05-10")
        ['/visit/sailings', '/visit/sailings/timetable']
        """
        state = self._state
        login, engine, _ = state.asked(who, at)
        return paths_for(engine, login, state.item_action(action))

    def filter(
        self, who: str | None, action: str, paths: Iterable[str], at: Moment = None
    ) -> list[str]:
        """Those of some paths to which this person may do this, in the order they came.

        >>> import prim_lantern as pl
        >>> pl.open_demo().filter(None, "read", ["/news", "/trustees", "/log"])
        ['/news', '/log']
        """
        state = self._state
        login, engine, _ = state.asked(who, at)
        action = state.item_action(action)
        asked = [state.item(path) for path in paths]
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
        state = self._state
        login, engine, _ = state.asked(who, at)
        looker = None if by is None else state.data.login(by)
        if looker is not None and looker != login:
            self._note_looking(state, looker, login)
        return looking_as(engine, login)

    def _note_looking(self, state: State, by: str, login: str | None) -> None:
        """Looking asks for the right to it now, whatever moment is looked at."""
        engine, now = state.engine_now()
        whom = (login or "a guest").removeprefix(STAND_IN)
        if engine.acting(by) is None or not engine.may_manage(by, "look-as", SITE):
            raise NotAllowed(by, ["they have no right to look-as"], f"look at the site as {whom}")
        said, done = (f"look as {whom}",), ({"do": "look-as", "who": login},)
        with self.store.changing() as turn:
            seen = turn.seen(self.seen)
            at = max(now, seen.at) if seen.at is not None else now
            record = Record(seen.number + 1, at, by, "", said, done)
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
        state = self._state
        columns = [state.who(each) for each in who]
        places = where if where is not None else self.top_sections()
        rows = [
            state.section(each) if each.startswith("/") else state.data.category(each)
            for each in places
        ]
        asked = [each if each in NEED_MORE else state.item_action(each) for each in actions]
        if "file-under" in asked and any(row.startswith("/") for row in rows):
            raise BadQuestion("'file-under' is asked of categories: name only those as rows.")
        return grid_of(state.engine(self.moment(at)), columns, rows, asked)

    def powers_of(self, who: str | None, at: Moment = None) -> Powers:
        """What reaches this person (groups, roles, rules), and where they may do what.

        >>> import prim_lantern as pl
        >>> [given.role for given in pl.open_demo().powers_of("bo.lind", "2027-05-10").given]
        ['commenter', 'timetable-desk']
        """
        state = self._state
        login = None if who is None else state.data.login(who)
        return powers_of(state.engine(self.moment(at)), login, login_of(SIGNED_IN))

    def place_view(self, place: str = "site", at: Moment = None) -> PlaceView:
        """What a place is, and every readership, rule, given role, limit and promise that holds
        there: its own apart from what reaches it from elsewhere, the nearest first.

        `place` is a path, a category or "site".

        >>> import prim_lantern as pl
        >>> view = pl.open_demo().place_view("/visit/prices")
        >>> [point.name for point in view.here["rights"]]
        ['mirela-prices']
        """
        from prim_lantern.decide.place_view import place_view

        state = self._state
        return place_view(state.engine(self.moment(at)), state.place(place))

    def check_promises(self, at: Moment = None, *, ever: bool = False) -> list[PromiseCheck]:
        """How every promise of the site stands, in their order.

        With `ever`, also at every later moment at which something changes by itself: a promise
        that breaks later is told as of the first moment at which it does. For one that is broken
        now, `since` is the change of the history that broke it, if any did.

        >>> import prim_lantern as pl
        >>> [each.kept for each in pl.open_demo().check_promises("2027-05-10")]
        [True, True, False, False, True]
        """
        from prim_lantern.decide.promises import check_promises

        state, moment = self._state, self.moment(at)
        found = check_promises(state.engine(moment))
        found = [each if each.kept else self._broken_since(each) for each in found]
        turn = state.timeline.next_turn(moment) if ever else None
        while turn is not None and any(each.kept for each in found):
            later = check_promises(state.engine(turn))
            found = [a if not a.kept else b for a, b in zip(found, later, strict=True)]
            turn = state.timeline.next_turn(turn)
        return found

    def _broken_since(self, check: PromiseCheck) -> PromiseCheck:
        """The change that broke a promise: found by halving, from a moment when it was kept."""
        from prim_lantern.decide.promises import check_promises

        def kept_before(number: int) -> bool:
            data = self.store.before_change(number)
            here = [each for each in data.promises if each == check.promise]
            engine = Engine(data.with_parts(promises=tuple(here) or (check.promise,)), check.at)
            try:
                return check_promises(engine)[0].kept
            except LookupError:  # it speaks of somebody who was not there yet
                return True

        last, step = self.seen.number, 1
        broken_before = last + 1  # before this one, that is after the last, it is broken
        while broken_before > 1:
            earlier = max(1, broken_before - step)
            if kept_before(earlier):
                while broken_before - earlier > 1:
                    middle = (earlier + broken_before) // 2
                    if kept_before(middle):
                        earlier = middle
                    else:
                        broken_before = middle
                return check._replace(since=earlier)
            broken_before, step = earlier, step * 2
        return check

    def queue(self, who: str, at: Moment = None, *, days: int = 30) -> Queue:
        """What waits for somebody: items in review that they may publish or send back (the oldest
        first), those of their own that wait or were sent back, and what becomes public or ends
        within some `days`. Who submitted and sent back is known from the history.

        >>> import prim_lantern as pl
        >>> [each.path for each in pl.open_demo().queue("anneke.sorley").to_decide]
        ['/log/terns']
        """
        from prim_lantern.decide.queue import Step, queue_of

        state = self._state
        login, moment = state.data.login(who), self.moment(at)
        steps: dict[str, dict[str, Step]] = {"submit": {}, "send-back": {}}
        for record in self.store.records():
            for each in record.operations:
                if each.get("do") == "take-step" and each.get("step") in steps:
                    step = Step(record.at, record.by, record.reason)
                    steps[str(each["step"])][str(each["path"])] = step
        return queue_of(state.engine(moment), login, steps["submit"], steps["send-back"], days)

    def naming(self, who: str) -> list[Naming]:
        """Everything that names a person, whatever their status: what they are in by hand, rules
        and given roles for them alone, readerships, stewardships, what they wrote.

        >>> import prim_lantern as pl
        >>> [each.what for each in pl.open_demo().naming("mirela.kos")][:3]
        ['membership', 'rule', 'author']
        """
        from prim_lantern.decide.named import naming

        data = self.data
        return naming(data, data.login(who))

    # Finding -------------------------------------------------------------------------

    def memberships(self, who: str, at: Moment = None) -> list[Way]:
        """All the ways in which a user is in groups at a moment, active or not.

        >>> import prim_lantern as pl
        >>> [way.through for way in pl.open_demo().memberships("joon.park")]
        [('keepers-tansy',), ('keepers-tansy', 'keepers')]
        """
        state = self._state
        ways = state.engine(self.moment(at)).crowd.belonging.ways(state.data.login(who))
        return [way for each in ways.values() for way in each]

    def members(self, group: str, at: Moment = None) -> list[str]:
        """The logins of the active members of a group at a moment, sorted.

        >>> import prim_lantern as pl
        >>> pl.open_demo().members("keepers-fennick")
        ['leif.aronsen', 'priya.nandakumar']
        """
        state = self._state
        return state.engine(self.moment(at)).crowd.members(state.who(f"group:{group}"))

    def find_items(
        self,
        *,
        state: str | None = None,
        kind: str | None = None,
        category: str | None = None,
        author: str | None = None,
        within: str | None = None,
        own_words: bool = False,
        at: Moment = None,
    ) -> list[FoundItem]:
        """The items of which all is so that is asked, in tree order.

        Parameters: the `state` as it is at the moment; the `kind`; a `category`, with those below
        it; an `author` (a login); a path `within` which they stand; whether `own_words` (a rule, a
        given role, a readership) stand right there.

        >>> import prim_lantern as pl
        >>> [each.path for each in pl.open_demo().find_items(state="in-review")]
        ['/log/gull-colony', '/log/terns']
        """
        from prim_lantern.decide.found import items_that_fit

        now = self._state
        return items_that_fit(
            now.engine(self.moment(at)),
            state=state,
            kind=None if kind is None else now.data.kind(kind).name,
            category=None if category is None else now.data.category(category),
            author=None if author is None else now.data.login(author),
            within=None if within is None else now.section(within),
            own_words=own_words,
        )

    def find_users(self, text: str) -> list[User]:
        """The users whom a text fits, case ignored: by whole login, name or e-mail address; else by
        a whole word of those; else by how one begins; else by any part of them.

        >>> import prim_lantern as pl
        >>> [user.login for user in pl.open_demo().find_users("hol")]
        ['dag.hollis', 'levin.holt']
        """
        wanted = names.folded(text)
        people = self.data.people
        if not wanted:
            return []
        columns = [list(map(names.folded, people.names))]
        columns += [list(map(names.folded, people.values_of(part))) for part in ("name", "email")]
        spelled = list(zip(*columns, strict=True))
        fits: tuple[Callable[[str], bool], ...] = (
            lambda each: each == wanted,
            lambda each: wanted in _WORD.split(each),
            lambda each: any(part.startswith(wanted) for part in (each, *_WORD.split(each))),
            lambda each: wanted in each,
        )
        for fit in fits:
            rows = [row for row, some in enumerate(spelled) if any(map(fit, some))]
            if rows:
                return [people.at(row) for row in rows]
        return []

    # Names and moments ------------------------------------------------------------------

    def section(self, path: str) -> str:
        """The path, when an item stands at it or below; else `UnknownItem`."""
        return self._state.section(path)

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
        return self._state.timeline.next_turn(self.moment(at))
