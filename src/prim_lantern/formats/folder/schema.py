"""A JSON Schema for site.toml, so that editors complete and check it."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from prim_lantern.formats.folder.keys import (
    BY_NAME,
    CAPABILITY_KEYS,
    CATEGORY_SETS,
    FLAG,
    MOMENT,
    ONCE,
    TABLES,
    WHOLE,
    Key,
    Table,
)
from prim_lantern.site.names import KEY_PATTERN

_TEXTS = {"type": "array", "items": {"type": "string"}}
_EITHER = {"rules": ("allow", "deny"), "promises": ("may", "may_not")}


def site_schema() -> dict[str, Any]:
    """The schema, as JSON Schema draft 2020-12.

    It says what the shape of the file is: tables, keys, and what each holds. Whether
    names are known is for the reader, which sees all three files.

    >>> site_schema()["properties"]["site"]["required"]
    ['name', 'owner']
    """
    tables = {name: _stands(name, table) for name, table in TABLES.items()}
    tables[CATEGORY_SETS] = {
        "description": "Sets of categories: keys such as wildlife/seabirds, with labels.",
        "type": "object",
        "additionalProperties": {"type": "object", "additionalProperties": {"type": "string"}},
    }
    return {
        "$schema": "https://json-schema.org/draft/2020-12/schema",
        "title": "Prim Lantern: site.toml",
        "type": "object",
        "properties": tables,
        "required": ["site"],
        "additionalProperties": False,
    }


def _stands(name: str, table: Table) -> dict[str, Any]:
    entry = _object(table.keys)
    if name in _EITHER:
        entry["oneOf"] = [{"required": [key]} for key in _EITHER[name]]
    if table.stands == ONCE:
        return {"description": table.about, **entry}
    if table.stands == BY_NAME:
        return {
            "description": table.about,
            "type": "object",
            "propertyNames": {"pattern": f"^{KEY_PATTERN}$"},
            "additionalProperties": entry,
        }
    return {"description": table.about, "type": "array", "items": entry}


def _object(keys: Mapping[str, Key]) -> dict[str, Any]:
    found: dict[str, Any] = {
        "type": "object",
        "properties": {name: {"description": k.about, **_holds(k)} for name, k in keys.items()},
        "additionalProperties": False,
    }
    required = [name for name, key in keys.items() if key.required]
    return {**found, "required": required} if required else found


def _holds(key: Key) -> dict[str, Any]:
    one: dict[str, Any] = {"type": "string"}
    if key.choices:
        one["enum"] = list(key.choices)
    match key.holds:
        case "text":
            return one
        case "list of texts":
            return {"type": "array", "items": one}
        case "list of capability rows":
            return {"type": "array", "items": _object(CAPABILITY_KEYS)}
        case "list of condition rows":
            return {"type": "array", "items": _condition_row()}
        case _:
            return dict(_PLAIN[key.holds])


_PLAIN = {
    FLAG: {"type": "boolean"},
    WHOLE: {"type": "integer"},
    MOMENT: {"type": "string", "pattern": r"^\d{4}-\d{2}-\d{2}"},
}


def _condition_row() -> dict[str, Any]:
    text, texts = {"type": "string"}, dict(_TEXTS)
    tests = {
        "is": text,
        "is_not": text,
        "one_of": texts,
        "none_of": texts,
        "contains": text,
        "before": _PLAIN[MOMENT],
        "after": _PLAIN[MOMENT],
        "filled": {"type": "boolean"},
    }
    return {
        "type": "object",
        "minProperties": 1,
        "additionalProperties": {
            "type": "object",
            "properties": tests,
            "minProperties": 1,
            "additionalProperties": False,
        },
    }
