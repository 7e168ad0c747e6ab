"""A site that can be asked: the calls of the library."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import UTC, date, datetime
from threading import Lock, RLock
from time import monotonic, sleep, time
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.change.record import Record
from prim_lantern.content import Content
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stand_ins import told
from prim_lantern.decide.views.looking import LookingAs
from prim_lantern.errors import BadChange, BadSite, NotAllowed, PrimLanternError, StoreTrouble
from prim_lantern.freshness import Confirmed, Freshness, KeptFresh, check_seconds
from prim_lantern.papers import Papers
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE
from prim_lantern.state import Moment, State, Whom
from prim_lantern.store.base import Seen, Store
from prim_lantern.store.memory import MemoryStore
from prim_lantern.viewer import Viewer

if TYPE_CHECKING:
    from prim_lantern.changing import Change


@explains_its_arguments()
class Site(Papers):
    """A site that can be asked who may do what, and why.

    Everywhere `who` is a login (in any case), None for a guest, or somebody of whom only one thing
    is known, see `pictured`. `at` is a date, datetime or ISO 8601 text (a naive one is UTC), now
    when left out. Asking about a user, item, action, kind or category that the site does not have
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
        self._confirmed = Confirmed(self.store.where)
        self._kept: KeptFresh | None = None
        self._taking, self._keeping = RLock(), Lock()
        found = seen if seen is not None else self.store.read()
        self._state = State(found, confirmed=self._confirmed)

    def __repr__(self) -> str:
        data = self.data
        held = f"{len(data.users):,} people, {len(data.items):,} items"
        return f"<Site {data.name!r} at {self.store.where}: {held}, change {self.seen.number}>"

    @property
    def version(self) -> int:
        """The number of the last change that is answered by here; it only grows.

        >>> import prim_lantern as pl
        >>> pl.open_demo().version
        0
        """
        return self.seen.number

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
        self._state = state.seen_as(seen) if same else State(seen, state, self._confirmed)

    @property
    def content(self) -> Content:
        """The content as the site's website has it: what is new, changed and gone is taken over by
        its calls. See `Content`."""
        return Content(self)

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

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> change = site.change(by="hana.okafor")
        >>> token = change.invite("wren.hale")
        >>> _ = change.make()
        >>> site.accept(token)
        'wren.hale'
        """
        from prim_lantern.change.operations.invitations import hash_of

        wanted = hash_of(token)
        invitations = self.data.invitations.values()
        login = next((each.login for each in invitations if each.token_hash == wanted), None)
        if login is None:
            raise BadChange(
                "This link is not known, or was replaced or cancelled; ask for a new one."
            )
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
        """All changes, the oldest first.

        >>> import prim_lantern as pl
        >>> pl.open_demo().history()
        []
        """
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

        >>> import prim_lantern as pl
        >>> pl.open_demo().catch_up()
        0
        """
        with self._taking:
            seen = self._state.seen
            try:
                found = self.store.newer(seen)
            except PrimLanternError as error:
                self._confirmed.trouble = str(error)
                raise
            self._confirmed.now()
            if found is not seen:
                self._swap(found)
            return found.number - seen.number

    def keep_fresh(self, *, refuse_after: float | None = None) -> KeptFresh:
        """Take over what others change by itself from now on, in a thread of this process: at once
        from PostgreSQL, which calls; within a tenth of a second from SQLite and folders, also where
        these are edited by hand.

        While the store does not answer, or says what makes no sense, answers go on to come from
        what is known, and `freshness` says so. With `refuse_after`, nothing is answered any more
        (`StoreTrouble`) once that has gone on for so many seconds.
        Returns what stops it again (`stop`, or the end of a `with` block). It goes on by itself in
        processes that are forked off.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> with site.keep_fresh(refuse_after=300):
        ...     site.freshness.version
        0
        """
        check_seconds(refuse_after)
        with self._keeping:  # no lock that the one before may wait for while it ends
            if self._kept is not None:
                self._kept.stop()
            self._kept = KeptFresh(self.store, self._keep_up, self._confirmed, refuse_after)
            return self._kept

    @property
    def freshness(self) -> Freshness:
        """How new the answers are. See `Freshness`.

        >>> import prim_lantern as pl
        >>> pl.open_demo().freshness.trouble
        ''
        """
        confirmed = self._confirmed
        at = datetime.fromtimestamp(confirmed.at, UTC)
        return Freshness(self.version, at, confirmed.trouble)

    def fresh_to(self, version: int, wait: float = 2.0) -> None:
        """Make sure that what is answered from now on knows of a change of this number: so that
        somebody who was sent on after their change, maybe to another process, finds it made.

        It is looked for in the store where it is not known yet, for so many seconds (a copy of a
        database may lag behind); `StoreTrouble` is raised where it is not there then.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> with site.change(by="hana.okafor") as change:
        ...     _ = change.suspend("sam.whitlock")
        >>> site.fresh_to(1)
        """
        until = monotonic() + wait
        while self.version < version:
            self.catch_up()
            if self.version >= version:
                return
            if not monotonic() <= until:  # nor where that is no number
                raise StoreTrouble(
                    self.store.where, f"has no change {version} yet; {self.version} is the last."
                )
            sleep(0.02)

    def _keep_up(self) -> None:
        """Catch up, and have at hand what answers, so that no request waits for it."""
        self.catch_up()
        self._state.engine_now()

    @property
    def ready(self) -> bool:
        """Whether questions about now are answered at once: where the site has just changed, the
        first one waits until what answers is made, which can take a while on a big site.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> site.ready, site.allows(None, "read", "/visit"), site.ready
        (False, True, True)
        """
        until, engine = self._state.now
        return engine is not None and time() < until

    def take(self, seen: Seen) -> None:
        """Take over the site as it was found in the store. Where a newer one is here already, the
        store says which it is: somebody else was quicker, or put a backup in its place."""
        with self._taking:
            here = self._state.seen
            try:
                found = seen if seen.number >= here.number else self.store.newer(here)
            except PrimLanternError as error:
                self._confirmed.trouble = str(error)  # what was to be done is done all the same
                return
            if found is not here:
                self._swap(found)

    def engine_for(self, data: SiteData, at: datetime) -> Engine:
        """What decides at a moment, for the site as it is or as it was when `data` was taken."""
        engine = self._state.engine(at)
        return engine.later(at) if engine.data is data else engine.after(data, at)

    def turn_between(self, one: datetime, other: datetime) -> bool:
        """Whether something changes by itself between two moments."""
        timeline = self._state.timeline
        return timeline.stretch(one) != timeline.stretch(other)

    # Looking --------------------------------------------------------------------------

    def viewer(self, who: Whom, at: Moment = None, *, unknown: str = "error") -> Viewer:
        """One person looking at the site as it is now, for one request of a website: all that it is
        asked is answered of one state of the site and of one moment.

        A login that is not known raises `UnknownUser`, or with `unknown` "guest" sees what guests
        see: for sessions of people who are gone meanwhile.

        >>> import prim_lantern as pl
        >>> viewer = pl.open_demo().viewer("somebody.gone", unknown="guest")
        >>> viewer.login, viewer.allows("read", "/visit")
        (None, True)
        """
        return Viewer(self._state, who, at, unknown=unknown)

    def looking_as(self, who: Whom, at: Moment = None, *, by: str | None = None) -> LookingAs:
        """The site as this person sees it: items and what they may do with each, the menu,
        the parts of the home page, and what they may create where.

        `by` is the login of somebody else who looks: they need the right `look-as`, and it is
        noted in the history that they looked. Left out, it is the person themselves.
        Raises `UnknownUser` or `UnknownWho` for nobody known, and `NotAllowed`.

        >>> import prim_lantern as pl
        >>> view = pl.open_demo().looking_as(pl.pictured("group:friends"), at="2027-05-10")
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
        whom = told(login) or "a guest"
        if engine.acting(by) is None or not engine.may_manage(by, "look-as", SITE):
            raise NotAllowed(by, ["they have no right to look-as"], f"look at the site as {whom}")
        said, done = (f"look as {whom}",), ({"do": "look-as", "who": login},)
        with self.store.changing() as turn:
            seen = turn.seen(self.seen)
            at = max(now, seen.at) if seen.at is not None else now
            record = Record(seen.number + 1, at, by, "", said, done)
            made = turn.make(record, seen, self.store.ready(seen, seen.data, ()))
        self.take(made)
        self.store.keep(made)
