"""The version of a database's tables: made, checked, and brought up after a copy is kept."""

from __future__ import annotations

import os
import shutil
import sqlite3
from collections.abc import Callable
from contextlib import AbstractContextManager, closing
from pathlib import Path
from typing import Final

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, inspect, text

from prim_lantern.errors import NoSite, StoreTrouble

Writing = Callable[[], AbstractContextManager[Connection]]
"""Gives a connection that may write, once its turn has come."""

_ONE_AT_A_TIME: Final = "SELECT pg_advisory_xact_lock(hashtext('prim-lantern tables'))"
_MIGRATIONS: Final = Path(__file__).parent / "migrations"


def brought_up(engine: Engine, writing: Writing, where: str, *, make: bool) -> bool:
    """Whether the database has the tables of this version.

    An older one is brought up, after a copy of it is kept; an empty one is filled with tables
    where `make` says so. `writing` gives a connection whose turn it is to write: of several
    processes that find an old database, one brings it up and the others go on.
    Raises `StoreTrouble` for one that a newer version has made, and `NoSite` for one that holds
    something else.
    """
    with engine.connect() as connection:
        version, newest = _versions(connection, where)
    if version == newest or (version is None and not make):
        return version == newest
    with writing() as connection:
        if connection.dialect.name == "postgresql":
            connection.execute(
                text("SELECT pg_advisory_xact_lock(hashtext('prim-lantern tables'))")
            )
        version, newest = _versions(connection, where)  # as the one before may have left them
        if version is not None and version != newest:
            _keep_copy(connection, version)
        if version != newest:
            command.upgrade(_config(connection), "head")
    return True


def _versions(connection: Connection, where: str) -> tuple[str | None, str | None]:
    """The version of the tables that are there, and the newest one."""
    scripts = ScriptDirectory.from_config(_config())
    newest = scripts.get_current_head()
    current = MigrationContext.configure(connection).get_current_revision()
    if current is None and inspect(connection).get_table_names():
        raise NoSite(where, "this database holds something else; take an empty one.")
    if current is not None and current not in {each.revision for each in scripts.walk_revisions()}:
        raise StoreTrouble(
            where,
            f"it was made by a newer version of Prim Lantern (tables {current}, and this one "
            f"knows {newest}); nothing was changed. Update Prim Lantern.",
        )
    return current, newest


def _config(connection: Connection | None = None) -> Config:
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
