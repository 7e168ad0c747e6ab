"""The site is kept now and then, so that going back far is quick."""

from __future__ import annotations

import sqlalchemy as sa
from alembic import op

revision = "0003"
down_revision = "0002"


def upgrade() -> None:
    """Make the table for what is kept."""
    op.create_table(
        "kept",
        sa.Column("number", sa.Integer, primary_key=True),
        sa.Column("site", sa.LargeBinary, nullable=False),
        comment="The site as some changes left it, as a zip file of its folder: for going back.",
    )
