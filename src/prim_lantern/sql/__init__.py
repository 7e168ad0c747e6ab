"""Filters for a website's own content table: what one person may, as a condition in SQL.

>>> from sqlalchemy import Column, DateTime, MetaData, Table, Text, select
>>> import prim_lantern as pl
>>> from prim_lantern.sql import Columns, Separated
>>> pages = Table("pages", MetaData(), Column("path", Text), Column("kind", Text),
...               Column("state", Text), Column("topics", Text), Column("writers", Text),
...               Column("since", DateTime), Column("leads_to", Text))
>>> columns = Columns(path=pages.c.path, kind=pages.c.kind, state=pages.c.state,
...                   categories=Separated(pages.c.topics), authors=Separated(pages.c.writers),
...                   public_from=pages.c.since, links_to=pages.c.leads_to)
>>> may_read = pl.open_demo().sql_filter(None, "read", columns, at="2027-05-10")
>>> query = select(pages.c.path).where(may_read)
>>> may_read.terms < 500
True
"""

from prim_lantern.sql.columns import Array, Columns, Joined, JsonArray, Separated
from prim_lantern.sql.condition import Condition
from prim_lantern.sql.source import ContentTable

__all__ = ["Array", "Columns", "Condition", "ContentTable", "Joined", "JsonArray", "Separated"]
