"""What a database selects by a condition, against what the engine says of each item."""

from __future__ import annotations

from dataclasses import replace
from random import Random
from unittest.mock import patch

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import (
    JSON,
    Column,
    DateTime,
    ForeignKey,
    Integer,
    MetaData,
    String,
    Table,
    Text,
    create_engine,
    delete,
    func,
    insert,
    select,
    text,
)  # fmt: skip
from sqlalchemy.dialects.postgresql import ARRAY, JSONB
from sqlalchemy.orm import DeclarativeBase, Session, mapped_column
from sqlalchemy.pool import NullPool, StaticPool
from sqlalchemy.sql.util import ClauseAdapter

import prim_lantern as pl
from prim_lantern.decide.engine import Engine
from prim_lantern.site.moments import told_in
from prim_lantern.sql import (
    Array,
    Columns,
    ContentTable,
    Joined,
    JsonArray,
    Separated,
    condition,
    dialects,
)
from sites import MOMENTS, random_site

ACTIONS = [("read", "edit"), ("read", "publish"), ("sell", "delete"), ("comment", "submit")]
LISTS = ("authors", "categories", "changed_by")
PLAIN = ("path", "kind", "state", "page", "links_to", "public_from", "public_until")
KEEPING = {
    "separated": (Text, "; ".join, Separated),
    "json": (JSON, list, JsonArray),
    "array": (ARRAY(Text), list, Array),
    "jsonb": (JSONB, list, JsonArray),
    "varchar": (ARRAY(String(60)), list, Array),  # and all other texts of limited length
}

ZONED = ("array", "jsonb", "varchar")


def table_of(how):
    """A content table that keeps authors and categories in one way, and its columns."""
    metadata = MetaData()
    text, at = String(300) if how == "varchar" else Text, DateTime(timezone=how in ZONED)
    pages = Table(
        "pages", metadata, Column("id", Integer, primary_key=True), Column("path", text, unique=True),
        Column("kind", text), Column("state", text), Column("page", text), Column("links_to", text),
        Column("public_from", at), Column("public_until", at),
        *(Column(name, KEEPING[how][0]) for name in LISTS if how != "joined"),
    )  # fmt: skip
    columns = {name: pages.c[name] for name in PLAIN}
    if how == "joined":
        page_id = Column("page_id", ForeignKey("pages.id"))
        beside = Table("beside", metadata, page_id, Column("what", Text), Column("value", Text))
        for name in LISTS:
            on = (beside.c.page_id == pages.c.id) & (beside.c.what == name)
            columns[name] = Joined(beside.c.value, on)
    else:
        columns |= {name: KEEPING[how][2](pages.c[name]) for name in LISTS}
    return metadata, pages, Columns(**columns)


def fill(connection, metadata, data, how):
    for each in ("beside", "pages"):
        connection.execute(text(f"DROP TABLE IF EXISTS {each}"))
    metadata.create_all(connection)
    for number, item in enumerate(data.items.values(), 1):
        row = {name: getattr(item, name) for name in PLAIN if name != "page"}
        times = {name: row[name] for name in ("public_from", "public_until") if row[name]}
        row |= {name: told_in(at, None) for name, at in times.items()}  # the website keeps UTC
        lists = {name: getattr(item, name) for name in LISTS}
        if how != "joined":
            row |= {name: KEEPING[how][1](some) for name, some in lists.items()}
        page = data.page_of(item.path) if data.is_part(item.path) else None
        connection.execute(insert(metadata.tables["pages"]).values(id=number, page=page, **row))
        for name, some in lists.items() if how == "joined" else ():
            for value in some:
                beside = insert(metadata.tables["beside"])
                connection.execute(beside.values(page_id=number, what=name, value=value))


def differing(connection, data, at, how, actions):
    """Where the database selects others than the engine."""
    metadata, pages, columns = TABLES[how]
    fill(connection, metadata, data, how)
    site, engine = pl.Site(data, checked=True), Engine(data, at)
    for login in (None, *data.users):
        for action in actions:
            condition = site.sql_filter(login, action, columns, at, limit=1_000_000)
            found = set(connection.scalars(select(pages.c.path).where(condition)))
            right = {path for path in data.items if engine.allows(login, action, path)}
            if found != right:
                yield login, action, found ^ right


TABLES = {how: table_of(how) for how in (*KEEPING, "joined")}


@pytest.fixture(scope="module")
def in_sqlite():
    engine = create_engine("sqlite://", poolclass=StaticPool)
    with engine.connect() as connection:
        yield connection
    engine.dispose()


@pytest.fixture(scope="module")
def in_postgresql(postgresql):
    # compiling a long condition anew takes PostgreSQL seconds; docs/in-a-website.md says so
    # tables of one name and other types come after each other, so that nothing stays prepared
    how = {"options": "-c jit=off", "prepare_threshold": None}
    engine = create_engine(postgresql(), connect_args=how)
    with engine.connect() as connection:
        yield connection
    engine.dispose()


@settings(max_examples=max(14, settings.default.max_examples // 2))
@given(
    seed=st.integers(0, 2**32),
    at=st.sampled_from(MOMENTS),
    how=st.sampled_from(["separated", "json", "joined"]),
    actions=st.sampled_from(ACTIONS),
)
def test_sqlite_selects_what_the_engine_allows(in_sqlite, seed, at, how, actions):
    assert list(differing(in_sqlite, random_site(Random(seed)), at, how, actions)) == []


@settings(max_examples=max(11, settings.default.max_examples // 2))
@given(
    seed=st.integers(0, 2**32),
    at=st.sampled_from(MOMENTS),
    how=st.sampled_from(["separated", "array", "jsonb", "varchar", "joined"]),
    actions=st.sampled_from(ACTIONS),
    size=st.sampled_from([2, 64]),  # of the arrays in which paths are looked for
)
def test_postgresql_selects_what_the_engine_allows(in_postgresql, seed, at, how, actions, size):
    with patch.object(dialects, "_IN_AN_ARRAY", size):
        assert list(differing(in_postgresql, random_site(Random(seed)), at, how, actions)) == []


def test_the_demo_is_selected_whole_by_anybody_and_anything(in_sqlite, demo):
    actions = ["read", "publish"]
    differs = differing(in_sqlite, demo.data, demo.moment("2027-05-10"), "joined", actions)
    assert list(differs) == []


@pytest.mark.parametrize("one_by_one", [0, 4])
@pytest.mark.parametrize("database", ["in_sqlite", "in_postgresql"])
def test_hostile_names_select_nothing_else_and_break_nothing(
    database, one_by_one, make_site, request, monkeypatch
):
    monkeypatch.setattr(condition, "_ONE_BY_ONE", one_by_one)
    path = "/o'hara\"; drop table pages; -- %s %(x)s :y \\' WHERE "
    path = path.strip()
    site = make_site(
        f"[[rules]]\nallow = ['read', 'edit']\nto = ['user:x%_']\nwhere = '''{path}'''\n",
        people="x%_,,,,,,\nxAB,,,,,,\n",
        content=f'"{path.replace(chr(34), chr(34) * 2)}",page,,xAB,,draft,,nobody,,,\n/other,page,,x%_,,,,,,,\n',
        head='[site]\nname = "H"\nowner = "mo"\n',
    )
    at = site.moment("2027-05-10")
    asked = request.getfixturevalue(database)
    assert list(differing(asked, site.data, at, "separated", ["read", "edit"])) == []
    assert site.items_for("x%_", "edit") == [path]
    # what a backslash means in a quoted text is for each connection to say: none stands in one
    may_edit = site.sql_filter("x%_", "edit", TABLES["separated"][2], at)
    compiled = select(TABLES["separated"][1].c.path).where(may_edit).compile(asked.engine)
    assert "\\" not in str(compiled) and any("\\" in str(v) for v in compiled.params.values())


def test_it_goes_with_other_names_of_the_table_and_with_other_statements(in_sqlite, demo):
    """Among them two people of whom alike is said: one statement is not taken for the other's."""
    metadata, pages, columns = TABLES["separated"]
    fill(in_sqlite, metadata, demo.data, "separated")
    at = demo.moment("2027-05-10")
    right = {who: set(demo.items_for(who, "edit", at)) for who in ("sam.whitlock", "mirela.kos")}
    assert right["sam.whitlock"] != right["mirela.kos"]
    one, other = pages.alias(), pages.alias()

    def of(table, who):
        """As an ORM makes it speak of another name of the table."""
        plain = demo.sql_filter(who, "edit", columns, at).__clause_element__()
        str(plain.compile(in_sqlite.engine))
        return ClauseAdapter(table).traverse(plain)

    for who, wanted in right.items():
        plain = demo.sql_filter(who, "edit", columns, at)
        assert set(in_sqlite.scalars(select(pages.c.path).where(plain))) == wanted
        assert set(in_sqlite.scalars(select(pages.c.path).where(~plain.clause))).isdisjoint(wanted)
        both = select(one.c.path, other.c.path).where(one.c.path == other.c.path)
        both = both.where(of(one, who), of(other, "hana.okafor"))
        assert {mine for mine, _ in in_sqlite.execute(both)} == wanted
        counted = select(func.count()).where(plain)  # its table is named by the condition alone
        assert in_sqlite.scalar(counted) == len(wanted)
    gone = in_sqlite.execute(
        delete(pages).where(demo.sql_filter("sam.whitlock", "edit", columns, at))
    )
    assert gone.rowcount == len(right["sam.whitlock"])


def test_the_attributes_of_an_orm_are_columns(demo):
    class Base(DeclarativeBase):
        pass

    class Page(Base):
        __tablename__ = "pages"
        path = mapped_column(Text, primary_key=True)
        kind, state, title, authors, links_to = (mapped_column(Text) for _ in range(5))
        public_from, public_until = (mapped_column(DateTime) for _ in range(2))

    class Topic(Base):
        __tablename__ = "topics"
        path, topic = (mapped_column(Text, primary_key=True) for _ in range(2))

    names = ("path", "kind", "state", "title", "links_to", "public_from", "public_until")
    columns = Columns(
        Page.path, Page.kind, Page.state, Separated(Page.authors),
        Joined(Topic.topic, Topic.path == Page.path), links_to=Page.links_to,
        public_from=Page.public_from, public_until=Page.public_until,
    )  # fmt: skip
    engine = create_engine("sqlite://", poolclass=StaticPool)
    Base.metadata.create_all(engine)
    with Session(engine) as session, session.begin():
        for item in demo.data.items.values():
            row = {name: getattr(item, name) for name in names}
            session.add(Page(**row, authors=";".join(item.authors)))
            session.add_all(Topic(path=item.path, topic=each) for each in item.categories)
    with Session(engine) as session:
        for who in (None, "sam.whitlock", "kit.farrow"):
            for action in ("read", "edit"):
                mine = select(Page).where(demo.sql_filter(who, action, columns, "2027-05-10"))
                found = {each.path for each in session.scalars(mine)}
                assert found == set(demo.items_for(who, action, "2027-05-10"))
    site = pl.open_demo()
    everything = ContentTable(engine, columns, title=Page.title)
    assert site.content.sync(everything.rows()) == pl.Taken(0, 0, 0, 0)
    engine.dispose()


def test_what_is_no_column_is_told_at_once():
    one = Column("path", Text)
    for make in (
        lambda: Columns("path", one, one),
        lambda: Columns(one, None, one),
        lambda: Columns(one, one, one, authors="authors"),
        lambda: Columns(one, one, one, links_to=Separated(one)),
        lambda: Separated("authors"),
        lambda: JsonArray(None),
        lambda: Joined(one, "pages.path = topics.path"),
        lambda: ContentTable(
            create_engine("sqlite://", poolclass=NullPool), Columns(one, one, one), title="title"
        ),
    ):
        with pytest.raises(pl.BadValue, match="a column of the table is needed"):
            make()
    with pytest.raises(pl.BadValue, match="'' parts nothing"):
        Separated(one, "")
    with pytest.raises(pl.BadValue, match="'sqlite://' is no database"):
        ContentTable("sqlite://", Columns(one, one, one))
    with pytest.raises(pl.BadValue, match="'pages' has no rows"):
        pl.open_site(pl.DEMO_FOLDER, content="pages")
    names = (Column(each, Text) for each in ("path", "kind", "state"))
    table = Table("pages", MetaData(), *names)
    missing = ContentTable(create_engine("sqlite://", poolclass=NullPool), Columns(*table.c))
    with pytest.raises(pl.StoreTrouble, match="the content cannot be read: no such table: pages"):
        pl.open_site(pl.DEMO_FOLDER, content=missing)


def test_what_cannot_be_said_is_told(make_site, demo):
    pages = TABLES["separated"][1]
    bare = Columns(path=pages.c.path, kind=pages.c.kind, state=pages.c.state)
    with pytest.raises(pl.BadQuestion, match="There are links: name the column 'links_to'"):
        demo.sql_filter(None, "read", bare)
    columns = TABLES["separated"][2]
    with pytest.raises(pl.BadQuestion, match="more than 50: too much is said at single paths"):
        demo.sql_filter("sam.whitlock", "read", columns, limit=50)
    with pytest.raises(pl.BadValue, match="says no columns"):
        demo.sql_filter(None, "read", pages)
    with pytest.raises(pl.BadQuestion, match="asked with a kind"):
        demo.sql_filter(None, "create", columns)
    timed = Columns(pages.c.path, pages.c.kind, pages.c.state, public_from=pages.c.state)
    site = make_site("[[rules]]\nallow = ['edit']\nto = ['guests']\n", content="/a,page,,,,,,,,,\n")
    with pytest.raises(pl.BadValue, match="keeps no moments"):
        site.sql_filter(None, "read", timed)


def test_a_condition_is_kept_until_the_site_changes():
    site, columns = pl.open_demo(), TABLES["joined"][2]
    first = site.sql_filter("sam.whitlock", "read", columns)
    assert site.sql_filter("sam.whitlock", "read", columns) is first
    assert repr(first) == f"<Condition of {first.terms:,} terms>"
    with site.change(by="hana.okafor") as change:
        change.suspend("sam.whitlock")
    assert site.sql_filter("sam.whitlock", "read", columns) is not first


def test_parts_below_parts_need_a_column_with_their_page(make_site):
    site = make_site(
        "[kinds.panel]\npart = true\n",
        content="/a,page,,,,,,,,,\n/a/p,panel,,,,,,,,,\n/a/p/q,panel,,,,,,,,,\n",
    )
    pages = TABLES["separated"][1]
    with pytest.raises(pl.BadQuestion, match="Parts stand below parts: name the column 'page'"):
        site.sql_filter(None, "read", Columns(pages.c.path, pages.c.kind, pages.c.state))


def test_without_that_column_the_page_is_the_item_right_above(in_sqlite, demo):
    metadata, pages, columns = TABLES["joined"]
    fill(in_sqlite, metadata, demo.data, "joined")
    whole = demo.sql_filter(None, "read", replace(columns, page=None))
    found = set(in_sqlite.scalars(select(pages.c.path).where(whole)))
    assert found == set(demo.items_for(None)) and "/sign-in" in found
