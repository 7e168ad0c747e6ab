"""Where a website's own table has what access is decided by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from sqlalchemy import ColumnElement, FromClause, Table, false, func, literal, select
from sqlalchemy.sql.util import ClauseAdapter

from prim_lantern.errors import BadValue
from prim_lantern.sql.dialects import any_of_array, any_of_json, any_of_separated


class Several(Protocol):
    """How a table keeps several values of a row: authors, categories."""

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""


class Row:
    """One row of the content table: itself, or another one that a condition looks up."""

    def __init__(self, columns: Columns, alias: FromClause | None = None) -> None:
        self.columns, self.table = columns, columns.table if alias is None else alias
        self._adapter = None if alias is None else ClauseAdapter(alias)

    def __call__(self, column: ColumnElement[Any]) -> ColumnElement[Any]:
        """A column, or what is made of some, for this row."""
        return column if self._adapter is None else self._adapter.traverse(column)

    def other(self, name: str) -> Row:
        """Another row of the same table."""
        return Row(self.columns, self.columns.table.alias(name))


@dataclass(frozen=True)
class Separated:
    """Several values in one text, with a separator between them."""

    column: ColumnElement[Any]
    separator: str = ";"

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        return any_of_separated(row(self.column), values, literal(self.separator))


@dataclass(frozen=True)
class JsonArray:
    """Several values in a column with an array as JSON."""

    column: ColumnElement[Any]

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        return any_of_json(row(self.column), values)


@dataclass(frozen=True)
class Array:
    """Several values in a column with an array, as PostgreSQL has them."""

    column: ColumnElement[Any]

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        return any_of_array(row(self.column), values)


@dataclass(frozen=True)
class Joined:
    """Several values in a table of their own: `value` is the column that has them, and `on` is the
    condition that a row of it belongs to one of the content table."""

    value: ColumnElement[Any]
    on: ColumnElement[bool]

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        beside = [each for each in self.on._from_objects if each is not row.columns.table]
        wanted = select(literal(1)).select_from(*beside).where(row(self.on))
        return wanted.where(self.value.in_(values)).correlate(row.table).exists()


@dataclass(frozen=True, eq=False)
class Columns:
    """The columns of a content table, or expressions made of them (`case`, `func` …) that say the
    same in the words of Prim Lantern.

    `path`, `kind` and `state` are asked for; `public_from` and `public_until` where anything is
    published for a time (moments, with a time zone or in UTC); `links_to` (a path) where there are
    links; `page` (the path of the page that a part belongs to) where parts stand below parts: else
    the page is the item right above. `authors`, `categories` and `changed_by` are a column with one
    value, or `Separated`, `JsonArray`, `Array` or `Joined`; left out, nobody and nothing is.
    """

    path: ColumnElement[Any]
    kind: ColumnElement[Any]
    state: ColumnElement[Any]
    authors: Several | ColumnElement[Any] | None = None
    categories: Several | ColumnElement[Any] | None = None
    changed_by: Several | ColumnElement[Any] | None = None
    public_from: ColumnElement[Any] | None = None
    public_until: ColumnElement[Any] | None = None
    links_to: ColumnElement[Any] | None = None
    page: ColumnElement[Any] | None = None

    @property
    def table(self) -> Table:
        """The content table."""
        found = getattr(self.path, "table", None)
        if not isinstance(found, Table):
            raise BadValue(str(self.path), "cannot be the path: name the table's own column.")
        return found

    def has(self, what: str, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among the "authors", … of a row."""
        how: Any = getattr(self, what)
        if how is None or not values:
            return false()
        if isinstance(how, ColumnElement):
            return func.coalesce(row(how).in_(values), false())
        found: ColumnElement[bool] = how.has(values, row)
        return found
