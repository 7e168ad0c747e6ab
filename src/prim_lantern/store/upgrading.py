"""The version of a database's tables: made, checked, and brought up after a copy is kept."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import AbstractContextManager, closing
from pathlib import Path
from typing import TYPE_CHECKING, Final

from sqlalchemy import Connection, Engine, column, inspect, select, table, text

from prim_lantern.errors import NoSite, StoreTrouble

if TYPE_CHECKING:
    from alembic.config import Config

Writing = Callable[[], AbstractContextManager[Connection]]
"""Gives a connection that may write, once its turn has come."""

_ONE_AT_A_TIME: Final = "SELECT pg_advisory_xact_lock(hashtext('prim-lantern tables'))"
_MIGRATIONS: Final = Path(__file__).parent / "migrations"
_OF_THE_TABLES: Final = table("alembic_version", column("version_num"))
_KNOWN: Final = sorted(e.stem.partition("_")[0] for e in _MIGRATIONS.glob("versions/[0-9]*.py"))
NEWEST: Final = _KNOWN[-1]


def brought_up(engine: Engine, writing: Writing, where: str, *, make: bool) -> bool:
    """Whether the database has the tables of this version.

    An older one is brought up, after a copy of it is kept; an empty one is filled with tables
    where `make` says so. `writing` gives a connection whose turn it is to write: of several
    processes that find an old database, one brings it up and the others go on.
    Raises `StoreTrouble` for one that a newer version has made, and `NoSite` for one that holds
    something else.
    """
    with engine.connect() as connection:
        version = _version(connection, where)
    if version == NEWEST or (version is None and not make):
        return version == NEWEST
    from alembic import command  # takes long to load, and is seldom asked

    with writing() as connection:
        if connection.dialect.name == "postgresql":
            connection.execute(text(_ONE_AT_A_TIME))
        version = _version(connection, where)  # as the one before may have left it
        if version is not None and version != NEWEST:
            _keep_copy(connection, version)
        if version != NEWEST:
            command.upgrade(_config(connection), "head")
    return True


def _version(connection: Connection, where: str) -> str | None:
    """The version of the tables that are there; None where there are none."""
    names = inspect(connection).get_table_names()
    found: str | None = None
    if _OF_THE_TABLES.name in names:
        found = connection.scalar(select(_OF_THE_TABLES.c.version_num))
    if found is None and names:
        raise NoSite(where, "this database holds something else; take an empty one.")
    if found is not None and found not in _KNOWN:
        raise StoreTrouble(
            where,
            f"it was made by a newer version of Prim Lantern (tables {found}, and this one "
            f"knows {NEWEST}); nothing was changed. Update Prim Lantern.",
        )
    return found


def _config(connection: Connection) -> Config:
    from alembic.config import Config

    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS).replace("%", "%%"))
    config.attributes["connection"] = connection
    return config


def _keep_copy(connection: Connection, version: str) -> None:
    """Keep a copy, made by the database itself: of a file beside it, of a server's tables in a
    schema of their own."""
    if connection.dialect.name == "sqlite":
        file = Path(connection.exec_driver_sql("PRAGMA database_list").one().file)
        _copy_file(file, f"{file.name}.before-upgrade-from-{version}")
        return
    schema = f"before_upgrade_from_{version}"
    names = inspect(connection).get_table_names()
    connection.execute(text(f'DROP SCHEMA IF EXISTS "{schema}" CASCADE'))
    connection.execute(text(f'CREATE SCHEMA "{schema}"'))
    for name in names:
        connection.execute(text(f'CREATE TABLE "{schema}"."{name}" AS TABLE "{name}"'))


def _copy_file(file: Path, name: str) -> None:
    """Copy a database with its newest changes, whole or not at all, and no more open than it is."""
    beside = file.with_name(f"{name}.new")
    beside.unlink(missing_ok=True)
    os.close(os.open(beside, os.O_CREAT | os.O_EXCL, 0o600))
    with closing(sqlite3.connect(file)) as source, closing(sqlite3.connect(beside)) as target:
        source.backup(target)  # nobody else writes: it is this process's turn
    shutil.copymode(file, beside)
    os.replace(beside, file.with_name(name))
