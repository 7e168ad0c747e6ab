"""What type checkers see of the package: an ignored error that is none is an error for them."""

from __future__ import annotations

from typing import assert_type

from sqlalchemy import create_engine, select
from sqlalchemy.orm import DeclarativeBase, Mapped, mapped_column

import prim_lantern as pl
from prim_lantern.sql import Columns, ContentTable, Separated


def names() -> None:
    """A mistyped name is an error; what a call gives back is known."""
    pl.opn_site("x")  # type: ignore[attr-defined]
    assert_type(pl.open_demo(), pl.Site)
    assert_type(pl.open_demo().allows("sam.whitlock", "read", "/log"), bool)


class Base(DeclarativeBase):
    """The classes of a website."""


class Page(Base):
    """A page as an ORM has it."""

    __tablename__ = "pages"
    path: Mapped[str] = mapped_column(primary_key=True)
    kind: Mapped[str]
    state: Mapped[str]
    title: Mapped[str | None]
    authors: Mapped[str | None]
    links_to: Mapped[str | None]


def attributes_of_an_orm() -> None:
    """They are columns, and what is made of them is a condition."""
    authors = Separated(Page.authors)
    columns = Columns(Page.path, Page.kind, Page.state, authors, links_to=Page.links_to)
    ContentTable(create_engine("sqlite://"), columns, title=Page.title)
    Columns(Page.path, Page.kind, "state")  # type: ignore[arg-type]
    select(Page.title).where(pl.open_demo().sql_filter(None, "read", columns))
