"""A whole site as plain frozen data, with the look-ups that everything else needs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import TYPE_CHECKING, Any, Final

from prim_lantern.errors import (
    BadValue,
    UnknownAction,
    UnknownCategory,
    UnknownItem,
    UnknownKind,
    UnknownUser,
    UnknownWho,
)
from prim_lantern.hints import misfit
from prim_lantern.site import names
from prim_lantern.site.actions import BUILT_IN_ACTIONS, MANAGING_ACTIONS, Action
from prim_lantern.site.columns import Columns
from prim_lantern.site.content import BUILT_IN_KINDS, CategorySet, Item, Kind
from prim_lantern.site.findings import Accepted
from prim_lantern.site.moments import zone_of
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import Group, Invitation, Plan, User
from prim_lantern.site.places import parent_of, place
from prim_lantern.site.rights import (
    BUILT_IN_READERSHIPS,
    Given,
    Limit,
    PlaceSetting,
    Promise,
    Readership,
    Role,
    Rule,
)
from prim_lantern.site.tree import Tree
from prim_lantern.values import field, replace, value

if TYPE_CHECKING:
    from zoneinfo import ZoneInfo

_ROWS: Final = {"users": Mapping[str, User], "items": Mapping[str, Item]}
_FEW = 1_000  # items that come or go without all being sorted anew


@value(slots=False)
class SiteData:
    """Everything that is said about a site. It holds no decisions.

    Names refer to each other as they are spelled where they are defined. `kinds`,
    `actions` and `readerships` hold what the site adds or changes; the built-in ones are
    there without saying (see `kind`, `item_actions` and `readership`). `check` in
    `prim_lantern.site.check` says whether the whole makes sense.
    """

    name: str
    owner: str
    default_readership: str = "public"
    sign_up_groups: tuple[str, ...] = ()
    kinds: Mapping[str, Kind] = field(default_factory=dict)
    actions: Mapping[str, Action] = field(default_factory=dict)
    category_sets: Mapping[str, CategorySet] = field(default_factory=dict)
    groups: Mapping[str, Group] = field(default_factory=dict)
    plans: Mapping[str, Plan] = field(default_factory=dict)
    roles: Mapping[str, Role] = field(default_factory=dict)
    given: tuple[Given, ...] = ()
    readerships: Mapping[str, Readership] = field(default_factory=dict)
    places: tuple[PlaceSetting, ...] = ()
    rules: tuple[Rule, ...] = ()
    limits: tuple[Limit, ...] = ()
    promises: tuple[Promise, ...] = ()
    accepted: tuple[Accepted, ...] = ()
    invitations: Mapping[str, Invitation] = field(default_factory=dict)
    attributes: tuple[str, ...] = ()
    timezone: str | None = None
    users: Mapping[str, User] = field(default_factory=dict)
    items: Mapping[str, Item] = field(default_factory=dict)
    origin: Origin | None = field(default=None, compare=False, repr=False)

    def with_parts(self, **parts: Any) -> SiteData:
        """The same site with some parts replaced; what was worked out and still holds is kept.
        Raises `BadValue` for users or items that are none.
        """
        for name in _ROWS.keys() & parts.keys():
            rows = parts[name]
            if not isinstance(rows, Columns) and (wrong := misfit(rows, _ROWS[name])):
                raise BadValue(wrong.value, f"cannot be among the {name}: it {wrong.says}")
        found = replace(self, **parts)
        if found.users is self.users:
            _keep(self, found, "people", "_logins")
        if found.items is self.items or found.content.index is self.content.index:
            _keep(self, found, "tree")
        elif "tree" in self.__dict__:
            moved = found.content.moved_since(self.content)
            if moved is not None and moved.added <= _FEW:
                content = found.content
                found.__dict__["tree"] = self.tree.after(content.names, content.index, moved)
        if found.items is self.items and found.kinds is self.kinds:
            _keep(self, found, "content", "pages")
        elif "pages" in self.__dict__ and found.kinds is self.kinds:
            found._derive_pages(self)
        return found

    def _derive_pages(self, before: SiteData) -> None:
        """The pages of parts, where only few items came, went or differ."""
        moved = self.content.moved_since(before.content)
        if moved is None or moved.added + len(moved.changed) > _FEW:
            return
        if any(self.content.names[row] in before.content.index for row in moved.new):
            return  # something else stands there now, and maybe above parts
        here, was = self.content, before.content
        if any(here.value("kind", r) != was.value("kind", moved.was(r)) for r in moved.changed):
            return
        both = ((moved.now(part), moved.now(page)) for part, page in before.pages.items())
        pages = {part: page for part, page in both if part is not None and page is not None}
        for row in moved.new:
            kind = self.all_kinds.get(here.value("kind", row))
            if kind is None:
                return  # a mistake, which others tell
            if kind.part:
                page = here.index.get(self.page_of(here.names[row]))
                if page is None:
                    return  # a part without a page: a mistake, too
                pages[row] = page
        self.__dict__["pages"] = pages

    @cached_property
    def zone(self) -> ZoneInfo | None:
        """The time zone in which times are meant that say none; None: UTC."""
        return zone_of(self.timezone) if self.timezone is not None else None

    # Names ------------------------------------------------------------------

    @cached_property
    def _logins(self) -> Mapping[str, str]:
        return {names.folded(login): login for login in self.users}

    def login(self, login: str) -> str:
        """A login as it is spelled, whatever its case; else `UnknownUser`."""
        if login in self.users:
            return login
        spelled = self._logins.get(names.folded(login))
        if spelled is None:
            raise UnknownUser(login, names.Near(login, self.users))
        return spelled

    def user(self, login: str) -> User:
        """The user with this login, whatever its case; else `UnknownUser`."""
        return self.users[self.login(login)]

    def item(self, path: str) -> Item:
        """The item at this path, in its exact spelling; else `UnknownItem`."""
        found = self.items.get(path)
        if found is None:
            raise UnknownItem(path, names.Near(path, self.items))
        return found

    @cached_property
    def all_kinds(self) -> Mapping[str, Kind]:
        """The built-in kinds and the site's own."""
        return {**BUILT_IN_KINDS, **self.kinds}

    def kind(self, name: str) -> Kind:
        """The kind of this name; else `UnknownKind`."""
        found = self.all_kinds.get(name)
        if found is None:
            raise UnknownKind(name, names.nearest(name, self.all_kinds))
        return found

    @cached_property
    def item_actions(self) -> tuple[str, ...]:
        """Every action on items: the built-in ones, then the site's own."""
        return (*BUILT_IN_ACTIONS, *self.actions)

    def action(self, name: str) -> str:
        """The name, when it is an action on items or of managing; else `UnknownAction`."""
        known = (*self.item_actions, *MANAGING_ACTIONS)
        if name not in known:
            raise UnknownAction(name, names.nearest(name, known))
        return name

    @cached_property
    def categories(self) -> Mapping[str, str]:
        """Every category as it is written (`topic:wildlife/seabirds`), with its label."""
        return {
            f"{each.name}:{key}": label or key
            for each in self.category_sets.values()
            for key, label in each.categories.items()
        }

    def category(self, name: str) -> str:
        """The name, when it is a category; else `UnknownCategory`."""
        if name not in self.categories:
            raise UnknownCategory(name, names.Near(name, self.categories))
        return name

    def plan(self, name: str) -> Plan:
        """The plan of a name, in any case; else `UnknownWho`."""
        wanted = names.folded(name)
        if wanted not in self.plans:
            raise UnknownWho(name, names.nearest(wanted, self.plans), "plan")
        return self.plans[wanted]

    def readership(self, name: str) -> Readership:
        """A readership of the site or a built-in one, in any case; else `UnknownWho`."""
        found = self.readerships.get(name) or BUILT_IN_READERSHIPS.get(name)
        if found is None:
            wanted, known = names.folded(name), {**self.readerships, **BUILT_IN_READERSHIPS}
            if wanted not in known:
                raise UnknownWho(name, names.nearest(wanted, known), "readership")
            found = known[wanted]
        return found

    # The tree ---------------------------------------------------------------

    @cached_property
    def content(self) -> Columns[Item]:
        """The items in columns."""
        if isinstance(self.items, Columns):
            return self.items
        return Columns.of(Item, self.items.values())

    @cached_property
    def people(self) -> Columns[User]:
        """The users in columns."""
        if isinstance(self.users, Columns):
            return self.users
        return Columns.of(User, self.users.values())

    @cached_property
    def tree(self) -> Tree:
        """The paths of all items, in tree order."""
        return Tree(self.content.names, self.content.index)

    @property
    def paths(self) -> tuple[str, ...]:
        """The paths of all items, in tree order."""
        return tuple(self.tree)

    @property
    def sections(self) -> tuple[str, ...]:
        """Every path that an item stands at or below, in tree order; the root always."""
        return tuple(self.tree.sections())

    def sections_from(self, top: str) -> Iterator[str]:
        """A path and every section below it, in tree order; with the home page just its parts, as
        nothing else counts as below it."""
        yield from self.tree.sections_from(top)
        if top == "/":
            parts = (step for step in self.tree.steps_below(top) if self.is_part(step))
            yield from (each for part in parts for each in self.tree.sections_from(part))

    def directly_below(self, path: str) -> Iterator[Item]:
        """The items one step below a path, in tree order."""
        return (self.items[each] for each in self.tree.steps_below(path) if each in self.items)

    def below(self, path: str) -> Iterator[Item]:
        """The items below a path, at any depth, in tree order."""
        return (self.items[each] for each in self.tree.below(path))

    @cached_property
    def pages(self) -> Mapping[int, int]:
        """By the row (in `content`) of each part, the row of its page."""
        parts = {kind.name for kind in self.all_kinds.values() if kind.part}
        kinds, index = self.content.values_of("kind"), self.content.index
        return {
            row: index[self.page_of(self.content.names[row])]
            for row, kind in enumerate(kinds)
            if kind in parts
        }

    def is_part(self, path: str) -> bool:
        """Whether a part stands at this path."""
        row = self.content.index.get(path)
        return row is not None and self.all_kinds[self.content.value("kind", row)].part

    def is_page(self, path: str) -> bool:
        """Whether an item stands at a path that is no part."""
        return path in self.content.index and not self.is_part(path)

    def page_of(self, path: str) -> str:
        """The page of a part: the nearest item above that is no part (itself for any other)."""
        at: str | None = path
        while at is not None and self.is_part(at):
            at = parent_of(at)
        return at if at is not None else "/"

    # What is set at places ----------------------------------------------------

    @cached_property
    def readerships_at(self) -> Mapping[tuple[str, str], PlaceSetting]:
        """The setting that names a readership, by the spot of its place.

        Those named with an item are here as well: at its path, here and below. The
        site's default readership is not.
        """
        at_places = {each.place.spot: each for each in self.places}
        found = {spot: each for spot, each in at_places.items() if each.readership is not None}
        for spot, each in found.items():
            found[spot] = replace(each, origin=each.origin and each.origin.of("readership"))
        for row, name in self.content.filled("readership").items():
            item = self.content.at(row)
            beside = at_places.get(("path", item.path))
            found["path", item.path] = PlaceSetting(
                place(item.path),
                name,
                beside.readership_from_above if beside else True,
                origin=item.origin and item.origin.of("readership"),
            )
        return found

    @cached_property
    def rights_cut_at(self) -> Mapping[str, PlaceSetting]:
        """The settings that let no rights in from above, by path."""
        return {each.place.name: each for each in self.places if not each.rights_from_above}


def _keep(before: SiteData, after: SiteData, *worked_out: str) -> None:
    """Carry over what was worked out from parts that are the same."""
    for name in worked_out:
        if name in before.__dict__:
            after.__dict__[name] = before.__dict__[name]
