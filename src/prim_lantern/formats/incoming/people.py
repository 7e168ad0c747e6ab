"""People from another system, as rows for `ImportPeople`."""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from typing import Any, Final

from prim_lantern.change.operations.base import person_values
from prim_lantern.change.operations.people import as_row_says
from prim_lantern.errors import BadQuestion, BadValue
from prim_lantern.formats.folder.keys import PEOPLE_COLUMNS
from prim_lantern.formats.incoming.cells import Named, entries, when
from prim_lantern.formats.incoming.columns import ATTRIBUTE, columns_of
from prim_lantern.formats.incoming.content import (
    AS_IT_IS,
    Incoming,
    Reading,
    counted,
    left_out,
    no_column,
)
from prim_lantern.formats.incoming.mistakes import Mistakes
from prim_lantern.formats.incoming.table import IncomingTable
from prim_lantern.site.data import SiteData
from prim_lantern.site.look_alikes import by_looks, looks_of, new_login
from prim_lantern.site.moments import written
from prim_lantern.site.names import folded, nearest
from prim_lantern.site.people import STATUSES

LOGIN_FROM: Final = ("email", "name")


def people_rows(
    table: IncomingTable,
    data: SiteData,
    how: Reading = AS_IT_IS,
    login_from: str | None = None,
) -> Incoming:
    """The rows of a file of people.

    Groups may be named by name or label, and are joined, never left. Of whoever is there already
    only the columns of the file change; they are known by their login, or where the file has none
    by their e-mail address. Logins of others are made `login_from` "email" or "name".
    Raises `BadSite` with each mistake once, and `BadQuestion` where no column tells the logins.
    """
    columns = columns_of(table.header, PEOPLE_COLUMNS, data.attributes, how.mapped)
    ours = set(columns.values())
    if "login" not in ours and (login_from is None or login_from not in ours):
        raise BadQuestion(
            no_column("login", "User", table, lambda cell: bool(cell) and " " not in cell)
            + " --login-from email, or name, makes logins of those."
        )
    mistakes = Mistakes(table.file, table.counted)
    reader = _People(data, how, mistakes)
    rows, seen = [], dict[str, int]()
    for line, cells in table.rows:
        values: dict[str, Any] = {}
        for name, cell in zip(table.header, cells, strict=True):
            if name in columns:
                reader.put(values, columns[name], name, cell.strip(), line)
        values["login"] = login = reader.login(values, login_from, line)
        if folded(login) in seen:
            said = f"is in {table.counted} {seen[folded(login)]} already; keep one."
            mistakes.note(line, "login", login, said)
            continue
        seen[folded(login)] = line
        rows.append(values)
    mistakes.raise_any()
    new = sum(login not in reader.logins for login in seen)
    notes = [*table.notes, *left_out(table, columns)]
    changed = sum(_changes(data, row) for row in rows if row["login"] in data.users)
    notes.append(counted(len(rows), new, changed))
    return Incoming(tuple(rows), tuple(notes))


def _changes(data: SiteData, row: Mapping[str, Any]) -> bool:
    user = data.users[row["login"]]
    return as_row_says(data, user, person_values(row)) != user


class _People:
    """Reads the cells of one person after the other."""

    def __init__(self, data: SiteData, how: Reading, mistakes: Mistakes) -> None:
        self._how = how
        self._zone = data.zone
        self._mistakes = mistakes
        self._groups = Named({each.name: each.label for each in data.groups.values()})
        self.logins = {folded(login): login for login in data.people.names}
        self._looks = by_looks(data.people.names)
        addresses = zip(data.people.names, data.people.values_of("email"), strict=True)
        self._by_email = {folded(email): login for login, email in addresses if email}

    def put(self, values: dict[str, Any], ours: str, theirs: str, cell: str, line: int) -> None:
        """Put what a cell says among the values of its row."""
        text = self._how.mapped.value(ours, cell)
        if ours.startswith(ATTRIBUTE):
            attributes: Mapping[str, str] = values.get("attributes", {})
            values["attributes"] = {**attributes, ours.removeprefix(ATTRIBUTE): text}
        elif ours == "groups":
            values["groups"] = [
                name
                for each in entries(cell)
                if (name := self._group(self._how.mapped.value(ours, each), theirs, line))
            ]
        elif ours == "roles_elsewhere":
            values["roles_elsewhere"] = entries(cell)
        elif ours == "joined":
            self._joined(values, text, theirs, line)
        elif ours == "status":
            self._status(values, text, theirs, line)
        else:
            values[ours] = text

    def _joined(self, values: dict[str, Any], text: str, theirs: str, line: int) -> None:
        try:
            if text:
                values["joined"] = written(when(text, self._how.day_first, self._zone))
        except BadValue as error:
            self._mistakes.note_error(line, theirs, text, error)

    def _status(self, values: dict[str, Any], text: str, theirs: str, line: int) -> None:
        if text and folded(text) not in STATUSES:
            said = f'is no status; --value "status:{text}=active" says what it means here.'
            self._mistakes.note(line, theirs, text, said, nearest(text, STATUSES))
        elif text:
            values["status"] = folded(text)

    def _group(self, text: str, theirs: str, line: int) -> str | None:
        found = self._groups.of(text)
        if len(found) == 1 or not text or text == "-":
            return next(iter(found), None)
        said = (
            f'is no group; add it first, or --value "groups:{text}=NAME" says which it is '
            '("-": none).'
        )
        self._mistakes.note(line, theirs, text, said, nearest(text, self._groups.known))
        return None

    def login(self, values: dict[str, Any], login_from: str | None, line: int) -> str:
        """The login of a row: its own, that of whom the address is, or one that is made."""
        login: str = values.get("login", "")
        if login:
            login = self.logins.get(folded(login), login)
        else:
            known = self._by_email.get(folded(values.get("email", "")))
            login = known or _made(values.get(login_from or "", ""), login_from)
            login = self.logins.get(folded(login), login) if known is None else known
        looks = looks_of(login)
        if folded(login) in self.logins or folded(self._looks.get(looks, "")) == folded(login):
            return login  # it is there, or comes by a row above
        try:
            self._looks[looks] = new_login(login, self._looks)
        except BadValue as error:
            self._mistakes.note_error(line, "login", login, error)
        return login


def _made(text: str, login_from: str | None) -> str:
    """A login from the first part of an address, or from a name."""
    if login_from == "email":
        return folded(text.partition("@")[0])
    bare = unicodedata.normalize("NFKD", folded(text))
    words = re.split(r"[^a-z0-9]+", "".join(c for c in bare if not unicodedata.combining(c)))
    return ".".join(filter(None, words))
