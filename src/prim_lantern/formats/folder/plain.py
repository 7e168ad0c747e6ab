"""What site.toml says of a site, as plain values: tables, lists, texts."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date, datetime
from typing import Any

from prim_lantern.site.content import BUILT_IN_KINDS, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, moment
from prim_lantern.site.people import Group, Test
from prim_lantern.site.places import HERE_AND_BELOW, Place
from prim_lantern.site.rights import ANY, Capability, Rule


def plain_tables(data: SiteData) -> dict[str, Any]:
    """The tables of site.toml as plain values; what says nothing is left out."""
    site = {
        "name": data.name,
        "owner": data.owner,
        "default_readership": data.default_readership,
        "sign_up_groups": data.sign_up_groups,
    }
    tables: dict[str, Any] = {
        "site": _short(site) | {"name": data.name},
        "kinds": {name: _kind(each) for name, each in data.kinds.items()},
        "actions": {
            name: _short({"label": each.label, "brings": each.brings, "risky": each.risky})
            for name, each in data.actions.items()
        },
        "category_sets": {name: dict(each.categories) for name, each in data.category_sets.items()},
        "groups": {name: _group(each) for name, each in data.groups.items()},
        "plans": {
            name: _short(
                {
                    "label": each.label,
                    "groups": each.groups,
                    "lasts": str(each.lasts) if each.lasts else "",
                }
            )
            for name, each in data.plans.items()
        },
        "roles": {
            name: _short(
                {
                    "label": each.label,
                    "about": each.about,
                    "includes": each.includes,
                    "capabilities": [_capability(row) for row in each.capabilities],
                    "all_access": each.all_access,
                }
            )
            for name, each in data.roles.items()
        },
        "given": [
            _short(
                {
                    "role": each.role,
                    "to": map(str, each.to),
                    "within_any": _within(each.within_any),
                    **_period(each.period),
                }
            )
            for each in data.given
        ],
        "readerships": {
            name: _short(
                {
                    "label": each.label,
                    "readers": map(str, each.readers),
                    "all_of": map(str, each.all_of),
                    "but_not": map(str, each.but_not),
                    "no_exceptions": each.no_exceptions,
                }
            )
            for name, each in data.readerships.items()
        },
        "places": [
            _short({**_where(each.place), "readership": each.readership})
            | _unless_true("readership_from_above", each.readership_from_above)
            | _unless_true("rights_from_above", each.rights_from_above)
            for each in data.places
        ],
        "rules": [_rule(each) for each in data.rules],
        "limits": [
            {"kind": each.kind, "where": each.where, "at_most": each.at_most}
            for each in data.limits
        ],
        "promises": [
            _short(
                {
                    "who": map(str, each.who),
                    "may" if each.may else "may_not": each.actions,
                    "where": str(each.where),
                    "note": each.note,
                }
            )
            for each in data.promises
        ],
    }
    return {name: table for name, table in tables.items() if table}


def _short(values: Mapping[str, Any]) -> dict[str, Any]:
    """The values without those that say nothing; every list as a list."""
    said = {}
    for key, value in values.items():
        if isinstance(value, Iterable) and not isinstance(value, (str, Mapping)):
            value = list(value)
        if value not in (None, "", [], False):
            said[key] = value
    return said


def _unless_true(key: str, value: bool) -> dict[str, Any]:
    return {} if value else {key: False}


def _kind(kind: Kind) -> dict[str, Any]:
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


def _group(group: Group) -> dict[str, Any]:
    return _short(
        {
            "label": group.label,
            "about": group.about,
            "counts_in": group.counts_in,
            "stewards": map(str, group.stewards),
            "members": group.members,
            "when": [_row(row) for row in group.when],
            "mapped_from": group.mapped_from,
        }
    )


def _row(row: tuple[Test, ...]) -> dict[str, Any]:
    tests: dict[str, dict[str, Any]] = {}
    for test in row:
        value: Any = test.values[0]
        if test.operator in ("one_of", "none_of"):
            value = list(test.values)
        elif test.operator == "filled":
            value = test.values == ("true",)
        tests.setdefault(test.attribute, {})[test.operator] = value
    return tests


def _capability(row: Capability) -> dict[str, Any]:
    return _short({"kinds": row.kinds, "can": row.can, "own": row.own, "in_state": row.in_state})


def _rule(rule: Rule) -> dict[str, Any]:
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


def _where(place: Place) -> dict[str, Any]:
    has_reach = place.kind == "path" and place.name != "/" and place.reach != HERE_AND_BELOW
    return {"where": place.name, "reach": place.reach if has_reach else ""}


def _within(places: tuple[Place, ...]) -> list[str]:
    names = list(map(str, places))
    return [] if names == ["site"] else names


def _period(period: Period) -> dict[str, Any]:
    return {"since": _toml_moment(period.since), "until": _toml_moment(period.until)}


def _toml_moment(at: datetime | None) -> date | datetime | None:
    if at is None:
        return None
    return at.date() if moment(at.date()) == at else at
