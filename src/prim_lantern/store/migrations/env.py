"""Run the migrations on the connection that is at hand."""

from __future__ import annotations

from alembic import context

context.configure(connection=context.config.attributes["connection"])
with context.begin_transaction():
    context.run_migrations()
