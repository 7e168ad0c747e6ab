"""The website's own content, taken over as it is there."""

from __future__ import annotations

from datetime import UTC, date, datetime

import pytest
from sqlalchemy import Column, Date, DateTime, Integer, MetaData, Table, Text, create_engine, text
from sqlalchemy.pool import NullPool

import prim_lantern as pl
from prim_lantern import content
from prim_lantern.sql import Columns, ContentTable, JsonArray, Separated
from test_sql import TABLES, fill


def rows_of(data, *but):
    """The content of a site as a website would tell it."""
    for item in data.items.values():
        if item.path not in but:
            names = ("path", "kind", "title", "state", "authors", "categories", "links_to")
            yield {name: getattr(item, name) for name in names}


def test_the_same_twice_changes_nothing_and_what_differs_is_one_change_each(where):
    site = pl.open_site(where)
    assert site.content.sync(rows_of(site.data)) == pl.Taken(0, 0, 0, 0)
    added = site.content.put({"path": "/news/fog", "kind": "page", "state": "published"})
    assert added == pl.Taken(1, 0, 0, 1)
    assert site.allows(None, "read", "/news/fog")
    assert site.content.put({"path": "/news/fog", "title": "Fog"}).changed == 1
    assert site.content.put({"path": "/news/fog", "title": "Fog"}) == pl.Taken(0, 0, 0, 2)
    assert site.content.sync(rows_of(site.data, "/news/fog")) == pl.Taken(0, 0, 1, 3)
    assert site.content.remove("/news/fog") == pl.Taken(0, 0, 0, 3)
    last = site.history()[-1]
    assert (last.by, last.maker, last.said) == (
        "",
        "the website",
        ("content of the website: 1 gone",),
    )
    assert site.store.check_history() == 3
    assert pl.open_site(where).data == site.data
    with pytest.raises(pl.BadChange, match="Change 1 is of the website's content"):
        site.change(by="hana.okafor").undo(1)


def test_what_is_new_is_a_draft_unless_more_is_said():
    site = pl.open_demo()
    rows = {
        "/news/rain": {},
        "/news/sun": {"state": "published"},
        "/sun": {"kind": "link", "links_to": "/"},
    }
    for path, row in rows.items():
        site.content.put({"path": path, "kind": "page", **row})
    assert [site.data.items[path].state for path in rows] == ["draft", "published", "draft"]


def test_a_list_of_which_nothing_is_said_stays_as_it_is():
    """As a column has nothing (NULL) in a row; an empty list is said."""
    site = pl.open_demo()
    before = site.data.items["/log/terns"]
    assert before.authors and before.categories
    row = {"path": "/log/terns", "authors": None, "categories": None, "title": "Terns again"}
    assert site.content.put(row).changed == 1
    after = site.data.items["/log/terns"]
    assert (after.authors, after.categories) == (before.authors, before.categories)
    site.content.put({"path": "/log/terns", "categories": []})
    assert site.data.items["/log/terns"].categories == ()


def test_rights_are_left_as_they_are(demo_folder):
    site = pl.open_site(demo_folder)
    before = site.data.items["/patrons"].readership
    site.content.put({"path": "/patrons", "title": "Our patrons"})
    assert site.data.items["/patrons"].readership == before
    with pytest.raises(pl.BadSite, match=r"readership. is nothing that a row of content has"):
        site.content.put({"path": "/patrons", "readership": "public"})
    assert not site.allows(None, "read", "/trustees")


def test_no_hands_are_marked_but_those_that_are_named():
    site = pl.open_demo()
    site.content.put({"path": "/visit/prices", "title": "Fares"})
    assert site.data.items["/visit/prices"].changed_by == ()
    site.content.put({"path": "/visit/prices", "title": "Prices"}, by="sam.whitlock")
    assert site.data.items["/visit/prices"].changed_by == ("sam.whitlock",)
    assert site.content.touched("/visit/prices", by="Sam.Whitlock").changed == 0
    assert site.may("ines.varga", "publish", "/log/terns")
    site.content.touched("/log/terns", by="ines.varga")
    assert not site.may("ines.varga", "publish", "/log/terns")
    with pytest.raises(pl.UnknownUser):
        site.content.touched("/log/terns", by="nobody.here")


def test_what_others_change_while_rows_are_read_stays_as_they_have_it(where, monkeypatch):
    monkeypatch.setattr(content, "_AT_ONCE", 30)  # several changes
    site, other = pl.open_site(where), pl.open_site(where)
    told = [{**row, "title": f"{row['title']} again"} for row in rows_of(site.data, "/log/terns")]

    def read():
        yield from told
        other.content.put({"path": "/visit/prices", "state": "draft"})  # taken off the site
        other.content.put({"path": "/news/fog", "kind": "page", "state": "published"})
        other.content.put({"path": "/log/terns", "title": "Terns, and more"})
        other.content.remove("/about/privacy")

    other.content.put({"path": "/visit/winter", "title": "As it was before"})
    taken = site.content.sync(read())
    assert taken[:3] == (0, len(told) - 2, 0)
    assert site.data.items["/visit/winter"].title.endswith(" again")
    assert site.data.items["/visit/prices"].state == "draft"
    assert not site.allows(None, "read", "/visit/prices") and site.allows(None, "read", "/news/fog")
    assert site.data.items["/log/terns"].title == "Terns, and more"
    assert "/about/privacy" not in site.data.items
    assert site.data.items["/visit"].title.endswith(" again")
    assert site.content.sync(told).gone == 2, "nobody changes anything meanwhile"
    assert site.allows(None, "read", "/visit/prices") and "/about/privacy" in site.data.items


def test_a_table_that_is_empty_by_mistake_takes_nothing_along(demo_folder, tmp_path):
    site = pl.open_site(demo_folder)
    paths = list(site.data.items)
    few = [row for row in rows_of(site.data) if row["path"] in paths[: len(paths) // 2 - 1]]
    for rows in ([], few):
        with pytest.raises(pl.BadChange, match=r"of 122 items would be gone, such as /.*many_gone"):
            site.content.sync(rows)
    url = f"sqlite:///{tmp_path}/pages.db"
    table = Table(
        "pages", MetaData(), Column("path", Text), Column("kind", Text), Column("state", Text)
    )
    table.metadata.create_all(create_engine(url, poolclass=NullPool))
    columns = Columns(table.c.path, kind=table.c.kind, state=table.c.state)
    with pytest.raises(pl.BadChange, match="122 of 122 items would be gone"):
        pl.open_site(
            demo_folder, content=ContentTable(create_engine(url, poolclass=NullPool), columns)
        )
    assert site.version == 0 and len(site.data.items) == 122
    half = [row for row in rows_of(site.data) if row["path"] in paths[: len(paths) // 2]]
    assert site.content.sync(half).gone == 61
    assert site.content.sync([], many_gone=True).gone == 61
    assert not site.data.items


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ({"title": "x"}, "is no path: each row needs one"),
        ({"path": "x", "kind": "page"}, "a path starts with"),
        ({"path": "/x"}, "is no kind of this site, for /x"),
        ({"path": "/x", "kind": "pgae"}, "is no kind of this site"),
        ({"path": "/x", "kind": "page", "authors": "sam.whitlock"}, "is no list of texts"),
        ({"path": "/x", "kind": "page", "authors": ["nobody.here"]}, "nobody.here"),
        ({"path": "/x", "kind": "page", "state": "live"}, "live"),
        ({"path": "/x", "kind": "page", "public_from": "soon"}, "is no moment"),
        ({"path": "/visit/../x", "kind": "page"}, "visit"),
        ({"path": "/x", "kind": "page", "title": 7}, "7 is no text, as the title of /x is"),
        ({"path": "/x", "kind": "page", "title": b"x"}, "is no text, as the title of /x"),
        ({"path": "/x", "kind": "page", "state": None}, "is no text, as the state of /x is"),
        ({"path": "/x", "kind": "link", "links_to": ["/"]}, "is no text, as the links_to of /x"),
        ({"path": "/x", "kind": "page", "authors": 7}, "7 is no list of texts, as the authors of"),
        ({"path": "/x", "kind": "page", "authors": {"sam.whitlock": 1}}, "is no list of texts"),
        ({"path": "/x", "kind": "page", "categories": [None]}, "is no list of texts"),
    ],
)
def test_a_wrong_row_is_told_and_nothing_is_taken_over(row, said):
    site = pl.open_demo()
    good = {"path": "/news/fog", "kind": "page"}
    with pytest.raises(pl.BadSite, match=said):
        site.content.put([good, row])
    assert site.version == 0 and "/news/fog" not in site.data.items
    with pytest.raises(pl.BadSite, match="is in two rows"):
        site.content.put([good, good])
    for rows in ("x", [3], 3, None, range(2), good, iter([good, "x"])):
        with pytest.raises(pl.BadValue, match="cannot be rows"):
            site.content.sync(rows)


def test_a_page_goes_with_its_parts_and_what_is_below_stays(make_site):
    paths = ["/a,page", "/a/p,panel", "/a/p/q,panel", "/a/b,page", "/a/b/r,panel"]
    content = "".join(f"{each},,,,,,,,,\n" for each in paths)
    site = make_site("[kinds.panel]\npart = true\n", content=content)
    assert site.content.remove(["/a", "/nowhere"]).gone == 3
    assert list(site.data.items) == ["/a/b", "/a/b/r"]


@pytest.mark.parametrize("how", ["separated", "json", "joined"])
def test_a_table_is_a_source_and_keeps_all_that_decides(tmp_path, how):
    metadata, _, columns = TABLES[how]
    engine = create_engine(f"sqlite:///{tmp_path}/site.db", poolclass=NullPool)
    demo = pl.open_demo()
    with engine.begin() as connection:
        fill(connection, metadata, demo.data, how)
    empty = demo.data.with_parts(items={})
    folder = tmp_path / "site"
    pl.write_folder(empty, folder)
    site = pl.open_site(folder, content=ContentTable(engine, columns))
    for who in (None, "sam.whitlock", "kit.farrow"):
        for action in ("read", "edit", "publish"):
            kept = demo.data.content.filled("readership")
            right = [
                p for p in demo.items_for(who, action) if demo.data.content.index[p] not in kept
            ]
            assert set(right) <= {*site.items_for(who, action), *demo.items_for(who, action)}
    authors = {path: item.authors for path, item in demo.data.items.items()}
    assert {path: item.authors for path, item in site.data.items.items()} == authors


def test_a_connection_that_was_read_by_is_as_it_was(postgresql):
    metadata, _, columns = TABLES["separated"]
    with create_engine(postgresql(), poolclass=NullPool).begin() as connection:
        fill(connection, metadata, pl.open_demo().data, "separated")
        assert len(list(ContentTable(connection, columns).rows())) == len(pl.open_demo().data.items)
        other = Table("other", MetaData(), Column("id", Integer, primary_key=True))
        other.create(connection)
        connection.execute(other.insert(), {"id": 3})
        assert connection.execute(other.select()).scalar() == 3


@pytest.mark.parametrize(
    ("name", "kind", "cell", "how", "said"),
    [
        (
            "public_from",
            Date,
            date(2027, 1, 1),
            None,
            "is no moment: a column of the type DateTime",
        ),
        ("public_until", Text, "2027-01-01", None, "is no moment"),
        ("authors", Text, "[", JsonArray, "cannot be the authors of a row, as JsonArray has them"),
        ("authors", Text, '"sam.whitlock"', JsonArray, "cannot be the authors of a row"),
        ("categories", Integer, 7, Separated, "7 cannot be the categories of a row, as Separated"),
        ("title", Text, None, None, ""),
        ("authors", Text, "null", JsonArray, ""),
        ("authors", Text, None, Separated, ""),
    ],
)
def test_a_cell_that_says_nothing_that_can_be_meant_is_told(name, kind, cell, how, said):
    column = Column(name, kind)
    table = Table(
        "pages", MetaData(), *(Column(e, Text) for e in ("path", "kind", "state")), column
    )
    names = {} if name == "title" else {name: how(column) if how else column}
    columns = Columns(table.c.path, table.c.kind, table.c.state, **names)
    site = pl.open_demo()
    with create_engine("sqlite://", poolclass=NullPool).begin() as connection:
        table.create(connection)
        row = {"path": "/news/fog", "kind": "page", "state": "draft", name: cell}
        connection.execute(table.insert(), row)
        source = ContentTable(connection, columns, title=column if name == "title" else None)
        if said:
            with pytest.raises(pl.BadValue, match=said):
                site.content.put(source.rows())
        else:
            site.content.put(source.rows())
    assert site.data.items.get("/news/fog") == (
        None if said else pl.Item("/news/fog", "page", state="draft")
    )


def test_a_time_without_a_zone_in_a_table_is_in_utc_wherever_the_site_is():
    at = Column("public_from", DateTime)
    table = Table("pages", MetaData(), *(Column(e, Text) for e in ("path", "kind", "state")), at)
    site = pl.Site(pl.open_demo().data.with_parts(timezone="Etc/GMT-2"))
    with create_engine("sqlite://", poolclass=NullPool).begin() as connection:
        table.create(connection)
        row = {"path": "/news/fog", "kind": "page", "state": "scheduled"}
        connection.execute(table.insert(), {**row, "public_from": datetime(2030, 1, 1)})
        site.content.put(ContentTable(connection, Columns(*table.c[:3], public_from=at)).rows())
    assert site.data.items["/news/fog"].public_from == datetime(2030, 1, 1, tzinfo=UTC)


def test_both_are_made_or_neither(tmp_path):
    address = f"sqlite:///{tmp_path}/both.db"
    from conftest import put

    site = pl.open_site(put(pl.open_demo().data, address))
    engine = create_engine(address, poolclass=NullPool)
    _both_or_neither(site, engine, pl.open_site(address))


def test_both_are_made_or_neither_in_postgresql(postgresql):
    from conftest import put

    address = put(pl.open_demo().data, postgresql())
    _both_or_neither(
        pl.open_site(address), create_engine(address, poolclass=NullPool), pl.open_site(address)
    )


def _both_or_neither(site, engine, other):
    with engine.begin() as connection:
        connection.execute(text("CREATE TABLE pages (path text)"))
    row = {"path": "/news/fog", "kind": "page", "state": "published"}
    with engine.connect() as connection, connection.begin() as begun:
        connection.execute(text("INSERT INTO pages VALUES ('/news/fog')"))
        assert site.content.put(row, connection=connection).version == 1
        begun.rollback()
    assert other.catch_up() == 0 and site.version == 0
    with engine.begin() as connection:
        connection.execute(text("INSERT INTO pages VALUES ('/news/fog')"))
        taken = site.content.put(row, connection=connection)
        assert site.version == 0
    site.fresh_to(taken.version)
    assert site.allows(None, "read", "/news/fog")
    with engine.begin() as connection:
        site.change(by="hana.okafor").suspend("sam.whitlock").make(connection=connection)
        assert site.data.users["sam.whitlock"].status == "active"
    other.fresh_to(2)
    assert other.data.users["sam.whitlock"].status == "suspended"
    with engine.connect() as connection:
        assert connection.execute(text("SELECT count(*) FROM pages")).scalar() == 1


def test_a_connection_to_another_database_is_refused(where, tmp_path):
    site = pl.open_site(where)
    with (
        create_engine(f"sqlite:///{tmp_path}/other.db", poolclass=NullPool).connect() as connection,
        pytest.raises(pl.BadChange, match="not in the database of this connection"),
    ):
        site.content.put({"path": "/x", "kind": "page"}, connection=connection)


def test_after_thousands_came_in_one_row_is_one_row(tmp_path):
    """So many objects go into the columns; what is there, and what differs, is told as before."""
    site = pl.put_site(pl.open_demo().data, f"sqlite:///{tmp_path}/site.db")
    rows = [{"path": f"/log/p{n}", "kind": "page", "title": f"P {n}"} for n in range(2_500)]
    assert site.content.put(rows).new == 2_500
    assert len(site.data.content.changed) < 100
    before = site.data
    for path, title in (("/log/p7", "Seven"), ("/visit", "Come")):
        assert site.content.put({"path": path, "title": title}).changed == 1
    assert site.content.remove("/log/p8").gone == 1
    moved = site.data.content.moved_since(before.content)
    names = site.data.content.names
    assert {names[row] for row in moved.changed} == {"/log/p7", "/visit"}
    assert [before.content.names[row] for row in moved.gone] == ["/log/p8"]
    again = pl.open_site(f"sqlite:///{tmp_path}/site.db")
    assert again.data == site.data and again.items_for(None) == site.items_for(None)
    assert site.data.items["/log/p7"].title == "Seven"
    assert str(site.data.items["/log/p9"].origin) == "change 1"


@pytest.mark.parametrize(
    ("row", "said"),
    [
        ({"path": "/a", "kind": "link", "links_to": "/"}, "'/a/b' stands below the link /a; nothing can."),
        ({"path": "/a", "kind": "panel"}, "'/a/b' stands below the part /a, where only parts can be."),
    ],
)  # fmt: skip
def test_what_has_nothing_below_is_not_put_above_what_is_there(make_site, row, said):
    site = make_site(
        content="/,page,Home,mo,,,,,,,\n/a/b,page,B,mo,,,,,,,\n/a/b/c,page,C,mo,,,,,,,\n"
    )
    with pytest.raises(pl.BadSite) as error:
        site.content.put(row)
    assert said in str(error.value)
    assert said.replace("/a/b", "/a/b/c") in str(error.value)
    assert "/a" not in site.data.items
    assert site.content.put({"path": "/a", "kind": "page"}).new == 1
