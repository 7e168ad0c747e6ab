"""Workbooks as .xlsx files (Office Open XML, ECMA-376), by openpyxl."""

from __future__ import annotations

import re
import textwrap
import zipfile
from collections.abc import Iterable, Sequence
from datetime import date, datetime, time
from pathlib import Path
from typing import Any, Final, NamedTuple

from openpyxl import Workbook, load_workbook
from openpyxl.cell.cell import ILLEGAL_CHARACTERS_RE
from openpyxl.styles import Alignment, Border, Font, PatternFill, Side
from openpyxl.utils import get_column_letter
from openpyxl.worksheet.datavalidation import DataValidation
from openpyxl.worksheet.worksheet import Worksheet

from prim_lantern.errors import BadSite, BadValue
from prim_lantern.formats.whole import written_whole
from prim_lantern.formats.workbook.sheet import (
    AS_MADE,
    MADE_COLUMNS,
    Cell,
    ReadBook,
    Reading,
    Sheet,
)
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Problem

_CHOICES: Final = "choices"
_ON_PAPER: Final = 150  # letters in a line that can still be read
_ABOUT: Final = 100
_LINE_HEIGHT: Final = 15.0
_HIDDEN: Final = (AS_MADE, _CHOICES)
_MOST_ROWS: Final = 1_048_576  # that a page of a workbook can have
_MOST_LETTERS: Final = 32_767  # that a cell can have
_HIGHEST: Final = 409.0  # points that a row can have
_MOST_BYTES: Final = 400_000_000  # of what a file comes to when it is unpacked
_TOP: Final = 40  # rows within which that of the names is looked for
_FREE_ROWS: Final = 200  # below the last one, for what is to be added
_FONT: Final = "Calibri"
_TITLE: Final = Font(_FONT, 14, bold=True)
_STRONG: Final = Font(_FONT, 11, bold=True)
_PLAIN: Final = Font(_FONT, 11)
_FAINT: Final = Font(_FONT, 11, italic=True, color="595959")
_HEAD: Final = PatternFill("solid", fgColor="E8E6E1")
_LINE: Final = Border(bottom=Side(style="thin", color="8C8A85"))


def write_xlsx(where: Path, sheets: Sequence[Sheet]) -> None:
    """Write pages to a file, in the place of one that is there; whole, or not at all. Raises
    `BadValue` where a workbook has no room for them."""
    made = [MADE_COLUMNS, *((each.name, *cell) for each in sheets for cell in each.cells())]
    _see_to_room(where, sheets, len(made))
    book = Workbook()
    book.remove(book.worksheets[0])
    offered = {each.choices for sheet in sheets for each in sheet.columns if each.choices}
    choices = {each: number for number, each in enumerate(sorted(offered), 1)}
    for sheet in sheets:
        _write_page(book.create_sheet(sheet.name), sheet, choices)
    _write_plain(book.create_sheet(AS_MADE), made)
    most = max(map(len, choices), default=0)
    _write_plain(
        book.create_sheet(_CHOICES),
        [[each[at] if at < len(each) else "" for each in choices] for at in range(most)],
    )
    for name in _HIDDEN:
        book[name].sheet_state = "hidden"
    written_whole(where, book.save)


def _see_to_room(where: Path, sheets: Sequence[Sheet], cells: int) -> None:
    """What a cell has no room for would be cut off without a word, and then be taken for edited."""
    instead = "Name a folder instead, which is written as CSV files."
    if cells + _ABOUT > _MOST_ROWS:
        said = f"has no room for {cells:,} cells: a page of a workbook has {_MOST_ROWS:,} rows. "
        raise BadValue(str(where), said + instead)
    for sheet in sheets:
        for row, column, text in sheet.cells():
            if len(text) > _MOST_LETTERS:
                said = f"has no room for {column!r} of {row!r} on the page {sheet.name}: a cell "
                said += f"has {_MOST_LETTERS:,} letters at most, and this takes {len(text):,}. "
                raise BadValue(str(where), said + instead)


def _write_page(page: Worksheet, sheet: Sheet, choices: dict[tuple[str, ...], int]) -> None:
    _put(page, 1, 1, sheet.name).font = _TITLE
    about = [line for each in sheet.about for line in textwrap.wrap(each, _ABOUT)]
    for number, line in enumerate(about, 2):
        _put(page, number, 1, line).font = _PLAIN
    top = len(about) + 3
    for at, column in enumerate(sheet.columns, 1):
        heads = _put(page, top, at, column.called), _put(page, top + 1, at, column.key)
        heads[0].font, heads[1].font, heads[1].border = _STRONG, _FAINT, _LINE
        for head in heads:
            head.fill, head.alignment = _HEAD, Alignment(wrap_text=True, vertical="bottom")
    for number, row in enumerate(sheet.rows, top + 2):
        for at, text in enumerate(row, 1):
            cell = _put(page, number, at, text)
            cell.alignment = Alignment(wrap_text=at > sheet.fixed, vertical="top")
            cell.font = _FAINT if text.startswith("(") else _PLAIN
    page.freeze_panes = f"{get_column_letter(sheet.fixed + 1)}{top + 2}"
    widths = _widths(sheet)
    for at, wide in enumerate(widths, 1):
        page.column_dimensions[get_column_letter(at)].width = wide
    for number, row in enumerate(sheet.rows, top + 2):
        page.row_dimensions[number].height = _height(row, widths)
    heads = ([e.called for e in sheet.columns], [e.key for e in sheet.columns])
    for number, texts in enumerate(heads, top):
        page.row_dimensions[number].height = _height(texts, widths)
    _offer(page, sheet, top + 2, choices)
    page.page_setup.orientation = "landscape"
    page.page_setup.fitToWidth = -(-sum(widths) // _ON_PAPER) or 1  # sheets of paper side by side
    page.page_setup.fitToHeight = 0
    page.sheet_properties.pageSetUpPr.fitToPage = True  # type: ignore[union-attr]
    page.print_title_rows = f"{top}:{top + 1}"
    page.print_title_cols = f"A:{get_column_letter(max(1, sheet.fixed))}"


def _widths(sheet: Sheet) -> list[int]:
    """How wide each column is, in letters; longer texts take several lines."""
    found = []
    for at, column in enumerate(sheet.columns):
        longest = max((len(row[at]) for row in sheet.rows), default=0)
        words = max(map(len, column.called.split()), default=0)
        head = max(words, min(len(column.called), 14), min(len(column.key), 16))
        found.append(min(max(longest, head, 6), 34 if at < sheet.fixed else 22) + 2)
    return found


def _height(texts: Sequence[str], widths: Sequence[int]) -> float:
    lines = (-(-len(text) // max(1, wide - 2)) for text, wide in zip(texts, widths, strict=True))
    return min(_HIGHEST, _LINE_HEIGHT * max(1, *lines, 1))


def _offer(page: Worksheet, sheet: Sheet, first: int, choices: dict[tuple[str, ...], int]) -> None:
    """What can be chosen in the cells of each column; other words may be written as well."""
    last = first + len(sheet.rows) + _FREE_ROWS
    for each in {column.choices for column in sheet.columns if column.choices}:
        letter = get_column_letter(choices[each])
        offer = DataValidation(
            type="list",
            formula1=f"'{_CHOICES}'!${letter}$1:${letter}${len(each)}",
            allow_blank=True,
            showErrorMessage=False,
        )
        for at, column in enumerate(sheet.columns, 1):
            if column.choices == each:
                offer.add(f"{get_column_letter(at)}{first}:{get_column_letter(at)}{last}")
        page.add_data_validation(offer)


def _write_plain(page: Worksheet, rows: Iterable[Sequence[str]]) -> None:
    for number, row in enumerate(rows, 1):
        for at, text in enumerate(row, 1):
            _put(page, number, at, text)


def _put(page: Worksheet, row: int, column: int, text: str) -> Any:
    """Put a text into a cell, which is never a formula."""
    cell = page.cell(row, column)
    if text:
        cell.value = ILLEGAL_CHARACTERS_RE.sub(" ", text)
        cell.data_type = "s"
    return cell


# Reading ---------------------------------------------------------------------------------------


def read_xlsx(where: Path) -> ReadBook:
    """Read a workbook that was written here, edited and saved, whatever program that was."""
    file = where.name
    book = _opened(where)
    reading = Reading(file)
    if AS_MADE in book.sheetnames:
        rows = (row for row in _filled(book[AS_MADE]) if row.number > 1)
        columns = range(1, len(MADE_COLUMNS) + 1)
        reading.keep_made(tuple(_text(row.cells.get(each)) for each in columns) for row in rows)
    known: dict[str, list[str]] = {}
    for sheet, row_name, column in reading.made:
        names = known.setdefault(sheet, [])
        if not row_name and column:
            names.append(column)
    for page in book.worksheets if known else ():
        if page.title in _HIDDEN:
            continue
        name = reading.page_called(page.title, known)
        if name is not None and known[name]:  # others only tell something
            _read_page(reading, name, known[name], page)
    return reading.done()


def _opened(where: Path) -> Workbook:
    try:
        with zipfile.ZipFile(where) as packed:
            size = sum(each.file_size for each in packed.infolist())
            if size > _MOST_BYTES:
                raise BadSite([_no_book(where, "is far too big to be a plan.")], where.name)
        return load_workbook(where)
    except (zipfile.BadZipFile, KeyError, ValueError, TypeError, SyntaxError):
        said = "is no workbook: it takes an .xlsx file that 'sheet out' made."
        raise BadSite([_no_book(where, said)], where.name) from None


def _no_book(where: Path, said: str) -> Problem:
    return Problem(None, None, where.name, said)


def _read_page(reading: Reading, name: str, columns: Sequence[str], page: Worksheet) -> None:
    rows = _filled(page)
    said = [{folded(_text(each)) for each in row.cells.values()} for row in rows[:_TOP]]
    named = [len(each & set(columns)) for each in said]
    best = [number for number, fitting in enumerate(named) if fitting == max(named)]
    top = best[-1] if any(named) else None  # what they are called stands above, and may be the same
    if top is None or folded(_text(rows[top].cells.get(1))) != columns[0]:
        none = f"has no row of names any more: the one that begins with “{columns[0]}”."
        reading.problem(page.title, name, none)
        return
    for row in rows[top + 1 :]:
        for column, each in row.cells.items():
            if each.data_type == "f":
                spot = _spot(page, row.number, column)
                reading.problem(spot, str(each.value), "is a formula; write a value.")
    head, *body = (_cells(page, row, max(rows[top].cells)) for row in rows[top:])
    reading.add(name, head, body)


class _Row(NamedTuple):
    """A row of a page, and what it says by the number of the column."""

    number: int
    cells: dict[int, Any]


def _filled(page: Worksheet) -> list[_Row]:
    """The rows that say anything. A blank or a colour that somebody left far down, or far to the
    right, is nothing; all cells up to it would be a great many."""
    found: dict[int, dict[int, Any]] = {}
    for (row, column), cell in page._cells.items():
        if cell.value is not None:
            found.setdefault(row, {})[column] = cell
    return [_Row(row, dict(sorted(found[row].items()))) for row in sorted(found)]


def _cells(page: Worksheet, row: _Row, width: int) -> list[Cell]:
    """The cells of a row, at least so many."""
    columns = range(1, max(width, *row.cells) + 1)
    return [Cell(_text(row.cells.get(each)), _spot(page, row.number, each)) for each in columns]


def _spot(page: Worksheet, row: int, column: int) -> str:
    return f"{page.title}!{get_column_letter(column)}{row}"


_MIDNIGHT: Final = time()


def _text(cell: Any | None) -> str:
    """What a cell says, as text; days and whole numbers as people write them."""
    value = cell.value if cell is not None and cell.data_type != "f" else None
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, datetime):
        whole = value.time() == _MIDNIGHT
        return value.date().isoformat() if whole else value.isoformat(" ", "minutes")
    if isinstance(value, date):
        return value.isoformat()
    if isinstance(value, float) and value.is_integer():
        return str(int(value))
    return re.sub(r"\s+", " ", str(value)).strip()
