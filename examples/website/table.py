"""The website's own content table, and where it has what Prim Lantern decides by."""

from __future__ import annotations

from pathlib import Path

from sqlalchemy import Column, DateTime, Engine, MetaData, Table, Text, create_engine, insert

import prim_lantern as pl
from prim_lantern.sql import Columns, ContentTable, Separated

metadata = MetaData()
pages = Table(
    "website_pages",
    metadata,
    Column("path", Text, primary_key=True),
    Column("kind", Text, nullable=False),
    Column("title", Text, nullable=False),
    Column("body", Text, nullable=False, default=""),
    Column("state", Text, nullable=False),
    Column("authors", Text, nullable=False, default=""),
    Column("changed_by", Text, nullable=False, default=""),
    Column("categories", Text, nullable=False, default=""),
    Column("public_from", DateTime),
    Column("public_until", DateTime),
    Column("links_to", Text),
)
COLUMNS = Columns(
    path=pages.c.path,
    kind=pages.c.kind,
    state=pages.c.state,
    authors=Separated(pages.c.authors),
    changed_by=Separated(pages.c.changed_by),
    categories=Separated(pages.c.categories),
    public_from=pages.c.public_from,
    public_until=pages.c.public_until,
    links_to=pages.c.links_to,
)


def row_of(item: pl.Item) -> dict[str, object]:
    """An item of the site as a row of the table."""
    single = ("path", "kind", "title", "state", "public_from", "public_until", "links_to")
    lists = ("authors", "changed_by", "categories")
    return {
        **{name: getattr(item, name) for name in single},
        **{name: ";".join(getattr(item, name)) for name in lists},
    }


def opened(folder: Path) -> tuple[Engine, pl.Site]:
    """The database in a folder, with pages and rights beside each other: made from the demo site
    where there is none yet."""
    address = f"sqlite:///{folder / 'website.db'}"
    new = not (folder / "website.db").exists()
    if new:
        pl.put_site(pl.open_demo().data, address)
    engine = create_engine(address)
    site = pl.open_site(address)
    if new:
        metadata.create_all(engine)
        with engine.begin() as connection:
            for item in site.data.items.values():
                body = f"{item.called}: what the trust has to say of it stands here."
                connection.execute(insert(pages).values(body=body, **row_of(item)))
    else:
        site.content.sync(ContentTable(engine, COLUMNS, title=pages.c.title).rows())
    site.keep_fresh()
    return engine, site
