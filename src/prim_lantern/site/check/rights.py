"""Checks of rights: roles, given roles, readerships, places, rules, limits, promises."""

from __future__ import annotations

from collections.abc import Sequence, Set

from prim_lantern.errors import BadValue
from prim_lantern.site import names
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import HERE_AND_BELOW
from prim_lantern.site.rights import (
    ANY,
    BUILT_IN_READERSHIPS,
    WHOSE,
    Capability,
    PlaceSetting,
    Readership,
    Role,
    Rule,
)

_TO = "user group audience"
_LOOKED_AT = (
    "roles", "given", "readerships", "places", "rules", "limits", "promises", "accepted", "items",
    "default_readership", "timezone",
)  # fmt: skip


def check(notes: Notes, sound: SiteData | None = None) -> None:
    """Note all that is wrong with the rights of a site; of one that was `sound` before a change,
    with what the change touched."""
    data = notes.data
    same = sound is not None and all(getattr(data, e) is getattr(sound, e) for e in _LOOKED_AT)
    if sound is not None and same and not _is_gone(data, sound):
        return
    known = _still_right(data, sound)
    notes.readership(data.origin, "default_readership", data.default_readership)
    _timezone(notes)
    for role in data.roles.values():
        _role(notes, role)
    notes.circles(
        {role.name: role.includes for role in data.roles.values()},
        lambda name: data.roles[name].origin,
        "includes",
        "a role cannot include itself",
    )
    for given in data.given:
        if id(given) in known:
            continue
        notes.among(given.origin, "role", [given.role], data.roles, "role")
        _some(notes, given.origin, "to", given.to)
        notes.whos(given.origin, "to", given.to, _TO)
        for place in given.within_any:
            notes.place(given.origin, "within_any", place)
        notes.period(given.origin, given.period)
    for readership in data.readerships.values():
        _readership(notes, readership)
    _places(notes)
    _rules(notes, known)
    _limits(notes)
    for promise in data.promises:
        _some(notes, promise.origin, "who", promise.who)
        notes.whos(promise.origin, "who", promise.who, f"{_TO} role")
        key = "may" if promise.may else "may_not"
        _some(notes, promise.origin, key, promise.actions)
        notes.actions(promise.origin, key, promise.actions)
        notes.place(promise.origin, "where", promise.where)
    _accepted(notes)


def _timezone(notes: Notes) -> None:
    try:
        _ = notes.data.zone
    except BadValue as error:
        notes.wrong(notes.data.origin, "timezone", error.value, error.expected)


def _some(notes: Notes, origin: Origin | None, key: str, values: Sequence[object]) -> None:
    if not values:
        notes.wrong(origin, key, key, "is missing or empty; name at least one.")


def _role(notes: Notes, role: Role) -> None:
    notes.spelled(role.origin, role.name, names.who_key)
    if role.all_access and (role.capabilities or role.includes):
        key = "capabilities" if role.capabilities else "includes"
        expected = "has all access: it has neither capabilities nor included roles."
        notes.wrong(role.origin, key, role.name, expected)
    notes.among(role.origin, "includes", role.includes, notes.data.roles, "role")
    for name in role.includes:
        included = notes.data.roles.get(name)
        if included and included.all_access:
            expected = "has all access and cannot be included; give it by itself."
            notes.wrong(role.origin, "includes", name, expected)
    for number, capability in enumerate(role.capabilities):
        _capability(notes, role, f"capabilities[{number}]", capability)


def _capability(notes: Notes, role: Role, key: str, row: Capability) -> None:
    if not row.can and not row.own:
        notes.wrong(role.origin, key, "this row", "gives nothing: name actions in can or own.")
    notes.kinds(role.origin, key, row.kinds)
    notes.actions(role.origin, key, (*row.can, *row.own))
    notes.states(role.origin, key, row.in_state)
    narrowed = bool(row.kinds or row.in_state)
    for action in (*row.can, *row.own):
        if action in MANAGING_ACTIONS and (narrowed or action in row.own):
            _manages_places(notes, role.origin, key, action)


def _manages_places(notes: Notes, origin: Origin | None, key: str, action: str) -> None:
    expected = (
        "is about places, not items: it cannot have kinds, states or own. Write it in a row "
        "or rule of its own, without them."
    )
    notes.wrong(origin, key, action, expected)


def _readership(notes: Notes, readership: Readership) -> None:
    notes.spelled(readership.origin, readership.name, names.key)
    if readership.name in BUILT_IN_READERSHIPS:
        expected = "is built in; give a readership of the site another name."
        notes.wrong(readership.origin, None, readership.name, expected)
    _some(notes, readership.origin, "readers", readership.readers)
    for key in ("readers", "all_of", "but_not"):
        notes.whos(readership.origin, key, getattr(readership, key), f"{_TO} role authors")


def _places(notes: Notes) -> None:
    data = notes.data
    seen: dict[tuple[str, str], PlaceSetting] = {}
    for setting in data.places:
        place, origin = setting.place, setting.origin
        first = seen.setdefault(place.spot, setting)
        if first is not setting:
            expected = f"is set twice (first at {first.origin or 'an earlier entry'}); join them."
            notes.wrong(origin, "where", str(place), expected)
        _setting(notes, setting)
        item = data.items.get(place.name) if place.kind == "path" else None
        own = item.readership if item else None
        if own is not None and setting.readership is not None:
            expected = f"has a readership here and in content.csv ({own}); keep one."
            notes.wrong(origin, "readership", str(place), expected)
        if not setting.readership_from_above and own is None and setting.readership is None:
            expected = "keeps the readerships from above away, but names none of its own."
            notes.wrong(origin, "readership_from_above", str(place), expected)


def _setting(notes: Notes, setting: PlaceSetting) -> None:
    place, origin = setting.place, setting.origin
    if place.kind == "site":
        expected = "is set under [site]: use default_readership there."
        notes.wrong(origin, "where", "site", expected)
    notes.place(origin, "where", place)
    if setting.readership is not None:
        notes.readership(origin, "readership", setting.readership)
    elif place.kind == "path" and place.name != "/" and place.reach != HERE_AND_BELOW:
        expected = "says which items the readership covers, but none is named here."
        notes.wrong(origin, "reach", place.reach, expected)
    for key in ("readership_from_above", "rights_from_above"):
        if place.kind == "category" and not getattr(setting, key):
            notes.wrong(origin, key, str(place), "is a category: only a path can cut itself off.")
    if place.name == "/" and not setting.rights_from_above:
        expected = "cannot cut itself off: it is the home page alone, with nothing below it."
        notes.wrong(origin, "rights_from_above", "/", expected)


def _still_right(data: SiteData, sound: SiteData | None) -> set[int]:
    """By their identity, the words of a sound site that need no second look: none, where anything
    that a word could name is gone."""
    if sound is None or _is_gone(data, sound):
        return set()
    return {*map(id, sound.rules), *map(id, sound.given)}


def _is_gone(data: SiteData, sound: SiteData) -> bool:
    """Whether anything may be gone that a word could name."""
    if any(
        getattr(data, e) is not getattr(sound, e) for e in ("kinds", "actions", "category_sets")
    ):
        return True
    if not (sound.groups.keys() <= data.groups.keys() and sound.roles.keys() <= data.roles.keys()):
        return True
    moved = data.people.moved_since(sound.people)
    return data.users is not sound.users and (moved is None or bool(moved.gone))


def _rules(notes: Notes, known: Set[int]) -> None:
    ids: dict[str, Rule] = {}
    for rule in notes.data.rules:
        if id(rule) not in known:
            _rule(notes, rule)
        if rule.id is not None:
            first = ids.setdefault(rule.id, rule)
            if first is not rule:
                expected = f"is the id of two rules (first at {first.origin or 'an earlier one'})."
                notes.wrong(rule.origin, "id", rule.id, expected)


def _rule(notes: Notes, rule: Rule) -> None:
    origin, key = rule.origin, "allow" if rule.allow else "deny"
    if rule.id is not None:
        notes.spelled(origin and origin.of("id"), rule.id, names.key)
    _some(notes, origin, key, rule.actions)
    notes.actions(origin, key, rule.actions)
    _some(notes, origin, "to", rule.to)
    notes.whos(origin, "to", rule.to, f"{_TO} role")
    notes.place(origin, "where", rule.place)
    notes.kinds(origin, "kinds", rule.kinds)
    notes.one_of(origin, "whose", rule.whose, WHOSE)
    notes.states(origin, "in_state", rule.in_state)
    notes.period(origin, rule.period)
    if rule.no_exceptions and rule.allow:
        expected = "can only be said of a deny: an allow always has exceptions."
        notes.wrong(origin, "no_exceptions", "true", expected)
    if rule.kinds or rule.in_state or rule.whose != ANY:
        for action in rule.actions:
            if action in MANAGING_ACTIONS:
                _manages_places(notes, origin, key, action)


def _accepted(notes: Notes) -> None:
    seen = set()
    for each in notes.data.accepted:
        if not each.finding.strip():
            notes.wrong(each.origin, "finding", each.finding, "is no key: the checkup shows them.")
        if each.finding in seen:
            notes.wrong(each.origin, "finding", each.finding, "is accepted twice; keep one.")
        seen.add(each.finding)


def _limits(notes: Notes) -> None:
    seen = set()
    for limit in notes.data.limits:
        notes.kinds(limit.origin, "kind", [limit.kind])
        notes.spelled(limit.origin, limit.where, names.path)
        if limit.at_most < 0:
            expected = "is not possible: write a whole number from 0 on."
            notes.wrong(limit.origin, "at_most", limit.at_most, expected)
        if (limit.kind, limit.where) in seen:
            expected = f"has two limits for the kind {limit.kind}; keep one."
            notes.wrong(limit.origin, "where", limit.where, expected)
        seen.add((limit.kind, limit.where))
