"""What an operation is: one step of a change, as data."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping
from dataclasses import MISSING, dataclass, fields
from datetime import date, datetime
from typing import Any, ClassVar, Final, NamedTuple
from zoneinfo import ZoneInfo

from prim_lantern.change.renames import Renames
from prim_lantern.errors import BadChange
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, moment, written
from prim_lantern.site.rights import Capability
from prim_lantern.wording import shortened

Texts = str | Iterable[str]
"""One text or several."""
When = str | date | datetime | None
"""A moment in any form that can be read, or nothing."""
WhenOrNever = When
"""The same, or "never" to take a moment away."""

_Take = Callable[[Any], Any]


PeopleRows = tuple[Mapping[str, Any], ...]
"""Rows of people; given as a list of mappings with the columns of people.csv and `attributes`."""


class Made(NamedTuple):
    """Who makes a change, and when; `brings_in` says that they may bring in items with the hands
    that were on them."""

    by: str
    at: datetime
    brings_in: bool = False


@dataclass(frozen=True)
class Operation:
    """One step of a change: plain texts that say what to do, checked when it is applied.

    `do` is its name in data. Texts that may be several come out as tuples, moments as text,
    so that two operations of the same meaning are equal.
    """

    do: ClassVar[str]
    brings_in: ClassVar[bool] = False  # whether it brings in items from elsewhere

    def __post_init__(self) -> None:
        for each in fields(self):
            take = _TAKES[str(each.type)]
            value = getattr(self, each.name)
            try:
                object.__setattr__(self, each.name, take(value))
            except (TypeError, ValueError, AttributeError):
                raise BadChange(
                    f"{self.do}: {shortened(value)} cannot be its {each.name}: it takes "
                    f"{_MEANT[str(each.type)]}."
                ) from None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        """The site after this step. Raises an error of this package where it cannot be made;
        whether somebody may make it is asked elsewhere."""
        raise NotImplementedError

    def renames(self, data: SiteData) -> Renames:
        """What gets another name, with all that speaks of it; looked at before it is applied."""
        return Renames()

    def said(self) -> str:
        """The step in a few words, for the history: "give field-writer to group:volunteers"."""
        raise NotImplementedError

    def to_dict(self) -> dict[str, Any]:
        """The operation as plain data: `do` with its name, and every field that says something."""
        found: dict[str, Any] = {"do": self.do}
        for each in fields(self):
            value = getattr(self, each.name)
            otherwise = () if each.default is MISSING else each.default
            if value != otherwise:
                found[each.name] = _plain(value)
        return found


def _text(value: Any) -> str:
    if not isinstance(value, str):
        raise TypeError
    return value


def _texts(value: Any) -> tuple[str, ...]:
    if isinstance(value, Mapping):
        raise TypeError
    return (value,) if isinstance(value, str) else tuple(map(_text, value))


def _when(value: Any) -> str:
    """The text of a moment; what says no zone says none in the text, and means that of the site."""
    at = moment(value)
    read = datetime.fromisoformat(value.strip()) if isinstance(value, str) else value
    naive = getattr(read, "tzinfo", None) is None
    return written(at).removesuffix("Z") if naive else f"{at.replace(tzinfo=None).isoformat()}Z"


def _flag(value: Any) -> bool:
    if not isinstance(value, bool):
        raise TypeError
    return value


def _whole(value: Any) -> int:
    if not isinstance(value, int) or isinstance(value, bool):
        raise TypeError
    return value


def _values(value: Any) -> dict[str, str]:
    return {_text(name): _text(each) for name, each in value.items()}


def _capabilities(value: Any) -> tuple[Capability, ...]:
    return tuple(map(_capability, value))


def _capability(row: Any) -> Capability:
    """A row of what a role can do; plain data is taken as well."""
    values = row._asdict() if isinstance(row, Capability) else row
    for each in values:
        if each not in Capability._fields:
            raise BadChange(
                f"A capability row has no {each!r}: it takes {', '.join(Capability._fields)}."
            )
    return Capability(**{name: _texts(each) for name, each in values.items()})


def _rows(value: Any) -> tuple[Mapping[str, Any], ...]:
    return tuple(map(item_values, value))


def item_values(row: Any) -> dict[str, Any]:
    """The columns of a row of the content table, each read as content.csv writes it."""
    found: dict[str, Any] = {}
    for name, value in row.items():
        take = _COLUMNS.get(name)
        if take is None:
            raise BadChange(f"A row of items has no {name!r}: it takes {', '.join(_COLUMNS)}.")
        try:
            found[name] = take(value)
        except (TypeError, ValueError):
            raise BadChange(f"{shortened(value)} cannot be the {name} of an item.") from None
    if "path" not in found:
        raise BadChange("A row of items needs a path.")
    return found


def _people_rows(value: Any) -> tuple[Mapping[str, Any], ...]:
    return tuple(map(person_values, value))


def person_values(row: Any) -> dict[str, Any]:
    """What a row of people says, each value read as people.csv writes it."""
    found: dict[str, Any] = {}
    for name, value in row.items():
        take = _PEOPLE_COLUMNS.get(name)
        if take is None:
            known = ", ".join(_PEOPLE_COLUMNS)
            raise BadChange(f"A row of people has no {name!r}: it takes {known}.")
        try:
            found[name] = take(value)
        except (TypeError, ValueError, AttributeError):
            raise BadChange(f"{shortened(value)} cannot be the {name} of a person.") from None
    if not found.get("login"):
        raise BadChange("A row of people needs a login.")
    return found


def _list(value: Any) -> tuple[str, ...]:
    return (
        _texts(list(filter(None, map(str.strip, value.split(";")))))
        if isinstance(value, str)
        else _texts(value)
    )


def _or_none(take: _Take) -> _Take:
    return lambda value: None if value is None else take(value)


def _time(value: Any) -> str | None:
    return None if value in (None, "") else _when(value)


_COLUMNS: Final[Mapping[str, _Take]] = {
    "path": _text,
    "kind": _text,
    "title": _text,
    "authors": _list,
    "changed_by": _list,
    "state": lambda value: _text(value) or PUBLISHED,
    "categories": _list,
    "readership": lambda value: _or_none(_text)(value) or None,
    "public_from": _time,
    "public_until": _time,
    "links_to": lambda value: _or_none(_text)(value) or None,
}
_PEOPLE_COLUMNS: Final[Mapping[str, _Take]] = {
    "login": _text,
    "name": _text,
    "email": _text,
    "status": _text,
    "groups": _list,
    "roles_elsewhere": _list,
    "joined": _time,
    "attributes": _values,
}
_TAKES: Final[Mapping[str, _Take]] = {
    "str": _text,
    "str | None": _or_none(_text),
    "Texts": _texts,
    "tuple[str, ...] | None": _or_none(_texts),
    "When": _or_none(_when),
    "WhenOrNever": _or_none(lambda value: value if value == "never" else _when(value)),
    "bool": _flag,
    "bool | None": _or_none(_flag),
    "int | None": _or_none(_whole),
    "Mapping[str, str]": _values,
    "tuple[Capability, ...]": _capabilities,
    "tuple[Mapping[str, Any], ...]": _rows,
    "PeopleRows": _people_rows,
}
_MEANT: Final[Mapping[str, str]] = {
    "str": "a text",
    "str | None": "a text",
    "Texts": "a text or a list of texts",
    "tuple[str, ...] | None": "a list of texts",
    "When": "a day or a time",
    "WhenOrNever": "a day or a time, or never",
    "bool": "true or false",
    "bool | None": "true or false",
    "int | None": "a whole number",
    "Mapping[str, str]": "names with texts",
    "tuple[Capability, ...]": "a list of rows with kinds, can, own and in_state",
    "tuple[Mapping[str, Any], ...]": "a list of rows",
    "PeopleRows": "a list of rows",
}


def _plain(value: Any) -> Any:
    if hasattr(value, "_asdict"):
        return {name: _plain(each) for name, each in value._asdict().items() if each}
    if isinstance(value, Mapping):
        return {name: _plain(each) for name, each in value.items()}
    if isinstance(value, datetime):
        return written(value)
    return [_plain(each) for each in value] if isinstance(value, tuple) else value


def period(since: When, until: When, zone: ZoneInfo | None) -> Period:
    """The time between two moments; `BadChange` where no moment lies in it."""
    found = Period(*(moment(each, zone) if each is not None else None for each in (since, until)))
    if found.empty:
        raise BadChange(f"The time {found} holds no moment: until is not after since.")
    return found


def times(since: When, until: When) -> str:
    """The same at the end of a few words, or nothing."""
    said = [f"from {since}"] if since is not None else []
    said += [f"until {until}"] if until is not None else []
    return f", {' '.join(said)}" if said else ""


def row(texts: Iterable[str]) -> str:
    """Texts in a row."""
    return ", ".join(texts)


def only_said(**said: Any) -> dict[str, Any]:
    """Those of some values that are not None; `BadChange` where there are none."""
    found = {name: value for name, value in said.items() if value is not None}
    if not found:
        raise BadChange("Nothing was said to change.")
    return found
