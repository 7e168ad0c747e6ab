"""The tables of a site's database."""

from __future__ import annotations

from typing import Final

from sqlalchemy import BigInteger, Column, Index, Integer, LargeBinary, MetaData, Table, Text

from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS

metadata = MetaData()

_NUMBER = BigInteger().with_variant(Integer, "sqlite")  # SQLite counts up plain integers alone

state = Table(
    "state",
    metadata,
    Column("id", Integer, primary_key=True),  # one row, 1
    Column("number", Integer, nullable=False),
    Column("hash", Text, nullable=False),
    Column("state", Text, nullable=False),
    comment="The number and the hash of the last change, and the number of the whole site.",
)

settings = Table(
    "settings",
    metadata,
    Column("id", _NUMBER, primary_key=True),
    Column("part", Text, nullable=False),
    Column("position", Integer, nullable=False),
    Column("name", Text, nullable=False),
    Column("body", Text, nullable=False),
    Column("change", Integer, nullable=False),
    Index("settings_by_part", "part", "position"),
    comment="What site.toml says: one row an entry, its keys as JSON.",
)


def _cells(columns: tuple[str, ...]) -> list[Column[str]]:
    return [Column(name, Text, nullable=False, unique=not n) for n, name in enumerate(columns)]


people = Table(
    "people",
    metadata,
    Column("id", _NUMBER, primary_key=True),
    *_cells(PEOPLE_COLUMNS),
    Column("attributes", Text, nullable=False),
    Column("change", Integer, nullable=False),
    comment="A row of people.csv each, cells as there; the further columns as JSON.",
)

items = Table(
    "items",
    metadata,
    Column("id", _NUMBER, primary_key=True),
    *_cells(CONTENT_COLUMNS),
    Column("change", Integer, nullable=False),
    comment="A row of content.csv each, cells as there.",
)

changes = Table(
    "changes",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("at", Text, nullable=False),
    Column("by", Text, nullable=False),
    Column("line", Text, nullable=False),
    comment="The history: a line of JSON each, with the hash of the one before.",
)

kept = Table(
    "kept",
    metadata,
    Column("number", Integer, primary_key=True),
    Column("site", LargeBinary, nullable=False),
    comment="The site as some changes left it, as a zip file of its folder: for going back.",
)

ATTRIBUTES: Final = "attributes"  # the part of the settings that names the further columns
