"""A site as the rows of a database's tables: read, written, read back."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from itertools import islice
from typing import Any, Final, NamedTuple

from sqlalchemy import Connection, bindparam, delete, func, insert, select, update

from prim_lantern.change.pieces import COLUMN_PARTS, Piece
from prim_lantern.errors import BadSite
from prim_lantern.formats.entries import as_json, as_text
from prim_lantern.formats.folder.cells import item_cells, person_cells
from prim_lantern.formats.folder.csv_rows import content_of, people_of
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.folder.plain import ENTRIES, LISTED_PARTS, site_entry
from prim_lantern.formats.folder.source import Problems, Progress, Rows
from prim_lantern.formats.folder.table import Logins
from prim_lantern.formats.folder.tables import SiteTables
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import all_told_in, moment, told_in, zone_of
from prim_lantern.site.origin import Origin
from prim_lantern.store import tables
from prim_lantern.values import replace

_AT_ONCE: Final = 20_000  # rows
_NAMES_AT_ONCE: Final = 500  # names in one question


# Reading ------------------------------------------------------------------------------------


class _ChangeNumbers:
    """In which change each entry of the settings was made as it is."""

    def __init__(self) -> None:
        self.numbers: dict[tuple[str | int, ...], int] = {}

    def of(self, *where: str | int) -> int:
        return self.numbers.get(where[:2], 0)

    def below(self, *_: str | int) -> Mapping[str, int]:
        return {}


def read_rows(connection: Connection, where: str, progress: Progress | None) -> SiteData:
    """The site that the rows say; `BadSite` where they make no sense one by one."""
    values, numbers, attributes = _settings(connection)
    name = values.get("site", {}).get("timezone")
    zone = zone_of(name) if name is not None else None
    problems = Problems(lambda text: told_in(moment(text), zone))  # kept in UTC
    users = people_of(_people(connection, attributes, progress), attributes, problems, "")
    logins = Logins(users)
    items = content_of(
        _batches(connection, tables.items, CONTENT_COLUMNS, progress), logins, problems, ""
    )
    parts = SiteTables(values, numbers, logins, problems, "").parts()
    if problems.found:
        raise BadSite(problems.found, where)
    return SiteData(**parts, attributes=attributes, users=users, items=items)


def _settings(connection: Connection) -> tuple[dict[str, Any], _ChangeNumbers, tuple[str, ...]]:
    values: dict[str, Any] = {}
    numbers = _ChangeNumbers()
    attributes: tuple[str, ...] = ()
    found = select(tables.settings).order_by(tables.settings.c.part, tables.settings.c.position)
    for row in connection.execute(found):
        body = json.loads(row.body)
        if row.part == tables.ATTRIBUTES:
            attributes = tuple(body)
        elif row.part == "site":
            values["site"] = body
            numbers.numbers["site",] = row.change
        elif row.part in LISTED_PARTS:
            entries = values.setdefault(row.part, [])
            numbers.numbers[row.part, len(entries)] = row.change
            entries.append(body)
        else:
            values.setdefault(row.part, {})[row.name] = body
            numbers.numbers[row.part, row.name] = row.change
    return values, numbers, attributes


def _people(
    connection: Connection, attributes: Sequence[str], progress: Progress | None
) -> Iterator[Rows]:
    columns = (*PEOPLE_COLUMNS, "attributes")
    for rows in _batches(connection, tables.people, columns, progress):
        told = [json.loads(text) if text else {} for text in rows.columns["attributes"]]
        more = {name: [each.get(name, "") for each in told] for name in attributes}
        kept = {name: rows.columns[name] for name in PEOPLE_COLUMNS}
        yield Rows({**kept, **more}, rows.lines)


def _batches(
    connection: Connection, table: Any, columns: Sequence[str], progress: Progress | None
) -> Iterator[Rows]:
    """The rows of a table in columns, some thousand at a time."""
    size = connection.scalar(select(func.count()).select_from(table)) if progress else 0
    wanted = select(*(table.c[name] for name in columns), table.c.change).order_by(table.c.id)
    done = 0
    streamed = connection.execute(wanted, execution_options={"yield_per": _AT_ONCE})
    for batch in streamed.partitions():
        *cells, changes = zip(*batch, strict=True)
        yield Rows(dict(zip(columns, cells, strict=True)), changes)
        done += len(batch)
        if progress is not None:
            # rows count as some 100 bytes, so that a bar is shown where it takes as long
            progress(table.name, done * 100, (size or 0) * 100)


# Writing --------------------------------------------------------------------------------------


Entries = Mapping[str, Sequence[tuple[str, str]]]


class Written(NamedTuple):
    """What was written: by part of the settings the name and the body of each entry, in order; by
    part of people and content the cells of each row by its name, None where it is gone."""

    entries: Entries
    rows: Mapping[str, Mapping[str, Mapping[str, str] | None]]


def entries_of(after: SiteData, pieces: Sequence[Piece]) -> Entries:
    """By part of the settings in which something differs all its entries, as they are written."""
    parts = {piece.part for piece in pieces}
    entries = {part: _entries(after, part) for part in ENTRIES if part in parts}
    if "site" in parts:
        entries["site"] = [("", as_text(site_entry(after)))]
        entries[tables.ATTRIBUTES] = [("", as_text(list(after.attributes)))]
    return entries


def write_rows(
    connection: Connection, entries: Entries, pieces: Sequence[Piece], change: int
) -> Written:
    """Write what differs by a change of this number: `pieces`, and all `entries` of their parts."""
    for part, some in entries.items():
        _write_part(connection, part, some, change)
    rows = {}
    for part, (table, cells) in _TABLES.items():
        its_own = [each for each in pieces if each.part == part]
        if its_own:
            rows[part] = _write_table(connection, table, its_own, cells, change)
    return Written(entries, rows)


def _entries(data: SiteData, part: str) -> list[tuple[str, str]]:
    entries, entry = getattr(data, part), ENTRIES[part]
    if part in LISTED_PARTS:
        values = entries.values() if isinstance(entries, Mapping) else entries
        return [("", as_text(entry(all_told_in(each, None)))) for each in values]
    return [(name, as_text(entry(all_told_in(each, None)))) for name, each in entries.items()]


def _write_part(
    connection: Connection, part: str, wanted: Sequence[tuple[str, str]], change: int
) -> None:
    """Make the rows of a part say just this; those that say so already stay."""
    table = tables.settings
    there_now = connection.execute(
        select(table).where(table.c.part == part).order_by(table.c.position)
    ).all()
    as_written = {(row.name, row.body) for row in there_now}

    def key(name: str, body: str) -> tuple[str, str]:
        """What tells an entry from others: its body, in one form only where it is not that of one
        that is there."""
        return (name, body) if (name, body) in both else (name, as_json(json.loads(body)))

    both = as_written & set(wanted)
    found: dict[tuple[str, str], list[Any]] = {}
    for row in there_now:
        found.setdefault(key(row.name, row.body), []).append(row)
    new, moved = [], []
    for position, (name, body) in enumerate(wanted):
        there = found.get(key(name, body))
        if there:
            row = there.pop(0)
            if row.position != position:
                moved.append({"which": row.id, "position": position})
        else:
            new.append(
                {"part": part, "position": position, "name": name, "body": body, "change": change}
            )
    gone = [{"which": row.id} for rows in found.values() for row in rows]
    this = table.c.id == bindparam("which")
    if gone:
        connection.execute(delete(table).where(this), gone)
    if moved:
        connection.execute(update(table).where(this).values(position=bindparam("position")), moved)
    if new:
        connection.execute(insert(table), new)


def reads_back(connection: Connection, written: Written) -> bool:
    """Whether the rows that were written say what they should."""
    return all(
        _part_reads_back(connection, name, some) for name, some in written.entries.items()
    ) and all(
        _table_reads_back(connection, _TABLES[part][0], rows) for part, rows in written.rows.items()
    )


def _part_reads_back(connection: Connection, part: str, wanted: Sequence[tuple[str, str]]) -> bool:
    table = tables.settings
    asked = select(table.c.name, table.c.body).where(table.c.part == part)
    found = connection.execute(asked.order_by(table.c.position)).all()
    if len(found) != len(wanted):
        return False
    return all(
        row.name == name and (row.body == body or json.loads(row.body) == json.loads(body))
        for row, (name, body) in zip(found, wanted, strict=True)
    )


def _table_reads_back(
    connection: Connection, table: Any, rows: Mapping[str, Mapping[str, str] | None]
) -> bool:
    said = next((cells for cells in rows.values() if cells is not None), ())
    columns = [table.c[name] for name in said]
    key = _key(table)
    for some in _batched(rows, _NAMES_AT_ONCE):
        asked = select(key, *columns).where(key.in_(some))
        found = {name: tuple(cells) for name, *cells in connection.execute(asked)}
        if found != {n: tuple(cells.values()) for n in some if (cells := rows[n]) is not None}:
            return False
    return True


def _key(table: Any) -> Any:
    """The column that names what a row is about."""
    return next(each for each in table.c if each.name != "id")


def _batched(names: Iterable[str], size: int) -> Iterator[list[str]]:
    """Names, some at a time."""
    rest = iter(names)
    while some := list(islice(rest, size)):
        yield some


def _item(item: Any) -> dict[str, str]:
    return item_cells(all_told_in(item, None))


def _person(user: Any) -> dict[str, str]:
    cells = person_cells(all_told_in(user, None))
    bare = {name: cells[name] for name in PEOPLE_COLUMNS}
    return {**bare, "attributes": as_text(dict(user.attributes)) if user.attributes else ""}


_TABLES: Final = {"users": (tables.people, _person), "items": (tables.items, _item)}


def _write_table(
    connection: Connection, table: Any, pieces: Sequence[Piece], cells: Any, change: int
) -> Mapping[str, Mapping[str, str] | None]:
    name = _key(table)
    rows = {p.name: cells(p.after) if p.after is not None else None for p in pieces}
    gone, changed, new = [], [], []
    for piece in pieces:
        said = rows[piece.name]
        if said is None:
            gone.append({"which": piece.name})
        elif piece.before is not None:
            changed.append({"which": piece.name, **said, "change": change})
        else:
            new.append({**said, "change": change})
    if gone:
        connection.execute(delete(table).where(name == bindparam("which")), gone)
    if changed:
        columns: dict[str, Any] = {key: bindparam(key) for key in changed[0] if key != "which"}
        connection.execute(update(table).where(name == bindparam("which")).values(columns), changed)
    for start in range(0, len(new), _AT_ONCE):
        connection.execute(insert(table), new[start : start + _AT_ONCE])
    return rows


NOTHING: Final = SiteData("", owner="", default_readership="")


def with_origins(data: SiteData, pieces: Sequence[Piece], change: int) -> SiteData:
    """The site with the number of the change as the origin of all that it made."""
    origin = Origin("", change)
    made = {id(piece.after) for piece in pieces if piece.after is not None}
    parts: dict[str, Any] = {}
    for part in {piece.part for piece in pieces} - {"site", *COLUMN_PARTS}:
        entries = getattr(data, part)
        if isinstance(entries, Mapping):
            parts[part] = {
                name: replace(each, origin=origin) if id(each) in made else each
                for name, each in entries.items()
            }
        else:
            parts[part] = tuple(
                replace(each, origin=origin) if id(each) in made else each for each in entries
            )
    for part, columns in COLUMN_PARTS.items():
        some = [p.after for p in pieces if p.part == part and p.after is not None]
        if some:
            put = [replace(each, origin=origin) for each in some]
            parts[part] = getattr(data, columns).revised(put)
    return data.with_parts(**parts) if parts else data
