"""A site in a database: SQLite, or PostgreSQL by URL."""

from __future__ import annotations

import weakref
from bisect import bisect_right
from collections.abc import Iterable, Iterator, Sequence
from contextlib import AbstractContextManager, contextmanager, nullcontext
from datetime import datetime
from functools import partial
from typing import Any, Final

from sqlalchemy import Connection, insert, select, text, update
from sqlalchemy.exc import SQLAlchemyError

from prim_lantern.change.pieces import Piece, differences
from prim_lantern.change.record import Record
from prim_lantern.errors import BadSite, BrokenHistory, NoSite, StoreTrouble
from prim_lantern.formats.disk import of_files
from prim_lantern.formats.entries import State
from prim_lantern.formats.folder.source import Progress, without_collecting
from prim_lantern.formats.history import NO_HASH, line_from, text_of
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.store import tables
from prim_lantern.store.base import Ready, Seen, Store, Turn, next_line, of_another_database
from prim_lantern.store.connecting import (
    WAITS,
    WHO_WRITES,
    engine_for,
    file_of,
    same_database,
    url_of,
)
from prim_lantern.store.holder import Holder, since_when
from prim_lantern.store.news import News, call_out, called_by
from prim_lantern.store.rows import (
    NOTHING,
    entries_of,
    read_rows,
    reads_back,
    with_origins,
    write_rows,
)
from prim_lantern.store.trouble import of_database
from prim_lantern.store.upgrading import brought_up

_WAIT: Final = 20  # seconds for one's turn
_SHORT_WAIT: Final = 1  # for what only saves time
_UPGRADE_WAIT: Final = 600  # seconds for another process that brings the tables up
_THE_ROW: Final = tables.state.c.id == 1
_HOW_TO_FILL: Final = "'prim-lantern folder in FOLDER --site {}' puts a site there."


class DatabaseStore(Store):
    """A site in a database."""

    def __init__(self, address: str, *, make: bool = False) -> None:
        """Take the URL of a database; with `make`, tables are made where there are none.

        Raises `NoSite` where there is no such database or no site in it, and `StoreTrouble` where
        the database does not answer.
        """
        url = url_of(address)
        self.where = url.render_as_string(hide_password=True)
        file = file_of(url)
        with of_files(self.where, reading=True):
            if file is not None and not make and not file.is_file():
                raise NoSite(self.where, f"no such file. {_HOW_TO_FILL.format(self.where)}")
        self._engine = engine_for(url)
        weakref.finalize(self, self._engine.dispose)  # closes what is kept open
        self._holder = Holder(file.with_name(f"{file.name}-held-by")) if file is not None else None
        with self._trouble():
            writing = partial(self._writing, _UPGRADE_WAIT)
            if not brought_up(self._engine, writing, self.where, make=make):
                raise NoSite(
                    self.where, f"the database is empty. {_HOW_TO_FILL.format(self.where)}"
                )

    def _trouble(self) -> AbstractContextManager[None]:
        return of_database(self.where, self._held_by)

    def _held_by(self) -> str:
        """Who writes and since when, as far as it is known."""
        if self._holder is not None:
            return self._holder.told()
        if self._engine.dialect.name != "postgresql":
            return ""
        try:
            with self._engine.connect() as connection:
                found = connection.execute(text(WHO_WRITES)).first()
        except SQLAlchemyError:
            return ""  # it is only more to say beside what went wrong
        return (
            since_when(found.application_name or found.usename, found.xact_start) if found else ""
        )

    # Reading ----------------------------------------------------------------------------

    def read(self, progress: Progress | None = None) -> Seen:
        """The site as it is."""
        with self._trouble(), self._engine.connect() as connection:
            return self._seen(connection, progress)

    def _seen(self, connection: Connection, progress: Progress | None = None) -> Seen:
        row = connection.execute(select(tables.state)).first()
        if row is None:
            raise NoSite(self.where, f"there is no site yet. {_HOW_TO_FILL.format(self.where)}")
        with without_collecting():
            data = read_rows(connection, self.where, progress)
            problems = problems_in(data, typed=True)
            if problems:
                raise BadSite(problems, self.where)
            return Seen(data, row.number, _stamp(row), _last_moment(connection))

    def is_at(self, seen: Seen) -> bool:
        """Whether the site is still as it was seen."""
        with self._trouble(), self._engine.connect() as connection:
            row = connection.execute(select(tables.state)).first()
            return row is not None and (row.number, _stamp(row)) == (seen.number, seen.stamp)

    def newer(self, seen: Seen) -> Seen:
        """The site as it is now; `seen` itself where it is still that."""
        with self._trouble(), self._engine.connect() as connection:
            return self.caught_up(connection, seen)

    def caught_up(self, connection: Connection, before: Seen) -> Seen:
        """The site as it is now: the changes made since are put into what was seen. Where they do
        not follow from that, as when a backup was put back, all is read anew."""
        row = connection.execute(select(tables.state)).first()
        if row is None:
            return self._seen(connection)  # which says so
        if (row.number, _stamp(row)) == (before.number, before.stamp):
            return before
        wanted = select(tables.changes.c.line).where(tables.changes.c.number > before.number)
        found = connection.scalars(wanted.order_by(tables.changes.c.number)).all()
        lines = [line_from(text, number) for number, text in enumerate(found, before.number + 1)]
        if not lines or (before.number and lines[0].before != before.stamp):
            return self._seen(connection)
        data = before.data
        for line in lines:
            after = line.record.after(data)
            data = with_origins(after, differences(data, after), line.record.number)
        return Seen(data, row.number, _stamp(row), lines[-1].record.at)

    @contextmanager
    def news(self) -> Iterator[News]:
        """What waits until somebody else may have changed the site."""
        if self._engine.driver != "psycopg":
            yield News()
            return
        with called_by(self._engine, self.where) as news:
            yield news

    def snapshot(self, progress: Progress | None = None) -> tuple[list[str], SiteData]:
        """The history and the site, of one moment."""
        with self._trouble(), self._engine.connect() as connection:
            wanted = select(tables.changes.c.line).order_by(tables.changes.c.number)
            texts = list(connection.scalars(wanted))
            state = connection.execute(select(tables.state)).one()
            last = line_from(texts[-1], len(texts)) if texts else None
            if state.number != len(texts) or (last is not None and state.hash != last.hash):
                raise BrokenHistory(
                    len(texts), f"the site says that change {state.number} was the last"
                )
            return texts, read_rows(connection, self.where, progress)

    @property
    def empty(self) -> bool:
        """Whether there is no site in it yet."""
        with self._trouble(), self._engine.connect() as connection:
            return connection.execute(select(tables.state.c.number)).first() is None

    def ready(self, seen: Seen, after: SiteData, pieces: Sequence[Piece]) -> Ready:  # noqa: ARG002
        """All that differs, as it is written; what the number of the site was, the database
        knows."""
        return Ready(pieces, after, entries=entries_of(after, pieces))

    def count(self) -> int:
        """The number of the last change."""
        with self._trouble(), self._engine.connect() as connection:
            return int(connection.execute(select(tables.state.c.number)).scalar() or 0)

    def texts(self, after: int = 0, to: int | None = None) -> Iterator[str]:
        """The lines of the history."""
        wanted = select(tables.changes.c.line).where(tables.changes.c.number > after)
        if to is not None:
            wanted = wanted.where(tables.changes.c.number <= to)
        with self._trouble(), self._engine.connect() as connection:
            yield from connection.scalars(wanted.order_by(tables.changes.c.number)).all()

    def number_at(self, at: datetime) -> int:
        """The number of the last change that was made by a moment; 0 before the first."""
        return bisect_right(range(1, self.count() + 1), at, key=lambda n: self.record(n).at)

    def last_recorded(self) -> SiteData:
        """The site as it is."""
        return self.read().data

    def _kept(self, number: int) -> tuple[int, bytes] | None:
        wanted = select(tables.kept).where(tables.kept.c.number >= number)
        with self._trouble(), self._engine.connect() as connection:
            found = connection.execute(wanted.order_by(tables.kept.c.number).limit(1)).first()
        return (found.number, found.site) if found is not None else None

    def _keep(self, number: int, site: bytes) -> None:
        with self._trouble(), self._writing(_SHORT_WAIT) as connection:
            connection.execute(insert(tables.kept).values(number=number, site=site))

    # Writing ----------------------------------------------------------------------------

    @contextmanager
    def changing(self, connection: Any = None) -> Iterator[Turn]:
        """Wait for one's turn to write; all is written when the turn ends well."""
        if connection is not None:
            if not same_database(connection.engine.url, self._engine.url):
                of_another_database(self.where, connection)
            with self._trouble():
                yield _DatabaseTurn(self, connection)
            return
        with self._trouble(), self._writing() as connection:
            yield _DatabaseTurn(self, connection)

    @contextmanager
    def _writing(self, wait: float | None = None) -> Iterator[Connection]:
        options = {WAITS: _WAIT if wait is None else wait}
        connecting = self._engine.connect().execution_options(**options)
        noted = self._holder.noted() if self._holder is not None else nullcontext()
        with connecting as connection, connection.begin(), noted:
            yield connection

    def fill(self, data: SiteData, history: Iterable[str] = ()) -> None:
        """Put a site and its history into an empty database, whole or not at all."""
        lines = [line_from(text, number) for number, text in enumerate(history, 1)]
        with self._trouble(), self._writing() as connection:
            if connection.execute(select(tables.state.c.number)).first() is not None:
                raise StoreTrouble(self.where, "there is a site already; nothing was changed.")
            pieces = differences(NOTHING, data)
            write_rows(connection, entries_of(data, pieces), pieces, 0)
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
        return self.store.caught_up(self.connection, before)

    def make(self, record: Record, seen: Seen, ready: Ready) -> Seen:
        """Write a change."""
        last_text = self.connection.scalar(
            select(tables.changes.c.line).where(tables.changes.c.number == self.state.number)
        )
        last = line_from(last_text, self.state.number) if last_text else None
        line, text = next_line(record, last, seen.data, ready.pieces, self.state.state)
        written = write_rows(self.connection, ready.entries, ready.pieces, record.number)
        if not reads_back(self.connection, written):
            raise StoreTrouble(
                self.store.where,
                "the database does not give back what was to be changed; nothing was changed. Is "
                "its encoding UTF-8?",
            )
        self.connection.execute(insert(tables.changes), _row(record, text))
        values = {"number": record.number, "hash": line.hash, "state": line.state}
        self.connection.execute(update(tables.state).where(_THE_ROW).values(values))
        call_out(self.connection, record.number)
        made = with_origins(ready.after, ready.pieces, record.number)
        return Seen(made, record.number, line.hash, record.at)


def _stamp(row: Any) -> str:
    """What tells the site of a row of `state` from others of the same number."""
    return str(row.hash if row.number else row.state)


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
