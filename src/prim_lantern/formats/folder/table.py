"""One table of site.toml: its values, checked against the keys it may have."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import date, datetime
from typing import Any

from prim_lantern.errors import BadValue
from prim_lantern.formats.folder.keys import FLAG, MOMENT, TEXT, TEXTS, WHOLE, Key
from prim_lantern.formats.folder.source import Problems
from prim_lantern.site.moments import Period
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import Place, place
from prim_lantern.site.who import Who, who

_MEANT = {
    TEXT: 'a text in quotes ("…")',
    FLAG: "true or false",
    WHOLE: "a whole number",
    TEXTS: 'a list of texts (["…", "…"])',
    MOMENT: "a day (2027-01-31) or a time (2027-01-31T09:30:00Z)",
}


class Logins:
    """How logins are spelled in people.csv, for references that differ in case."""

    def __init__(self, logins: Iterable[str]) -> None:
        self._spelled = {folded(login): login for login in logins}

    def spelled(self, login: str) -> str:
        """The login as its user has it; as it came, where nobody has it."""
        return self._spelled.get(folded(login), login.strip())

    def who(self, text: str) -> Who:
        """A who, a user's login spelled as the user has it."""
        found = who(text)
        return Who("user", self.spelled(found.name)) if found.kind == "user" else found


class Table:
    """The values of one table; what is wrong with one is noted, and counts as left out."""

    def __init__(
        self,
        values: object,
        keys: Mapping[str, Key],
        origin: Origin,
        problems: Problems,
        at: str | None = None,
    ) -> None:
        self.origin = origin
        self._problems = problems
        self._at = at  # the key of the outer table that this row stands in
        self._values: dict[str, Any] = {}
        if not isinstance(values, dict):
            problems.wrong(origin, at, values, "is no table: it needs keys with values.")
            return
        for name, value in values.items():
            key = keys.get(name)
            if key is None:
                problems.wrong(origin, at or name, name, "is no key of this table.", keys)
            elif key.holds in _MEANT and not _is(value, key.holds):
                expected = f"cannot be the value of {name}: write {_MEANT[key.holds]}."
                problems.wrong(origin, at or name, value, expected)
            elif self._chosen(name, key, value):
                self._values[name] = value
        for name, key in keys.items():
            if key.required and name not in values:
                problems.wrong(origin, at or name, name, "is missing here.")

    def _chosen(self, name: str, key: Key, value: Any) -> bool:
        """Whether a value is among the few words that its key takes."""
        said = value if isinstance(value, list) else [value]
        unknown = [each for each in said if key.choices and each not in key.choices]
        for each in unknown:
            expected = f"is not possible here: use one of {', '.join(key.choices)}."
            self._problems.wrong(self.origin, self._at or name, each, expected, key.choices)
        return not unknown

    def has(self, name: str) -> bool:
        """Whether the key stands here, with a possible value."""
        return name in self._values

    def text(self, name: str, otherwise: str = "") -> str:
        """The text of a key."""
        value: str = self._values.get(name, otherwise)
        return value

    def flag(self, name: str, otherwise: bool = False) -> bool:
        """The true or false of a key."""
        value: bool = self._values.get(name, otherwise)
        return value

    def whole(self, name: str) -> int:
        """The whole number of a key."""
        value: int = self._values.get(name, 0)
        return value

    def texts(self, name: str) -> tuple[str, ...]:
        """The texts of a key that holds a list."""
        return tuple(self._values.get(name, ()))

    def folded(self, name: str) -> tuple[str, ...]:
        """The texts of a list, in the form in which group names and the like compare."""
        return tuple(map(folded, self.texts(name)))

    def rows(self, name: str) -> list[object]:
        """The entries of a list of rows."""
        value = self._values.get(name, [])
        if isinstance(value, list):
            return value
        self._problems.wrong(self.origin, name, value, "is no list of rows ([ {…}, {…} ]).")
        return []

    def whos(self, name: str, logins: Logins) -> tuple[Who, ...]:
        """Those whom the texts of a list name."""
        read = (self._read(name, number, logins.who) for number in range(len(self.texts(name))))
        return tuple(each for each in read if each is not None)

    def places(self, name: str) -> tuple[Place, ...]:
        """The places that the texts of a list name."""
        read = (self._read(name, number, place) for number in range(len(self.texts(name))))
        return tuple(each for each in read if each is not None)

    def place(self, name: str, reach: str | None = None) -> Place | None:
        """The place that a text names, with its reach; None where it names none."""
        reach_text = self.text(reach) or None if reach else None
        if name not in self._values and reach_text is None:
            return None
        try:
            return place(self.text(name, "site"), reach_text)
        except BadValue as error:
            at = reach if reach and error.value == self.text(reach) else name
            self._problems.wrong(self.origin, at, error.value, error.expected)
            return None

    def period(self) -> Period:
        """The time from `since` until `until`."""
        return Period(self._moment("since"), self._moment("until"))

    def _moment(self, name: str) -> datetime | None:
        value = self._values.get(name)
        read = self._problems.moment
        return self._problems.attempt(self.origin, name, read, value, None) if value else None

    def _read(self, name: str, number: int, read: Any) -> Any:
        text = self.texts(name)[number]
        return self._problems.attempt(self.origin, f"{name}[{number}]", read, text, None)


def _is(value: object, holds: str) -> bool:
    match holds:
        case "text":
            return isinstance(value, str)
        case "flag":
            return isinstance(value, bool)
        case "whole number":
            return isinstance(value, int) and not isinstance(value, bool)
        case "list of texts":
            return isinstance(value, list) and all(isinstance(each, str) for each in value)
        case _:
            return isinstance(value, (str, date))
