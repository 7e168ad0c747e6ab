"""Lists of records: as a table that fits, as CSV that a spreadsheet opens safely."""

from __future__ import annotations

import csv
import io
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Final, NamedTuple

from rich import box
from rich.table import Table
from rich.text import Text

from prim_lantern.formats.formulas import harmless
from prim_lantern.show.terminal import width

Record = Mapping[str, Any]
PAGE: Final = 50  # rows of a table that are shown without being asked for more


class Column(NamedTuple):
    """A column of a list: the key of its values, its heading, and whether it is left out first
    where a table does not fit (the higher, the sooner; 0 stays). `whole` cells never break."""

    key: str
    heading: str
    shed: int = 0
    whole: bool = False


def cell_text(value: object) -> str:
    """A value as it stands in a cell: lists with semicolons, nothing for None."""
    if value is None or value is False:
        return ""
    if value is True:
        return "yes"
    if isinstance(value, list | tuple):
        return "; ".join(map(cell_text, value))
    return str(value)


def csv_text(keys: Sequence[str], records: Iterable[Record]) -> str:
    """Records as CSV (RFC 4180). A text that a spreadsheet would take for a formula begins with an
    apostrophe, so that it is shown and never run.

    >>> csv_text(["name"], [{"name": "=1+1"}])
    "name\\r\\n'=1+1\\r\\n"
    """
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(keys)
    writer.writerows([_safe(each.get(key)) for key in keys] for each in records)
    return text.getvalue()


def _safe(value: object) -> str:
    text = cell_text(value)
    return text if isinstance(value, int | float) else harmless(text)


def records_table(columns: Sequence[Column], records: Sequence[Record]) -> Table:
    """Records as a table in the width there is; columns that matter less go before others wrap
    into stairs."""
    cells = [[cell_text(each.get(column.key)) for column in columns] for each in records]
    shown = _that_fit(columns, cells)
    found = Table(box=box.SIMPLE_HEAD, pad_edge=False, padding=(0, 1))
    for at in shown:
        whole = columns[at].whole
        found.add_column(columns[at].heading, overflow="fold", no_wrap=whole)
    for row in cells:
        found.add_row(*(Text(row[at]) for at in shown))
    return found


def _that_fit(columns: Sequence[Column], cells: Sequence[Sequence[str]]) -> list[int]:
    """Which columns are shown: all but those that go first while there is no room."""
    shown = list(range(len(columns)))
    while len(shown) > 1 and _least_width(columns, cells, shown) > width():
        sheddable = [at for at in shown if columns[at].shed]
        if not sheddable:
            break
        shown.remove(max(sheddable, key=lambda at: columns[at].shed))
    return shown


def _least_width(
    columns: Sequence[Column], cells: Sequence[Sequence[str]], shown: Sequence[int]
) -> int:
    """The width that some columns need so that none breaks often."""
    needed = 0
    for at in shown:
        longest = max([len(columns[at].heading), *(len(row[at]) for row in cells)])
        needed += longest if columns[at].whole else min(longest, _COMFORTABLE)
    return needed + 3 * len(shown)


_COMFORTABLE: Final = 26  # letters of a column of text that may wrap
