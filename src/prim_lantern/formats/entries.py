"""Single things of a site (a role, a rule, a user, an item) as plain values, and back."""

from __future__ import annotations

import json
from collections.abc import Mapping
from hashlib import sha256
from json import JSONEncoder
from typing import Any, Final

from prim_lantern.change.pieces import SITE_FIELDS, differences
from prim_lantern.errors import BadSite
from prim_lantern.formats.folder.cells import item_cells, person_cells
from prim_lantern.formats.folder.csv_rows import content_of, people_of
from prim_lantern.formats.folder.keys import PEOPLE_COLUMNS
from prim_lantern.formats.folder.plain import ENTRIES, LISTED_PARTS
from prim_lantern.formats.folder.source import Problems, Rows
from prim_lantern.formats.folder.table import Logins
from prim_lantern.formats.folder.tables import SiteTables
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import all_told_in
from prim_lantern.values import replace

Plain = Any
"""What JSON can hold."""

_MODULUS: Final = 1 << 256


class NoLines:
    """Stands for the lines of what was written nowhere."""

    def of(self, *_: str | int) -> int:
        """Always 0."""
        return 0

    def below(self, *_: str | int) -> Mapping[str, int]:
        """Always nothing."""
        return {}


def plain(part: str, thing: Any) -> Plain:
    """A thing of one part as plain values; moments in UTC, whatever the zone of the site."""
    if thing is None:
        return None
    if part == "site":
        return list(thing) if isinstance(thing, tuple) else thing
    thing = all_told_in(thing, None)
    if part == "users":
        return {name: cell for name, cell in person_cells(thing).items() if cell}
    if part == "items":
        return {name: cell for name, cell in item_cells(thing).items() if cell}
    return json.loads(as_text(ENTRIES[part](thing)))


def thing(part: str, name: str, values: Plain) -> Any:
    """The thing that plain values say; raises `BadSite` where they make no sense."""
    if values is None:
        return None
    if part == "site":
        return tuple(values) if isinstance(values, list) else values
    problems, nobody = Problems(), Logins(())
    if part in ("users", "items"):
        rows = Rows({name: [cell] for name, cell in values.items()}, [0])
        if part == "users":
            attributes = tuple(each for each in values if each not in PEOPLE_COLUMNS)
            found: Any = people_of([rows], attributes, problems).at(0)
        else:
            found = content_of([rows], nobody, problems).at(0)
    else:
        table = [values] if part in LISTED_PARTS else {name: values}
        tables = SiteTables({"site": _SITE, part: table}, NoLines(), nobody, problems)
        parts = tables.parts()[part]
        found = next(iter(parts.values() if isinstance(parts, Mapping) else parts))
    if problems.found:
        raise BadSite(problems.found, "the history")
    return replace(found, origin=None)


_SITE: Final = {"name": "", "owner": ""}


class Told:
    """Things as plain values, each told once however often it is asked for."""

    def __init__(self) -> None:
        self._known: dict[int, tuple[Any, Plain]] = {}  # with the thing, so that it stays

    def plain(self, part: str, thing: Any) -> Plain:
        """A thing of one part as plain values."""
        if thing is None or part == "site":
            return plain(part, thing)
        found = self._known.get(id(thing))
        if found is None:
            found = self._known[id(thing)] = (thing, plain(part, thing))
        return found[1]


_SHORT: Final = {"ensure_ascii": False, "separators": (",", ":"), "default": str}
_IN_ONE_FORM: Final = JSONEncoder(sort_keys=True, **_SHORT)  # type: ignore[arg-type]
_AS_IT_STANDS: Final = JSONEncoder(**_SHORT)  # type: ignore[arg-type]


def as_json(values: Plain) -> str:
    """Values as JSON in one form only (keys in order, no spaces), so that equal ones are equal
    texts; moments as text in ISO 8601."""
    return _IN_ONE_FORM.encode(values)


def as_text(values: Plain) -> str:
    """Values as JSON to be kept: the keys stay in the order that they have."""
    return _AS_IT_STANDS.encode(values)


def number_of(part: str, name: str, value: Plain) -> int:
    """The number of one thing, known as plain values; 0 for none."""
    if value is None:
        return 0
    text = as_json([part, name if part not in LISTED_PARTS else "", value])
    return int.from_bytes(sha256(text.encode()).digest())


class State:
    """A number for all that a site says, which follows from change to change.

    It is the sum of the SHA-256 numbers of all its things (modulo 2**256), so that a change
    only takes off what it takes away and adds what it adds. The order of things is no part of it.
    """

    def __init__(self, number: int = 0) -> None:
        self.number = number

    @classmethod
    def of(cls, data: SiteData) -> State:
        """The number of a whole site."""
        found = cls()
        for field in SITE_FIELDS:
            found.add("site", field, getattr(data, field))
        for part in ENTRIES:
            entries = getattr(data, part)
            named = entries.items() if isinstance(entries, Mapping) else (("", e) for e in entries)
            for name, each in named:
                found.add(part, name if part not in LISTED_PARTS else "", each)
        for name, user in data.users.items():
            found.add("users", name, user)
        for name, item in data.items.items():
            found.add("items", name, item)
        return found

    def add(
        self, part: str, name: str, each: Any, times: int = 1, told: Told | None = None
    ) -> None:
        """Add a thing, or take it off (`times` -1); `told`, where it is told elsewhere too."""
        if each is not None:
            value = plain(part, each) if told is None else told.plain(part, each)
            self.number_off(-times * number_of(part, name, value))

    def number_off(self, number: int) -> None:
        """Take off the number of a thing."""
        self.number = (self.number - number) % _MODULUS

    def follow(self, before: SiteData, after: SiteData) -> None:
        """Go along from a site to another one."""
        for piece in differences(before, after):
            self.add(piece.part, piece.name, piece.before, -1)
            self.add(piece.part, piece.name, piece.after)

    def __str__(self) -> str:
        return f"{self.number:064x}"
