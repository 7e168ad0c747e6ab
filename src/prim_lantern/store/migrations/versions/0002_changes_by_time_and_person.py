"""Changes can be found by time and by person."""

from __future__ import annotations

import json

import sqlalchemy as sa
from alembic import op

revision = "0002"
down_revision = "0001"


def upgrade() -> None:
    """Give the history columns for when and by whom."""
    op.add_column("changes", sa.Column("at", sa.Text, nullable=False, server_default=""))
    op.add_column("changes", sa.Column("by", sa.Text, nullable=False, server_default=""))
    changes = sa.table("changes", *map(sa.column, ("number", "line", "at", "by")))
    connection = op.get_bind()
    for number, line in connection.execute(sa.select(changes.c.number, changes.c.line)).all():
        values = json.loads(line)
        connection.execute(
            sa.update(changes)
            .where(changes.c.number == number)
            .values(at=values["at"], by=values["by"])
        )
