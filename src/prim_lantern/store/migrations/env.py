"""Run the migrations on the connection that is at hand."""

from __future__ import annotations

from alembic import context


def run() -> None:
    """What alembic loads this file for."""
    context.configure(connection=context.config.attributes["connection"])
    with context.begin_transaction():
        context.run_migrations()


if hasattr(context, "config"):  # not where the file is only looked at
    run()
