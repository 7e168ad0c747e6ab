"""What can be asked of a site beside single questions: lists of people and items, and the grid."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.decide.belonging import Way
from prim_lantern.decide.decision import WhoMay
from prim_lantern.decide.lists import lists_of, paths_for, who_may
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.grid import Grid, grid_of
from prim_lantern.decide.views.powers import Powers, powers_of
from prim_lantern.errors import BadQuestion, BadValue
from prim_lantern.site import moments
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.site.search import people_called
from prim_lantern.site.who import SIGNED_IN
from prim_lantern.state import Moment, State, Whom
from prim_lantern.store.base import Seen, Store

if TYPE_CHECKING:
    from pandas import DataFrame

    from prim_lantern.decide.views.access import Access
    from prim_lantern.decide.views.found import FoundItem


@explains_its_arguments()
class Views:
    """The lists of a site; `Site` is one."""

    store: Store
    _state: State

    @property
    def data(self) -> SiteData:
        """The site as it is here: plain frozen data.

        >>> import prim_lantern as pl
        >>> pl.open_demo().data.users["kit.farrow"].name
        'Kit Farrow'
        """
        return self._state.data

    @property
    def seen(self) -> Seen:
        """The site as it was found in its store, with the number of its last change."""
        return self._state.seen

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
        below: bool = True,
    ) -> list[Access]:
        """Who may do what at or below a place, to how much of it, and by which ways.

        Parameters: `place` is a path, a category or "site"; `actions` are any, those by which
        something is changed when left out; `kind` narrows "create" to one kind; without `below`
        only the place itself is asked about.
        Returns an `Access` for each person, action and way: guests first (`who` None), then active
        users by login. "file-under" is told where `place` is a category.

        >>> import prim_lantern as pl
        >>> found = pl.open_demo().access_to("/visit/prices", ["edit"])
        >>> [(each.who, each.why) for each in found][1:]
        [('ines.varga', 'their role Web team has all access on the whole site'), \
('mirela.kos', 'by the rule mirela-prices')]
        """
        from prim_lantern.decide.views.access import access_to, changing_actions

        state = self._state
        where = state.place(place)
        wanted = [state.data.action(each) for each in actions] or changing_actions(state.data)
        if "file-under" in wanted and where.kind != "category":
            raise BadQuestion("'file-under' is asked of a category.")
        named = state.data.kind(kind).name if kind is not None else None
        engine = state.engine(self.moment(at))
        return list(access_to(engine, wanted, where, named, below=below))

    def how_many_may(self, action: str, at: Moment = None) -> dict[str, int]:
        """How many active users may do this, by the path of each item, in tree order.

        >>> import prim_lantern as pl
        >>> counts = pl.open_demo().how_many_may("edit")
        >>> counts["/visit/prices"], counts["/trustees/minutes"]
        (3, 3)
        """
        return self.how_many_may_each([action], at)[action]

    def how_many_may_each(
        self, actions: Sequence[str], at: Moment = None
    ) -> dict[str, dict[str, int]]:
        """The same for several actions, by action, which on a big site is quicker than one by one.

        >>> import prim_lantern as pl
        >>> counts = pl.open_demo().how_many_may_each(["read", "edit"], at="2027-05-10")
        >>> {action: count["/visit/prices"] for action, count in counts.items()}
        {'read': 36, 'edit': 3}
        """
        state = self._state
        asked = [state.item_action(action) for action in actions]
        counts = lists_of(state.engine(self.moment(at))).counts_of(asked)
        names, rows = state.data.content.names, state.data.tree.rows
        return {
            action: {names[row]: number[row] for row in rows}
            for action, number in zip(actions, (each.tolist() for each in counts), strict=True)
        }

    def items_for(self, who: Whom, action: str = "read", at: Moment = None) -> list[str]:
        """The paths of the items to which this person may do this, in tree order.

        >>> import prim_lantern as pl
        >>> pl.open_demo().items_for("bo.lind", "edit", at="2027-05-10")
        ['/visit/sailings', '/visit/sailings/timetable']
        """
        state = self._state
        login, engine, _ = state.asked(who, at)
        return paths_for(engine, login, state.item_action(action))

    def is_possible(self, who: Whom, action: str, path: str, at: Moment = None) -> bool:
        """Whether the item is in a state in which this can be done to it now, whoever may: steps
        such as publish lead from some states alone. `may` and all lists speak of the right alone.

        >>> import prim_lantern as pl
        >>> site = pl.open_demo()
        >>> bool(site.may("hana.okafor", "publish", "/visit"))
        True
        >>> site.is_possible("hana.okafor", "publish", "/visit")
        False
        """
        from prim_lantern.decide.views.looking import is_possible

        login, engine, _ = self._state.asked(who, at)
        return is_possible(engine, login, self._state.item_action(action), self._state.item(path))

    def filter(
        self,
        who: Whom,
        action: str,
        paths: Iterable[str],
        at: Moment = None,
        *,
        unknown: str = "error",
    ) -> list[str]:
        """Those of some paths to which this person may do this, in the order they came.

        A path at which nothing stands raises `UnknownItem`, or with `unknown` "skip" is left out.

        >>> import prim_lantern as pl
        >>> pl.open_demo().filter(None, "read", ["/news", "/trustees", "/log"])
        ['/news', '/log']
        """
        state = self._state
        login, engine, _ = state.asked(who, at)
        action = state.item_action(action)
        if unknown not in ("error", "skip"):
            raise BadValue(unknown, "is no way to take unknown paths: use 'error' or 'skip'.")
        there = state.data.items
        asked = [state.item(p) for p in paths if unknown == "error" or p in there]
        return [path for path in asked if engine.allows(login, action, path)]

    def grid(
        self,
        who: Sequence[str] = ("guests", "signed-in"),
        where: Sequence[str] | None = None,
        actions: Sequence[str] = ("read", "edit"),
        at: Moment = None,
    ) -> DataFrame:
        """People, groups and audiences by places, as a pandas DataFrame.

        Parameters: `who` names logins, groups (`group:…`), roles (`role:…`) and audiences; `where`
        names paths and categories, the top sections when left out; `actions` on items, create, and
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
        """The grid as plain data, without pandas.

        >>> import prim_lantern as pl
        >>> grid = pl.open_demo().grid_data(["guests"], ["/trustees"], ["read"])
        >>> grid.marks
        ((('no',),),)
        """
        state = self._state
        columns = [state.who(each) for each in who]
        places = where if where is not None else self.top_sections()
        rows = [
            state.section(each) if each.startswith("/") else state.data.category(each)
            for each in places
        ]
        asked = [each if each in NEED_MORE else state.item_action(each) for each in actions]
        engine = state.picturing(state.engine(self.moment(at)), columns)
        if "file-under" in asked and any(row.startswith("/") for row in rows):
            raise BadQuestion("'file-under' is asked of categories: name only those as rows.")
        return grid_of(engine, columns, rows, asked)

    def powers_of(self, who: Whom, at: Moment = None) -> Powers:
        """What reaches this person (groups, roles, rules), and where they may do what.

        >>> import prim_lantern as pl
        >>> [given.role for given in pl.open_demo().powers_of("bo.lind", "2027-05-10").given]
        ['commenter', 'timetable-desk']
        """
        login, engine, _ = self._state.asked(who, at)
        return powers_of(engine, login, login_of(SIGNED_IN))

    def login_of(self, who: Whom) -> str | None:
        """The login of a person as it is spelled, None for a guest; what stands in for a login for
        somebody pictured.

        >>> import prim_lantern as pl
        >>> pl.open_demo().login_of("Sam.Whitlock")
        'sam.whitlock'
        """
        return self._state.asked(who, None)[0]

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
        >>> [each.path for each in pl.open_demo().find_items(state="in-review", within="/log")]
        ['/log/gull-colony', '/log/terns']
        """
        from prim_lantern.decide.views.found import items_that_fit

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
        return people_called(self.data.people, text)

    # Names and moments ------------------------------------------------------------------

    def section(self, path: str) -> str:
        """The path, when an item stands at it or below; else `UnknownItem`.

        >>> import prim_lantern as pl
        >>> pl.open_demo().section("/visit")
        '/visit'
        """
        return self._state.section(path)

    def top_sections(self) -> list[str]:
        """The home page and the paths one step below the root, in tree order.

        >>> import prim_lantern as pl
        >>> pl.open_demo().top_sections()[:3]
        ['/', '/about', '/back-office']
        """
        return [path for path in ("/", *self.data.tree.steps_below("/")) if self._is_area(path)]

    def _is_area(self, path: str) -> bool:
        item = self.data.items.get(path)
        return item is None or not (
            self.data.all_kinds[item.kind].part or self.data.all_kinds[item.kind].link
        )

    def moment(self, at: Moment = None) -> datetime:
        """The moment that `at` means, told in the time zone of the site: now when left out.

        >>> import prim_lantern as pl
        >>> pl.open_demo().moment("2027-05-10").isoformat()
        '2027-05-10T00:00:00+00:00'
        """
        zone = self.data.zone
        if at is None:
            return moments.told_in(moments.now(), zone)
        return moments.moment(at, zone)

    def next_turn(self, at: Moment = None) -> datetime | None:
        """The next moment at which something changes by itself; until then answers hold.

        >>> import prim_lantern as pl
        >>> pl.open_demo().next_turn("2027-05-10").isoformat()
        '2027-05-15T00:00:00+00:00'
        """
        return self._state.timeline.next_turn(self.moment(at))
