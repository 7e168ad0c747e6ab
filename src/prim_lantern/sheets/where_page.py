"""The page of areas: the sections of the site."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.change.operations.content import AddItem, ChangeItem
from prim_lantern.decide.engine import Engine
from prim_lantern.errors import BadValue
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.sheets.making import Making, Row
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import way_to

_MOST = 300
_ABOUT = (
    "Which areas are there? Write a new one in a row below, from the broad to the narrow: its "
    "path, such as /shop, its title, and what kind of page stands there. New pages are drafts.",
)


def areas_of(data: SiteData, within: str | None = None, most: int = _MOST) -> tuple[list[str], int]:
    """The paths that people plan with, and how many more there are: the top ones, and all that have
    pages below them; on a big site those near the root, as many levels down as there is room for.
    All at or below `within`."""
    tree = data.tree
    top = within or "/"
    found = dict.fromkeys((top, *tree.steps_below(top)))
    under = None if within is None else f"{within}/"
    inside = (each for each in tree if under is None or each.startswith(under))
    for path in (each for each in inside if _is_area(data, each)):
        found |= dict.fromkeys(each for each in way_to(path)[1:-1] if len(each) > len(top))
    areas = [each for each in found if _is_area(data, each)]
    every = len(areas)
    deepest = max((each.count("/") for each in areas), default=1)
    while len(areas) > most and deepest > 1:
        areas = [each for each in areas if each.count("/") < deepest]
        deepest -= 1
    areas.sort(key=lambda each: each.split("/") if each != "/" else [""])
    return areas, every - len(areas)


def _is_area(data: SiteData, path: str) -> bool:
    item = data.items.get(path)
    kind = data.all_kinds[item.kind] if item is not None else None
    return kind is None or not (kind.part or kind.link)


def title_of(data: SiteData, path: str) -> str:
    """The title of a path, where an item stands there."""
    item = data.items.get(path)
    return item.title if item is not None else ""


class WherePage:
    """Areas, a row each."""

    name = "Where"

    def __init__(self, areas: Iterable[str]) -> None:
        """Take the paths that are shown."""
        self._areas = tuple(areas)

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        data = engine.data
        kinds = tuple(each.name for each in data.all_kinds.values() if not (each.part or each.link))
        rows = tuple(
            (path, title_of(data, path), data.items[path].kind if path in data.items else "")
            for path in self._areas
        )
        columns = (
            Column("where", "Place"),
            Column("title", "Title"),
            Column("kind", "Kind", kinds),
        )
        return Sheet(self.name, _ABOUT, columns, rows, fixed=2)

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What an item says that was not shown; nothing where there is none."""
        item = engine.data.items.get(row)
        return "" if item is None else {"title": item.title, "kind": item.kind}.get(column, "")

    def make(self, making: Making, rows: list[Row]) -> None:
        """New areas, from the broad to the narrow, and titles."""
        for row in sorted(rows, key=lambda each: each.name.count("/")):
            try:
                path = names.path(row.name)
            except BadValue as error:
                making.problem(row.spot(), row.name, error.expected)
                continue
            if path not in making.data.items:
                self._add(making, path, row)
                continue
            if "title" in row.after:
                making.do(row.spot("title"), ChangeItem(path, title=row.after["title"]))
            if "kind" in row.after:
                said = "is another kind than it has: that cannot be changed here."
                making.problem(row.spot("kind"), row.after["kind"], said)

    def _add(self, making: Making, path: str, row: Row) -> None:
        fitting = [e.name for e in making.data.all_kinds.values() if not (e.part or e.link)]
        kind = row.text("kind") or ("page" if "page" in fitting else fitting[0])
        making.do(row.spot(), AddItem(path, kind, title=row.text("title")))
        if path in making.data.items:
            making.new_areas.add(path)
