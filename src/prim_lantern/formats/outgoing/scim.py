"""People and groups as SCIM 2.0 JSON: a list (RFC 7644, section 3.4.2) of users and groups
(RFC 7643, sections 4.1 and 4.2)."""

from __future__ import annotations

import json
from collections import Counter
from typing import Any, Final

from prim_lantern.decide.engine import Engine
from prim_lantern.site.people import ACTIVE, BYLINE, EXTERNAL_ID, Group, User
from prim_lantern.site.who import Who

_SCHEMA: Final = "urn:ietf:params:scim:schemas:core:2.0:"
_LIST: Final = "urn:ietf:params:scim:api:messages:2.0:ListResponse"


def as_scim(engine: Engine) -> str:
    """All accounts with the groups that they are in, and all groups with their members. Ids are the
    names of groups, and the logins by which directories first knew people; bylines have no account
    and are left out."""
    data = engine.data
    labels = Counter(each.called for each in data.groups.values())
    called = {e.name: e.called if labels[e.called] == 1 else e.name for e in data.groups.values()}
    users = [each for each in data.users.values() if each.status != BYLINE]
    resources = [_user(engine, each, called) for each in users]
    resources += [_group(engine, each, called[each.name]) for each in data.groups.values()]
    found = {"schemas": [_LIST], "totalResults": len(resources), "Resources": resources}
    return json.dumps(found, ensure_ascii=False, indent=1) + "\n"


def _user(engine: Engine, user: User, called: dict[str, str]) -> dict[str, Any]:
    found: dict[str, Any] = {
        "schemas": [f"{_SCHEMA}User"],
        "id": user.scim_id,
        "userName": user.login,
        "active": user.status == ACTIVE,
        "meta": {"resourceType": "User"},
    }
    if user.attributes.get(EXTERNAL_ID):
        found["externalId"] = user.attributes[EXTERNAL_ID]
    if user.name:
        found |= {"displayName": user.name, "name": {"formatted": user.name}}
    if user.email:
        found["emails"] = [{"value": user.email, "primary": True}]
    groups = engine.crowd.belonging.ways(user.login)
    if groups:
        found["groups"] = [{"value": name, "display": called[name]} for name in groups]
    return found


def _group(engine: Engine, group: Group, called: str) -> dict[str, Any]:
    found: dict[str, Any] = {
        "schemas": [f"{_SCHEMA}Group"],
        "id": group.name,
        "displayName": called,
        "members": [
            {"value": user.scim_id, "display": user.called, "type": "User"}
            for user in map(engine.data.user, engine.crowd.members(Who("group", group.name)))
        ],
        "meta": {"resourceType": "Group"},
    }
    if group.external_id:
        found["externalId"] = group.external_id
    return found
