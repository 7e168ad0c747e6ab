"""A site that can be asked: the calls of the library."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import date, datetime
from threading import RLock
from time import time
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.change.record import Record
from prim_lantern.decide.decision import Decision
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import Explanation
from prim_lantern.decide.question import Question
from prim_lantern.decide.stand_ins import STAND_IN
from prim_lantern.decide.views.looking import LookingAs
from prim_lantern.errors import BadChange, BadQuestion, BadSite, NotAllowed
from prim_lantern.papers import Papers
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE
from prim_lantern.state import Moment, State
from prim_lantern.store.base import Seen, Store
from prim_lantern.store.memory import MemoryStore

if TYPE_CHECKING:
    from prim_lantern.changing import Change


@explains_its_arguments(but=("allows",))  # it is in a hurry, and asks `may` where it fails
class Site(Papers):
    """A site that can be asked who may do what, and why.

    Everywhere `who` is a login (in any case) or None for a guest; `group:…` means somebody
    who is in just that group, `role:…` who has just that role, and `signed-in` somebody of whom
    nothing else is known. `at` is a date, datetime or ISO 8601 text (a naive one is UTC), now when
    left out. Asking about a user, item, action, kind or category that the site does not have
    raises the error of that name (`UnknownUser` …), and never gives a silent no.
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
        from prim_lantern.change.operations.invitations import hash_of

        wanted = hash_of(token)
        invitations = self.data.invitations.values()
        login = next((each.login for each in invitations if each.token_hash == wanted), None)
        if login is None:
            raise BadChange("This link is not known, or was replaced or cancelled; ask for a new.")
        with self.change(by=login, reason="By the link") as change:
            change.accept(login, token)
        return login

    def sign_up(
        self, login: str, *, name: str = "", email: str = "", groups: str | Iterable[str] = ()
    ) -> str:
        """Add somebody who signs up by themselves, and return the login: active from now on, in all
        groups for that or in some of them. Whoever calls this vouches for who they are.

        Raises `BadChange` where nobody signs up, for a group that is not open so and for one that
        leads to all access, and `AlreadyThere`.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> site.sign_up("wren.hale", name="Wren Hale")
        'wren.hale'
        >>> site.history()[-1].by
        'wren.hale'
        """
        from prim_lantern.change.operations.invitations import SignUp
        from prim_lantern.changing import Change

        Change.of_newcomer(self, SignUp(login, name, email, groups)).make()
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
        return engine.later(at) if engine.data is data else engine.after(data, at)

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

    # Looking --------------------------------------------------------------------------

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
        return LookingAs(engine, login)

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
        self.store.keep(made)
