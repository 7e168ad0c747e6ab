"""The page of kinds of people: guests, the signed-in, and every group."""

from __future__ import annotations

from prim_lantern.change.operations.groups import AddGroup, ChangeGroup
from prim_lantern.decide.engine import Engine
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.sheets.making import Making, Row
from prim_lantern.site.names import folded
from prim_lantern.site.who import Who

_ABOUT = (
    "Which kinds of people are there? Write a new group in a row below: a short name, such as "
    "group:helpers, and what people call it.",
)
_TOLD = {
    "guests": ("Guests", "anybody who is not signed in"),
    "signed-in": ("Everybody signed in", "whoever has an account here, in whatever group"),
}


class WhoPage:
    """Kinds of people, a row each."""

    name = "Who"

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        data = engine.data
        active = sum(1 for each in data.users if engine.acting(each) is not None)
        rows = [
            (who, *told, str(active) if who == "signed-in" else "") for who, told in _TOLD.items()
        ]
        rows += [
            (
                f"group:{each.name}",
                each.label,
                each.about,
                str(len(engine.crowd.members(Who("group", each.name)))),
            )
            for each in data.groups.values()
        ]
        columns = (
            Column("who", "Who"),
            Column("called", "What people call them"),
            Column("about", "Who that is"),
            Column("people", "How many now"),
        )
        return Sheet(self.name, _ABOUT, columns, tuple(rows))

    def now(self, engine: Engine, row: str, column: str) -> str:
        """A row that was not there said nothing, or what the group of its name says."""
        found = {each[0]: each for each in self.sheet(engine).rows}.get(row)
        keys = ("who", "called", "about", "people")
        return found[keys.index(column)] if found and column in keys else ""

    def make(self, making: Making, rows: list[Row]) -> None:
        """Groups that are new, and what they are called."""
        for row in rows:
            if row.name in _TOLD:
                column = next(iter(row.after))
                told = f"cannot be changed: {row.name} are there on every site."
                making.problem(row.spot(column), row.after[column], told)
                continue
            name = folded(row.name).removeprefix("group:")
            said = {"called": "label", "about": "about"}
            values = {ours: row.after[key] for key, ours in said.items() if key in row.after}
            if name not in making.data.groups:
                making.do(row.spot(), AddGroup(name, **values))
            elif values:
                making.do(row.spot(next(iter(row.after))), ChangeGroup(name, **values))
            if "people" in row.after:
                said_of = "is counted: say who is in a group on the page People."
                making.problem(row.spot("people"), row.after["people"], said_of)
