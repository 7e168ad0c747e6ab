"""Connecting to a database: its URL, what each kind of database needs, and waiting for a turn."""

from __future__ import annotations

import os
import re
import weakref
from collections.abc import Mapping
from pathlib import Path
from time import monotonic, sleep
from typing import Any, Final
from urllib.parse import quote

from sqlalchemy import Connection, create_engine, event
from sqlalchemy.engine import URL, Engine, make_url
from sqlalchemy.exc import ArgumentError, NoSuchModuleError, OperationalError
from sqlalchemy.pool import NullPool

from prim_lantern.errors import NoSite
from prim_lantern.formats.disk import file_named
from prim_lantern.store.holder import this_process

WAITS: Final = "waits"
"""The option of a connection that writes: how many seconds it waits for its turn."""

WHO_WRITES: Final = """
    SELECT a.application_name, a.usename, a.xact_start
    FROM pg_locks l JOIN pg_stat_activity a USING (pid)
    WHERE l.relation = 'state'::regclass AND l.mode = 'RowShareLock' AND l.granted
      AND a.pid <> pg_backend_pid() AND a.wait_event_type IS DISTINCT FROM 'Lock'
    ORDER BY a.xact_start LIMIT 1
"""
"""The question to PostgreSQL who writes just now."""

_CONNECTING: Final = 20  # seconds
_STEP: Final = 200  # milliseconds between two looks whether one's turn has come
_PASSWORD: Final = re.compile(r"(://[^:/@]*:).*@")  # a password may hold an @ itself


def url_of(address: str) -> URL:
    """The URL that an address says; `NoSite` where it is none of a database that can be used."""
    try:
        url = make_url(address)
        url.render_as_string()  # refuses half a letter
        url.get_dialect()
    except (ArgumentError, NoSuchModuleError, ValueError):
        raise NoSite(
            _PASSWORD.sub(r"\1***@", address),
            "write sqlite:///site.db for a file, or postgresql+psycopg://name@host/database.",
        ) from None
    except ImportError as error:
        raise _without_driver(url, error) from None
    return url


def without_password(address: str) -> str:
    """The address of a database as it may be shown; `NoSite` where it is none."""
    return url_of(address).render_as_string(hide_password=True)


def _without_driver(url: URL, error: ImportError) -> NoSite:
    where = url.render_as_string(hide_password=True)
    if url.drivername == "postgresql+psycopg":
        return NoSite(
            where, f"its driver is missing ({error.name}): pip install 'prim-lantern[postgresql]'."
        )
    return NoSite(
        where,
        f"its driver is missing ({error.name}). Write postgresql+psycopg://…, for which pip "
        "install 'prim-lantern[postgresql]' brings the driver.",
    )


def file_of(url: URL) -> Path | None:
    """The file that a database of SQLite is kept in, where the URL names it plainly."""
    name = url.database
    if url.get_backend_name() != "sqlite" or not name or name.startswith((":memory:", "file:")):
        return None
    return file_named(name)


def same_database(one: URL, other: URL) -> bool:
    """Whether two URLs lead to one database."""
    files = file_of(one), file_of(other)
    if files[0] is not None and files[1] is not None:
        return files[0].resolve() == files[1].resolve()
    return _address(one) == _address(other)


def _address(url: URL) -> tuple[object, ...]:
    host = url.query.get("host") or url.host or "localhost"
    return url.get_backend_name(), url.database, host, url.port


def engine_for(url: URL) -> Engine:
    """What connects to a database."""
    try:
        if url.get_backend_name() == "sqlite":
            return _sqlite(url)
        return _server(url)
    except ImportError as error:
        raise _without_driver(url, error) from None


# A server ---------------------------------------------------------------------------------------


def _server(url: URL) -> Engine:
    """One connection is kept, so that a glance at the store costs next to nothing."""
    name = {} if "application_name" in url.query else {"application_name": this_process()}
    engine = create_engine(
        url,
        pool_size=1,
        max_overflow=20,
        pool_pre_ping=True,
        connect_args={"connect_timeout": _CONNECTING, **name},
    )
    event.listen(engine, "begin", _begin)
    _keeping.add(engine)
    return engine


_keeping: Final[weakref.WeakSet[Engine]] = weakref.WeakSet()


def _forget_connections() -> None:
    """Let a forked process have connections of its own: two must never share one."""
    for engine in _keeping:
        engine.dispose(close=False)


if hasattr(os, "register_at_fork"):
    os.register_at_fork(after_in_child=_forget_connections)


def _begin(connection: Connection) -> None:
    waits = connection.get_execution_options().get(WAITS)
    if waits is not None:
        connection.exec_driver_sql(f"SET LOCAL lock_timeout = '{int(waits * 1000)}ms'")
    else:  # all that is read is of one moment
        connection.exec_driver_sql("SET TRANSACTION ISOLATION LEVEL REPEATABLE READ READ ONLY")


# A file -----------------------------------------------------------------------------------------


def _sqlite(url: URL) -> Engine:
    # a connection is kept for no longer than it is used: a file is opened in no time
    engine = create_engine(url, poolclass=NullPool, connect_args={"timeout": _CONNECTING})
    event.listen(engine, "connect", _set_up)
    event.listen(engine, "begin", _begin_in_turn)
    file = file_of(url)
    if file is not None:
        event.listen(engine, "do_connect", lambda *args: _reader(file, *args))
    return engine


def _reader(
    file: Path, dialect: Any, _: Any, __: list[Any], options: Mapping[str, Any]
) -> object | None:
    """A connection that reads alone, where this account or this disk allows no more.

    SQLite wants to make files of its own beside a database even to read it. Where it cannot, and
    nobody is writing just now (their file would be there), it is told that nothing changes.
    """
    if os.access(file.parent, os.W_OK) or not file.is_file():
        return None
    writers = file.with_name(f"{file.name}-wal")
    busy = writers.exists() and writers.stat().st_size
    address = f"file:{quote(str(file.absolute()))}?mode=ro{'' if busy else '&immutable=1'}"
    found: object = dialect.loaded_dbapi.connect(address, uri=True, **options)
    return found


def _set_up(connection: Any, _: Any) -> None:
    connection.isolation_level = None  # transactions begin where `_begin_in_turn` says
    cursor = connection.cursor()
    try:
        cursor.execute("PRAGMA synchronous=FULL")
        if cursor.execute("PRAGMA journal_mode").fetchone() != ("wal",):
            cursor.execute("PRAGMA journal_mode=WAL")
    except Exception as error:
        if "readonly" not in str(error):
            raise  # what can only be read is read as it is
    finally:
        cursor.close()


def _begin_in_turn(connection: Connection) -> None:
    waits = connection.get_execution_options().get(WAITS)
    if waits is None:
        connection.exec_driver_sql("BEGIN")
        return
    until = monotonic() + waits
    connection.exec_driver_sql(f"PRAGMA busy_timeout={_STEP}")
    while True:  # in short steps, so that somebody who waits can also stop
        try:
            connection.exec_driver_sql("BEGIN IMMEDIATE")
            break
        except OperationalError as error:
            if "locked" not in str(error.orig) or monotonic() > until:
                raise
            sleep(_STEP / 10_000)
    connection.exec_driver_sql(f"PRAGMA busy_timeout={_CONNECTING * 1000}")
