"""Measure lists that a website's own database filters by a condition of Prim Lantern.

    python benchmarks/sql_filter.py postgresql+psycopg://name@host/empty
    python benchmarks/sql_filter.py sqlite:////tmp/pages.db --users 2000 --items 100000

The content table is made in the database named, which should be empty, with the indexes that
docs/in-a-website.md names; authors and categories are arrays in PostgreSQL, and elsewhere, or with
`--separated`, texts with semicolons. For each of some people: how large the condition is, how long
it takes to make, and how long page one of a list (newest first, and by path) and a count of all
take, the best of three; and page one once the database has prepared it, as a query that is asked
often is. Guests come first.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Callable
from random import Random

import shape
from sqlalchemy import (
    ARRAY,
    Column,
    DateTime,
    Engine,
    Index,
    MetaData,
    Table,
    Text,
    create_engine,
    func,
    insert,
    select,
    text,
)

import prim_lantern as pl
from prim_lantern.site.data import SiteData
from prim_lantern.sql import Array, Columns, Separated

LISTS = ("authors", "changed_by", "categories")


def content_table(*, arrays: bool) -> tuple[Table, Columns]:
    """The table, and what its columns say."""
    several = ARRAY(Text) if arrays else Text()
    table = Table(
        "pages",
        MetaData(),
        Column("path", Text),
        Column("kind", Text),
        Column("state", Text),
        *(Column(name, several) for name in LISTS),
        Column("public_from", DateTime(timezone=True)),
        Column("public_until", DateTime(timezone=True)),
        Column("links_to", Text),
    )
    keeps = Array if arrays else Separated
    lists = {name: keeps(table.c[name]) for name in LISTS}
    single = ("path", "kind", "state", "public_from", "public_until", "links_to")
    return table, Columns(**{name: table.c[name] for name in single}, **lists)


AT_ONCE = 20_000


def connected(url: str) -> Engine:
    """The database; PostgreSQL would compile long conditions anew each time, which takes longer
    than it spares."""
    options = {"options": "-c jit=off"} if url.startswith("postgresql") else {}
    return create_engine(url, connect_args=options)


def fill(engine: Engine, data: SiteData, pages: Table, *, arrays: bool) -> None:
    """The content of a site as rows, with indexes."""
    pages.drop(engine, checkfirst=True)
    pages.create(engine)
    content = data.content
    single = ("kind", "state", "public_from", "public_until", "links_to")
    values = {name: list(content.values_of(name)) for name in (*single, *LISTS)}
    kept = list if arrays else ";".join
    with engine.begin() as connection:
        for start in range(0, len(content), AT_ONCE):
            rows = [
                {
                    "path": content.names[row],
                    **{name: values[name][row] for name in single},
                    **{name: kept(values[name][row]) for name in LISTS},
                }
                for row in range(start, min(start + AT_ONCE, len(content)))
            ]
            connection.execute(insert(pages), rows)
    on_path = text('path COLLATE "C"') if engine.dialect.name == "postgresql" else pages.c.path
    for index in (
        Index("pages_by_path", on_path, unique=True, _table=pages),
        Index("pages_newest", pages.c.public_from.desc(), pages.c.path),
    ):
        index.create(engine)
    with engine.connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        connection.exec_driver_sql(
            "VACUUM ANALYZE pages" if engine.dialect.name == "postgresql" else "ANALYZE"
        )


def best(work: Callable[[], object], tries: int = 3) -> tuple[object, float]:
    """What some work comes to, and the milliseconds of the best of some tries."""
    times = []
    for _ in range(tries):
        began = time.perf_counter()
        found = work()
        times.append((time.perf_counter() - began) * 1000)
    return found, min(times)


def main() -> None:
    """Fill the table, and ask."""
    parser = argparse.ArgumentParser(description=__doc__)
    parser.add_argument("url")
    parser.add_argument("--users", type=int, default=100_000)
    parser.add_argument("--items", type=int, default=1_000_000)
    parser.add_argument("--separated", action="store_true")
    asked = parser.parse_args()
    data = shape.site_of(asked.users, asked.items)
    site, engine = pl.Site(data, checked=True), connected(asked.url)
    arrays = engine.dialect.name == "postgresql" and not asked.separated
    pages, columns = content_table(arrays=arrays)
    began = time.perf_counter()
    fill(engine, data, pages, arrays=arrays)
    print(f"filled in {time.perf_counter() - began:.0f} s")
    some = [None, *Random(5).sample(list(data.people.names), 4)]
    newest = [pages.c.public_from.desc(), pages.c.path]
    print(
        "who        action  terms  make ms  newest ms  prepared ms  by path ms  count ms     count"
    )
    by_path = pages.c.path
    if engine.dialect.name == "postgresql":
        by_path = by_path.collate("C")  # as the index has it
    with engine.connect() as connection:
        for who in some:
            for action in ("read", "edit"):
                began = time.perf_counter()
                condition = site.sql_filter(who, action, columns, shape.NOON)
                made = (time.perf_counter() - began) * 1000
                listed = select(pages.c.path).where(condition).limit(20)
                _, first = best(lambda q=listed: connection.scalars(q.order_by(*newest)).all())
                _, tree = best(lambda q=listed: connection.scalars(q.order_by(by_path)).all())
                _, again = best(lambda q=listed: connection.scalars(q.order_by(*newest)).all(), 15)
                whole = select(func.count()).select_from(pages).where(condition)
                count, counted = best(lambda q=whole: connection.scalar(q))
                right = len(site.items_for(who, action, shape.NOON))
                if count != right:
                    raise SystemExit(f"{who} {action}: {count} rows, where {right} are right")
                print(
                    f"{who or 'guest':10} {action:6} {condition.terms:6,} {made:8.0f} {first:10.1f}"
                    f" {again:12.1f} {tree:11.1f} {counted:9.0f} {count:9,}",
                    flush=True,
                )


if __name__ == "__main__":
    main()
