"""A page of a workbook: rows and columns that have names, so that both can be moved about."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Final, NamedTuple

from prim_lantern.errors import BadSite
from prim_lantern.site.names import folded, nearest
from prim_lantern.site.origin import Problem

AS_MADE: Final = "as made"
"""The page that keeps what every cell said when the workbook was made."""
MADE_COLUMNS: Final = ("page", "row", "column", "text")


class Column(NamedTuple):
    """A column: its name, which is what counts; what it is called for people; and what is offered
    to choose from in its cells."""

    key: str
    called: str = ""
    choices: tuple[str, ...] = ()


class Sheet(NamedTuple):
    """A page: some lines about it, its columns, and rows of texts. The first column names the rows;
    the first `fixed` ones stay in sight."""

    name: str
    about: tuple[str, ...]
    columns: tuple[Column, ...]
    rows: tuple[tuple[str, ...], ...]
    fixed: int = 1

    def cells(self) -> Iterator[tuple[str, str, str]]:
        """Every cell that says something: its row, its column and its text; first, with no row,
        the page itself and its columns."""
        yield "", "", self.name
        for column in self.columns:
            yield "", column.key, column.called or column.key
        for row in self.rows:
            for column, text in zip(self.columns, row, strict=True):
                if text:
                    yield row[0], column.key, text


class Cell(NamedTuple):
    """What a cell says, and where it is: `Grid!C7`, or `Grid.csv, line 7`."""

    text: str
    spot: str


Rows = dict[str, dict[str, Cell]]


class ReadBook(NamedTuple):
    """A workbook that was read: by page, row and column, what is there now, and what was when it
    was made."""

    file: str
    pages: Mapping[str, Rows]
    made: Mapping[tuple[str, str, str], str]


class Reading:
    """A workbook while it is read: its pages, and what cannot be understood."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.pages: dict[str, Rows] = {}
        self.made: dict[tuple[str, str, str], str] = {}
        self.problems: list[Problem] = []

    def problem(self, spot: str, value: object, said: str) -> None:
        """Note what cannot be understood."""
        self.problems.append(Problem(None, f"{self.file}, {spot}", value, said))

    def keep_made(self, rows: Iterable[tuple[str, ...]]) -> None:
        """Take over what every cell said when it was made."""
        for page, row, column, text in rows:
            self.made[page, row, column] = text

    def add(self, page: str, head: list[Cell], body: Iterable[list[Cell]]) -> None:
        """Add a page by its row of names and the rows below it."""
        keys = self._keys(head)
        rows: Rows = self.pages.setdefault(page, {})
        for cells in body:
            name = cells[0].text if cells else ""
            said = [each for each in cells if each.text]
            if not name:
                if said:
                    self.problem(said[0].spot, said[0].text, "stands in a row without a name.")
                continue
            if name in rows:
                self.problem(cells[0].spot, name, "names a row that is there already; keep one.")
                continue
            for each in cells[len(keys) :]:
                if each.text:
                    self.problem(each.spot, each.text, "stands in a column without a name.")
            rows[name] = {
                key: each for key, each in zip(keys, cells, strict=False) if key is not None
            }

    def _keys(self, head: list[Cell]) -> list[str | None]:
        keys: list[str | None] = []
        for each in head:
            key = folded(each.text) or None
            if key is not None and key in keys:
                self.problem(each.spot, each.text, "names a column that is there already.")
                key = None
            keys.append(key)
        return keys

    def done(self) -> ReadBook:
        """What was read. Raises `BadSite` with all that cannot be understood."""
        if not self.made and not self.problems:
            said = f"has no page “{AS_MADE}”: take a workbook that 'sheet out' made, and edit that."
            self.problems.append(Problem(None, self.file, None, said))
        if self.problems:
            raise BadSite(self.problems, self.file)
        return ReadBook(self.file, self.pages, self.made)

    def page_called(self, name: str, known: Iterable[str]) -> str | None:
        """The page that a name means; None, and noted, for one that nobody knows."""
        by_name = {folded(each): each for each in known}
        found = by_name.get(folded(name))
        if found is None:
            near = nearest(name, list(by_name.values()))
            said = "is no page of this workbook; take it out, or give it its name again."
            self.problems.append(Problem(None, self.file, name, said, tuple(near)))
        return found
