"""A file of rows, however it is written: its text, what separates its cells, its lines."""

from __future__ import annotations

import codecs
import csv
import io
from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import Final

from prim_lantern.errors import BadSite
from prim_lantern.formats.formulas import meant
from prim_lantern.site.origin import Origin, Problem

_SEPARATORS: Final = {",": "commas", ";": "semicolons", "\t": "tabs"}
_MARKED: Final = {
    codecs.BOM_UTF8: "utf-8-sig",
    codecs.BOM_UTF16_LE: "utf-16",
    codecs.BOM_UTF16_BE: "utf-16",
}
_OLD: Final = "windows-1252"  # what spreadsheets of the West write where they do not write UTF-8


@dataclass
class IncomingTable:
    """A header and rows, each with the number of its line, or of whatever is `counted` in such a
    file; `notes` say what was understood beyond what the file says of itself."""

    file: str
    header: list[str]
    rows: list[tuple[int, list[str]]]
    notes: list[str] = field(default_factory=list)
    counted: str = "line"

    def column(self, name: str) -> list[str]:
        """The cells of a column."""
        at = self.header.index(name)
        return [cells[at] for _, cells in self.rows]


def read_table(raw: bytes, file: str) -> IncomingTable:
    """The rows of a file with commas, semicolons or tabs, in UTF-8, UTF-16 with its mark, or what
    older spreadsheets write (which is said in the notes).

    Raises `BadSite` with all that cannot be read: lines with too many or too few cells, names of
    columns that are there twice, a quote that is never closed.

    >>> read_table(b"URL;Name\\n/news;News\\n", "pages.csv").rows
    [(2, ['/news', 'News'])]
    """
    notes: list[str] = []
    text = _text_of(raw, file, notes)
    first = text.partition("\n")[0]
    separator = max(_SEPARATORS, key=lambda each: _count(first, each))
    if separator != ",":
        notes.append(f"The cells are separated by {_SEPARATORS[separator]}.")
    problems: list[Problem] = []
    rows = list(_rows(text, separator, file, problems))
    header = [cell.strip() for cell in rows[0][1]] if rows else []
    if not any(header):
        problems.append(
            Problem(Origin(file, 1), None, file, "is empty: its first line names the columns.")
        )
    for number, name in enumerate(header):
        if not name:
            said = "has no name: the first line names the columns."
            problems.append(Problem(Origin(file, 1), None, f"column {number + 1}", said))
        elif name in header[:number]:
            said = "is the name of two columns; keep one."
            problems.append(Problem(Origin(file, 1), None, name, said))
    body = [(line, cells) for line, cells in rows[1:] if any(map(str.strip, cells))]
    for line, cells in body:
        if len(cells) != len(header):
            said = f"has {len(cells)} cells, but there are {len(header)} columns."
            problems.append(Problem(Origin(file, line), None, f"line {line}", said))
    if problems:
        raise BadSite(problems, file)
    return IncomingTable(file, header, body, notes)


def _text_of(raw: bytes, file: str, notes: list[str]) -> str:
    for mark, encoding in _MARKED.items():
        if raw.startswith(mark):
            return _decoded(raw, encoding, file)
    try:
        return raw.decode("utf-8")
    except UnicodeDecodeError as error:
        line = raw.count(b"\n", 0, error.start) + 1
        text = _decoded(raw, _OLD, file)
        seen = " ".join(text.split("\n")[line - 1].split())[:60]
        notes.append(
            f"The file is not UTF-8; it was read as Windows-1252. Line {line} is then: {seen}"
        )
        return text


def _decoded(raw: bytes, encoding: str, file: str) -> str:
    try:
        return raw.decode(encoding)
    except UnicodeDecodeError:
        said = "is neither UTF-8 nor what spreadsheets write; save it as UTF-8."
        raise BadSite([Problem(None, None, file, said)], file) from None


def _count(line: str, separator: str) -> int:
    """How often something stands in a line, outside of quotes."""
    return sum(each.count(separator) for each in line.split('"')[::2])


def _rows(
    text: str, separator: str, file: str, problems: list[Problem]
) -> Iterator[tuple[int, list[str]]]:
    reader = csv.reader(io.StringIO(text, newline=""), delimiter=separator, strict=True)
    line = 1
    try:
        for cells in reader:
            yield line, list(map(meant, cells))
            line = reader.line_num + 1
    except csv.Error as error:
        said = f"is no proper CSV: {error}."
        problems.append(Problem(Origin(file, line), None, f"line {line}", said))
