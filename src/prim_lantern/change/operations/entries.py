"""Looking up and replacing the named entries of a site."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from prim_lantern.decide.belonging import upper_groups
from prim_lantern.errors import AlreadyThere, BadChange, UnknownItem, UnknownWho
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.site.places import Place, place
from prim_lantern.site.rights import BUILT_IN_READERSHIPS
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who, who

_WORDS = {
    "groups": "group",
    "roles": "role",
    "plans": "plan",
    "readerships": "readership",
    "category_sets": "category set",
    "kinds": "kind",
    "actions": "action",
}


def named(data: SiteData, part: str, name: str) -> Any:
    """The entry of a name, whatever its case; else `UnknownWho`."""
    entries = getattr(data, part)
    found = entries.get(names.folded(name))
    if found is None:
        raise UnknownWho(name, names.nearest(name, entries), _WORDS[part])
    return found


def added(data: SiteData, part: str, entry: Any) -> SiteData:
    """The site with a new entry; `AlreadyThere` where its name is taken."""
    names.key(entry.name)
    entries = getattr(data, part)
    if entry.name in entries or (part == "readerships" and entry.name in BUILT_IN_READERSHIPS):
        raise AlreadyThere(_WORDS[part], entry.name)
    return data.with_parts(**{part: {**entries, entry.name: entry}})


def put(data: SiteData, part: str, entry: Any) -> SiteData:
    """The site with an entry in the place of the one of its name."""
    return data.with_parts(**{part: {**getattr(data, part), entry.name: entry}})


def without(data: SiteData, part: str, name: str) -> SiteData:
    """The site without an entry."""
    entries = getattr(data, part)
    return data.with_parts(**{part: {n: each for n, each in entries.items() if n != name}})


def with_users(data: SiteData, users: Iterable[User]) -> SiteData:
    """The site with some users added or in the place of those of their login."""
    return data.with_parts(users=data.people.revised(users))


def users_of(data: SiteData, logins: Iterable[str]) -> list[User]:
    """The users of some logins, each once."""
    return [data.users[login] for login in dict.fromkeys(map(data.login, logins))]


def who_in(data: SiteData, text: str, kinds: str = "user group audience role") -> Who:
    """The who that a text names; an error of its sort where the site has none such."""
    found = who(text)
    if found.kind not in kinds.split():
        raise BadChange(f"{text!r} cannot stand here: name one of {kinds.replace(' ', ', ')}.")
    if found.kind == "user":
        return Who("user", data.login(found.name))
    if found.kind in ("group", "role"):
        named(data, f"{found.kind}s", found.name)
    return found


def whos_in(
    data: SiteData, texts: Iterable[str], kinds: str = "user group audience role"
) -> tuple[Who, ...]:
    """The same for several, each once; `BadChange` for none."""
    found = tuple(dict.fromkeys(who_in(data, text, kinds) for text in texts))
    if not found:
        raise BadChange("Nobody was named: say to whom, as user:…, group:… or an audience.")
    return found


def place_in(data: SiteData, text: str, reach: str | None = None) -> Place:
    """The place that a text names; `UnknownItem` for a path at or below which nothing stands."""
    found = place(text, reach)
    if found.kind == "category":
        data.category(text)
    elif found.kind == "path" and not data.tree.holds(found.name):
        raise UnknownItem(text, names.nearest(text, data.sections))
    return found


def list_changed(
    have: tuple[Any, ...], add: Iterable[Any], drop: Iterable[Any], what: str
) -> tuple[Any, ...]:
    """A list with some added and some dropped; `BadChange` where one to drop is not there."""
    drop = tuple(drop)
    for each in drop:
        if each not in have:
            raise BadChange(f"{each} is not among {what}: {', '.join(map(str, have)) or 'nobody'}.")
    return tuple(dict.fromkeys([*(each for each in have if each not in drop), *add]))


def leads_to_all_access(data: SiteData, group: str, at: datetime) -> bool:
    """Whether whoever is in a group has a role with all access by that, now or later."""
    whos = {SIGNED_IN, EVERYONE, *(Who("group", name) for name in upper_groups(data, group))}
    return any(
        data.roles[given.role].all_access
        and not whos.isdisjoint(given.to)
        and (given.period.until is None or given.period.until > at)
        for given in data.given
    )
