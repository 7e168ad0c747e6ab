"""What is served, described by OpenAPI 3.1."""

from __future__ import annotations

from typing import Any, Final

from prim_lantern import __version__

_TEXT: Final = {"type": "string", "minLength": 1}


def _object(required: list[str], **properties: Any) -> dict[str, Any]:
    return {"type": "object", "required": required, "properties": properties}


_PROPERTIES: Final = {"properties": {"type": "object"}}
_SUBJECT: Final = _object(["type", "id"], type={"enum": ["user", "guest"]}, id=_TEXT, **_PROPERTIES)
_ACTION: Final = _object(["name"], name=_TEXT, **_PROPERTIES)
_RESOURCE: Final = _object(
    ["type", "id"], type={"enum": ["item", "place"]}, id=_TEXT, **_PROPERTIES
)
_CONTEXT: Final = {
    "type": "object",
    "properties": {
        "time": {"type": "string", "format": "date-time"},
        "reasons": {"type": "array", "items": {"enum": ["user", "admin"]}},
    },
}
_PAGE: Final = {
    "type": "object",
    "properties": {"token": {"type": "string"}, "limit": {"type": "integer", "minimum": 1}},
}
_QUESTION: Final = {
    "subject": _SUBJECT,
    "action": _ACTION,
    "resource": _RESOURCE,
    "context": _CONTEXT,
}
_DECISION: Final = _object(["decision"], decision={"type": "boolean"}, context={"type": "object"})
_RESULTS: Final = _object(
    ["results"], results={"type": "array", "items": {"type": "object"}}, page={"type": "object"}
)
_TYPED: Final = _object(["type"], type=_TEXT)


def description() -> dict[str, Any]:
    """The description (OpenAPI 3.1)."""
    paths: dict[str, Any] = {
        f"/access/v1/{name}": {"post": _post(summary, body, answer)}
        for name, (summary, body, answer) in _asking().items()
    }
    for path, summary in (
        ("/.well-known/authzen-configuration", "Where the Authorization API is."),
        ("/openapi.json", "This description."),
        ("/-/metrics", "What is counted, for Prometheus."),
    ):
        paths[path] = {"get": {"summary": summary, "responses": _answers({})}}
    for path, summary in (("/-/alive", "Is the process there?"), ("/-/ready", "Does it answer?")):
        paths[path] = {"get": {"summary": summary, "security": [], "responses": _answers({})}}
    paths |= _scim()
    return {
        "openapi": "3.1.0",
        "info": {"title": "Prim Lantern", "version": __version__},
        "security": [{"token": []}],
        "components": {"securitySchemes": {"token": {"type": "http", "scheme": "bearer"}}},
        "paths": paths,
    }


def _asking() -> dict[str, tuple[str, dict[str, Any], dict[str, Any]]]:
    """The questions of the Authorization API: what each is for, its body, its answer."""
    evaluations = {
        **_QUESTION,
        "evaluations": {"type": "array", "items": {"type": "object", "properties": _QUESTION}},
        "options": {"type": "object"},
    }
    all_three = ["subject", "action", "resource"]
    searched = {"context": _CONTEXT, "page": _PAGE}
    who = {**_QUESTION, **searched, "subject": _TYPED}
    where = {**_QUESTION, **searched, "resource": _TYPED}
    what = {"subject": _SUBJECT, "resource": _RESOURCE, **searched}
    return {
        "evaluation": ("May they?", _object(all_three, **_QUESTION), _DECISION),
        "evaluations": (
            "Several questions at once.",
            _object([], **evaluations),
            {"type": "object"},
        ),
        "search/subject": ("Who may?", _object(all_three, **who), _RESULTS),
        "search/resource": ("To what may they do it?", _object(all_three, **where), _RESULTS),
        "search/action": (
            "What may they do to it?",
            _object(["subject", "resource"], **what),
            _RESULTS,
        ),
    }


def _post(summary: str, body: dict[str, Any], answer: dict[str, Any]) -> dict[str, Any]:
    content = {"application/json": {"schema": body}}
    return {
        "summary": summary,
        "requestBody": {"required": True, "content": content},
        "responses": _answers(answer),
    }


def _answers(schema: dict[str, Any]) -> dict[str, Any]:
    problem = {"application/problem+json": {"schema": {"type": "object"}}}
    found: dict[str, Any] = {"200": {"description": "The answer."}}
    if schema:
        found["200"]["content"] = {"application/json": {"schema": schema}}
    return {**found, "default": {"description": "Why there is none.", "content": problem}}


def _scim() -> dict[str, Any]:
    by_id = {"name": "id", "in": "path", "required": True, "schema": {"type": "string"}}
    query = [
        {"name": name, "in": "query", "schema": {"type": kind}}
        for name, kind in (
            ("filter", "string"),
            ("sortBy", "string"),
            ("startIndex", "integer"),
            ("count", "integer"),
        )
    ]
    body = {
        "required": True,
        "content": {"application/scim+json": {"schema": {"type": "object"}}},
    }
    answers = {"default": {"description": "The resource, or an error of SCIM (RFC 7644)."}}
    paths: dict[str, Any] = {}
    for sort in ("Users", "Groups"):
        paths[f"/scim/v2/{sort}"] = {
            "get": {"summary": f"{sort}.", "parameters": query, "responses": answers},
            "post": {"summary": f"Add to {sort}.", "requestBody": body, "responses": answers},
        }
        paths[f"/scim/v2/{sort}/{{id}}"] = {
            "parameters": [by_id],
            "get": {"summary": f"One of {sort}.", "responses": answers},
            "put": {"summary": "Replace it.", "requestBody": body, "responses": answers},
            "patch": {"summary": "Change it.", "requestBody": body, "responses": answers},
            "delete": {"summary": "Take it away.", "responses": answers},
        }
    paths["/scim/v2/Bulk"] = {
        "post": {"summary": "Several writes.", "requestBody": body, "responses": answers}
    }
    for name in ("ServiceProviderConfig", "ResourceTypes", "Schemas"):
        paths[f"/scim/v2/{name}"] = {"get": {"summary": f"{name}.", "responses": answers}}
    return paths
