"""A long condition that is put into words once for each database, not anew for each statement."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any
from weakref import WeakKeyDictionary

from sqlalchemy import ColumnElement, Dialect, TableClause, literal, select
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.types import Boolean


class Ready(ColumnElement[bool]):
    """A condition on plain tables, with its text in SQL once it was asked for; values stand in the
    text, quoted as the database quotes them."""

    # A statement with it is never kept: those of two people can be alike but for the values, which
    # stand in the text.
    inherit_cache = False
    type = Boolean()

    def __init__(self, clause: ColumnElement[bool]) -> None:
        self.clause = clause
        self.texts: WeakKeyDictionary[Dialect, str] = WeakKeyDictionary()

    @property
    def _from_objects(self) -> list[Any]:
        return self.clause._from_objects

    def get_children(self, **_: Any) -> tuple[ColumnElement[bool]]:
        """What it is made of."""
        return (self.clause,)

    def _copy_internals(self, *, omit_attrs: Iterable[str] = (), **how: Any) -> None:
        clone = how.pop("clone")
        self.clause = clone(self.clause, omit_attrs=omit_attrs, **how)
        self.texts = WeakKeyDictionary()  # it may speak of other tables now

    def self_group(self, against: Any = None) -> Ready:  # noqa: ARG002
        """Itself: its text has brackets."""
        return self

    def text(self, compiler: SQLCompiler) -> str:
        """The text, within a statement."""
        tables = self._from_objects
        if all(type(each).__visit_name__ == "table" for each in tables):
            found = self.texts.get(compiler.dialect)
            if found is None:
                found = self._put_into_words(compiler.dialect, tables)
                self.texts[compiler.dialect] = found
            if "\\" not in found:
                return found
        # What an alias is called, the statement knows; and what a backslash means in a quoted text,
        # each connection may set: then values go along as parameters.
        return f"({compiler.process(self.clause)})"

    def _put_into_words(self, dialect: Dialect, tables: list[TableClause]) -> str:
        statement = select(literal(1)).select_from(*tables).where(self.clause)
        text = str(statement.compile(dialect=dialect, compile_kwargs={"literal_binds": True}))
        return f"({text.partition('WHERE ')[2]})"


@compiles(Ready)
def _ready(element: Ready, compiler: SQLCompiler, **_: Any) -> str:
    return element.text(compiler)
