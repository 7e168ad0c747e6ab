"""Roles, readerships, categories and people under another name; what speaks of them goes along.

Groups are renamed beside all else of groups, and items are moved.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import dataclass
from typing import Any, ClassVar

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.entries import named, with_users
from prim_lantern.change.operations.people import with_attributes, with_values
from prim_lantern.errors import AlreadyThere, BadChange
from prim_lantern.site import names
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.look_alikes import by_looks, new_login
from prim_lantern.site.people import EXTERNAL_ID, SCIM_ID, Test
from prim_lantern.site.places import Place
from prim_lantern.site.rights import BUILT_IN_READERSHIPS, Given, Readership
from prim_lantern.site.who import Who
from prim_lantern.values import replace


@dataclass(frozen=True)
class RenameRole(Operation):
    """Give a role another name."""

    do: ClassVar[str] = "rename-role"
    name: str
    to: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        old, new = named(data, "roles", self.name).name, _new_name(self.to, data.roles, "role")
        was, now = Who("role", old), Who("role", new)

        def whos(some: Iterable[Who]) -> tuple[Who, ...]:
            return tuple(now if each == was else each for each in some)

        def given(each: Given) -> Given:
            return replace(each, role=new if each.role == old else each.role, to=whos(each.to))

        def readership(each: Readership) -> Readership:
            readers, all_of, but_not = map(whos, (each.readers, each.all_of, each.but_not))
            return replace(each, readers=readers, all_of=all_of, but_not=but_not)

        return data.with_parts(
            roles={
                new if name == old else name: replace(
                    each,
                    name=new if name == old else name,
                    includes=tuple(new if i == old else i for i in each.includes),
                )
                for name, each in data.roles.items()
            },
            given=_changed(data.given, given),
            rules=_changed(data.rules, lambda each: replace(each, to=whos(each.to))),
            promises=_changed(data.promises, lambda each: replace(each, who=whos(each.who))),
            readerships={name: readership(each) for name, each in data.readerships.items()},
        )

    def said(self) -> str:
        return f"rename the role {self.name} to {self.to}"


@dataclass(frozen=True)
class RenameReadership(Operation):
    """Give a readership of the site's own another name."""

    do: ClassVar[str] = "rename-readership"
    name: str
    to: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        if names.folded(self.name) in BUILT_IN_READERSHIPS:
            raise BadChange(f"The readership {self.name} is built in, and keeps its name.")
        old = named(data, "readerships", self.name).name
        new = _new_name(self.to, {**data.readerships, **BUILT_IN_READERSHIPS}, "readership")
        standing = [
            replace(item, readership=new)
            for row in data.content.filled("readership")
            if (item := data.content.at(row)).readership == old
        ]
        default = data.default_readership
        return data.with_parts(
            readerships={
                new if name == old else name: replace(each, name=new) if name == old else each
                for name, each in data.readerships.items()
            },
            places=_changed(
                data.places,
                lambda each: replace(each, readership=new) if each.readership == old else each,
            ),
            items=data.content.revised(standing) if standing else data.items,
            default_readership=new if default == old else default,
        )

    def said(self) -> str:
        return f"rename the readership {self.name} to {self.to}"


@dataclass(frozen=True)
class RenameCategory(Operation):
    """Give a category another name, with all below it: "topic:sea" becomes "topic:ocean". It stays
    in its set, and where it is in it."""

    do: ClassVar[str] = "rename-category"
    category: str
    to: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        old, new = data.category(self.category), self.to
        set_name, _, old_key = old.partition(":")
        new_set, _, new_key = new.partition(":")
        if new_set != set_name or not new_key:
            raise BadChange(f"{new!r} is not in the set of {old}: write {set_name}:NAME.")
        if new_key.rpartition("/")[0] != old_key.rpartition("/")[0]:
            raise BadChange(f"{old} stays where it is: only the last part of its name changes.")
        names.key(new_key.rpartition("/")[2])
        if new in data.categories:
            raise AlreadyThere("category", new)

        def key(name: str) -> str:
            return new_key + name.removeprefix(old_key) if _at_or_below(name, old_key) else name

        def category(name: str) -> str:
            return f"{set_name}:{key(name.partition(':')[2])}" if _at_or_below(name, old) else name

        def at(place: Place) -> Place:
            return place._replace(name=category(place.name)) if place.kind == "category" else place

        filed = [
            replace(item, categories=tuple(map(category, item.categories)))
            for row, some in enumerate(data.content.values_of("categories"))
            if any(_at_or_below(each, old) for each in some)
            for item in [data.content.at(row)]
        ]
        found = data.category_sets[set_name]
        labelled = {key(name): label for name, label in found.categories.items()}
        renamed = replace(found, categories=labelled)
        return data.with_parts(
            category_sets={**data.category_sets, set_name: renamed},
            items=data.content.revised(filed) if filed else data.items,
            rules=_changed(data.rules, lambda each: replace(each, place=at(each.place))),
            given=_changed(
                data.given, lambda e: replace(e, within_any=tuple(map(at, e.within_any)))
            ),
            places=_changed(data.places, lambda each: replace(each, place=at(each.place))),
            promises=_changed(data.promises, lambda each: replace(each, where=at(each.where))),
        )

    def said(self) -> str:
        return f"rename the category {self.category} to {self.to}"


@dataclass(frozen=True)
class RenameUser(Operation):
    """Give a person another login; everything that names them goes along. The history keeps the
    login under which they did what they did; a directory that knows them, the id."""

    do: ClassVar[str] = "rename-user"
    login: str
    to: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        old = data.login(self.login)
        others = (each for each in data.people.names if each != old or each == self.to)
        new = new_login(self.to, by_looks(others))
        after = with_login(data, old, new)
        for group in data.groups.values():
            fit = (_fits(data, group.name, old), _fits(after, group.name, new))
            if fit[0] != fit[1]:
                raise BadChange(
                    f"The condition of group {group.name} asks about logins, and would fit "
                    f"{new} {'no more' if fit[0] else 'now'}: change it first."
                )
        return _with_id(after, old, new)

    def said(self) -> str:
        return f"rename {self.login} to {self.to}"


def _with_id(data: SiteData, old: str, new: str) -> SiteData:
    """The site where a directory still knows somebody by the id from before their login changed."""
    user = data.users[new]
    known_by = user.attributes.get(SCIM_ID) or old
    if known_by == new:
        user = with_values(user, None, None, {SCIM_ID: ""})
    elif EXTERNAL_ID in user.attributes:
        user = with_values(user, None, None, {SCIM_ID: known_by})
        data = with_attributes(data, [SCIM_ID])
    return with_users(data, [user]) if user != data.users[new] else data


def _fits(data: SiteData, group: str, login: str) -> bool:
    rows = data.groups[group].when
    return any(all(test.fits(data.users[login]) for test in row) for row in rows)


def with_login(data: SiteData, old: str, new: str) -> SiteData:
    """The site with another login for one person."""
    was, now = Who("user", old), Who("user", new)

    def whos(some: Iterable[Who]) -> tuple[Who, ...]:
        return tuple(now if each == was else each for each in some)

    def logins(some: Iterable[str]) -> tuple[str, ...]:
        return tuple(new if each == old else each for each in some)

    def readership(each: Readership) -> Readership:
        readers, all_of, but_not = map(whos, (each.readers, each.all_of, each.but_not))
        return replace(each, readers=readers, all_of=all_of, but_not=but_not)

    by_them = [
        replace(item, authors=logins(item.authors), changed_by=logins(item.changed_by))
        for item in _items_by(data, old)
    ]
    groups = {
        name: replace(
            each,
            members=logins(each.members),
            stewards=whos(each.stewards),
            when=tuple(tuple(_test(t, old, new) for t in row) for row in each.when),
        )
        for name, each in data.groups.items()
    }
    invitations = {
        new if login == old else login: replace(each, login=new) if login == old else each
        for login, each in data.invitations.items()
    }
    return data.with_parts(
        owner=new if data.owner == old else data.owner,
        users=data.people.revised([replace(data.users[old], login=new)], gone={old}),
        groups=groups if groups != data.groups else data.groups,
        invitations=invitations,
        rules=_changed(data.rules, lambda each: replace(each, to=whos(each.to))),
        given=_changed(data.given, lambda each: replace(each, to=whos(each.to))),
        promises=_changed(data.promises, lambda each: replace(each, who=whos(each.who))),
        readerships={name: readership(each) for name, each in data.readerships.items()},
        items=data.content.revised(by_them) if by_them else data.items,
    )


def _items_by(data: SiteData, login: str) -> Iterator[Item]:
    """The items that somebody wrote or changed."""
    rows = {
        row
        for column in ("authors", "changed_by")
        for row, hands in data.content.filled(column).items()
        if login in hands
    }
    return map(data.content.at, sorted(rows))


def _test(each: Test, old: str, new: str) -> Test:
    """A test of a condition, where it names a login by the new one."""
    named = each.attribute == "login" and each.operator in ("is", "is_not", "one_of", "none_of")
    if not named:
        return each
    told = (new if names.folded(value) == names.folded(old) else value for value in each.values)
    return each._replace(values=tuple(told))


def _new_name(name: str, taken: Mapping[str, Any], what: str) -> str:
    wanted = names.folded(name)
    names.key(wanted)
    if wanted in taken:
        raise AlreadyThere(what, wanted)
    return wanted


def _at_or_below(name: str, top: str) -> bool:
    return name == top or name.startswith(f"{top}/")


def _changed(entries: Iterable[Any], change: Callable[[Any], Any]) -> tuple[Any, ...]:
    """The entries changed; those that stay the same are kept as they are."""
    both = ((each, change(each)) for each in entries)
    return tuple(was if was == now else now for was, now in both)
