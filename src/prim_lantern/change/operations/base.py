"""What an operation is: one step of a change, as data."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import MISSING, dataclass, fields
from datetime import date, datetime
from typing import Any, ClassVar, NamedTuple

from prim_lantern.change.renames import Renames
from prim_lantern.errors import BadChange
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, moment, written

Texts = str | Iterable[str]
"""One text or several."""
When = str | date | datetime | None
"""A moment in any form that can be read, or nothing."""

_TEXTS, _WHEN = "Texts", "When"


class Made(NamedTuple):
    """Who makes a change, and when."""

    by: str
    at: datetime


@dataclass(frozen=True)
class Operation:
    """One step of a change: plain texts that say what to do, checked when it is applied.

    `do` is its name in data. Texts that may be several come out as tuples, moments as text,
    so that two operations of the same meaning are equal.
    """

    do: ClassVar[str]
    asks_nothing: ClassVar[bool] = False  # whether anybody may do it (who shows a link)

    def __post_init__(self) -> None:
        for each in fields(self):
            value = getattr(self, each.name)
            if each.type == _TEXTS:
                value = (value,) if isinstance(value, str) else tuple(value)
            elif each.type == _WHEN and value is not None:
                value = written(moment(value))
            object.__setattr__(self, each.name, value)

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


def _plain(value: Any) -> Any:
    if hasattr(value, "_asdict"):
        return {name: _plain(each) for name, each in value._asdict().items() if each}
    return [_plain(each) for each in value] if isinstance(value, tuple) else value


def period(since: When, until: When) -> Period:
    """The time between two moments; `BadChange` where no moment lies in it."""
    found = Period(*(moment(each) if each is not None else None for each in (since, until)))
    if found.empty:
        raise BadChange(f"The time {found} holds no moment: until is not after since.")
    return found


def times(since: When, until: When) -> str:
    """The same at the end of a few words, or nothing."""
    shown = str(period(since, until))
    return f", {shown}" if shown else ""


def row(texts: Iterable[str]) -> str:
    """Texts in a row."""
    return ", ".join(texts)


def only_said(**said: Any) -> dict[str, Any]:
    """Those of some values that are not None; `BadChange` where there are none."""
    found = {name: value for name, value in said.items() if value is not None}
    if not found:
        raise BadChange("Nothing was said to change.")
    return found
