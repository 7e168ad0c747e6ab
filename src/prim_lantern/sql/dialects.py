"""What each kind of database says in its own way."""

from __future__ import annotations

from typing import Any

from sqlalchemy import Text
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import GenericFunction
from sqlalchemy.types import Boolean


class bytewise(GenericFunction[str]):  # noqa: N801 - functions of SQL are small
    """A text that is compared by the numbers of its letters, as paths are in order."""

    type = Text()
    inherit_cache = True


class holds_text(GenericFunction[bool]):  # noqa: N801
    """Whether a text holds another one, to the letter."""

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
    collations = {"postgresql": '"C"', "sqlite": "BINARY"}
    return f"{_parts(element, compiler, **how)[0]} COLLATE {collations[compiler.dialect.name]}"


@compiles(holds_text)
def _holds_text(element: holds_text, compiler: SQLCompiler, **how: Any) -> str:
    whole, part = _parts(element, compiler, **how)
    name = "strpos" if compiler.dialect.name == "postgresql" else "instr"
    return f"{name}({whole}, {part}) > 0"


@compiles(any_of_json)
def _any_of_json(element: any_of_json, compiler: SQLCompiler, **how: Any) -> str:
    column, *values = _parts(element, compiler, **how)
    if compiler.dialect.name == "postgresql":
        each = f"jsonb_array_elements_text(CAST({column} AS jsonb))"
    else:
        each = f"json_each({column})"
    wanted = ", ".join(values)  # parameters, as SQLAlchemy writes them
    return f"EXISTS (SELECT 1 FROM {each} AS one WHERE one.value IN ({wanted}))"  # noqa: S608
