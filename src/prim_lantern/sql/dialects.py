"""What each kind of database says in its own way."""

from __future__ import annotations

from typing import Any, Final

from sqlalchemy import Text
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import GenericFunction
from sqlalchemy.types import Boolean

_FEW: Final = 2  # values that are looked for one by one


class bytewise(GenericFunction[str]):  # noqa: N801 - functions of SQL are small
    """A text that is compared by the numbers of its letters, as paths are in order."""

    type = Text()
    inherit_cache = True


class any_of_separated(GenericFunction[bool]):  # noqa: N801
    """Whether a text of several values, with a separator between them, has one of some."""

    type = Boolean()
    inherit_cache = True


class any_of_json(GenericFunction[bool]):  # noqa: N801
    """Whether a column with a JSON array holds one of some texts."""

    type = Boolean()
    inherit_cache = True


def _parts(element: GenericFunction[Any], compiler: SQLCompiler, **how: Any) -> list[str]:
    return [compiler.process(each, **how) for each in element.clauses]


@compiles(bytewise)
def _bytewise(element: bytewise, compiler: SQLCompiler, **how: Any) -> str:
    collation = "BINARY" if compiler.dialect.name == "sqlite" else '"C"'
    return f"{_parts(element, compiler, **how)[0]} COLLATE {collation}"


@compiles(any_of_separated)
def _any_of_separated(element: any_of_separated, compiler: SQLCompiler, **how: Any) -> str:
    column, mark, *values = _parts(element, compiler, **how)
    close = (
        f"replace(replace(coalesce({column}, ''), {mark} || ' ', {mark}), ' ' || {mark}, {mark})"
    )
    if compiler.dialect.name == "postgresql":
        wanted = f"CAST(ARRAY[{', '.join(values)}] AS text[])"
        # taking the text apart takes long, and for most rows it shows at once that there is no need
        quick = f"{column} <> ''"
        if len(values) <= _FEW:
            quick = " OR ".join(f"strpos({column}, {each}) > 0" for each in values)
        return f"(({quick}) IS TRUE AND string_to_array({close}, {mark}) && {wanted})"
    whole = f"{mark} || {close} || {mark}"
    return f"({' OR '.join(f'instr({whole}, {mark} || {each} || {mark}) > 0' for each in values)})"


@compiles(any_of_json)
def _any_of_json(element: any_of_json, compiler: SQLCompiler, **how: Any) -> str:
    column, *values = _parts(element, compiler, **how)
    if compiler.dialect.name == "postgresql":
        each = f"jsonb_array_elements_text(CAST({column} AS jsonb))"
    else:
        each = f"json_each({column})"
    wanted = ", ".join(values)  # parameters, as SQLAlchemy writes them
    return f"EXISTS (SELECT 1 FROM {each} AS one WHERE one.value IN ({wanted}))"  # noqa: S608
