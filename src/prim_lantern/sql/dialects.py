"""What each kind of database says in its own way."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from typing import Any, Final

from sqlalchemy import (
    ARRAY,
    ColumnElement,
    Integer,
    String,
    Text,
    case,
    cast,
    func,
    literal,
    literal_column,
)
from sqlalchemy.ext.compiler import compiles
from sqlalchemy.sql.compiler import SQLCompiler
from sqlalchemy.sql.functions import GenericFunction
from sqlalchemy.types import Boolean

_FEW: Final = 2  # values that are looked for one by one


class bytewise(GenericFunction[str]):  # noqa: N801 - functions of SQL are small
    """A text that is compared by the numbers of its letters, as paths are in order."""

    type = Text()
    inherit_cache = True


class number_by_path(GenericFunction[int]):  # noqa: N801
    """A number for each stretch of paths in order: the first `numbers` up to the first of `ends`,
    and so on; the last for all that follow."""

    type = Integer()
    inherit_cache = False  # the numbers are no part of what SQLAlchemy would know it by

    def __init__(self, path: Any, ends: Sequence[str], numbers: Sequence[int]) -> None:
        super().__init__(path)
        self.ends, self.numbers = ends, numbers


class _AnyOf(GenericFunction[bool]):
    """Whether a column that keeps several values has one of some."""

    type = Boolean()
    inherit_cache = False  # SQLAlchemy would not know one from another by its values; said by each

    def __init__(self, column: Any, values: Sequence[str], *more: Any) -> None:
        super().__init__(column, *more)
        self.values = values


class any_of_separated(_AnyOf):  # noqa: N801
    """Whether a text of several values, with a separator between them, has one of some."""

    inherit_cache = False


class any_of_array(_AnyOf):  # noqa: N801
    """Whether an array of PostgreSQL has one of some texts."""

    inherit_cache = False


class any_of_json(_AnyOf):  # noqa: N801
    """Whether a column with a JSON array holds one of some texts."""

    inherit_cache = False


_BRANCHES: Final = 6  # SQLite takes no deeper nesting than that brings for some thousand paths
_IN_AN_ARRAY: Final = 64  # PostgreSQL walks through an array, but far quicker than through a case


def _parts(element: GenericFunction[Any], compiler: SQLCompiler, **how: Any) -> list[str]:
    return [compiler.process(each, **how) for each in element.clauses]


@compiles(bytewise)
def _bytewise(element: bytewise, compiler: SQLCompiler, **how: Any) -> str:
    collation = "BINARY" if compiler.dialect.name == "sqlite" else '"C"'
    return f"{_parts(element, compiler, **how)[0]} COLLATE {collation}"


@compiles(number_by_path)
def _number_by_path(element: number_by_path, compiler: SQLCompiler, **how: Any) -> str:
    (path,) = element.clauses
    arrays = compiler.dialect.name == "postgresql"
    leaf, size = (_by_array, _IN_AN_ARRAY) if arrays else (_by_case, 1)
    return str(compiler.process(_looked_up(path, element.ends, element.numbers, leaf, size), **how))


_Leaf = Callable[[Any, Sequence[str], Sequence[int]], ColumnElement[int]]


def _looked_up(
    path: Any, ends: Sequence[str], numbers: Sequence[int], leaf: _Leaf, size: int
) -> ColumnElement[int]:
    """The number of a path, looked for as in a book with a contents page; a leaf has up to `size`
    stretches."""
    if len(numbers) <= size:
        return leaf(path, ends, numbers)
    width = size
    while width * _BRANCHES < len(numbers):
        width *= _BRANCHES
    starts = range(0, len(numbers), width)
    *some, last = (
        _looked_up(path, ends[at : at + width - 1], numbers[at : at + width], leaf, size)
        for at in starts
    )
    whens = [(path < ends[at - 1], each) for at, each in zip(starts[1:], some, strict=True)]
    return case(*whens, else_=last)


def _by_case(_: Any, __: Sequence[str], numbers: Sequence[int]) -> ColumnElement[int]:
    return literal_column(str(numbers[0]), Integer)


def _by_array(path: Any, ends: Sequence[str], numbers: Sequence[int]) -> ColumnElement[int]:
    """Its place among the ends is that of the number in another array."""
    if not ends:
        return _by_case(path, ends, numbers)
    place = func.width_bucket(path, cast(literal(_array(ends)), ARRAY(Text)))
    return _at(cast(literal(_array(numbers)), ARRAY(Integer)), place + 1)


class _at(GenericFunction[int]):  # noqa: N801
    """A value of an array, by its place."""

    type = Integer()
    inherit_cache = True


@compiles(_at)
def _in_brackets(element: _at, compiler: SQLCompiler, **how: Any) -> str:
    array, place = _parts(element, compiler, **how)
    return f"({array})[{place}]"


def _array(values: Sequence[object]) -> str:
    """An array as PostgreSQL writes it."""
    return "{" + ",".join(map(_quoted, values)) + "}"


def _quoted(value: object) -> str:
    if not isinstance(value, str):
        return str(value)
    escaped = value.replace("\\", "\\\\").replace('"', '\\"')
    return f'"{escaped}"'


@compiles(any_of_separated)
def _any_of_separated(element: any_of_separated, compiler: SQLCompiler, **how: Any) -> str:
    column, mark = _parts(element, compiler, **how)
    close = f"replace(replace({column}, {mark} || ' ', {mark}), ' ' || {mark}, {mark})"
    values = [compiler.process(literal(each), **how) for each in element.values]
    if compiler.dialect.name == "postgresql":
        wanted = compiler.process(cast(literal(_array(element.values)), ARRAY(Text)), **how)
        # taking the text apart takes long, and for most rows it shows at once that there is no need
        quick = f"{column} <> ''"
        if len(values) <= _FEW:
            quick = f"({' OR '.join(f'strpos({column}, {each}) > 0' for each in values)})"
        return f"(({quick} AND string_to_array({close}, {mark}) && {wanted}) IS TRUE)"
    whole = f"{mark} || {close} || {mark}"
    found = " OR ".join(f"instr({whole}, {mark} || {each} || {mark}) > 0" for each in values)
    return f"(({found}) IS TRUE)"


@compiles(any_of_array)
def _any_of_array(element: any_of_array, compiler: SQLCompiler, **how: Any) -> str:
    (column,) = element.clauses
    of = getattr(column.type, "item_type", None)
    one = Text() if of is None or isinstance(of, Text) else String()  # it compares with its own
    kept = compiler.process(column, **how)
    if len(element.values) == 1:
        return f"(({compiler.process(literal(element.values[0]), **how)} = ANY ({kept})) IS TRUE)"
    wanted = cast(literal(_array(element.values)), ARRAY(one))
    return f"(({kept} && {compiler.process(wanted, **how)}) IS TRUE)"


@compiles(any_of_json)
def _any_of_json(element: any_of_json, compiler: SQLCompiler, **how: Any) -> str:
    (column,) = _parts(element, compiler, **how)
    if compiler.dialect.name == "postgresql":
        each = f"jsonb_array_elements_text(CAST({column} AS jsonb))"
    else:
        each = f"json_each({column})"
    wanted = ", ".join(compiler.process(literal(value), **how) for value in element.values)
    return f"EXISTS (SELECT 1 FROM {each} AS one WHERE one.value IN ({wanted}))"  # noqa: S608
