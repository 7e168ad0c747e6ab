"""The page of readerships: who is in each."""

from __future__ import annotations

from typing import Any, Final

from prim_lantern.change.operations.readerships import AddReadership, ChangeReadership
from prim_lantern.decide.engine import Engine
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.sheets.making import Making, Row, names_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.rights import BUILT_IN_READERSHIPS, Readership
from prim_lantern.site.who import AUDIENCES

_ABOUT = (
    "Which readerships are there, and who is in each? Several are separated by semicolons, as in "
    "group:friends; group:staff. Where each stands is on the page Who may view.",
)
_LISTS: Final = {
    "any of": ("readers", "add", "drop"),
    "all of": ("all_of", "also_all_of", "no_longer_all_of"),
    "but not": ("but_not", "also_but_not", "no_longer_but_not"),
}


class ReadersPage:
    """Readerships, a row each."""

    name = "Readerships"

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        columns = (
            Column("readership", "Readership"),
            Column("called", "What people call it"),
            Column("any of", "Any of these may view"),
            Column("all of", "but only who is in each of"),
            Column("but not", "and in none of"),
        )
        every = [*BUILT_IN_READERSHIPS.values(), *engine.data.readerships.values()]
        rows = tuple((e.name, e.label, *(_listed(e, column) for column in _LISTS)) for e in every)
        return Sheet(self.name, _ABOUT, columns, rows)

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What a readership says that was not there."""
        found = engine.data.readerships.get(folded(row))
        if found is None:
            return ""
        return found.label if column == "called" else _listed(found, column)

    def make(self, making: Making, rows: list[Row]) -> None:
        """New readerships, and who is in them."""
        for row in rows:
            name = folded(row.name)
            if name in BUILT_IN_READERSHIPS:
                column = next(iter(row.after))
                told = f"cannot be changed: {name} is there on every site."
                making.problem(row.spot(column), row.after[column] or None, told)
                continue
            lists = {each: _whos(making.data, row.text(each)) for each in _LISTS}
            found = making.data.readerships.get(name)
            if found is None:
                new = AddReadership(
                    name,
                    lists["any of"],
                    row.text("called"),
                    all_of=lists["all of"],
                    but_not=lists["but not"],
                )
                making.do(row.spot(), new)
                continue
            for column in row.after:
                if column == "called":
                    change = ChangeReadership(name, label=row.after[column])
                    making.do(row.spot(column), change)
                elif column in _LISTS:
                    have = [str(each) for each in getattr(found, _LISTS[column][0])]
                    _, add, drop = _LISTS[column]
                    said: dict[str, Any] = {
                        add: tuple(each for each in lists[column] if each not in have),
                        drop: tuple(each for each in have if each not in lists[column]),
                    }
                    if any(said.values()):
                        making.do(row.spot(column), ChangeReadership(name, **said))


def _listed(readership: Readership, column: str) -> str:
    field = _LISTS.get(column)
    return "; ".join(map(str, getattr(readership, field[0]))) if field is not None else ""


def _whos(data: SiteData, text: str) -> tuple[str, ...]:
    """Those whom a cell names; a bare name is a group's, or else a person's."""
    found = []
    for each in names_in(text):
        if each in (*AUDIENCES, "authors") or ":" in each:
            found.append(each)
        else:
            found.append(f"{'group' if folded(each) in data.groups else 'user'}:{each}")
    return tuple(dict.fromkeys(found))
