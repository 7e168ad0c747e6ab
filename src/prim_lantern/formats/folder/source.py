"""The text of a site folder's files, and the problems met while reading them."""

from __future__ import annotations

import csv
import gc
import io
import re
import tomllib
from collections.abc import Callable, Collection, Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path
from typing import Any, NamedTuple, TypeVar

from prim_lantern.errors import BadValue
from prim_lantern.site import names
from prim_lantern.site.moments import moment
from prim_lantern.site.origin import Origin, Problem

_T = TypeVar("_T")
Progress = Callable[[str, int, int], None]
"""Is told the name of a file, how much of it has been read, and how much there is."""

_LONGEST_CELL = 131_072
_AT_ONCE = 20_000  # rows
_TOML_WHERE = re.compile(r" \(at (?:line (\d+), column \d+|end of document)\)$")


class Problems:
    """The problems of a folder, as they are met; and how the moments in it are read."""

    def __init__(self, moment: Callable[[Any], datetime] = moment) -> None:
        self.found: list[Problem] = []
        self.moment = moment

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


def bytes_of(
    folder: Path, name: str, problems: Problems, found: bytes | None = None
) -> bytes | None:
    """What a file holds, where it was not found yet; or None with the problem noted: missing,
    unreadable, not UTF-8."""
    origin = Origin(name, 1)
    try:
        raw = (folder / name).read_bytes() if found is None else found
    except FileNotFoundError:
        problems.wrong(origin, None, name, "is missing; a site folder has three files.")
        return None
    except OSError as error:
        problems.wrong(origin, None, name, f"cannot be read: {error.strerror}.")
        return None
    try:
        raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        value = raw[error.start : error.start + 1].hex()
        expected = "is a byte that is not UTF-8; save the file as UTF-8."
        problems.wrong(Origin(name, line), None, f"0x{value}", expected)
        return None
    return raw


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
    except ValueError:  # Python reads no such numbers, as that takes long
        problems.wrong(Origin(name, 1), None, name, "is no proper TOML: a number is too long.")
    return None


@contextmanager
def without_collecting() -> Iterator[None]:
    """Let the garbage collector rest: it would walk through all that is read, again and again."""
    was_on = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_on:
            gc.enable()


class Rows(NamedTuple):
    """Some rows of a CSV file: a column of cells for each name, and the line of each row."""

    columns: Mapping[str, Sequence[str]]
    lines: Sequence[int]


class CsvFile:
    """A CSV file, read some rows at a time; empty lines are left out.

    `needed` columns must be there; others than `columns` may be only where `more` says so.
    Rows that cannot be read are noted and left out.
    """

    def __init__(
        self,
        name: str,
        raw: bytes,
        columns: Sequence[str],
        needed: Sequence[str],
        problems: Problems,
        *,
        more: bool,
        progress: Progress | None = None,
    ) -> None:
        self.name = name
        self.header: list[str] = []
        self._problems = problems
        self._progress = progress
        self._raw = io.BytesIO(raw)
        self._size = len(raw)
        text = io.TextIOWrapper(self._raw, encoding="utf-8-sig", newline="")
        self._reader = csv.reader(text, strict=True)
        first = Origin(name, 1)
        try:
            self.header = [cell.strip() for cell in next(self._reader, [])]
        except csv.Error as error:
            _not_csv(name, 1, error, problems)
            return
        for column in needed:
            if column not in self.header:
                expected = f"is a column that {name} needs; its first line names the columns."
                problems.wrong(first, None, column, expected, self.header)
        for number, column in enumerate(self.header):
            if not column:
                expected = "has no name; the first line names the columns."
                problems.wrong(first, None, f"column {number + 1}", expected)
            elif self.header.index(column) < number:
                problems.wrong(first, None, column, "is the name of two columns; keep one.")
            elif column not in columns and not more:
                problems.wrong(first, None, column, f"is no column of {name}.", columns)

    def __iter__(self) -> Iterator[Rows]:
        """The rows, some thousand at a time."""
        rows: list[list[str]] = []
        lines: list[int] = []
        line = self._reader.line_num + 1
        try:
            for cells in self._reader if self.header else ():
                if (cells and cells[0]) or any(cells):
                    rows.append(cells)
                    lines.append(line)
                line = self._reader.line_num + 1
                if len(rows) == _AT_ONCE:
                    yield self._in_columns(rows, lines)
                    rows, lines = [], []
        except csv.Error as error:
            _not_csv(self.name, line, error, self._problems)
        if rows:
            yield self._in_columns(rows, lines)

    def _in_columns(self, rows: list[list[str]], lines: list[int]) -> Rows:
        width = len(self.header)
        if any(len(cells) != width for cells in rows):
            fitting = []
            for cells, line in zip(rows, lines, strict=True):
                if len(cells) != width:
                    count = f"{len(cells)} cell{'s' if len(cells) != 1 else ''}"
                    expected = f"has {count}, but there are {width} columns."
                    origin = Origin(self.name, line)
                    self._problems.wrong(origin, None, ",".join(cells), expected)
                else:
                    fitting.append((cells, line))
            rows, lines = [cells for cells, _ in fitting], [line for _, line in fitting]
        if self._progress is not None:
            self._progress(self.name, self._raw.tell(), self._size)
        columns = zip(*rows, strict=True) if rows else ([] for _ in self.header)
        return Rows(dict(zip(self.header, columns, strict=True)), lines)


def _not_csv(name: str, line: int, error: csv.Error, problems: Problems) -> None:
    said = str(error)
    if "field limit" in said:
        said = f"a cell is longer than {_LONGEST_CELL:,} letters. Is a closing quote missing?"
    elif "unexpected end" in said:
        said = "a quote that opens here is never closed."
    problems.wrong(Origin(name, line), None, f"line {line}", f"is no proper CSV: {said}")
