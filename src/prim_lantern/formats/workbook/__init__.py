"""Workbooks: pages of rows as a spreadsheet file, or as a folder of CSV files."""

from pathlib import Path

from prim_lantern.formats.workbook.csv_folder import read_csv_folder, write_csv_folder
from prim_lantern.formats.workbook.sheet import Cell, Column, ReadBook, Sheet
from prim_lantern.formats.workbook.xlsx import read_xlsx, write_xlsx

__all__ = ["Cell", "Column", "ReadBook", "Sheet", "read_book", "write_book"]


def write_book(where: Path, sheets: tuple[Sheet, ...]) -> None:
    """Write pages to an .xlsx file, or else to a folder of CSV files; whole, or not at all."""
    (write_xlsx if _is_file(where) else write_csv_folder)(where, sheets)


def read_book(where: Path) -> ReadBook:
    """Read what `write_book` wrote, and somebody edited.

    Raises `BadSite` with all that cannot be read, each with its page and cell.
    """
    return (read_xlsx if _is_file(where) else read_csv_folder)(where)


def _is_file(where: Path) -> bool:
    return where.suffix.lower() == ".xlsx" and not where.is_dir()
