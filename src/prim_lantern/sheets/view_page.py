"""The page of which readership stands where."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Final

from prim_lantern.change.operations.readerships import ClearReadership, SetReadership
from prim_lantern.decide.engine import Engine
from prim_lantern.errors import PrimLanternError
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.sheets.making import Making, Row, bare, inherited
from prim_lantern.sheets.where_page import title_of
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, place, way_to
from prim_lantern.site.rights import BUILT_IN_READERSHIPS

_ABOUT = (
    "Which readership stands at each place? In brackets: it comes from further up. "
    "A readership further up counts as well, unless it is written as in: patrons, alone.",
)
_ALONE: Final = ", alone"
_COLUMN: Final = "readership"


class ViewPage:
    """Places down; the readership that stands at each."""

    name = "Who may view"

    def __init__(self, areas: Iterable[str]) -> None:
        """Take the paths that are shown."""
        self._areas = tuple(areas)

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        data = engine.data
        known = (*BUILT_IN_READERSHIPS, *data.readerships)
        standing = [path for kind, path in data.readerships_at if kind == "path"]
        places = sorted({*self._areas, *standing}, key=lambda each: each.split("/"))
        columns = (
            Column("where", "Place"),
            Column("title", "Title"),
            Column(_COLUMN, "Readership", known),
        )
        every = ("site", *places, *(name for kind, name in data.readerships_at if kind != "path"))
        rows = tuple((each, _title(data, each), _cell(data, each)) for each in every)
        return Sheet(self.name, _ABOUT, columns, rows, fixed=2)

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What a place says that was not there."""
        return _cell(engine.data, row) if column == _COLUMN else _title(engine.data, row)

    def make(self, making: Making, rows: list[Row]) -> None:
        """Which readership is to stand where."""
        for row in rows:
            if "title" in row.after:
                said = "is written on the page Where; change it there."
                making.problem(row.spot("title"), row.after["title"], said)
            if _COLUMN not in row.after:
                continue
            data, spot = making.data, row.spot(_COLUMN)
            text = bare(row.after[_COLUMN])
            try:
                where = place(row.name)
            except PrimLanternError as error:
                making.problem(spot, row.name, f"is no place: {error}")
                continue
            standing = data.readerships_at.get(where.spot)
            if not text:
                if standing is not None:
                    making.do(spot, ClearReadership(row.name))
                elif row.name == "site":
                    making.problem(spot, None, "is empty: the site always has a readership.")
                continue
            if inherited(text) == _cell(data, row.name):
                continue
            alone = text.endswith(_ALONE)
            kept = standing is not None and standing.place.reach in (ONLY_HERE, ONLY_BELOW)
            reach = standing.place.reach if standing and kept and row.name != "/" else None
            name = folded(text.removesuffix(_ALONE))
            making.do(spot, SetReadership(row.name, name, reach, alone))


def _title(data: SiteData, where: str) -> str:
    if where == "site":
        return "everything"
    return title_of(data, where) if where.startswith("/") else data.categories.get(where, "")


def _cell(data: SiteData, where: str) -> str:
    if where == "site":
        return data.default_readership
    spot = ("path" if where.startswith("/") else "category", where)
    own = data.readerships_at.get(spot)
    if own is not None and own.readership is not None:
        return f"{own.readership}{'' if own.readership_from_above else _ALONE}"
    if not where.startswith("/"):
        return ""
    for above in reversed(way_to(where)[1:-1]):
        found = data.readerships_at.get(("path", above))
        if found is not None and found.readership is not None and found.place.reach != ONLY_HERE:
            return inherited(found.readership)
    return inherited(data.default_readership)
