"""A site in a database: SQLite, or PostgreSQL by URL."""

from __future__ import annotations

import json
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import replace
from datetime import datetime
from pathlib import Path
from typing import Any, Final

from sqlalchemy import (
    Connection,
    bindparam,
    create_engine,
    delete,
    event,
    func,
    insert,
    select,
    update,
)
from sqlalchemy.engine import URL, Engine, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError
from sqlalchemy.pool import NullPool

from prim_lantern.change.pieces import COLUMN_PARTS, Piece, differences
from prim_lantern.change.record import Record
from prim_lantern.errors import BadSite, BrokenHistory, NoSite, StoreTrouble
from prim_lantern.formats.entries import State, as_json
from prim_lantern.formats.folder.cells import item_cells, person_cells
from prim_lantern.formats.folder.csv_rows import content_of, people_of
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.folder.plain import ENTRIES, LISTED_PARTS, site_entry
from prim_lantern.formats.folder.source import Problems, Progress, Rows, without_collecting
from prim_lantern.formats.folder.table import Logins
from prim_lantern.formats.folder.tables import SiteTables
from prim_lantern.formats.history import NO_HASH, line_from, text_of
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.site.origin import Origin
from prim_lantern.store import tables
from prim_lantern.store.base import Seen, Store, Turn, next_line
from prim_lantern.store.trouble import of_database
from prim_lantern.store.upgrading import brought_up

_WAIT: Final = 20  # seconds for one's turn
_AT_ONCE: Final = 20_000  # rows
_THE_ROW: Final = tables.state.c.id == 1


class DatabaseStore(Store):
    """A site in a database."""

    def __init__(self, address: str, *, make: bool = False) -> None:
        """Take the URL of a database; with `make`, tables are made where there are none.

        Raises `NoSite` where there is no such database or no site in it, and `StoreTrouble` where
        the database does not answer.
        """
        url = _url(address)
        self.where = url.render_as_string(hide_password=True)
        file = url.database if url.get_backend_name() == "sqlite" else None
        if file and not make and not _is_file(file):
            raise NoSite(self.where, f"no such file. {_HOW_TO_FILL.format(self.where)}")
        self._engine = _engine(url)
        with of_database(self.where):
            if not brought_up(self._engine, self.where, make=make):
                raise NoSite(
                    self.where, f"the database is empty. {_HOW_TO_FILL.format(self.where)}"
                )

    # Reading ----------------------------------------------------------------------------

    def read(self, progress: Progress | None = None) -> Seen:
        """The site as it is."""
        with of_database(self.where), self._engine.connect() as connection:
            return self._seen(connection, progress)

    def _seen(self, connection: Connection, progress: Progress | None = None) -> Seen:
        row = connection.execute(select(tables.state.c.number)).first()
        if row is None:
            raise NoSite(self.where, f"there is no site yet. {_HOW_TO_FILL.format(self.where)}")
        with without_collecting():
            data = _read(connection, self.where, progress)
            problems = problems_in(data)
            if problems:
                raise BadSite(problems, self.where)
            return Seen(data, row.number, at=_last_moment(connection))

    def newer(self, seen: Seen) -> Seen:
        """The site as it is now: the changes made since are put into what was seen."""
        with of_database(self.where), self._engine.connect() as connection:
            number = connection.execute(select(tables.state.c.number)).scalar() or 0
            return _caught_up(connection, seen, number)

    def snapshot(self) -> tuple[list[str], SiteData]:
        """The history and the site, of one moment."""
        with of_database(self.where), self._engine.connect() as connection:
            wanted = select(tables.changes.c.line).order_by(tables.changes.c.number)
            texts = list(connection.scalars(wanted))
            state = connection.execute(select(tables.state)).one()
            last = line_from(texts[-1], len(texts)) if texts else None
            if state.number != len(texts) or (last is not None and state.hash != last.hash):
                raise BrokenHistory(
                    len(texts), f"the site says that change {state.number} was the last"
                )
            return texts, _read(connection, self.where, None)

    @property
    def empty(self) -> bool:
        """Whether there is no site in it yet."""
        with of_database(self.where), self._engine.connect() as connection:
            return connection.execute(select(tables.state.c.number)).first() is None

    def count(self) -> int:
        """The number of the last change."""
        with of_database(self.where), self._engine.connect() as connection:
            return int(connection.execute(select(tables.state.c.number)).scalar() or 0)

    def texts(self, after: int = 0, to: int | None = None) -> Iterator[str]:
        """The lines of the history."""
        wanted = select(tables.changes.c.line).where(tables.changes.c.number > after)
        if to is not None:
            wanted = wanted.where(tables.changes.c.number <= to)
        with of_database(self.where), self._engine.connect() as connection:
            yield from connection.scalars(wanted.order_by(tables.changes.c.number)).all()

    def last_recorded(self) -> SiteData:
        """The site as it is."""
        return self.read().data

    # Writing ----------------------------------------------------------------------------

    @contextmanager
    def changing(self) -> Iterator[Turn]:
        """Wait for one's turn to write; all is written when the turn ends well."""
        with of_database(self.where), self._writing() as connection:
            yield _DatabaseTurn(self, connection)

    @contextmanager
    def _writing(self) -> Iterator[Connection]:
        connecting = self._engine.connect().execution_options(writing=True)
        with connecting as connection, connection.begin():
            yield connection

    def fill(self, data: SiteData, history: Iterable[str] = ()) -> None:
        """Put a site and its history into an empty database, whole or not at all."""
        lines = [line_from(text, number) for number, text in enumerate(history, 1)]
        with of_database(self.where), self._writing() as connection:
            if connection.execute(select(tables.state.c.number)).first() is not None:
                raise StoreTrouble(self.where, "there is a site already; nothing was changed.")
            _write(connection, data, differences(_NOTHING, data), 0)
            for line in lines:
                connection.execute(insert(tables.changes), _row(line.record, text_of(line)))
            last = lines[-1] if lines else None
            connection.execute(
                insert(tables.state).values(
                    id=1,
                    number=last.record.number if last else 0,
                    hash=last.hash if last else NO_HASH,
                    state=last.state if last else str(State.of(data)),
                )
            )


class _DatabaseTurn(Turn):
    def __init__(self, store: DatabaseStore, connection: Connection) -> None:
        self.store, self.connection = store, connection
        # On PostgreSQL this row is what everybody waits for who wants to write.
        wanted = select(tables.state).where(_THE_ROW).with_for_update()
        self.state = connection.execute(wanted).one()

    def seen(self, before: Seen) -> Seen:
        """The site as it is: changes made since are put into what was seen."""
        return _caught_up(self.connection, before, self.state.number)

    def make(self, record: Record, seen: Seen, after: SiteData, pieces: Sequence[Piece]) -> Seen:
        """Write a change."""
        last_text = self.connection.scalar(
            select(tables.changes.c.line).where(tables.changes.c.number == self.state.number)
        )
        last = line_from(last_text, self.state.number) if last_text else None
        line = next_line(record, last, seen.data, pieces)
        _write(self.connection, after, pieces, record.number)
        self.connection.execute(insert(tables.changes), _row(record, text_of(line)))
        values = {"number": record.number, "hash": line.hash, "state": line.state}
        self.connection.execute(update(tables.state).where(_THE_ROW).values(values))
        made = _with_origins(after, pieces, record.number)
        return Seen(made, record.number, at=record.at)


def _row(record: Record, text: str) -> dict[str, Any]:
    return {
        "number": record.number,
        "at": record.at.isoformat(),
        "by": record.by,
        "line": text,
    }


def _last_moment(connection: Connection) -> datetime | None:
    wanted = select(tables.changes.c.at).order_by(tables.changes.c.number.desc()).limit(1)
    found = connection.execute(wanted).scalar()
    return moment(found) if found else None


def _caught_up(connection: Connection, before: Seen, number: int) -> Seen:
    """A site with the changes that were made since it was seen."""
    if before.number == number:
        return before
    wanted = select(tables.changes.c.line).where(tables.changes.c.number > before.number)
    data, at = before.data, before.at
    lines = connection.scalars(wanted.order_by(tables.changes.c.number)).all()
    for count, text in enumerate(lines, before.number + 1):
        record = line_from(text, count).record
        after = record.after(data)
        data, at = _with_origins(after, differences(data, after), count), record.at
    return Seen(data, number, at=at)


_HOW_TO_FILL: Final = "'prim-lantern folder in FOLDER --site {}' puts a site there."


# Connecting -------------------------------------------------------------------------------


def _url(address: str) -> URL:
    try:
        url = make_url(address)
        url.get_dialect()
    except (ArgumentError, NoSuchModuleError):
        raise NoSite(
            address,
            "write sqlite:///site.db for a file, or postgresql+psycopg://name@host/database.",
        ) from None
    except ImportError as error:
        raise NoSite(
            url.render_as_string(hide_password=True),
            f"its driver is missing ({error.name}): pip install 'prim-lantern[postgresql]'.",
        ) from None
    return url


def _is_file(path: str) -> bool:
    return path.startswith((":memory:", "file:")) or Path(path).is_file()


def _engine(url: URL) -> Engine:
    try:
        # a connection is kept for no longer than it is used: a site is seldom read or written
        options = _OPTIONS.get(url.get_backend_name(), {})
        engine = create_engine(url, poolclass=NullPool, **options)
    except ImportError as error:
        raise NoSite(
            url.render_as_string(hide_password=True),
            f"its driver is missing ({error.name}): pip install 'prim-lantern[postgresql]'.",
        ) from None
    if engine.dialect.name == "sqlite":
        event.listen(engine, "connect", _set_up_sqlite)
        event.listen(engine, "begin", _begin_sqlite)
    else:
        event.listen(engine, "begin", _begin)
    return engine


_OPTIONS: Final[Mapping[str, dict[str, Any]]] = {
    "sqlite": {"connect_args": {"timeout": _WAIT}},
    "postgresql": {"connect_args": {"connect_timeout": _WAIT}},
}


def _set_up_sqlite(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions begin where `_begin_sqlite` says
    cursor = connection.cursor()
    try:
        cursor.execute("PRAGMA journal_mode=WAL")
        cursor.execute("PRAGMA synchronous=FULL")
    except Exception as error:
        if "readonly" not in str(error):
            raise  # what can only be read is read as it is
    finally:
        cursor.close()


def _begin_sqlite(connection: Connection) -> None:
    writing = connection.get_execution_options().get("writing")
    connection.exec_driver_sql("BEGIN IMMEDIATE" if writing else "BEGIN")


def _begin(connection: Connection) -> None:
    if connection.get_execution_options().get("writing"):
        connection.exec_driver_sql(f"SET LOCAL lock_timeout = '{_WAIT}s'")
    else:  # all that is read is of one moment
        connection.exec_driver_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")


# Reading ------------------------------------------------------------------------------------


class _ChangeNumbers:
    """In which change each entry of the settings was made as it is."""

    def __init__(self) -> None:
        self.numbers: dict[tuple[str | int, ...], int] = {}

    def of(self, *where: str | int) -> int:
        return self.numbers.get(where[:2], 0)

    def below(self, *_: str | int) -> Mapping[str, int]:
        return {}


def _read(connection: Connection, where: str, progress: Progress | None) -> SiteData:
    problems = Problems()
    values, numbers, attributes = _settings(connection)
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
    streamed = connection.execution_options(yield_per=_AT_ONCE).execute(wanted)
    for batch in streamed.partitions():
        *cells, changes = zip(*batch, strict=True)
        yield Rows(dict(zip(columns, cells, strict=True)), changes)
        done += len(batch)
        if progress is not None:
            # rows count as some 100 bytes, so that a bar is shown where it takes as long
            progress(table.name, done * 100, (size or 0) * 100)


# Writing --------------------------------------------------------------------------------------


def _write(connection: Connection, after: SiteData, pieces: Sequence[Piece], change: int) -> None:
    parts = {piece.part for piece in pieces}
    for part in ENTRIES:
        if part in parts:
            _write_part(connection, part, _entries(after, part), change)
    if "site" in parts:
        _write_part(connection, "site", [("", as_json(site_entry(after)))], change)
        named = [("", as_json(list(after.attributes)))]
        _write_part(connection, tables.ATTRIBUTES, named, change)
    for part, table, cells in (
        ("users", tables.people, _person),
        ("items", tables.items, item_cells),
    ):
        _write_rows(
            connection, table, [each for each in pieces if each.part == part], cells, change
        )


def _entries(data: SiteData, part: str) -> list[tuple[str, str]]:
    entries, entry = getattr(data, part), ENTRIES[part]
    if part in LISTED_PARTS:
        values = entries.values() if isinstance(entries, Mapping) else entries
        return [("", as_json(entry(each))) for each in values]
    return [(name, as_json(entry(each))) for name, each in entries.items()]


def _write_part(
    connection: Connection, part: str, wanted: Sequence[tuple[str, str]], change: int
) -> None:
    """Make the rows of a part say just this; those that say so already stay."""
    table = tables.settings
    found: dict[tuple[str, str], list[Any]] = {}
    for row in connection.execute(
        select(table).where(table.c.part == part).order_by(table.c.position)
    ):
        found.setdefault((row.name, row.body), []).append(row)
    new, moved = [], []
    for position, (name, body) in enumerate(wanted):
        there = found.get((name, body))
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


def _person(user: Any) -> dict[str, str]:
    cells = person_cells(user)
    bare = {name: cells[name] for name in PEOPLE_COLUMNS}
    return {**bare, "attributes": as_json(dict(user.attributes)) if user.attributes else ""}


def _write_rows(
    connection: Connection, table: Any, pieces: Sequence[Piece], cells: Any, change: int
) -> None:
    name = table.c[next(each.name for each in table.c if each.name != "id")]
    gone = [{"which": piece.name} for piece in pieces if piece.after is None]
    if gone:
        connection.execute(delete(table).where(name == bindparam("which")), gone)
    rows = [
        (piece, {**cells(piece.after), "change": change})
        for piece in pieces
        if piece.after is not None
    ]
    changed = [{"which": piece.name, **row} for piece, row in rows if piece.before is not None]
    if changed:
        columns: dict[str, Any] = {key: bindparam(key) for key in changed[0] if key != "which"}
        connection.execute(update(table).where(name == bindparam("which")).values(columns), changed)
    new = [row for piece, row in rows if piece.before is None]
    for start in range(0, len(new), _AT_ONCE):
        connection.execute(insert(table), new[start : start + _AT_ONCE])


_NOTHING: Final = SiteData("", owner="", default_readership="")


def _with_origins(data: SiteData, pieces: Sequence[Piece], change: int) -> SiteData:
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
