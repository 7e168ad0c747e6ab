"""The rows of people.csv and content.csv as users and items, column by column."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime
from functools import lru_cache, partial
from typing import Any, NamedTuple

from prim_lantern.errors import BadValue
from prim_lantern.formats.folder.files import CONTENT_FILE, PEOPLE_FILE
from prim_lantern.formats.folder.keys import (
    CONTENT_COLUMNS,
    NEEDED_CONTENT_COLUMNS,
    PEOPLE_COLUMNS,
)
from prim_lantern.formats.folder.source import CsvFile, Problems, Progress, Rows
from prim_lantern.formats.folder.table import Logins
from prim_lantern.site.columns import Columns
from prim_lantern.site.content import PUBLISHED, Item
from prim_lantern.site.moments import Period
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin
from prim_lantern.site.people import ACTIVE, Enrolment, Membership, User
from prim_lantern.values import names_of

_Read = Callable[[str], datetime]


class _Bad(NamedTuple):
    """What cannot be read in a cell, and what is taken instead."""

    errors: tuple[BadValue, ...]
    instead: Any


class _Cells(dict[str, Any]):
    """What the cells of one column mean: each distinct text is read once."""

    def __init__(self, read: Callable[[str], Any]) -> None:
        super().__init__()
        self._read = read
        self.bad: dict[str, _Bad] = {}

    def __missing__(self, cell: str) -> Any:
        value = self._read(cell.strip())
        if isinstance(value, _Bad):
            self.bad[cell] = value
            value = value.instead
        self[cell] = value
        return value


class _Table:
    """The columns of a file as they grow.

    `texts` are those in which hardly any cell is there twice, and which are taken as they are.
    """

    def __init__(
        self, file: str, texts: Sequence[str], read: Mapping[str, Callable[[str], Any]]
    ) -> None:
        self.file = file
        self._texts = texts
        self._cells = {name: _Cells(each) for name, each in read.items()}
        self.columns: dict[str, list[Any]] = {name: [] for name in (*texts, *read)}
        self.lines = array("l")

    def add(self, rows: Rows, problems: Problems) -> None:
        """Add some rows."""
        self.lines.extend(rows.lines)
        nothing = [""] * len(rows.lines)
        for name in self._texts:
            self.columns[name] += map(str.strip, rows.columns.get(name, nothing))
        for name, cells in self._cells.items():
            texts = rows.columns.get(name, nothing)
            self.columns[name] += [cells[text] for text in texts]
            if cells.bad:
                self._note(name, texts, rows.lines, cells.bad, problems)

    def _note(
        self,
        name: str,
        texts: Sequence[str],
        lines: Sequence[int],
        bad: Mapping[str, _Bad],
        problems: Problems,
    ) -> None:
        for text, line in zip(texts, lines, strict=True):
            if text in bad:
                for error in bad[text].errors:
                    problems.wrong(Origin(self.file, line), name, error.value, error.expected)

    def without_doubles(
        self, name: str, key: Callable[[str], str], expected: str, problems: Problems
    ) -> None:
        """Note and drop the rows whose name an earlier row has."""
        names = self.columns[name]
        if len(set(map(key, names))) == len(names):
            return
        first: dict[str, int] = {}
        kept = []
        for row, each in enumerate(names):
            line = self.lines[row]
            if first.setdefault(key(each), line) == line:
                kept.append(row)
            else:
                what = expected.format(first[key(each)])
                problems.wrong(Origin(self.file, line), name, each, what)
        self.lines = array("l", (self.lines[row] for row in kept))
        for column, values in self.columns.items():
            self.columns[column] = [values[row] for row in kept]


def read_people(
    raw: bytes, problems: Problems, progress: Progress | None = None
) -> tuple[Columns[User], tuple[str, ...]]:
    """The users by login, and the names of the further columns: the attributes."""
    file = CsvFile(
        PEOPLE_FILE, raw, PEOPLE_COLUMNS, PEOPLE_COLUMNS, problems, more=True, progress=progress
    )
    attributes = tuple(each for each in file.header if each and each not in PEOPLE_COLUMNS)
    return people_of(file, attributes, problems), attributes


def people_of(
    batches: Iterable[Rows],
    attributes: tuple[str, ...],
    problems: Problems,
    file: str = PEOPLE_FILE,
) -> Columns[User]:
    """The users of some rows, by login."""
    table = _Table(
        file,
        ("login", "name", "email"),
        {
            "status": lambda cell: cell or ACTIVE,
            "groups": partial(_groups, read=problems.moment),
            "roles_elsewhere": _list,
            "joined": partial(_moment, read=problems.moment),
        },
    )
    values: list[Mapping[str, str]] = []
    for rows in batches:
        table.add(rows, problems)
        values += _attributes(attributes, rows)
    table.columns["attributes"] = values
    expected = "is there twice (first in line {}); a login belongs to one person."
    table.without_doubles("login", folded, expected, problems)
    groups = table.columns.pop("groups")
    table.columns["memberships"] = [each[0] for each in groups]
    table.columns["enrolments"] = [each[1] for each in groups]
    return _columns(User, table)


def _attributes(names: tuple[str, ...], rows: Rows) -> Iterable[Mapping[str, str]]:
    columns = [[cell.strip() for cell in rows.columns[name]] for name in names]
    if not columns:
        return [_NO_ATTRIBUTES] * len(rows.lines)
    return [
        {name: cell for name, cell in zip(names, cells, strict=True) if cell}
        for cells in zip(*columns, strict=True)
    ]


def _groups(cell: str, read: _Read) -> Any:
    """The memberships and the enrolments of a cell."""
    memberships, enrolments, errors = [], [], []
    for entry in _list(cell):
        try:
            if entry.startswith("plan:"):
                enrolments.append(_enrolment(entry, read))
            else:
                memberships.append(_membership(entry, read))
        except BadValue as error:
            errors.append(BadValue(entry, error.expected))
    found = (tuple(memberships), tuple(enrolments))
    return _Bad(tuple(errors), found) if errors else found


@lru_cache(maxsize=10_000)
def _membership(entry: str, read: _Read) -> Membership:
    group, at, period = entry.partition("@")
    if not at:
        return Membership(folded(group))
    since, dots, until = period.partition("..")
    if not dots or not (since or until):
        raise BadValue(entry, "has no proper period: write group@2026-05-01..2027-05-01.")
    return Membership(
        folded(group), Period(read(since) if since else None, read(until) if until else None)
    )


def _enrolment(entry: str, read: _Read) -> Enrolment:
    plan, _, since = entry.removeprefix("plan:").partition("@")
    since, dots, until = since.partition("..")
    if not since or (dots and not until):
        raise BadValue(
            entry,
            "needs the day it starts: write plan:name@2026-05-01 (or plan:name@2026-05-01..2026-09-"
            "01, where it was ended early).",
        )
    return Enrolment(folded(plan), read(since), read(until) if until else None)


def read_content(
    raw: bytes, logins: Logins, problems: Problems, progress: Progress | None = None
) -> Columns[Item]:
    """The items by path."""
    file = CsvFile(
        CONTENT_FILE,
        raw,
        CONTENT_COLUMNS,
        NEEDED_CONTENT_COLUMNS,
        problems,
        more=False,
        progress=progress,
    )
    return content_of(file, logins, problems)


def content_of(
    batches: Iterable[Rows], logins: Logins, problems: Problems, file: str = CONTENT_FILE
) -> Columns[Item]:
    """The items of some rows, by path."""

    def people(cell: str) -> tuple[str, ...]:
        return tuple(map(logins.spelled, _list(cell)))

    table = _Table(
        file,
        ("path", "title"),
        {
            "kind": str,
            "authors": people,
            "changed_by": people,
            "state": lambda cell: cell or PUBLISHED,
            "categories": _list,
            "readership": lambda cell: cell or None,
            "public_from": partial(_moment, read=problems.moment),
            "public_until": partial(_moment, read=problems.moment),
            "links_to": lambda cell: cell or None,
        },
    )
    for rows in batches:
        table.add(rows, problems)
    expected = "is there twice (first in line {}); one item stands at a path."
    table.without_doubles("path", str, expected, problems)
    return _columns(Item, table)


def _moment(cell: str, read: _Read) -> Any:
    try:
        return read(cell) if cell else None
    except BadValue as error:
        return _Bad((error,), None)


def _list(cell: str) -> tuple[str, ...]:
    return tuple(each for each in map(str.strip, cell.split(";")) if each) if cell else ()


def _columns(make: Any, table: _Table) -> Columns[Any]:
    names = [name for name in names_of(make) if name != "origin"]
    columns = {name: table.columns.get(name, []) for name in names}
    return Columns(make, columns, table.file, table.lines)


_NO_ATTRIBUTES: Mapping[str, str] = {}
