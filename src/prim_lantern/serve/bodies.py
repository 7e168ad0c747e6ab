"""The body of a request: JSON of a bounded size and depth."""

from __future__ import annotations

from typing import Any, Final

from starlette.requests import Request

from prim_lantern.formats.json_text import read_json
from prim_lantern.serve.problems import Problem

LARGEST: Final = 1_000_000  # bytes
_DEEPEST: Final = 32


async def body_of(request: Request, *types: str) -> dict[str, Any]:
    """The object that a request brings; `Problem` for anything else."""
    said = request.headers.get("content-type", "").partition(";")[0].strip().lower()
    if said not in ("application/json", *types):
        raise Problem(415, "Send a body of the type application/json.")
    raw = bytearray()
    async for part in request.stream():
        raw += part
        if len(raw) > LARGEST:
            raise Problem(413, f"A body may have {LARGEST:,} bytes at most.")
    try:
        found = read_json(bytes(raw))
    except ValueError:
        raise Problem(400, "The body is no JSON.") from None
    if not isinstance(found, dict):
        raise Problem(400, "The body is to be an object of JSON.")
    if _too_deep(found):
        raise Problem(400, f"The body may be {_DEEPEST} levels deep at most.")
    return found


def _too_deep(value: Any) -> bool:
    level = [value]
    for _ in range(_DEEPEST):
        level = [
            inner
            for each in level
            if isinstance(each, dict | list)
            for inner in (each.values() if isinstance(each, dict) else each)
        ]
        if not level:
            return False
    return True
