"""The history as text: one line of JSON a change, each with a hash of the one before."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from functools import cached_property
from hashlib import sha256
from typing import Any, Final, NamedTuple, overload

from prim_lantern.change.pieces import Piece
from prim_lantern.change.record import Patch, Record
from prim_lantern.change.renames import Renames
from prim_lantern.errors import BadValue, BrokenHistory, PrimLanternError
from prim_lantern.formats.entries import Told, as_json, as_text, thing
from prim_lantern.formats.json_text import read_json
from prim_lantern.site.moments import moment

NO_HASH: Final = "0" * 64  # what the first change has for the one before


def hash_in(text: str) -> str:
    """The hash that somebody kept and gives back; `BadValue` where it is none, so that a slip of
    the hand is not taken for a history that was altered."""
    found = text.strip().casefold()
    if not re.fullmatch(r"[0-9a-f]{64}", found):
        raise BadValue(
            text,
            "is no hash that 'history seal' prints, which has 64 digits and letters from a to f: "
            "give all of it.",
        )
    return found


class Line(NamedTuple):
    """One line: the change, the number for the site after it, and the hashes.

    `hash` is the SHA-256 of the line without it, in the form of `as_json`.
    """

    record: Record
    state: str
    before: str
    hash: str


class _Patches(Sequence[Patch]):
    """What a change came to, made of the plain values only where somebody asks."""

    def __init__(self, values: Sequence[Mapping[str, Any]], number: int) -> None:
        self._values = values
        self._number = number

    def __len__(self) -> int:
        return len(self._values)

    @overload
    def __getitem__(self, at: int) -> Patch: ...
    @overload
    def __getitem__(self, at: slice) -> Sequence[Patch]: ...
    def __getitem__(self, at: int | slice) -> Patch | Sequence[Patch]:
        return self._made[at]

    @cached_property
    def _made(self) -> tuple[Patch, ...]:
        with _readable(self._number):
            return tuple(map(patch_from, self._values))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Sequence) and self._made == tuple(other)

    def __hash__(self) -> int:
        return hash(self._made)


_UNREADABLE: Final = (ValueError, KeyError, TypeError, PrimLanternError, StopIteration)


@contextmanager
def _readable(number: int) -> Iterator[None]:
    try:
        yield
    except _UNREADABLE as error:
        raise _broken(number, error) from None


def _broken(number: int, error: Exception) -> BrokenHistory:
    if isinstance(error, BrokenHistory):
        return error
    return BrokenHistory(number, f"it cannot be read ({type(error).__name__})")


def written_line(
    record: Record, state: str, before: str, told: Told | None = None
) -> tuple[Line, str]:
    """The line for a change, after the one whose hash is `before`, and its text; `told` has what is
    told elsewhere too."""
    values = _plain(record, state, before, told or Told())
    line = Line(record, state, before, _hash(values))
    return line, as_text({**values, "hash": line.hash})


def text_of(line: Line) -> str:
    """A line as text, without its end."""
    return as_text({**_plain(line.record, line.state, line.before, Told()), "hash": line.hash})


def values_from(text: str, number: int) -> Mapping[str, Any]:
    """The plain values of a line; `BrokenHistory` as for `line_from`."""
    try:  # not by `_readable`, which takes as long as all the rest
        values: Mapping[str, Any] = read_json(text)
        _ = values["patches"][:], values["at"], values["number"]
    except _UNREADABLE as error:
        raise _broken(number, error) from None
    return values


def line_from(text: str, number: int) -> Line:
    """The line that a text says; `BrokenHistory` where it makes no sense. `number` is the one it
    ought to have."""
    with _readable(number):
        values = read_json(text)
        record = _record(values)
        return Line(record, values["state"], values["before"], values["hash"])


def checked(texts: Iterable[str]) -> Iterator[Mapping[str, Any]]:
    """The values of the lines, each held against the one before; `BrokenHistory` at the first that
    does not fit."""
    before = NO_HASH
    for number, text in enumerate(texts, 1):
        with _readable(number):
            values = dict(values_from(text, number))
            kept, _ = values.pop("hash"), values["state"]
        if values["number"] != number:
            raise BrokenHistory(number, f"its number is {values['number']}")
        if values["before"] != before:
            raise BrokenHistory(number, "it does not follow the change before it")
        if kept != _hash(values):
            raise BrokenHistory(number, "it is not what was written at the time")
        before = kept
        yield {**values, "hash": kept}


def _hash(values: Mapping[str, Any]) -> str:
    return sha256(as_json(values).encode()).hexdigest()


def _plain(record: Record, state: str, before: str, told: Told) -> dict[str, Any]:
    return {
        "number": record.number,
        "at": record.at.isoformat(),
        "by": record.by,
        "reason": record.reason,
        "said": list(record.said),
        "operations": [dict(each) for each in record.operations],
        "patches": [_plain_patch(each, told) for each in record.patches],
        "effects": list(record.effects),
        "undoes": record.undoes,
        "state": state,
        "before": before,
    }


def _plain_patch(patch: Patch, told: Told) -> dict[str, Any]:
    return {
        "paths": dict(patch.renames.paths),
        "groups": dict(patch.renames.groups),
        "renames_first": patch.renames_first,
        "pieces": [
            {
                "part": each.part,
                "name": each.name,
                "at": each.at,
                "before": told.plain(each.part, each.before),
                "after": told.plain(each.part, each.after),
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
        patches=_Patches(values["patches"][:], values["number"]),
        effects=tuple(values["effects"]),
        undoes=values["undoes"],
    )


def patch_from(values: Mapping[str, Any]) -> Patch:
    """The patch that plain values say."""
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
