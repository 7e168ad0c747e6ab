"""Arguments of a wrong type, explained.

They are looked at only after something went wrong, so that good calls cost next to nothing more. A
single text in the place of a list is looked for before: Python would go through its letters.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Collection, Iterable, Mapping
from functools import wraps
from inspect import isfunction, signature
from types import SimpleNamespace
from typing import Any, ParamSpec, TypeVar, get_type_hints

from prim_lantern.errors import BadValue
from prim_lantern.hints import Misfit, in_words, misfit

_P = ParamSpec("_P")
_R = TypeVar("_R")
_C = TypeVar("_C", bound=type)

_A_LIST = re.compile(r"(Iterable|Sequence|Collection)\[\w+\]( \| None)?")


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
                raise _misfit(name, Misfit("", value, in_words(Iterable)))
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


def _misfit(name: str, found: Misfit) -> BadValue:
    kind, where = type(found.value).__name__, f"{found.field} in {name}" if found.field else name
    says = f"cannot be {where}, as it is of type {kind}; expected {found.expected}."
    return BadValue(found.value, says)


def _hold_against_hints(
    method: Callable[..., object], args: tuple[object, ...], values: Mapping[str, object]
) -> None:
    """Raise `BadValue` for the first argument that is not of the type that is asked for."""
    try:
        given = signature(method).bind(*args, **values).arguments
    except TypeError:
        return  # too few or too many arguments: Python says it best
    for name, value in given.items():
        if found := misfit(value, _hint(method, name)):
            raise _misfit(name, found) from None


def _hint(method: Callable[..., object], name: str) -> Any:
    """What a method says of one argument; Any, where that is known only to type checkers."""
    said = SimpleNamespace(__annotations__={name: method.__annotations__.get(name, Any)})
    try:
        return get_type_hints(said, getattr(method, "__globals__", {})).get(name, Any)
    except NameError:
        return Any
