"""The text of a site folder's files, and the problems met while reading them."""

from __future__ import annotations

import csv
import io
import re
import tomllib
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

from prim_lantern.errors import BadValue
from prim_lantern.site import names
from prim_lantern.site.origin import Origin, Problem

_T = TypeVar("_T")
_LONGEST_CELL = 131_072
_TOML_WHERE = re.compile(r" \(at (?:line (\d+), column \d+|end of document)\)$")


class Problems:
    """The problems of a folder, as they are met."""

    def __init__(self) -> None:
        self.found: list[Problem] = []

    def wrong(
        self,
        origin: Origin,
        key: str | None,
        value: object,
        expected: str,
        known: Collection[str] = (),
    ) -> None:
        """Note a problem; the nearest of the `known` names are suggested."""
        near = names.nearest(value, known) if known and isinstance(value, str) else ()
        place = origin.of(key) if key else origin
        self.found.append(Problem(place, key, value, expected, near))

    def attempt(
        self, origin: Origin, key: str, read: Callable[[str], _T], text: str, otherwise: _T
    ) -> _T:
        """What `read` makes of a text, or `otherwise`, with the problem noted."""
        try:
            return read(text)
        except BadValue as error:
            self.wrong(origin, key, error.value, error.expected)
            return otherwise


def text_of(folder: Path, name: str, problems: Problems) -> str | None:
    """The text of a file, or None with the problem noted: missing, unreadable, not UTF-8."""
    origin = Origin(name, 1)
    try:
        raw = (folder / name).read_bytes()
    except FileNotFoundError:
        problems.wrong(origin, None, name, "is missing; a site folder has three files.")
        return None
    except OSError as error:
        problems.wrong(origin, None, name, f"cannot be read: {error.strerror}.")
        return None
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        value = raw[error.start : error.start + 1].hex()
        expected = "is a byte that is not UTF-8; save the file as UTF-8."
        problems.wrong(Origin(name, line), None, f"0x{value}", expected)
        return None


def toml_of(name: str, text: str, problems: Problems) -> Mapping[str, Any] | None:
    """The values of a TOML text, or None with the problem noted."""
    try:
        return tomllib.loads(text)
    except tomllib.TOMLDecodeError as error:
        message = str(error)
        where = _TOML_WHERE.search(message)
        line = int(where[1]) if where and where[1] else text.count("\n") + 1
        said = _TOML_WHERE.sub("", message)
        if said == "Cannot overwrite a value" or said.startswith("Cannot declare"):
            said = "This key or table is there twice"
        content = text.split("\n")[line - 1].strip() if text else ""
        problems.wrong(Origin(name, line), None, content, f"is no proper TOML: {said}.")
    except RecursionError:
        problems.wrong(Origin(name, 1), None, name, "is no proper TOML: nested too deep.")
    return None


def rows_of(
    name: str,
    text: str,
    columns: Sequence[str],
    needed: Sequence[str],
    problems: Problems,
    *,
    more: bool,
) -> tuple[list[str], Iterator[tuple[Origin, dict[str, str]]]]:
    """The header of a CSV text, and an iterator over its rows, empty lines left out.

    `needed` columns must be there; others than `columns` may be only where `more` says
    so. Rows that cannot be read are noted and left out.
    """
    reader = csv.reader(io.StringIO(text, newline=""), strict=True)
    first = Origin(name, 1)
    try:
        header = [cell.strip() for cell in next(reader, [])]
    except csv.Error as error:
        _not_csv(name, 1, error, problems)
        return [], iter(())
    for column in needed:
        if column not in header:
            expected = f"is a column that {name} needs; its first line names the columns."
            problems.wrong(first, None, column, expected, header)
    for number, column in enumerate(header):
        if not column:
            expected = "has no name; the first line names the columns."
            problems.wrong(first, None, f"column {number + 1}", expected)
        elif header.index(column) < number:
            problems.wrong(first, None, column, "is the name of two columns; keep one.")
        elif column not in columns and not more:
            problems.wrong(first, None, column, f"is no column of {name}.", columns)
    return header, _rows(name, header, reader, problems)


def _rows(
    name: str, header: list[str], reader: Any, problems: Problems
) -> Iterator[tuple[Origin, dict[str, str]]]:
    while True:
        line = reader.line_num + 1
        try:
            cells = next(reader, None)
        except csv.Error as error:
            _not_csv(name, line, error, problems)
            return
        if cells is None:
            return
        if not any(cells):
            continue
        if len(cells) > len(header):
            expected = f"has {len(cells)} cells, but there are {len(header)} columns."
            problems.wrong(Origin(name, line), None, ",".join(cells), expected)
            continue
        yield Origin(name, line), dict(zip(header, map(str.strip, cells), strict=False))


def _not_csv(name: str, line: int, error: csv.Error, problems: Problems) -> None:
    said = str(error)
    if "field limit" in said:
        said = f"a cell is longer than {_LONGEST_CELL:,} letters. Is a closing quote missing?"
    elif "unexpected end" in said:
        said = "a quote that opens here is never closed."
    problems.wrong(Origin(name, line), None, f"line {line}", f"is no proper CSV: {said}")
