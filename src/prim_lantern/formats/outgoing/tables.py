"""Content and people as CSV (RFC 4180) and JSON (RFC 8259), with the columns of the site folder."""

from __future__ import annotations

import csv
import io
import json
from collections import defaultdict
from collections.abc import Iterator, Mapping
from datetime import datetime
from typing import Final

from prim_lantern.formats.folder.cells import item_cells, person_cells
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.formulas import harmless
from prim_lantern.site.data import SiteData

_LISTS: Final = ("authors", "changed_by", "categories", "groups", "roles_elsewhere")


def columns(data: SiteData, what: str) -> tuple[str, ...]:
    """The columns of "content" or "people"."""
    return CONTENT_COLUMNS if what == "content" else (*PEOPLE_COLUMNS, *data.attributes)


def _rows(data: SiteData, what: str, at: datetime) -> Iterator[Mapping[str, str]]:
    """A row each, with what the site folder leaves unsaid; the groups are those that somebody is in
    by hand at a moment."""
    if what == "content":
        for path in data.tree:
            item = data.items[path]
            state = "" if data.all_kinds[item.kind].part else item.state
            yield {**item_cells(item), "state": state}
        return
    listed = defaultdict[str, list[str]](list)
    for group in data.groups.values():
        for login in group.members:
            listed[login].append(group.name)
    for user in data.users.values():
        groups = [each.group for each in user.memberships if each.period.holds(at)]
        groups = list(dict.fromkeys((*groups, *listed[user.login])))
        yield {**person_cells(user), "status": user.status, "groups": ";".join(groups)}


def as_csv(data: SiteData, what: str, at: datetime) -> str:
    """Content or people as CSV; a text that a spreadsheet would run begins with an apostrophe."""
    names = columns(data, what)
    text = io.StringIO(newline="")
    writer = csv.writer(text)
    writer.writerow(names)
    writer.writerows(
        [harmless(row.get(name, "")) for name in names] for row in _rows(data, what, at)
    )
    return text.getvalue()


def as_json(data: SiteData, what: str, at: datetime) -> str:
    """The same as a list of objects; what is a list in a cell is one here."""
    names = columns(data, what)
    rows = [
        {
            name: row.get(name, "").split(";")
            if name in _LISTS and row.get(name)
            else row.get(name)
            for name in names
            if row.get(name)
        }
        for row in _rows(data, what, at)
    ]
    return json.dumps(rows, ensure_ascii=False, indent=1) + "\n"
