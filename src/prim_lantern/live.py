"""A site that can be asked: the calls of the library."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from datetime import UTC, date, datetime
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING

from prim_lantern.decide import decider_for
from prim_lantern.decide.belonging import Way
from prim_lantern.decide.explain import Explanation, explain
from prim_lantern.decide.grid import Grid, grid_of
from prim_lantern.decide.looking import NEED_MORE, LookingAs, looking_as
from prim_lantern.decide.powers import Powers, powers_of
from prim_lantern.decide.question import Question
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import login_of, with_stand_ins
from prim_lantern.decide.timeline import Timeline
from prim_lantern.decide.trace import Trace
from prim_lantern.demo import DEMO_FOLDER
from prim_lantern.errors import BadQuestion, BadSite, NoSite, UnknownItem, UnknownWho
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.site import names
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.site.people import User
from prim_lantern.site.places import Place, place, tree_order
from prim_lantern.site.who import AUDIENCES, SIGNED_IN, Who, who

if TYPE_CHECKING:
    from pandas import DataFrame

Moment = date | datetime | str | None
_STRETCHES_KEPT = 64


@dataclass(frozen=True, slots=True)
class Decision:
    """The answer to a question: true or false in a condition, with its reason on demand.

    >>> import prim_lantern as pl
    >>> decision = pl.open_demo().may(None, "read", "/visit")
    >>> bool(decision), decision.allowed
    (True, True)
    """

    allowed: bool
    question: Question
    _reference: Reference
    _trace: Trace

    def __bool__(self) -> bool:
        return self.allowed

    @property
    def explanation(self) -> Explanation:
        """The answer with all that decided it."""
        return explain(self._reference, self.question, self._trace)

    @property
    def reason(self) -> str:
        """The answer and what decided it, in one sentence."""
        return self.explanation.sentence

    def __repr__(self) -> str:
        return f"<Decision {'yes' if self.allowed else 'no'}: {self.question.to_dict()}>"


@dataclass(frozen=True, slots=True)
class WhoMay:
    """Who may do something: the logins, sorted, and whether guests may as well.

    It counts, iterates and compares as the list of its logins.
    """

    logins: tuple[str, ...]
    guests: bool

    def __iter__(self) -> Iterator[str]:
        return iter(self.logins)

    def __len__(self) -> int:
        return len(self.logins)

    def __contains__(self, login: object) -> bool:
        return login in self.logins


class Site:
    """A site that can be asked who may do what, and why.

    Everywhere `who` is a login (in any case) or None for a guest; `group:…` means somebody
    who is in just that group, and `signed-in` somebody of whom nothing else is known. `at`
    is a date, datetime or ISO 8601 text (a naive one is UTC), now when left out. Asking about a
    user, item, action, kind or category that the site does not have raises the error of
    that name (`UnknownUser` …), and never gives a silent no.
    """

    def __init__(self, data: SiteData, *, checked: bool = False) -> None:
        """Take a site's data; raises `BadSite` when it does not make sense as a whole.

        `checked` says that this has been looked at already, as the readers do.
        """
        problems = [] if checked else problems_in(data)
        if problems:
            raise BadSite(problems)
        self.data = data
        self._deciders: dict[int, Reference] = {}

    # May they? --------------------------------------------------------------------

    def may(self, who: str | None, action: str, path: str, at: Moment = None) -> Decision:
        """May this person do this to the item at this path?

        Raises `BadQuestion` for the actions that need more to be asked: create
        (`may_create`), file-under (`may_file`) and those of managing (`may_manage`).

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may("sam.whitlock", "publish", "/log/seal-count"))
        False
        """
        login, decider, moment = self._asked(who, at)
        action = self._item_action(action)
        question = Question(login, action, moment, self.data.item(path).path)
        return self._decided(question, decider, decider.may(login, action, path))

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
        login, decider, moment = self._asked(who, at)
        kind, parent = self.data.kind(kind).name, self.section(parent)
        filed = tuple(dict.fromkeys(map(self.data.category, categories)))
        question = Question(login, "create", moment, parent, kind=kind, categories=filed)
        return self._decided(question, decider, decider.may_create(login, kind, parent, filed))

    def may_file(self, who: str | None, path: str, category: str, at: Moment = None) -> Decision:
        """May this person file the item under the category? (The question of file-under.)

        Filing it needs `edit` on the item as well, which is a question of its own.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_file("sam.whitlock", "/log/seal-count", "topic:press"))
        False
        """
        login, decider, moment = self._asked(who, at)
        path = self.data.item(path).path
        category = self.data.category(category)
        question = Question(login, "file-under", moment, path, category=category)
        return self._decided(question, decider, decider.may_file(login, path, category))

    def may_move(self, who: str | None, path: str, new_parent: str, at: Moment = None) -> Decision:
        """May this person move the item, with all below it, under the new parent?

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().may_move("hana.okafor", "/visit/winter", "/about"))
        True
        """
        login, decider, moment = self._asked(who, at)
        path = self.data.item(path).path
        new_parent = self.section(new_parent)
        question = Question(login, "move", moment, path, new_parent=new_parent)
        return self._decided(question, decider, decider.may_move(login, path, new_parent))

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
        login, decider, moment = self._asked(who, at)
        action = self.data.action(action)
        if action not in MANAGING_ACTIONS:
            raise BadQuestion(f"{action!r} is done to items: ask 'may' with a path.")
        where = self._place(place)
        if action in SITE_WIDE_ACTIONS and where.kind != "site":
            raise BadQuestion(f"{action!r} is asked of the whole site: leave the place out.")
        question = Question(login, action, moment, place=where)
        return self._decided(question, decider, decider.may_manage(login, action, where))

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
        action, path = self._item_action(action), self.data.item(path).path
        decider = self._decider(self.moment(at))
        active = (login for login in self.data.users if decider.belonging.acting(login))
        logins = sorted(each for each in active if decider.may(each, action, path).allowed)
        return WhoMay(tuple(logins), decider.may(None, action, path).allowed)

    def items_for(self, who: str | None, action: str = "read", at: Moment = None) -> list[str]:
        """The paths of the items to which this person may do this, in tree order.

        >>> import prim_lantern as pl
        >>> pl.open_demo().items_for("bo.lind", "edit", at="2027-05-10")
        ['/visit/sailings', '/visit/sailings/timetable']
        """
        login, decider, _ = self._asked(who, at)
        action = self._item_action(action)
        return [path for path in self.data.paths if decider.may(login, action, path).allowed]

    def filter(
        self, who: str | None, action: str, paths: Iterable[str], at: Moment = None
    ) -> list[str]:
        """Those of some paths to which this person may do this, in the order they came.

        >>> import prim_lantern as pl
        >>> pl.open_demo().filter(None, "read", ["/news", "/trustees", "/log"])
        ['/news', '/log']
        """
        login, decider, _ = self._asked(who, at)
        action = self._item_action(action)
        asked = [self.data.item(path).path for path in paths]
        return [path for path in asked if decider.may(login, action, path).allowed]

    def looking_as(self, who: str | None, at: Moment = None) -> LookingAs:
        """The site as this person sees it: items and what they may do with each, the menu,
        the parts of the home page, and what they may create where.

        Raises `UnknownUser` or `UnknownWho` for nobody known.

        >>> import prim_lantern as pl
        >>> view = pl.open_demo().looking_as("group:friends", at="2027-05-10")
        >>> [link.title for link in view.menu][:3], view.categories
        (['Events', 'Friends', 'Learn'], ('series:work-parties',))
        """
        login, decider, _ = self._asked(who, at)
        return looking_as(decider, login)

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
        decider = self._with_stand_ins([*columns, SIGNED_IN], self.moment(at))
        return grid_of(decider, columns, rows, asked)

    def powers_of(self, who: str | None, at: Moment = None) -> Powers:
        """What reaches this person (groups, roles, rules), and where they may do what.

        >>> import prim_lantern as pl
        >>> [given.role for given in pl.open_demo().powers_of("bo.lind", "2027-05-10").given]
        ['commenter', 'timetable-desk']
        """
        login = self._login(who)
        decider = self._with_stand_ins([SIGNED_IN], self.moment(at))
        return powers_of(decider, login, login_of(SIGNED_IN))

    # Finding -------------------------------------------------------------------------

    def memberships(self, who: str, at: Moment = None) -> list[Way]:
        """All the ways in which a user is in groups at a moment, active or not.

        >>> import prim_lantern as pl
        >>> [way.through for way in pl.open_demo().memberships("joon.park")]
        [('keepers-tansy',), ('keepers-tansy', 'keepers')]
        """
        ways = self._decider(self.moment(at)).belonging.ways(self.data.user(who).login)
        return [way for each in ways.values() for way in each]

    def members(self, group: str, at: Moment = None) -> list[str]:
        """The logins of the active members of a group at a moment, sorted.

        >>> import prim_lantern as pl
        >>> pl.open_demo().members("keepers-fennick")
        ['leif.aronsen', 'priya.nandakumar']
        """
        belonging = self._decider(self.moment(at)).belonging
        found = belonging.members(self._who(f"group:{group}").name)
        return [login for login in found if belonging.acting(login)]

    def find_users(self, text: str) -> list[User]:
        """The users whom a text fits: by login, else by part of login or name, case ignored.

        >>> import prim_lantern as pl
        >>> [user.login for user in pl.open_demo().find_users("hol")]
        ['dag.hollis', 'levin.holt']
        """
        wanted = names.folded(text)
        exact = [u for u in self.data.users.values() if names.folded(u.login) == wanted]
        if exact or not wanted:
            return exact
        named = [u for u in self.data.users.values() if names.folded(u.name) == wanted]
        return named or [
            user
            for user in self.data.users.values()
            if wanted in names.folded(user.login) or wanted in names.folded(user.name)
        ]

    # Names and moments ------------------------------------------------------------------

    def _login(self, login: str | None) -> str | None:
        return None if login is None else self.data.user(login).login

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
        if path not in self.data.sections:
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
        top = {"/", *(path for path in self.data.sections if path.count("/") == 1)}
        return sorted((path for path in top if self._is_area(path)), key=tree_order)

    def _is_area(self, path: str) -> bool:
        item = self.data.items.get(path)
        return item is None or not (
            self.data.all_kinds[item.kind].part or self.data.all_kinds[item.kind].link
        )

    @staticmethod
    def moment(at: Moment = None) -> datetime:
        """The moment that `at` means, in UTC: now when left out."""
        return datetime.now(UTC) if at is None else moment(at)

    def next_turn(self, at: Moment = None) -> datetime | None:
        """The next moment at which something changes by itself; until then answers hold."""
        return self._timeline.next_turn(self.moment(at))

    # Deciding -----------------------------------------------------------------------------

    @cached_property
    def _timeline(self) -> Timeline:
        return Timeline(self.data)

    def _decider(self, at: datetime) -> Reference:
        """What decides at a moment; kept for the whole stretch in which nothing changes."""
        stretch = self._timeline.stretch(at)
        found = self._deciders.get(stretch)
        if found is None:
            if len(self._deciders) >= _STRETCHES_KEPT:
                self._deciders.clear()
            found = self._deciders[stretch] = decider_for(self.data, at)
        return found

    def _asked(self, who: str | None, at: Moment) -> tuple[str | None, Reference, datetime]:
        """The login that is asked about, what decides, and the moment."""
        moment = self.moment(at)
        if who is None:
            return None, self._decider(moment), moment
        whom = self._who(who)
        return login_of(whom), self._with_stand_ins([whom], moment), moment

    def _with_stand_ins(self, whos: Iterable[Who], at: datetime) -> Reference:
        data = with_stand_ins(self.data, whos)
        return self._decider(at) if data is self.data else decider_for(data, at)

    @staticmethod
    def _decided(question: Question, decider: Reference, trace: Trace) -> Decision:
        return Decision(trace.allowed, question, decider, trace)


def open_site(where: str | Path) -> Site:
    """Open a site.

    Parameters: the path of a site folder.
    Returns the site, ready to be asked.
    Raises `NoSite` where there is none, and `BadSite` with all that is wrong in it.

    >>> import prim_lantern as pl
    >>> pl.open_site(pl.DEMO_FOLDER).data.name
    'Oxlip Sound Lighthouse Trust'
    """
    if "://" in str(where):
        raise NoSite(str(where), "this version opens site folders; databases come later.")
    return Site(read_folder(where), checked=True)


def open_demo() -> Site:
    """The demo site, which comes with the package."""
    return open_site(DEMO_FOLDER)
