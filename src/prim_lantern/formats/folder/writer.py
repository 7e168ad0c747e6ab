"""Writing a site folder that reads back as an equal site."""

from __future__ import annotations

import csv
import io
import os
from collections.abc import Iterable, Mapping
from datetime import date, datetime
from pathlib import Path
from typing import Any

from prim_lantern.errors import NotOverwritten
from prim_lantern.formats.folder.csv_rows import CONTENT_FILE, PEOPLE_FILE
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.folder.reader import SITE_FILE
from prim_lantern.site.content import BUILT_IN_KINDS, PUBLISHED, Item, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, moment, written
from prim_lantern.site.people import ACTIVE, Group, Test, User
from prim_lantern.site.places import HERE_AND_BELOW, Place
from prim_lantern.site.rights import ANY, Capability, Rule

_LAID_OUT_FROM = 70  # letters from which a list gets a line for each entry


def write_folder(data: SiteData, folder: str | Path, *, overwrite: bool = False) -> None:
    """Write a site as a folder.

    Parameters: the site; the folder, made where it is missing; whether files that are
    there may be replaced. Each file is replaced whole or not at all.
    Raises `NotOverwritten` when one of the files is there and `overwrite` was not said.

    >>> import tempfile
    >>> from prim_lantern.demo import DEMO_FOLDER
    >>> from prim_lantern.formats.folder.reader import read_folder
    >>> site = read_folder(DEMO_FOLDER)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     write_folder(site, folder)
    ...     read_folder(folder) == site
    True
    """
    folder = Path(folder)
    texts = {
        SITE_FILE: toml_text(data),
        PEOPLE_FILE: _csv_text(
            (*PEOPLE_COLUMNS, *data.attributes), map(_person, data.users.values())
        ),
        CONTENT_FILE: _csv_text(CONTENT_COLUMNS, (_item(data.items[path]) for path in data.paths)),
    }
    there = [name for name in texts if (folder / name).exists()]
    if there and not overwrite:
        raise NotOverwritten(str(folder / there[0]), "Choose another folder, or say to overwrite.")
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in texts.items():
        beside = folder / f".{name}.new"
        beside.write_text(text, encoding="utf-8", newline="")
        os.replace(beside, folder / name)


def toml_text(data: SiteData) -> str:
    """What site.toml says of a site."""
    import tomlkit  # only when a site is written

    document = tomlkit.document()
    for name, value in _plain(data).items():
        if isinstance(value, list):
            document[name] = tomlkit.aot()
            for entry in value:
                document[name].append(_table(entry))
        elif name == "site":
            document[name] = _table(value)
        else:
            outer = tomlkit.table(is_super_table=True)
            for each, entry in value.items():
                outer[each] = _table(entry)
            document[name] = outer
    return tomlkit.dumps(document)


def _table(entry: Mapping[str, Any]) -> Any:
    import tomlkit

    table = tomlkit.table()
    for key, value in entry.items():
        table[key] = _laid_out(value)
    table.add(tomlkit.nl())
    return table


def _laid_out(value: Any) -> Any:
    import tomlkit

    if not isinstance(value, list):
        return value
    array = tomlkit.array()
    for each in value:
        if isinstance(each, dict):
            inline = tomlkit.inline_table()
            inline.update(each)
            array.append(inline)
        else:
            array.append(each)
    rows = any(isinstance(each, dict) for each in value)
    return array.multiline(rows or len(array.as_string()) > _LAID_OUT_FROM)


def _plain(data: SiteData) -> dict[str, Any]:
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


def _csv_text(header: Iterable[str], rows: Iterable[Mapping[str, str]]) -> str:
    text = io.StringIO(newline="")
    writer = csv.DictWriter(text, list(header), restval="", lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue()


def _person(user: User) -> dict[str, str]:
    memberships = [
        each.group + (f"@{_ends(each.period)}" if each.period != Period() else "")
        for each in user.memberships
    ]
    enrolments = [f"plan:{each.plan}@{written(each.since)}" for each in user.enrolments]
    return {
        "login": user.login,
        "name": user.name,
        "email": user.email,
        "status": user.status if user.status != ACTIVE else "",
        "groups": ";".join(memberships + enrolments),
        "roles_elsewhere": ";".join(user.roles_elsewhere),
        "joined": _moment(user.joined),
        **user.attributes,
    }


def _ends(period: Period) -> str:
    return f"{_moment(period.since)}..{_moment(period.until)}"


def _item(item: Item) -> dict[str, str]:
    return {
        "path": item.path,
        "kind": item.kind,
        "title": item.title,
        "authors": ";".join(item.authors),
        "changed_by": ";".join(item.changed_by),
        "state": item.state if item.state != PUBLISHED else "",
        "categories": ";".join(item.categories),
        "readership": item.readership or "",
        "public_from": _moment(item.public_from),
        "public_until": _moment(item.public_until),
        "links_to": item.links_to or "",
    }


def _moment(at: datetime | None) -> str:
    return written(at) if at else ""
