"""A website's own content table as the source of a site's content."""

from __future__ import annotations

import json
from collections import defaultdict
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from typing import Any, Final

from sqlalchemy import ColumnElement, Connection, Engine, SQLColumnExpression, select
from sqlalchemy.exc import DBAPIError

from prim_lantern.errors import BadValue, StoreTrouble
from prim_lantern.sql.columns import Array, Columns, Joined, JsonArray, Separated, column_of

_SINGLE: Final = ("path", "kind", "state", "public_from", "public_until", "links_to")
_LISTS: Final = ("authors", "categories", "changed_by")
_TIMES: Final = ("public_from", "public_until")
_AT_ONCE: Final = 10_000


class ContentTable:
    """All rows of a content table, as `Site.content.sync` and `open_site` take them.

    >>> from sqlalchemy import Column, MetaData, Table, Text, create_engine
    >>> import prim_lantern as pl
    >>> from prim_lantern.sql import Columns, ContentTable
    >>> pages = Table("pages", MetaData(), Column("path", Text), Column("kind", Text),
    ...               Column("state", Text))
    >>> engine = create_engine("sqlite://")
    >>> with engine.begin() as connection:
    ...     pages.create(connection)
    ...     _ = connection.execute(pages.insert(), {"path": "/", "kind": "page", "state": "draft"})
    ...     table = ContentTable(connection, Columns(pages.c.path, pages.c.kind, pages.c.state))
    ...     list(table.rows())
    [{'path': '/', 'kind': 'page', 'state': 'draft'}]
    >>> engine.dispose()
    """

    def __init__(
        self,
        database: Engine | Connection,
        columns: Columns,
        title: SQLColumnExpression[Any] | None = None,
    ) -> None:
        """Take where the table is, where it has what access is decided by, and the column of the
        titles, if explanations are to name items so."""
        if not isinstance(database, Engine | Connection):
            said = "is no database: give an Engine of SQLAlchemy, or a Connection."
            raise BadValue(database, said)
        self._database, self._columns = database, columns
        self._title = None if title is None else column_of(title, "title")

    def rows(self) -> Iterator[Mapping[str, Any]]:
        """All rows, a mapping each. Raises `StoreTrouble` where they cannot be read."""
        database = self._database
        try:
            if isinstance(database, Connection):
                yield from self._rows(database)
            else:
                with database.connect() as connection:
                    yield from self._rows(connection)
        except DBAPIError as error:
            said = f"the content cannot be read: {error.orig}"
            where = database.engine.url.render_as_string()
            raise StoreTrouble(where, said.rstrip(".") + ".") from error

    def _rows(self, connection: Connection) -> Iterator[Mapping[str, Any]]:
        columns = self._columns
        wanted = {name: getattr(columns, name) for name in (*_SINGLE, *_LISTS)}
        joined = {
            name: _of_joined(connection, columns, how)
            for name, how in wanted.items()
            if isinstance(how, Joined)
        }
        single = {
            name: how if isinstance(how, ColumnElement) else how.column
            for name, how in wanted.items()
            if how is not None and name not in joined
        }
        if self._title is not None:
            single["title"] = self._title
        asked = select(*(c.label(name) for name, c in single.items()))
        # of this statement alone: whoever lent the connection goes on with it
        for row in connection.execute(asked, execution_options={"yield_per": _AT_ONCE}):
            found = dict(row._mapping)
            for name in _LISTS:
                if name in joined:
                    found[name] = joined[name].get(found["path"], [])
                elif name in found:
                    found[name] = _several(wanted[name], found[name], name)
            for name in _TIMES:
                if found.get(name) is not None:
                    found[name] = _moment(found[name])
            yield found


def _of_joined(connection: Connection, columns: Columns, how: Joined) -> dict[str, list[str]]:
    """The values of each path, from a table of their own."""
    found = defaultdict(list)
    pairs = select(columns.path, how.value).where(how.on)
    for path, value in connection.execute(pairs):
        found[path].append(value)
    return found


def _moment(value: Any) -> datetime:
    if not isinstance(value, datetime):
        raise BadValue(value, "is no moment: a column of the type DateTime is needed.")
    return value if value.tzinfo is not None else value.replace(tzinfo=UTC)


def _several(how: Any, value: Any, name: str) -> list[str]:
    """The values that one cell holds."""
    if value is None or value == "":
        return []
    try:
        if isinstance(how, Separated):
            return [each.strip() for each in value.split(how.separator) if each.strip()]
        if isinstance(how, JsonArray):
            return _listed(json.loads(value) if isinstance(value, str) else value)
        return _listed(value) if isinstance(how, Array) else [value]
    except (AttributeError, TypeError, ValueError):
        meant = type(how).__name__
        raise BadValue(value, f"cannot be the {name} of a row, as {meant} has them.") from None


def _listed(value: Any) -> list[str]:
    if value is not None and not isinstance(value, list | tuple | set):
        raise TypeError  # a text has letters
    return [*value] if value is not None else []
