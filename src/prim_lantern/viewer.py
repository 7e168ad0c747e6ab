"""One person looking at the site, for as long as one request of a website takes."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import datetime
from typing import Any, TypeVar

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.decide.decision import Decision
from prim_lantern.decide.stand_ins import Somebody, name_of, told
from prim_lantern.errors import BadValue, Refused, UnknownItem, UnknownUser
from prim_lantern.pages import Pages
from prim_lantern.site.content import Item
from prim_lantern.state import Moment, State, Whom

_Row = TypeVar("_Row")


class _AtOneTime(Pages):
    """A site that stays as it was."""

    def __init__(self, state: State) -> None:
        self._state = state


@explains_its_arguments(but=("allows",))  # it is in a hurry, and asks `may` where it fails
class Viewer:
    """One person looking at the site as it is at one moment.

    Whatever changes meanwhile, all that it answers is of one site: a page whose menu, list and
    buttons are made of one viewer is never half of before and half of after. Make one for each
    request, by `Site.viewer`, and let it go with the request.

    >>> import prim_lantern as pl
    >>> viewer = pl.open_demo().viewer("kit.farrow")
    >>> viewer
    <Viewer kit.farrow, after change 0>
    >>> bool(viewer.may("read", "/friends/rides"))
    True
    """

    __slots__ = ("_engine", "_login", "_seconds", "_site", "_who", "at", "version")

    def __init__(
        self, state: State, who: Whom, at: Moment = None, *, unknown: str = "error"
    ) -> None:
        """Take the site as it is, and who looks; see `Site.viewer`."""
        if unknown not in ("error", "guest"):
            raise BadValue(unknown, "is no way to take unknown users: use 'error' or 'guest'.")
        try:
            login, engine, moment = state.asked(who, at)
        except UnknownUser:
            if unknown == "error":
                raise
            who = None
            login, engine, moment = state.asked(None, at)
        self._site = _AtOneTime(state)
        self._who = who
        self._login, self._engine = login, engine
        self._seconds = moment.timestamp()
        self.at: datetime = moment
        """The moment at which all is asked."""
        self.version: int = state.seen.number
        """The number of the site's last change: what is answered is of the site after it."""

    @property
    def login(self) -> str | None:
        """The login of whoever is signed in; None for a guest, for a user who is not active and so
        sees what guests see, and for somebody pictured."""
        acting = self._engine.acting(self._login)
        return None if isinstance(acting, Somebody) else acting

    @property
    def name(self) -> str:
        """How whoever is signed in is called; "a guest" for nobody."""
        return name_of(self._engine.data, self._engine.acting(self._login))

    def __repr__(self) -> str:
        return f"<Viewer {self._called}, after change {self.version}>"

    # May they? --------------------------------------------------------------------------------

    def may(self, action: str, path: str) -> Decision:
        """May they do this to the item at a path? See `Site.may`.

        >>> import prim_lantern as pl
        >>> pl.open_demo().viewer(None).may("read", "/trustees").allowed
        False
        """
        try:
            allowed = self._engine.allows(self._login, action, path)
        except LookupError:
            return self._asked_with_care(action, path)
        return Decision(allowed, self._engine, (self._login, action, path, self._seconds))

    def _asked_with_care(self, action: str, path: str) -> Decision:
        """The same for names in another form; the nearest paths are told to nobody, who may not be
        allowed to know of them."""
        try:
            return self._site.may(self._who, action, path, self.at)
        except UnknownItem:
            raise UnknownItem(path) from None

    def allows(self, action: str, path: str) -> bool:
        """The same as a plain bool, for the busiest places of a website's code.

        >>> import prim_lantern as pl
        >>> pl.open_demo().viewer(None).allows("read", "/visit")
        True
        """
        try:
            return self._engine.allows(self._login, action, path)
        except (LookupError, TypeError, AttributeError):
            return self.may(action, path).allowed

    def require(self, action: str, path: str) -> None:
        """Go on only where they may do this: else `Refused` is raised.

        Its `hidden` says whether they may not even know that something is there: because they may
        not read it, or nothing stands there. A website answers both in the same way (404).

        >>> import prim_lantern as pl
        >>> viewer = pl.open_demo().viewer("kit.farrow")
        >>> viewer.require("read", "/friends/rides")
        >>> viewer.require("edit", "/friends/rides")
        Traceback (most recent call last):
        prim_lantern.errors.Refused: kit.farrow may not edit '/friends/rides'.
        """
        try:
            decision = self.may(action, path)
        except UnknownItem:
            raise Refused(self._called, action, path, hidden=True) from None
        if not decision:
            hidden = not self.allows("read", path)
            raise Refused(self._called, action, path, hidden=hidden, decision=decision)

    @property
    def _called(self) -> str:
        return told(self._login) or "a guest"

    def may_create(self, kind: str, parent: str, categories: Iterable[str] = ()) -> Decision:
        """May they create an item of this kind below the parent, filed so? See `Site.may_create`.

        >>> import prim_lantern as pl
        >>> viewer = pl.open_demo().viewer("sam.whitlock")
        >>> bool(viewer.may_create("post", "/log", ["topic:wildlife"]))
        True
        """
        return self._site.may_create(self._who, kind, parent, categories, self.at)

    def may_file(self, path: str, category: str) -> Decision:
        """May they file the item under the category? See `Site.may_file`.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().viewer("sam.whitlock").may_file("/log/seal-count", "topic:press"))
        False
        """
        return self._site.may_file(self._who, path, category, self.at)

    def may_move(self, path: str, new_parent: str) -> Decision:
        """May they move the item, with all below it? See `Site.may_move`.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().viewer("hana.okafor").may_move("/visit/winter", "/about"))
        True
        """
        return self._site.may_move(self._who, path, new_parent, self.at)

    def may_manage(self, action: str, place: str = "site") -> Decision:
        """May they manage rights at a place, people, roles? See `Site.may_manage`.

        >>> import prim_lantern as pl
        >>> bool(pl.open_demo().viewer("beatrix.lowe").may_manage("manage-rights", "/trustees"))
        True
        """
        return self._site.may_manage(self._who, action, place, self.at)

    def is_possible(self, action: str, path: str) -> bool:
        """Whether the item is in a state in which this can be done to it now, whoever may.

        >>> import prim_lantern as pl
        >>> pl.open_demo().viewer("hana.okafor").is_possible("publish", "/visit")
        False
        """
        return self._site.is_possible(self._who, action, path, self.at)

    # Lists and pages ----------------------------------------------------------------------------

    def filter(
        self,
        rows: Iterable[_Row],
        action: str = "read",
        *,
        key: str | Callable[[_Row], str] | None = None,
        unknown: str = "error",
    ) -> list[_Row]:
        """Those of some rows of a list that they may read (or do `action` to), in the order they
        came.

        `key` tells the path of a row: the name of an attribute (of a key, where rows are mappings),
        or a function; without it the rows are paths. A path at which nothing stands raises
        `UnknownItem`, or with `unknown` "skip" its row is left out.

        >>> import prim_lantern as pl
        >>> rows = [{"path": "/log", "hits": 4}, {"path": "/trustees", "hits": 2}]
        >>> pl.open_demo().viewer(None).filter(rows, key="path")
        [{'path': '/log', 'hits': 4}]
        """
        rows = list(rows)
        paths = list(map(_path_by(key), rows))
        allowed = set(self._site.filter(self._who, action, paths, self.at, unknown=unknown))
        return [row for row, path in zip(rows, paths, strict=True) if path in allowed]

    def items(self, action: str = "read") -> list[str]:
        """The paths of all items that they may read (or do `action` to), in tree order.

        >>> import prim_lantern as pl
        >>> pl.open_demo().viewer("bo.lind", "2027-05-10").items("edit")
        ['/visit/sailings', '/visit/sailings/timetable']
        """
        return self._site.items_for(self._who, action, self.at)

    def menu(self) -> list[Item]:
        """The links of the menu that they can follow, in tree order.

        >>> import prim_lantern as pl
        >>> [link.title for link in pl.open_demo().viewer(None).menu()][:3]
        ['Events', 'Learn', 'Log']
        """
        return self._site.menu(self._who, self.at)

    def parts(self, page: str) -> list[Item]:
        """The parts right below a page that they see, in tree order.

        >>> import prim_lantern as pl
        >>> [part.path for part in pl.open_demo().viewer(None).parts("/")]
        ['/appeal', '/next-sailing', '/sign-in']
        """
        return self._site.parts(self._who, page, self.at)

    def parents_for(
        self, kind: str, *, below: str | None = None, limit: int | None = None
    ) -> list[str]:
        """The paths below which they may create an item of this kind. See `Site.parents_for`.

        >>> import prim_lantern as pl
        >>> pl.open_demo().viewer("sam.whitlock", "2027-05-10").parents_for("post", limit=2)
        ['/log', '/log/barometer']
        """
        return self._site.parents_for(self._who, kind, self.at, below=below, limit=limit)

    def categories_for(self, kind: str, parent: str) -> list[str]:
        """The categories under which they may file a new item of this kind there.

        >>> import prim_lantern as pl
        >>> pl.open_demo().viewer("kit.farrow", "2027-05-10").categories_for("event", "/events")
        ['series:work-parties']
        """
        return self._site.categories_for(self._who, kind, parent, self.at)


def _path_by(key: str | Callable[[Any], str] | None) -> Callable[[Any], str]:
    """What tells the path of a row."""
    if key is None:
        return lambda row: row
    if callable(key):
        return key
    name = key

    def path_of(row: Any) -> str:
        try:
            found: str = row[name] if isinstance(row, Mapping) else getattr(row, name)
        except (LookupError, AttributeError):
            raise BadValue(name, f"is nothing that {row!r} has: say where its path is.") from None
        return found

    return path_of
