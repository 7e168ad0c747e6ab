"""Waiting until somebody else may have changed a site."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from threading import Event
from typing import TYPE_CHECKING, Any, Final

from prim_lantern.errors import StoreTrouble

if TYPE_CHECKING:
    from sqlalchemy import Connection, Engine

CHANNEL: Final = "prim_lantern"
"""What PostgreSQL calls out on, with each change, as part of it."""


class News:
    """Waits; a store of its own kind may be told sooner."""

    calls = False
    """Whether it is told at once when something changes."""

    def wait(self, seconds: float, stopped: Event) -> None:
        """Wait for so long, or until something may have changed."""
        stopped.wait(seconds)


class Called(News):
    """Hears what PostgreSQL calls out on a connection that does nothing else."""

    calls = True

    def __init__(self, connection: Any) -> None:
        """Take a connection of the driver itself."""
        connection.execute(f"LISTEN {CHANNEL}")
        self._connection = connection

    def wait(self, seconds: float, stopped: Event) -> None:  # noqa: ARG002
        """Wait for a call, or for so long at most."""
        for _ in self._connection.notifies(timeout=seconds, stop_after=1):
            return


@contextmanager
def called_by(engine: Engine, where: str) -> Iterator[Called]:
    """Hear what PostgreSQL calls out, on a connection that is nobody else's.

    Raises `StoreTrouble` where it does not come about, or is lost.
    """
    from psycopg import Error, connect

    arguments, options = engine.dialect.create_connect_args(engine.url)
    try:
        with connect(*arguments, **options, autocommit=True) as connection:
            yield Called(connection)
    except Error as error:
        said = str(error).strip().partition("\n")[0]
        raise StoreTrouble(where, f"it does not call ({said}).") from None


def call_out(connection: Connection, number: int) -> None:
    """Tell all who listen of a change, once it is made."""
    from sqlalchemy import text

    if connection.dialect.name == "postgresql":
        connection.execute(
            text("SELECT pg_notify(:channel, :number)"),
            {"channel": CHANNEL, "number": str(number)},
        )
