"""What site.toml says of a site, as plain values: tables, lists, texts."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from datetime import date, datetime, timedelta, timezone
from typing import Any, Final

from prim_lantern.site.actions import Action
from prim_lantern.site.content import BUILT_IN_KINDS, CategorySet, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.findings import Accepted
from prim_lantern.site.moments import Period, all_told_in
from prim_lantern.site.people import Group, Invitation, Plan, Test
from prim_lantern.site.places import HERE_AND_BELOW, Place
from prim_lantern.site.rights import (
    ANY,
    Capability,
    Given,
    Limit,
    PlaceSetting,
    Promise,
    Readership,
    Role,
    Rule,
)

Entry = dict[str, Any]


def plain_tables(data: SiteData) -> dict[str, Any]:
    """The tables of site.toml as plain values; what says nothing is left out."""

    def entry_of(part: str, thing: Any) -> Entry:
        return ENTRIES[part](all_told_in(thing, data.zone))

    tables: dict[str, Any] = {"site": site_entry(data)}
    for part in ENTRIES:
        entries = getattr(data, part)
        if part in LISTED_PARTS:
            values = entries.values() if isinstance(entries, Mapping) else entries
            tables[part] = [entry_of(part, each) for each in values]
        else:
            tables[part] = {name: entry_of(part, each) for name, each in entries.items()}
    return {name: table for name, table in tables.items() if table}


def site_entry(data: SiteData) -> Entry:
    """What is said of the site itself."""
    said = {
        "name": data.name,
        "owner": data.owner,
        "default_readership": data.default_readership,
        "sign_up_groups": data.sign_up_groups,
        "timezone": data.timezone,
    }
    return _short(said) | {"name": data.name}


def _short(values: Mapping[str, Any]) -> Entry:
    """The values without those that say nothing; every list as a list."""
    said = {}
    for key, value in values.items():
        if isinstance(value, Iterable) and not isinstance(value, (str, Mapping)):
            value = list(value)
        if value not in (None, "", [], False):
            said[key] = value
    return said


def _unless_true(key: str, value: bool) -> Entry:
    return {} if value else {key: False}


def _kind(kind: Kind) -> Entry:
    built_in = BUILT_IN_KINDS.get(kind.name)
    return _short(
        {
            "label": kind.label,
            "part": kind.part and not (built_in and built_in.part),
            "link": kind.link and not (built_in and built_in.link),
            "four_eyes": kind.four_eyes,
            "filed_under": kind.filed_under,
            "must_be_filed": kind.must_be_filed,
        }
    )


def _action(action: Action) -> Entry:
    return _short({"label": action.label, "brings": action.brings, "risky": action.risky})


def _category_set(category_set: CategorySet) -> Entry:
    return dict(category_set.categories)


def _group(group: Group) -> Entry:
    return _short(
        {
            "label": group.label,
            "about": group.about,
            "counts_in": group.counts_in,
            "stewards": map(str, group.stewards),
            "members": group.members,
            "when": [_row(row) for row in group.when],
            "mapped_from": group.mapped_from,
            "external_id": group.external_id,
        }
    )


def _row(row: tuple[Test, ...]) -> Entry:
    tests: dict[str, Entry] = {}
    for test in row:
        value: Any = test.values[0]
        if test.operator in ("one_of", "none_of"):
            value = list(test.values)
        elif test.operator == "filled":
            value = test.values == ("true",)
        tests.setdefault(test.attribute, {})[test.operator] = value
    return tests


def _plan(plan: Plan) -> Entry:
    lasts = str(plan.lasts) if plan.lasts else ""
    return _short({"label": plan.label, "groups": plan.groups, "lasts": lasts})


def _invitation(invitation: Invitation) -> Entry:
    return {
        "login": invitation.login,
        "token_hash": invitation.token_hash,
        "until": _toml_moment(invitation.until),
    }


def _role(role: Role) -> Entry:
    return _short(
        {
            "label": role.label,
            "about": role.about,
            "includes": role.includes,
            "capabilities": [_capability(row) for row in role.capabilities],
            "all_access": role.all_access,
        }
    )


def _capability(row: Capability) -> Entry:
    return _short(row._asdict())


def _given(given: Given) -> Entry:
    return _short(
        {
            "role": given.role,
            "to": map(str, given.to),
            "within_any": _within(given.within_any),
            **_period(given.period),
        }
    )


def _within(places: tuple[Place, ...]) -> list[str]:
    names = list(map(str, places))
    return [] if names == ["site"] else names


def _readership(readership: Readership) -> Entry:
    return _short(
        {
            "label": readership.label,
            "readers": map(str, readership.readers),
            "all_of": map(str, readership.all_of),
            "but_not": map(str, readership.but_not),
            "no_exceptions": readership.no_exceptions,
        }
    )


def _place(setting: PlaceSetting) -> Entry:
    return (
        _short({**_where(setting.place), "readership": setting.readership})
        | _unless_true("readership_from_above", setting.readership_from_above)
        | _unless_true("rights_from_above", setting.rights_from_above)
    )


def _rule(rule: Rule) -> Entry:
    where = _where(rule.place) if rule.place.kind != "site" else {}
    return _short(
        {
            "id": rule.id,
            "allow" if rule.allow else "deny": rule.actions,
            "to": map(str, rule.to),
            **where,
            "kinds": rule.kinds,
            "whose": rule.whose if rule.whose != ANY else "",
            "in_state": rule.in_state,
            **_period(rule.period),
            "no_exceptions": rule.no_exceptions,
            "note": rule.note,
        }
    )


def _limit(limit: Limit) -> Entry:
    return {"kind": limit.kind, "where": limit.where, "at_most": limit.at_most}


def _promise(promise: Promise) -> Entry:
    return _short(
        {
            "who": map(str, promise.who),
            "may" if promise.may else "may_not": promise.actions,
            "where": str(promise.where),
            "note": promise.note,
        }
    )


def _accepted(accepted: Accepted) -> Entry:
    return _short(
        {
            "finding": accepted.finding,
            "says": accepted.says,
            "because": accepted.because,
            "until": _toml_moment(accepted.until),
        }
    )


def _where(place: Place) -> Entry:
    has_reach = place.kind == "path" and place.name != "/" and place.reach != HERE_AND_BELOW
    return {"where": place.name, "reach": place.reach if has_reach else ""}


def _period(period: Period) -> Entry:
    return {"since": _toml_moment(period.since), "until": _toml_moment(period.until)}


def _toml_moment(at: datetime | None) -> date | datetime | None:
    if at is None:
        return None
    midnight = at.replace(tzinfo=None) == datetime(at.year, at.month, at.day)
    return at.date() if midnight else at.replace(tzinfo=timezone(at.utcoffset() or timedelta()))


# How one entry of each part is written, in the order of the file.
ENTRIES: Final[Mapping[str, Callable[[Any], Entry]]] = {
    "kinds": _kind,
    "actions": _action,
    "category_sets": _category_set,
    "groups": _group,
    "plans": _plan,
    "invitations": _invitation,
    "roles": _role,
    "given": _given,
    "readerships": _readership,
    "places": _place,
    "rules": _rule,
    "limits": _limit,
    "promises": _promise,
    "accepted": _accepted,
}
LISTED_PARTS: Final = (
    "invitations",
    "given",
    "places",
    "rules",
    "limits",
    "promises",
    "accepted",
)
