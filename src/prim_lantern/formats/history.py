"""The history as text: one line of JSON a change, each with a hash of the one before."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping
from hashlib import sha256
from typing import Any, Final, NamedTuple

from prim_lantern.change.pieces import Piece
from prim_lantern.change.record import Patch, Record
from prim_lantern.change.renames import Renames
from prim_lantern.errors import BrokenHistory, PrimLanternError
from prim_lantern.formats.entries import as_json, plain, thing
from prim_lantern.site.moments import moment

NO_HASH: Final = "0" * 64  # what the first change has for the one before


class Line(NamedTuple):
    """One line: the change, the number for the site after it, and the hashes.

    `hash` is the SHA-256 of the line without it, in the form of `as_json`.
    """

    record: Record
    state: str
    before: str
    hash: str


def line_of(record: Record, state: str, before: str) -> Line:
    """The line for a change, after the one whose hash is `before`."""
    return Line(record, state, before, _hash(_plain(record, state, before)))


def text_of(line: Line) -> str:
    """A line as text, without its end."""
    return as_json({**_plain(line.record, line.state, line.before), "hash": line.hash})


def line_from(text: str, number: int) -> Line:
    """The line that a text says; `BrokenHistory` where it makes no sense. `number` is the one it
    ought to have."""
    try:
        values = json.loads(text)
        record = _record(values)
        return Line(record, values["state"], values["before"], values["hash"])
    except (ValueError, KeyError, TypeError, PrimLanternError, StopIteration) as error:
        raise BrokenHistory(number, f"it cannot be read ({type(error).__name__})") from None


def checked(lines: Iterable[Line], texts: Iterable[str]) -> Iterator[Line]:
    """The lines, each held against the one before; `BrokenHistory` at the first that does not
    fit."""
    before = NO_HASH
    for number, (line, text) in enumerate(zip(lines, texts, strict=True), 1):
        values = json.loads(text)
        values.pop("hash")
        if line.record.number != number:
            raise BrokenHistory(number, f"its number is {line.record.number}")
        if line.before != before:
            raise BrokenHistory(number, "it does not follow the change before it")
        if line.hash != _hash(values):
            raise BrokenHistory(number, "it is not what was written at the time")
        before = line.hash
        yield line


def _hash(values: Mapping[str, Any]) -> str:
    return sha256(as_json(values).encode()).hexdigest()


def _plain(record: Record, state: str, before: str) -> dict[str, Any]:
    return {
        "number": record.number,
        "at": record.at.isoformat(),
        "by": record.by,
        "reason": record.reason,
        "said": list(record.said),
        "operations": [dict(each) for each in record.operations],
        "patches": [_plain_patch(each) for each in record.patches],
        "effects": list(record.effects),
        "undoes": record.undoes,
        "state": state,
        "before": before,
    }


def _plain_patch(patch: Patch) -> dict[str, Any]:
    return {
        "paths": dict(patch.renames.paths),
        "groups": dict(patch.renames.groups),
        "renames_first": patch.renames_first,
        "pieces": [
            {
                "part": each.part,
                "name": each.name,
                "at": each.at,
                "before": plain(each.part, each.before),
                "after": plain(each.part, each.after),
            }
            for each in patch.pieces
        ],
    }


def _record(values: Mapping[str, Any]) -> Record:
    return Record(
        number=values["number"],
        at=moment(values["at"]),
        by=values["by"],
        reason=values["reason"],
        said=tuple(values["said"]),
        operations=tuple(values["operations"]),
        patches=tuple(map(_patch, values["patches"])),
        effects=tuple(values["effects"]),
        undoes=values["undoes"],
    )


def _patch(values: Mapping[str, Any]) -> Patch:
    pieces = (
        Piece(
            each["part"],
            each["name"],
            thing(each["part"], each["name"], each["before"]),
            thing(each["part"], each["name"], each["after"]),
            each["at"],
        )
        for each in values["pieces"]
    )
    renames = Renames(values["paths"], values["groups"])
    return Patch(renames, tuple(pieces), values["renames_first"])
