"""Rows as CSV text: all anew, or where few differ, put into the text that is there."""

from __future__ import annotations

import csv
import io
from collections.abc import Callable, Collection, Iterable, Mapping, Sequence
from itertools import accumulate
from typing import Any, Final, NamedTuple

from prim_lantern.site.columns import Columns

_FEW: Final = 50  # rows that are put into the text one by one


def csv_text(
    columns: Sequence[str], rows: Iterable[Mapping[str, str]], before: str | None = None
) -> str:
    """Rows as CSV with a header, the columns in the order that the text before has."""
    text = _Lines()
    writer = _writer(text, _header(columns, before))
    writer.writeheader()
    writer.writerows(rows)
    return "".join(text.lines)


class CsvTable(NamedTuple):
    """A file of things, one a row: the column that names each, all columns, the cells of one."""

    key: str
    columns: Sequence[str]
    cells: Callable[[Any], Mapping[str, str]]

    def text(self, after: Columns[Any], before: Columns[Any] | None, text: str | None) -> str:
        """The text that says `after`. Where it is known how few rows differ from those `before`,
        which `text` says, all others stay as they are written there."""
        changed = self._put_in(after, before, text) if before is not None and text else None
        if changed is None:
            return csv_text(self.columns, map(self.cells, after.values()), text)
        return changed

    def _put_in(self, after: Columns[Any], before: Columns[Any], text: str) -> str | None:
        moved = after.moved_since(before)
        if moved is None or len(moved.gone) + len(moved.changed) + moved.added > _FEW:
            return None
        header = _header(self.columns, text)
        first = next(csv.reader(io.StringIO(text)), [])
        if "\r" in text or [*map(str.strip, first)] != header or header[0] != self.key:
            return None  # other line ends, columns more or fewer, or names in another place
        gone = [before.names[row] for row in moved.gone]
        changed = {after.names[row]: after.at(row) for row in moved.changed}
        where = _records_of(text, {*gone, *changed})
        if len(where) < len(gone) + len(changed):
            return None
        for name, (start, end) in sorted(where.items(), key=lambda each: each[1], reverse=True):
            new = self._lines(header, [changed[name]]) if name in changed else ""
            text = text[:start] + new + text[end:]
        added = self._lines(header, map(after.at, moved.new))
        return text if not added else f"{text.removesuffix(chr(10))}\n{added}"

    def _lines(self, header: Sequence[str], things: Iterable[Any]) -> str:
        text = _Lines()
        _writer(text, header).writerows(map(self.cells, things))
        return "".join(text.lines)


def _records_of(text: str, names: Collection[str]) -> dict[str, tuple[int, int]]:
    """Where the rows that some names begin stand in a text: from the first letter to behind the
    line end."""
    found = {}
    if '"' not in text:  # a row a line
        for name in names:
            start = text.find(f"\n{name},") + 1
            end = text.find("\n", start) + 1
            if start and end:
                found[name] = start, end
        return found
    lines = text.split("\n")
    starts = [0, *accumulate(len(line) + 1 for line in lines)]
    reader, line = csv.reader(f"{each}\n" for each in lines), 0
    for row in reader:
        if row and row[0] in names and starts[reader.line_num] <= len(text):
            found[row[0]] = starts[line], starts[reader.line_num]
        line = reader.line_num
    return found


def _header(columns: Sequence[str], before: str | None) -> list[str]:
    """The columns, those that a text has first and in its order."""
    first = next(csv.reader(io.StringIO(before or "")), [])
    had = [cell.strip() for cell in first if cell.strip() in columns]
    return [*had, *(each for each in columns if each not in had)]


def _writer(text: _Lines, header: Sequence[str]) -> csv.DictWriter[str]:
    # with this line end, whatever could end a line is put in quotes
    return csv.DictWriter(text, header, restval="", lineterminator="\r\n")


class _Lines:
    """Takes rows as they are written, each with a plain line end."""

    def __init__(self) -> None:
        self.lines: list[str] = []

    def write(self, row: str) -> int:
        self.lines.append(row[:-2] + "\n")
        return len(row)
