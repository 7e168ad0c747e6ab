"""Arguments of a wrong type, explained.

They are looked at only after something went wrong, so that good calls cost next to nothing more. A
single text in the place of a list is looked for before: Python would go through its letters.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Mapping
from functools import wraps
from inspect import isfunction, signature
from types import NoneType, SimpleNamespace, UnionType
from typing import Any, ParamSpec, TypeVar, Union, get_args, get_origin, get_type_hints

from prim_lantern.errors import BadValue

_P = ParamSpec("_P")
_R = TypeVar("_R")
_C = TypeVar("_C", bound=type)

_A_LIST = re.compile(r"(Iterable|Sequence|Collection)\[\w+\]( \| None)?")

_PLAINLY = {
    str: "text", int: "a number", bool: "True or False", NoneType: "None", Iterable: "a list",
    Mapping: "a mapping",
}  # fmt: skip


def explains_its_arguments(*, but: Collection[str] = ()) -> Callable[[_C], _C]:
    """A class whose public methods, but some, raise `BadValue` for an argument of a wrong type."""

    def explaining(cls: _C) -> _C:
        for name, method in list(vars(cls).items()):
            if isfunction(method) and not name.startswith("_") and name not in but:
                setattr(cls, name, _explaining(method))
        return cls

    return explaining


def _explaining(method: Callable[_P, _R]) -> Callable[_P, _R]:
    lists = _lists_among(method)

    @wraps(method)
    def call(*args: _P.args, **values: _P.kwargs) -> _R:
        for at, name in lists:
            value = args[at] if at < len(args) else values.get(name)
            if isinstance(value, str | bytes):
                raise _misfit(name, value, Iterable)
        try:
            return method(*args, **values)
        except (TypeError, AttributeError, ValueError, LookupError):
            _hold_against_hints(method, args, values)
            raise

    return call


def _lists_among(method: Callable[..., object]) -> tuple[tuple[int, str], ...]:
    """The arguments of a method that are lists, with their places."""
    hints: Mapping[str, str] = method.__annotations__  # as they are written
    names = method.__code__.co_varnames
    return tuple((names.index(n), n) for n, hint in hints.items() if _A_LIST.fullmatch(hint))


def _misfit(name: str, value: object, hint: Any) -> BadValue:
    kind = type(value).__name__
    return BadValue(value, f"cannot be {name}, as it is of type {kind}; expected {_meant(hint)}.")


def _hold_against_hints(
    method: Callable[..., object], args: tuple[object, ...], values: Mapping[str, object]
) -> None:
    """Raise `BadValue` for the first argument that is not of the type that is asked for."""
    try:
        given = signature(method).bind(*args, **values).arguments
    except TypeError:
        return  # too few or too many arguments: Python says it best
    for name, value in given.items():
        hint = _hint(method, name)
        if not _fits(value, hint):
            raise _misfit(name, value, hint) from None


def _hint(method: Callable[..., object], name: str) -> Any:
    """What a method says of one argument; Any, where that is known only to type checkers."""
    said = SimpleNamespace(__annotations__={name: method.__annotations__.get(name, Any)})
    try:
        return get_type_hints(said, getattr(method, "__globals__", {})).get(name, Any)
    except NameError:
        return Any


def _fits(value: object, hint: Any) -> bool:
    if get_origin(hint) in (Union, UnionType):
        return any(_fits(value, each) for each in get_args(hint))
    kind = get_origin(hint) or hint
    if kind is int and isinstance(value, bool):
        return False
    if kind is Any or not isinstance(kind, type):
        return True
    if not isinstance(value, kind) or (isinstance(value, bytes) and kind is not bytes):
        return False
    parts = get_args(hint)
    if isinstance(value, (list, tuple, set, frozenset)) and len(parts) == 1:
        return all(_fits(each, parts[0]) for each in value)
    return True


def _meant(hint: Any) -> str:
    """What is expected, in words."""
    if get_origin(hint) in (Union, UnionType):
        return " or ".join(dict.fromkeys(map(_meant, get_args(hint))))
    kind = get_origin(hint) or hint
    if hasattr(kind, "_fields"):
        return str(kind.__name__)  # a tuple with names is no mere list
    for known, words in _PLAINLY.items():
        if kind is known or (known in (Iterable, Mapping) and _is_kind_of(kind, known)):
            return words
    return str(getattr(kind, "__name__", kind))


def _is_kind_of(kind: Any, known: Any) -> bool:
    return isinstance(kind, type) and issubclass(kind, known)
