"""The workbook of a site: written, and read back as the steps of one change."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from pathlib import Path
from typing import Any, Final, NamedTuple

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.views.grid import every_column
from prim_lantern.errors import BadSite
from prim_lantern.formats.workbook import ReadBook, Sheet, read_book, write_book
from prim_lantern.sheets.grid_page import GridPage
from prim_lantern.sheets.making import Making, Page, Row, Step
from prim_lantern.sheets.people_page import PeoplePage
from prim_lantern.sheets.readers_page import ReadersPage
from prim_lantern.sheets.roles_page import RolesPage
from prim_lantern.sheets.view_page import ViewPage
from prim_lantern.sheets.where_page import WherePage, areas_of
from prim_lantern.sheets.who_page import WhoPage
from prim_lantern.site.data import SiteData

_MOST_GROUPS: Final = 60
_START: Final = "Start here"
_INTRODUCTION: Final = (
    "This is the site as it is now, to plan with. Change what should be otherwise, and save.",
    "Who: which kinds of people there are.   Where: which areas there are.",
    "Grid: what each kind of people may do in each area. This is the heart of it.",
    "Roles: what each role can do.   People: who is in which group, and until when.",
    "Readerships: who may view.   Who may view: which readership stands where.",
    "Rows and columns may be moved and added; their names, in the second grey line, count. "
    "A row or column that is taken out changes nothing.",
    "What is in brackets comes from elsewhere. Emptying a cell takes away what it says.",
    "Then: prim-lantern sheet in FILE --try shows what would change, before anything does.",
)


class Edited(NamedTuple):
    """What an edited workbook comes to: the steps of a change, and what should be said of it."""

    steps: tuple[Step, ...]
    notes: tuple[str, ...]

    @property
    def operations(self) -> tuple[Operation, ...]:
        """All operations in order."""
        return tuple(each for step in self.steps for each in step.operations)

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {"steps": [each.to_dict() for each in self.steps], "notes": list(self.notes)}


def write_sheets(
    engine: Engine, where: Path, whos: Sequence[str] = (), within: str | None = None
) -> list[str]:
    """Write the workbook of a site to an .xlsx file or a folder of CSV files; what is left out of
    it is returned, a sentence each."""
    notes: list[str] = []
    pages = _pages(engine.data, whos, within, notes)
    start = Sheet(_START, _INTRODUCTION, (), ())
    sheets = [start] if where.suffix.lower() == ".xlsx" else []
    write_book(where, (*sheets, *(each.sheet(engine) for each in pages)))
    return notes


def _pages(data: SiteData, whos: Sequence[str], within: str | None, notes: list[str]) -> list[Page]:
    areas, more = areas_of(data, within)
    columns = list(whos) or every_column(data)
    if not whos and len(data.groups) > _MOST_GROUPS:
        columns = columns[: _MOST_GROUPS + 2]
        notes.append(
            f"The pages Grid and People have {_MOST_GROUPS} of {len(data.groups):,} groups; --who "
            "says which."
        )
    if more:
        notes.append(
            f"The pages of places have the {len(areas):,} broad areas; {more:,} more are further "
            "in: --in says below which."
        )
    groups = [e.removeprefix("group:") for e in columns if e.startswith("group:")]
    return [
        WhoPage(),
        WherePage(areas),
        GridPage(areas, columns),
        RolesPage(),
        PeoplePage(groups),
        ReadersPage(),
        ViewPage(areas),
    ]


def read_sheets(
    engine: Engine, where: Path, made: Made, progress: Callable[[int, int], None] | None = None
) -> Edited:
    """What an edited workbook comes to on a site as it is now.

    Only cells that say something else than when the workbook was made count, so that what others
    changed meanwhile stays. `progress` is told how many of how many cells of the grid are done.
    Raises `BadSite` with every cell that cannot be understood or cannot come true.
    """
    book = read_book(where)
    making = Making(engine, made, book.file)
    notes: list[str] = []
    pages = _pages(engine.data, (), None, [])
    for page in (*(p for p in pages if p.name != "Grid"), *(p for p in pages if p.name == "Grid")):
        rows = list(_changed_rows(book, page, making.engine))
        notes += _meanwhile(book, page, making, rows)
        if page.name == "Grid" and progress is not None:
            total = sum(len(each.after) for each in rows)
            making.progress = _counting(total, progress)
        page.make(making, rows)
    if making.problems:
        raise BadSite(making.problems, book.file)
    return Edited(tuple(making.steps), tuple(notes))


def _counting(total: int, progress: Callable[[int, int], None]) -> Callable[[], None]:
    done = 0

    def one_more() -> None:
        nonlocal done
        done += 1
        progress(done, total)

    return one_more


def _changed_rows(book: ReadBook, page: Page, engine: Engine) -> Iterator[Row]:
    """The rows of a page that say something else than when it was made."""
    made_rows = {row for name, row, _ in book.made if name == page.name}
    made_columns = {column for name, _, column in book.made if name == page.name}
    for name, cells in book.pages.get(page.name, {}).items():
        new = name not in made_rows
        before, after, unseen = {}, {}, set()
        for number, (column, cell) in enumerate(cells.items()):
            if number == 0:
                continue
            known = not new and (column in made_columns or not cell.text)
            if known:
                was = book.made.get((page.name, name, column), "")
            elif not cell.text:
                continue  # in a new row or column an empty cell says nothing
            else:
                was = page.now(engine, name, column)
                unseen.add(column)
            if cell.text != was:
                before[column], after[column] = was, cell.text
        if after or (new and name):
            yield Row(name, new, before, after, cells, frozenset(unseen))


def _meanwhile(book: ReadBook, page: Page, making: Making, rows: Iterable[Row]) -> Iterator[str]:
    """What was changed on the site since the workbook was made, in cells that it changes too."""
    for row in rows:
        if row.new:
            continue
        for column, text in row.after.items():
            key = (page.name, row.name, column)
            if key not in book.made and page.name != "Grid":
                continue
            now = page.now(making.engine, row.name, column)
            if now not in (row.before[column], text):
                yield (
                    f"{row.spot(column)}: meanwhile the site says “{now or 'nothing'}” there, and "
                    f"no longer “{row.before[column] or 'nothing'}”."
                )
