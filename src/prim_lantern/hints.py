"""Is a value of the type that a hint asks for? If not, what in it is not.

Programs that check their types never need it; it explains what went wrong to those that do not.
"""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from datetime import datetime
from functools import cache
from types import MappingProxyType, NoneType, UnionType
from typing import Any, Final, NamedTuple, Union, get_args, get_origin, get_type_hints

_PLAINLY: Final = {
    str: "text", int: "a number", float: "a number", bool: "True or False", NoneType: "None",
    Mapping: "a mapping", Iterable: "a list", datetime: "a moment with its time zone",
}  # fmt: skip


class Misfit(NamedTuple):
    """What in a value is of a wrong type: the name of its field, or of the key that leads to it
    (none: the value itself), what stands there, and what was expected, in words."""

    field: str
    value: object
    expected: str

    @property
    def says(self) -> str:
        """What is wrong, as the end of a sentence that begins with the value."""
        of_type = f"of type {type(self.value).__name__}" if self.value is not None else "None"
        return f"is {of_type}; expected {self.expected}."


_Look = Callable[[Any], Misfit | None]


def misfit(value: object, hint: Any) -> Misfit | None:
    """The first in a value that is not of the type that a hint asks for; None where all is. It
    goes into tuples, lists, sets, plain mappings and values with fields.

    >>> misfit(["edit", 3], list[str])
    Misfit(field='', value=3, expected='text')
    >>> misfit(3, float), misfit(True, float)
    (None, Misfit(field='', value=True, expected='a number'))
    """
    return _look(hint)(value)


def in_words(hint: Any) -> str:
    """What a hint asks for.

    >>> in_words(str | None)
    'text or None'
    """
    if get_origin(hint) in (Union, UnionType):
        return " or ".join(dict.fromkeys(map(in_words, get_args(hint))))
    kind = get_origin(hint) or hint
    if hasattr(kind, "_fields"):
        return str(kind.__name__)  # a tuple with names is no mere list
    for known, words in _PLAINLY.items():
        if kind is known or (known in (Iterable, Mapping) and _is_kind_of(kind, known)):
            return words
    return str(getattr(kind, "__name__", kind))


def _is_kind_of(kind: Any, known: Any) -> bool:
    return isinstance(kind, type) and issubclass(kind, known)


@cache
def _look(hint: Any) -> _Look:
    """What looks at a value, for one hint."""
    if get_origin(hint) in (Union, UnionType):
        return _at_any(hint, tuple(map(_look, get_args(hint))))
    kind, parts = get_origin(hint) or hint, get_args(hint)
    if kind is Any or not isinstance(kind, type):
        return lambda _: None
    fitting = (float, int) if kind is float else kind  # as type checkers take it
    inside: _Look | None = None
    if issubclass(kind, Mapping) and len(parts) == 2:
        inside = _at_entries(_look(parts[0]), _look(parts[1]))
    elif issubclass(kind, Iterable) and len({*parts} - {Ellipsis}) == 1:
        inside = _at_elements(_look(parts[0]))
    elif not parts and hasattr(kind, "__match_args__"):
        inside = _at_fields(kind)

    def at_one(value: object) -> Misfit | None:
        if kind is datetime:
            wrong = getattr(value, "tzinfo", None) is None
        elif kind in (int, float):
            wrong = isinstance(value, bool)
        else:  # the letters of a text are no list
            listed = issubclass(kind, Iterable) and not issubclass(kind, str | bytes)
            wrong = listed and isinstance(value, str | bytes)
        if wrong or not isinstance(value, fitting):
            return Misfit("", value, in_words(hint))
        return inside(value) if inside is not None else None

    return at_one


def _at_any(hint: Any, looks: tuple[_Look, ...]) -> _Look:
    def at_any(value: object) -> Misfit | None:
        found = [look(value) for look in looks]
        if None in found:
            return None
        inner = (each for each in found if each is not None and each.value is not value)
        return next(inner, Misfit("", value, in_words(hint)))

    return at_any


def _at_entries(of_key: _Look, of_value: _Look) -> _Look:
    def at_entries(value: Mapping[object, object]) -> Misfit | None:
        if not isinstance(value, dict | MappingProxyType):
            return None  # rows that are made when they are asked for
        for key, each in value.items():
            if found := of_key(key):
                return found
            if found := of_value(each):
                return found._replace(field=_path(str(key), found.field))
        return None

    return at_entries


def _at_elements(of_each: _Look) -> _Look:
    def at_elements(value: Iterable[object]) -> Misfit | None:
        if not isinstance(value, Collection) or isinstance(value, Mapping):
            return None  # it may be gone through once alone
        return next(filter(None, map(of_each, value)), None)

    return at_elements


def _at_fields(kind: Any) -> _Look:
    try:
        hints = get_type_hints(kind)
    except NameError:
        return lambda _: None  # of what is known only to type checkers
    looks = [(name, _look(hints[name])) for name in kind.__match_args__ if name in hints]

    def at_fields(value: object) -> Misfit | None:
        for name, look in looks:
            if found := look(getattr(value, name)):
                return found._replace(field=_path(name, found.field))
        return None

    return at_fields


def _path(outer: str, inner: str) -> str:
    return f"{outer}.{inner}" if inner else outer
