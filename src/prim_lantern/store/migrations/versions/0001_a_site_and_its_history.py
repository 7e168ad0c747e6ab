"""A site and its history."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0001"
down_revision = None

_NUMBER = sa.BigInteger().with_variant(sa.Integer, "sqlite")


def upgrade() -> None:
    """Make the tables."""
    op.create_table(
        "state",
        sa.Column("id", sa.Integer, primary_key=True),
        sa.Column("number", sa.Integer, nullable=False),
        sa.Column("hash", sa.Text, nullable=False),
        sa.Column("state", sa.Text, nullable=False),
    )
    op.create_table(
        "settings",
        sa.Column("id", _NUMBER, primary_key=True),
        sa.Column("part", sa.Text, nullable=False),
        sa.Column("position", sa.Integer, nullable=False),
        sa.Column("name", sa.Text, nullable=False),
        sa.Column("body", sa.Text, nullable=False),
        sa.Column("change", sa.Integer, nullable=False),
        sa.Index("settings_by_part", "part", "position"),
    )
    people = ("login", "name", "email", "status", "groups", "roles_elsewhere", "joined")
    _cells("people", (*people, "attributes"))
    items = ("path", "kind", "title", "authors", "changed_by", "state", "categories")
    _cells("items", (*items, "readership", "public_from", "public_until", "links_to"))
    op.create_table(
        "changes",
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("line", sa.Text, nullable=False),
    )


def _cells(table: str, columns: tuple[str, ...]) -> None:
    op.create_table(
        table,
        sa.Column("id", _NUMBER, primary_key=True),
        *(sa.Column(each, sa.Text, nullable=False, unique=not n) for n, each in enumerate(columns)),
        sa.Column("change", sa.Integer, nullable=False),
    )
