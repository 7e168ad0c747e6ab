"""Values: frozen classes of named fields.

They are dataclasses to whoever asks (`fields`, `asdict` and `is_dataclass` of the standard library
take them), but made without its machinery, which takes longer to load than a question to answer.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import Any, Final, TypeVar, dataclass_transform, overload

_T = TypeVar("_T")
_NONE: Final = object()  # where a field has no default


class Field:
    """What is said of a field beside its type."""

    __slots__ = ("compare", "default", "factory", "repr")

    def __init__(self, default: Any, factory: Any, compare: bool, repr: bool) -> None:
        self.default = default
        self.factory = factory
        self.compare = compare
        self.repr = repr


def field(
    *,
    default: Any = _NONE,
    default_factory: Any = _NONE,
    compare: bool = True,
    repr: bool = True,
) -> Any:
    """A field of a value with more to it than a type and a default: what makes its default, and
    whether it counts in comparing and is shown."""
    return Field(default, default_factory, compare, repr)


@overload
def value(cls: type[_T]) -> type[_T]: ...
@overload
def value(*, slots: bool = True, eq: bool = True) -> Callable[[type[_T]], type[_T]]: ...


@dataclass_transform(frozen_default=True, field_specifiers=(field,))
def value(
    cls: type[_T] | None = None, *, slots: bool = True, eq: bool = True
) -> type[_T] | Callable[[type[_T]], type[_T]]:
    """Make a class of named fields one of values: they are told apart by their fields alone, and
    none of these can be set again.

    Without `slots` something can be kept beside the fields (`cached_property`); without `eq` each
    value is only itself.

    >>> @value
    ... class Point:
    ...     x: int
    ...     y: int = 0
    >>> Point(1) == Point(1, 0), Point(2, 3)
    (True, Point(x=2, y=3))
    """

    def made(of: type[_T]) -> type[_T]:
        return _made(of, slots, eq)

    return made if cls is None else made(cls)


def replace(of: _T, /, **changes: Any) -> _T:
    """The same with other values in some of its fields, for these and for dataclasses.

    Raises `TypeError` for a field that there is not.

    >>> @value
    ... class Point:
    ...     x: int
    ...     y: int = 0
    >>> replace(Point(1), y=5)
    Point(x=1, y=5)
    """
    kind: Any = type(of)
    for name in kind.__match_args__:
        if name not in changes:
            changes[name] = getattr(of, name)
    made: _T = kind(**changes)
    return made


def names_of(kind: Any) -> tuple[str, ...]:
    """The names of the fields, in order."""
    names: tuple[str, ...] = kind.__match_args__
    return names


def _made(cls: type[_T], slots: bool, eq: bool) -> type[_T]:
    own = dict(cls.__dict__)
    fields = dict(_fields_of(cls))
    own["__match_args__"] = tuple(fields)
    own["__dataclass_fields__"] = _AsDataclass(fields)
    own["__setattr__"], own["__delattr__"] = _refuse, _refuse
    own["__replace__"] = replace  # what `copy.replace` asks for
    own.setdefault("__repr__", _shows([name for name, each in fields.items() if each.repr]))
    for name in (*fields, "__dict__", "__weakref__"):
        own.pop(name, None)  # the defaults are those of the arguments
    if slots:
        own["__slots__"] = tuple(fields)
        own["__getstate__"], own["__setstate__"] = _state, _restore
    make: Any = type(cls)
    found: Any = make(cls.__name__, cls.__bases__, own)
    known: dict[str, Any] = {"_NONE": _NONE}
    _write_out(found, _taking(found, fields, known, slots), known)
    found.__init__.__annotations__ = {**cls.__annotations__, "return": None}
    if eq:
        _compare_by(found, [name for name, each in fields.items() if each.compare])
    return found  # type: ignore[no-any-return]


def _fields_of(cls: type) -> Iterator[tuple[str, Field]]:
    for name in cls.__annotations__:
        default = cls.__dict__.get(name, _NONE)
        yield name, default if isinstance(default, Field) else Field(default, _NONE, True, True)


# Written out, as a site has a million of such values ------------------------------------------


def _write_out(cls: Any, text: str, known: dict[str, Any]) -> None:
    """Give a class the methods of a text, which may refer to what is `known`."""
    before = set(known)
    exec(text, known)  # noqa: S102 - of nothing but the names of the fields
    for name in known.keys() - before - {"__builtins__"}:
        known[name].__qualname__ = f"{cls.__qualname__}.{name}"
        known[name].__module__ = cls.__module__
        setattr(cls, name, known[name])


def _taking(cls: type, fields: Mapping[str, Field], known: dict[str, Any], slots: bool) -> str:
    """The text of what sets the fields; what it refers to comes to be `known`."""
    arguments, lines = ["self"], []
    for name, each in fields.items():
        given = name
        if each.factory is not _NONE:
            known[f"_make_{name}"] = each.factory
            arguments.append(f"{name}=_NONE")
            given = f"_make_{name}() if {name} is _NONE else {name}"
        elif each.default is not _NONE:
            known[f"_default_{name}"] = each.default
            arguments.append(f"{name}=_default_{name}")
        else:
            arguments.append(name)
        if slots:
            known[f"_set_{name}"] = cls.__dict__[name].__set__
            lines.append(f" _set_{name}(self, {given})")
        else:
            lines.append(f" self.__dict__[{name!r}] = {given}")
    return "\n".join((f"def __init__({', '.join(arguments)}):", *(lines or [" pass"])))


def _compare_by(cls: Any, names: list[str]) -> None:
    """Make values compare by some fields. Many are never compared, so that this is written out when
    the first two are."""
    mine, theirs = ("".join(f"{of}.{name}, " for name in names) for of in ("self", "other"))
    text = (
        "def __eq__(self, other):\n"
        " if other.__class__ is not self.__class__: return NotImplemented\n"
        f" return ({mine}) == ({theirs})\n"
        "def __hash__(self):\n"
        f" return hash(({mine}))\n"
    )

    def __eq__(self: Any, other: Any) -> Any:  # noqa: N807
        _write_out(cls, text, {})
        return cls.__eq__(self, other)

    def __hash__(self: Any) -> Any:  # noqa: N807
        _write_out(cls, text, {})
        return cls.__hash__(self)

    cls.__eq__, cls.__hash__ = __eq__, __hash__


def _shows(names: list[str]) -> Callable[[Any], str]:
    def __repr__(self: Any) -> str:  # noqa: N807
        told = ", ".join(f"{name}={getattr(self, name)!r}" for name in names)
        return f"{type(self).__qualname__}({told})"

    return __repr__


def _refuse(self: Any, name: str, *_: object) -> None:
    from dataclasses import FrozenInstanceError  # nobody gets here who is in a hurry

    raise FrozenInstanceError(
        f"{name!r} cannot be set: what is of {type(self).__name__} never changes."
    )


def _state(self: Any) -> list[Any]:
    return [getattr(self, name) for name in self.__match_args__]


def _restore(self: Any, state: list[Any]) -> None:
    for name, each in zip(self.__match_args__, state, strict=True):
        object.__setattr__(self, name, each)


class _AsDataclass:
    """The fields as those of a dataclass; they are put together when somebody asks for them."""

    def __init__(self, fields: Mapping[str, Field]) -> None:
        self._fields = fields

    def __get__(self, _: object, owner: type) -> dict[str, Any]:
        import dataclasses

        said: list[tuple[str, Any, Any]] = []
        for name, each in self._fields.items():
            more: dict[str, Any] = {"compare": each.compare, "repr": each.repr}
            if each.factory is not _NONE:
                more["default_factory"] = each.factory
            elif each.default is not _NONE:
                more["default"] = each.default
            said.append((name, owner.__annotations__[name], dataclasses.field(**more)))
        made: Any = dataclasses.make_dataclass(owner.__name__, said, frozen=True)
        found: dict[str, Any] = made.__dataclass_fields__
        owner.__dataclass_fields__ = found  # type: ignore[attr-defined]
        return found
