"""People and groups as SCIM 2.0 JSON (RFC 7643; a list as in RFC 7644, section 3.4.2)."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping
from typing import Any

from prim_lantern.errors import BadSite
from prim_lantern.formats.incoming.table import IncomingTable
from prim_lantern.site.origin import Problem

_HEADER = ["login", "name", "email", "status", "groups"]


def is_scim(found: Any) -> bool:
    """Whether some JSON speaks of SCIM resources."""
    first = found[0] if isinstance(found, list) and found else found
    return isinstance(first, Mapping) and ("schemas" in first or "Resources" in first)


def read_scim(found: Any, file: str) -> IncomingTable:
    """The users of a list, or of one resource, with the groups that they say they are in and those
    that have them as members, and an `external_id` where anybody has one. Whoever is not active is
    suspended."""
    resources = found.get("Resources", [found]) if isinstance(found, Mapping) else found
    if not isinstance(resources, list):
        raise BadSite([Problem(None, file, resources, "is no list of resources.")], file)
    people, groups = [], defaultdict[str, list[str]](list)
    for number, each in enumerate(resources, 1):
        if not isinstance(each, Mapping):
            raise BadSite([Problem(None, f"{file}, entry {number}", each, "is no resource.")], file)
        if "members" in each or _is(each, "Group"):
            for member in _entries(each, "members"):
                groups[str(member.get("value", ""))].append(str(each.get("displayName", "")))
        else:
            people.append((number, each))
    known = any(each.get("externalId") for _, each in people)
    rows = []
    for number, each in people:
        named = [e.get("display") or e.get("value") for e in _entries(each, "groups")]
        named += [name for key in ("id", "userName") for name in groups.get(str(each.get(key)), ())]
        known_by = [str(each.get("externalId") or "")] if known else []
        in_groups = "; ".join(dict.fromkeys(map(str, filter(None, named))))
        rows.append((number, [*_cells(each), in_groups, *known_by]))
    header = [*_HEADER, *(["external_id"] if known else [])]
    return IncomingTable(file, header, rows, counted="entry")


def _is(resource: Mapping[str, Any], kind: str) -> bool:
    schemas = resource.get("schemas")
    named = schemas if isinstance(schemas, list) else [schemas]
    return any(str(each).endswith(f":core:2.0:{kind}") for each in named)


def _cells(user: Mapping[str, Any]) -> list[str]:
    name = user.get("name")
    name = name if isinstance(name, Mapping) else {}
    parts = (name.get("givenName"), name.get("familyName"))
    called = user.get("displayName") or name.get("formatted")
    called = called or " ".join(str(each) for each in parts if each)
    addresses = _entries(user, "emails")
    first = next((each for each in addresses if each.get("primary")), {})
    email = first.get("value") or next((each.get("value") for each in addresses), "")
    status = "active" if user.get("active", True) else "suspended"
    return [str(user.get("userName") or ""), str(called or ""), str(email or ""), status]


def _entries(resource: Mapping[str, Any], name: str) -> list[Mapping[str, Any]]:
    found = resource.get(name)
    return [each for each in found if isinstance(each, Mapping)] if isinstance(found, list) else []
