"""Moving items and renaming groups and people's places: what refers to them goes along."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from typing import Any, NamedTuple

from prim_lantern.site.data import SiteData
from prim_lantern.site.people import SCIM_ID, Group, Membership, User
from prim_lantern.site.places import Place, is_above
from prim_lantern.site.who import Who
from prim_lantern.values import replace


class Renames(NamedTuple):
    """Paths (each with all below it) and groups that get another name: old to new."""

    paths: Mapping[str, str] = {}
    groups: Mapping[str, str] = {}

    @property
    def inverse(self) -> Renames:
        """The same, back."""
        return Renames(*({new: old for old, new in each.items()} for each in self))

    def path(self, path: str) -> str:
        """A path as it is afterwards."""
        for old, new in self.paths.items():
            if path == old or is_above(old, path):
                return new + path.removeprefix(old)
        return path

    def group(self, name: str) -> str:
        """A group's name as it is afterwards."""
        return self.groups.get(name, name)

    def who(self, each: Who) -> Who:
        """Who a word speaks of, as it is afterwards."""
        return Who("group", self.group(each.name)) if each.kind == "group" else each

    def place(self, each: Place) -> Place:
        """A place as it is afterwards."""
        return each._replace(name=self.path(each.name)) if each.kind == "path" else each


class Misfit(Exception):
    """What was changed does not fit the site: something else stands where it should."""


def new_categories(before: SiteData, after: SiteData) -> Mapping[str, str]:
    """The categories of before by their names of after, where all that differs are names."""
    was, now = before.categories, after.categories
    same = len(was) == len(now) and [*was.values()] == [*now.values()]
    return dict(zip(was, now, strict=True)) if same and was.keys() != now.keys() else {}


def new_readerships(before: SiteData, after: SiteData) -> Mapping[str, str]:
    """The same of readerships."""
    was, now = before.readerships, after.readerships
    if was.keys() == now.keys() or len(was) != len(now):
        return {}
    pairs = list(zip(was.values(), now.values(), strict=True))
    same = all(replace(one, name="") == replace(other, name="") for one, other in pairs)
    return dict(zip(was, now, strict=True)) if same else {}


def new_logins(before: SiteData, after: SiteData) -> Mapping[str, str]:
    """The same of people: somebody who is there under another login, and is else as they were."""
    was, now = before.people, after.people
    if was.names is now.names or len(was) != len(now):
        return {}
    gone, come = was.index.keys() - now.index.keys(), now.index.keys() - was.index.keys()
    if len(gone) != 1:
        return {}
    old, new = gone.pop(), come.pop()
    same = _but_for_login(was[old]) == _but_for_login(now[new])
    return {old: new} if same else {}


def _but_for_login(user: User) -> User:
    """Somebody without their login, and without the id that they keep when it changes."""
    attributes = {key: value for key, value in user.attributes.items() if key != SCIM_ID}
    found: User = replace(user, login="", attributes=attributes)
    return found


def set_at(data: SiteData, path: str) -> str | None:
    """What is said of a path or what is below it, if anything: in a word, for messages."""

    def inside(name: str) -> bool:
        return name == path or is_above(path, name)

    links = data.content.filled("links_to").values()
    said = {
        "an item": data.tree.holds(path),
        "a rule": any(inside(each.place.name) for each in data.rules),
        "a given role": any(inside(e.name) for each in data.given for e in each.within_any),
        "a setting": any(inside(each.place.name) for each in data.places),
        "a limit": any(inside(each.where) for each in data.limits),
        "a promise": any(inside(each.where.name) for each in data.promises),
        "a link": any(map(inside, links)),
    }
    return next((what for what, there in said.items() if there), None)


def renamed(data: SiteData, renames: Renames) -> SiteData:
    """The site with items moved and groups renamed, and all that speaks of them with them.

    Raises `Misfit` where a new name is taken, or an old one is not there.
    """
    for old, new in renames.paths.items():
        if set_at(data, new) is not None or not data.tree.holds(old):
            raise Misfit(new)
    for old, new in renames.groups.items():
        if new in data.groups or old not in data.groups:
            raise Misfit(new)
    if renames.paths:
        data = _with_paths(data, renames)
    if renames.groups:
        data = _with_groups(data, renames)
    return data


def _with_paths(data: SiteData, renames: Renames) -> SiteData:
    moving = [each for old in renames.paths for each in (old, *data.tree.below(old))]
    moved = {path for path in moving if path in data.items}
    put = [
        replace(data.items[path], path=renames.path(path), origin=None)
        for path in moving
        if path in moved
    ]
    leading = [
        replace(item, links_to=renames.path(item.links_to))
        for row in data.content.filled("links_to")
        if (item := data.content.at(row)).path not in moved
        and item.links_to is not None
        and renames.path(item.links_to) != item.links_to
    ]
    put = [
        replace(item, links_to=renames.path(item.links_to)) if item.links_to else item
        for item in put
    ]
    place = renames.place
    return data.with_parts(
        items=data.content.revised([*put, *leading], gone=moved),
        **_words(data, place=place),
        limits=_each(data.limits, where=lambda each: renames.path(each.where)),
        promises=_each(data.promises, where=lambda each: place(each.where)),
        places=_each(data.places, place=lambda each: place(each.place)),
    )


def _words(data: SiteData, *, place: Callable[[Place], Place]) -> dict[str, Any]:
    return {
        "rules": _each(data.rules, place=lambda each: place(each.place)),
        "given": _each(data.given, within_any=lambda each: tuple(map(place, each.within_any))),
    }


def _with_groups(data: SiteData, renames: Renames) -> SiteData:
    group = renames.group

    def whos(some: tuple[Who, ...]) -> tuple[Who, ...]:
        return tuple(map(renames.who, some))

    names = set(renames.groups)
    users = [
        _in_groups(user, renames)
        for user in data.users.values()
        if any(each.group in names for each in user.memberships)
    ]
    return data.with_parts(
        groups={group(name): _group(each, renames) for name, each in data.groups.items()},
        plans=_named(data.plans, groups=lambda each: tuple(map(group, each.groups))),
        sign_up_groups=tuple(map(group, data.sign_up_groups)),
        rules=_each(data.rules, to=lambda each: whos(each.to)),
        given=_each(data.given, to=lambda each: whos(each.to)),
        promises=_each(data.promises, who=lambda each: whos(each.who)),
        readerships=_named(
            data.readerships,
            readers=lambda each: whos(each.readers),
            all_of=lambda each: whos(each.all_of),
            but_not=lambda each: whos(each.but_not),
        ),
        users=data.people.revised(users) if users else data.users,
    )


def _group(each: Group, renames: Renames) -> Group:
    found: Group = _same_or(
        each,
        name=renames.group(each.name),
        counts_in=tuple(map(renames.group, each.counts_in)),
        stewards=tuple(map(renames.who, each.stewards)),
    )
    return found


def _in_groups(user: User, renames: Renames) -> User:
    memberships = (Membership(renames.group(m.group), m.period) for m in user.memberships)
    return replace(user, memberships=tuple(memberships))


def _each(entries: Iterable[Any], **fields: Callable[[Any], Any]) -> tuple[Any, ...]:
    """The entries with some fields worked out anew; those that stay the same are kept."""
    return tuple(
        _same_or(each, **{name: value(each) for name, value in fields.items()}) for each in entries
    )


def _named(entries: Mapping[str, Any], **fields: Callable[[Any], Any]) -> dict[str, Any]:
    return dict(zip(entries, _each(entries.values(), **fields), strict=True))


def _same_or(each: Any, **fields: Any) -> Any:
    changed = {name: value for name, value in fields.items() if getattr(each, name) != value}
    return replace(each, **changed) if changed else each
