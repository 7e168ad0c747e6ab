"""A whole site as plain frozen data, with the look-ups that everything else needs."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property

from prim_lantern.errors import (
    UnknownAction,
    UnknownCategory,
    UnknownItem,
    UnknownKind,
    UnknownUser,
)
from prim_lantern.site import names
from prim_lantern.site.actions import BUILT_IN_ACTIONS, MANAGING_ACTIONS, Action
from prim_lantern.site.content import BUILT_IN_KINDS, CategorySet, Item, Kind
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import Group, Plan, User
from prim_lantern.site.places import is_above, parent_of, place, tree_order, way_to
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


@dataclass(frozen=True)
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
    attributes: tuple[str, ...] = ()
    users: Mapping[str, User] = field(default_factory=dict)
    items: Mapping[str, Item] = field(default_factory=dict)
    origin: Origin | None = field(default=None, compare=False, repr=False)

    # Names ------------------------------------------------------------------

    @cached_property
    def _logins(self) -> Mapping[str, str]:
        return {names.folded(login): login for login in self.users}

    def user(self, login: str) -> User:
        """The user with this login, whatever its case; else `UnknownUser`."""
        spelled = self._logins.get(names.folded(login))
        if spelled is None:
            raise UnknownUser(login, names.nearest(login, self.users))
        return self.users[spelled]

    def item(self, path: str) -> Item:
        """The item at this path, in its exact spelling; else `UnknownItem`."""
        found = self.items.get(path)
        if found is None:
            raise UnknownItem(path, names.nearest(path, self.items))
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
            raise UnknownCategory(name, names.nearest(name, self.categories))
        return name

    def readership(self, name: str) -> Readership:
        """A readership of the site or a built-in one, known to be there."""
        return self.readerships.get(name) or BUILT_IN_READERSHIPS[name]

    # The tree ---------------------------------------------------------------

    @cached_property
    def paths(self) -> tuple[str, ...]:
        """The paths of all items, in tree order."""
        return tuple(sorted(self.items, key=tree_order))

    @cached_property
    def sections(self) -> frozenset[str]:
        """Every path that an item stands at or below; the root always."""
        return frozenset({"/"}.union(*map(way_to, self.items)))

    @cached_property
    def _children(self) -> Mapping[str, tuple[str, ...]]:
        below: dict[str, list[str]] = {}
        for path in self.paths:
            parent = parent_of(path)
            if parent is not None:
                below.setdefault(parent, []).append(path)
        return {parent: tuple(children) for parent, children in below.items()}

    def directly_below(self, path: str) -> tuple[Item, ...]:
        """The items one step below a path, in tree order."""
        return tuple(self.items[child] for child in self._children.get(path, ()))

    def below(self, path: str) -> Iterator[Item]:
        """The items below a path, at any depth, in tree order."""
        return (self.items[each] for each in self.paths if is_above(path, each))

    def is_part(self, path: str) -> bool:
        """Whether a part stands at this path."""
        item = self.items.get(path)
        return item is not None and self.all_kinds[item.kind].part

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
        for path, item in self.items.items():
            if item.readership is not None:
                beside = at_places.get(("path", path))
                found["path", path] = PlaceSetting(
                    place(path),
                    item.readership,
                    beside.readership_from_above if beside else True,
                    origin=item.origin and item.origin.of("readership"),
                )
        return found

    @cached_property
    def rights_cut_at(self) -> Mapping[str, PlaceSetting]:
        """The settings that let no rights in from above, by path."""
        return {each.place.name: each for each in self.places if not each.rights_from_above}
