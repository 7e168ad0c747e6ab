"""Workbooks as a folder of CSV files (RFC 4180), a file for each page."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Sequence
from pathlib import Path

from prim_lantern.formats.formulas import harmless, meant
from prim_lantern.formats.whole import write_whole
from prim_lantern.formats.workbook.sheet import (
    AS_MADE,
    MADE_COLUMNS,
    Cell,
    ReadBook,
    Reading,
    Sheet,
)


def write_csv_folder(where: Path, sheets: Sequence[Sheet]) -> None:
    """Write pages to a folder, which is made where it is not there."""
    where.mkdir(parents=True, exist_ok=True)
    for each in sheets:
        _write(where / _file(each.name), [[c.key for c in each.columns], *each.rows])
    made = [(each.name, *cell) for each in sheets for cell in each.cells()]
    _write(where / _file(AS_MADE), [MADE_COLUMNS, *made])


def _file(page: str) -> str:
    return f"{page.replace(' ', '-')}.csv"


def _write(file: Path, rows: Sequence[Sequence[str]]) -> None:
    text = io.StringIO(newline="")
    csv.writer(text).writerows([map(harmless, row) for row in rows])
    write_whole(file, text.getvalue())


def _said(text: str) -> str:
    return meant(re.sub(r"\s+", " ", text).strip())


def read_csv_folder(where: Path) -> ReadBook:
    """Read a folder of CSV files that was written here, and edited."""
    reading = Reading(str(where))
    made = where / _file(AS_MADE)
    if made.exists():
        reading.keep_made(tuple(map(_said, row)) for _, row in _rows(reading, made)[1:])
    for page in dict.fromkeys(page for page, _, _ in reading.made):
        file = where / _file(page)
        if not file.exists():
            continue
        rows = [
            [Cell(_said(text), f"{file.name}, line {line}") for text in row]
            for line, row in _rows(reading, file)
        ]
        if rows:
            reading.add(page, rows[0], rows[1:])
    return reading.done()


def _rows(reading: Reading, file: Path) -> list[tuple[int, list[str]]]:
    """The rows of a file, each with its line."""
    found, line = [], 1
    try:
        text = file.read_bytes().decode("utf-8-sig")
        reader = csv.reader(io.StringIO(text, newline=""), strict=True)
        for row in reader:
            found.append((line, row))
            line = reader.line_num + 1
    except UnicodeDecodeError:
        reading.problem(file.name, file.name, "is not UTF-8; save it as that.")
    except csv.Error as error:
        reading.problem(f"{file.name}, line {line}", file.name, f"is no proper CSV: {error}.")
    return found
