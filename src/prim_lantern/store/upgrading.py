"""The version of a database's tables: made, checked, and brought up after a copy is kept."""

from __future__ import annotations

import shutil
from pathlib import Path
from typing import Final

from alembic import command
from alembic.config import Config
from alembic.runtime.migration import MigrationContext
from alembic.script import ScriptDirectory
from sqlalchemy import Connection, Engine, inspect, text

from prim_lantern.errors import NoSite, StoreTrouble

_MIGRATIONS: Final = Path(__file__).parent / "migrations"


def brought_up(engine: Engine, where: str, *, make: bool) -> bool:
    """Whether the database has the tables of this version.

    An older one is brought up, after a copy of it is kept; an empty one is filled with tables
    where `make` says so. Raises `StoreTrouble` for one that a newer version has made, and `NoSite`
    for one that holds something else.
    """
    scripts = ScriptDirectory.from_config(_config())
    newest = scripts.get_current_head()
    with engine.connect() as connection:
        current = MigrationContext.configure(connection).get_current_revision()
        others = set(inspect(connection).get_table_names())
    if current == newest:
        return True
    if current is None:
        if others:
            raise NoSite(where, "this database holds something else; take an empty one.")
        if not make:
            return False
    elif current not in {script.revision for script in scripts.walk_revisions()}:
        raise StoreTrouble(
            where,
            f"it was made by a newer version of Prim Lantern (tables {current}, and this one "
            f"knows {newest}); nothing was changed. Update Prim Lantern.",
        )
    else:
        _keep_copy(engine, current)
    with engine.connect().execution_options(writing=True) as connection, connection.begin():
        _upgrade(connection)
    return True


def _config(connection: Connection | None = None) -> Config:
    config = Config()
    config.set_main_option("script_location", str(_MIGRATIONS).replace("%", "%%"))
    config.attributes["connection"] = connection
    return config


def _upgrade(connection: Connection) -> None:
    command.upgrade(_config(connection), "head")


def _keep_copy(engine: Engine, version: str) -> None:
    """Keep a copy: of a file beside it, of a server's tables in a schema of their own."""
    if engine.dialect.name == "sqlite":
        file = Path(str(engine.url.database))
        copy = file.with_name(f"{file.name}.before-upgrade-from-{version}")
        with engine.connect() as connection:
            connection.exec_driver_sql("COMMIT")
            connection.exec_driver_sql("PRAGMA wal_checkpoint(TRUNCATE)")
            connection.exec_driver_sql("BEGIN")
            shutil.copyfile(file, copy)
        return
    with engine.connect().execution_options(writing=True) as connection, connection.begin():
        schema = f"before_upgrade_from_{version}"
        connection.execute(text(f'DROP SCHEMA IF EXISTS "{schema}" CASCADE'))
        connection.execute(text(f'CREATE SCHEMA "{schema}"'))
        for name in inspect(connection).get_table_names():
            connection.execute(text(f'CREATE TABLE "{schema}"."{name}" AS TABLE "{name}"'))
