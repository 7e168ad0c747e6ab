"""Where a website's own table has what access is decided by."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, fields
from typing import Any, Final, Protocol, cast

from sqlalchemy import (
    ColumnElement,
    FromClause,
    SQLColumnExpression,
    Table,
    false,
    func,
    literal,
    select,
)
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

    def __call__(self, column: SQLColumnExpression[Any]) -> ColumnElement[Any]:
        """A column, or what is made of some, for this row."""
        own = cast(ColumnElement[Any], column)  # it was made one
        return own if self._adapter is None else self._adapter.traverse(own)

    def other(self, name: str) -> Row:
        """Another row of the same table."""
        return Row(self.columns, self.columns.table.alias(name))


def column_of(value: Any, name: str) -> ColumnElement[Any]:
    """A column, or an expression made of some; of a class of an ORM, that of its attribute. Raises
    `BadValue` for anything else, which was given for `name`."""
    found = value.__clause_element__() if hasattr(value, "__clause_element__") else value
    if not isinstance(found, ColumnElement):
        raise BadValue(value, f"cannot be the {name}: a column of the table is needed.")
    return found


class _Several:
    """What is made of columns, looked at when it is made."""

    def __post_init__(self) -> None:
        for each in fields(self):  # type: ignore[arg-type]
            if each.name != "separator":
                column = column_of(
                    getattr(self, each.name), f"{each.name} of {type(self).__name__}"
                )
                object.__setattr__(self, each.name, column)


@dataclass(frozen=True)
class Separated(_Several):
    """Several values in one text, with a separator between them."""

    column: SQLColumnExpression[Any]
    separator: str = ";"

    def __post_init__(self) -> None:
        super().__post_init__()
        if not isinstance(self.separator, str) or not self.separator:
            raise BadValue(self.separator, "parts nothing: name a separator, such as ';'.")

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        return any_of_separated(row(self.column), values, literal(self.separator))


@dataclass(frozen=True)
class JsonArray(_Several):
    """Several values in a column with an array as JSON."""

    column: SQLColumnExpression[Any]

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        return any_of_json(row(self.column), values)


@dataclass(frozen=True)
class Array(_Several):
    """Several values in a column with an array, as PostgreSQL has them."""

    column: SQLColumnExpression[Any]

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        return any_of_array(row(self.column), values)


@dataclass(frozen=True)
class Joined(_Several):
    """Several values in a table of their own: `value` is the column that has them, and `on` is the
    condition that a row of it belongs to one of the content table."""

    value: SQLColumnExpression[Any]
    on: SQLColumnExpression[bool]

    def has(self, values: Sequence[str], row: Row) -> ColumnElement[bool]:
        """The condition that one of some values is among them."""
        on = cast(ColumnElement[bool], self.on)
        beside = [each for each in on._from_objects if each is not row.columns.table]
        wanted = select(literal(1)).select_from(*beside).where(row(self.on))
        return wanted.where(self.value.in_(values)).correlate(row.table).exists()


_NEEDED: Final = ("path", "kind", "state")
_LISTS: Final = ("authors", "categories", "changed_by")
_OTHERS: Final = ("public_from", "public_until", "links_to", "page")


@dataclass(frozen=True, eq=False)
class Columns:
    """The columns of a content table, or expressions made of them (`case`, `func` …) that say the
    same in the words of Prim Lantern. The attributes of a class of SQLAlchemy's ORM are columns.

    `path`, `kind` and `state` are asked for; `public_from` and `public_until` where anything is
    published for a time (moments, with a time zone or in UTC); `links_to` (a path) where there are
    links; `page` (the path of the page that a part belongs to) where parts stand below parts: else
    the page is the item right above. `authors`, `categories` and `changed_by` are a column with one
    value, or `Separated`, `JsonArray`, `Array` or `Joined`; left out, nobody and nothing is.
    """

    path: SQLColumnExpression[Any]
    kind: SQLColumnExpression[Any]
    state: SQLColumnExpression[Any]
    authors: Several | SQLColumnExpression[Any] | None = None
    categories: Several | SQLColumnExpression[Any] | None = None
    changed_by: Several | SQLColumnExpression[Any] | None = None
    public_from: SQLColumnExpression[Any] | None = None
    public_until: SQLColumnExpression[Any] | None = None
    links_to: SQLColumnExpression[Any] | None = None
    page: SQLColumnExpression[Any] | None = None

    def __post_init__(self) -> None:
        """Take what an ORM calls its attributes as the columns that they are."""
        for name in _NEEDED + _LISTS + _OTHERS:
            how = getattr(self, name)
            several = hasattr(how, "has") and not hasattr(how, "__clause_element__")
            if not (several and name in _LISTS) and (how is not None or name in _NEEDED):
                object.__setattr__(self, name, column_of(how, name))

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
