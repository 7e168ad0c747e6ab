"""Feeds, sitemaps and directories come in, and what the site says goes out by the open standards."""

from __future__ import annotations

import gzip
import json
import os
from concurrent.futures import ThreadPoolExecutor
from contextlib import suppress
from datetime import UTC, datetime

import defusedxml.ElementTree as Xml
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from conftest import run
from prim_lantern.decide.engine import Engine
from prim_lantern.formats.incoming.content import content_rows
from prim_lantern.formats.incoming.files import read_incoming
from prim_lantern.formats.incoming.people import people_rows
from prim_lantern.formats.outgoing.addresses import address, base_of
from prim_lantern.formats.outgoing.atom import as_atom
from prim_lantern.formats.outgoing.sitemap import MOST, as_sitemaps
from prim_lantern.formats.whole import write_whole, written_whole
from prim_lantern.site.moments import moment
from sites import sites

NOON = moment("2027-05-10T12:00:00Z")
HANA = ("--by", "hana.okafor", "--yes")
BASE = "https://trust.example"
MAP = b"""<?xml version="1.0"?>
<urlset xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
 <url><loc>https://old.example/visit/parking/</loc><lastmod>2027-01-01</lastmod></url>
 <url><loc>https://old.example/visit/caf%C3%A9?page=2</loc></url>
</urlset>"""
INDEX = b"""<sitemapindex xmlns="http://www.sitemaps.org/schemas/sitemap/0.9">
 <sitemap><loc>https://old.example/a.xml</loc></sitemap>
 <sitemap><loc>https://old.example/maps/b.xml.gz</loc></sitemap>
</sitemapindex>"""
ATOM = """<feed xmlns="http://www.w3.org/2005/Atom" xmlns:app="http://www.w3.org/2007/app">
<title>Old log</title><id>urn:x:1</id><updated>2027-05-01T00:00:00Z</updated>
<entry><title>Gulls &amp; terns</title><id>tag:old.example,2027:1</id>
 <link rel="self" href="https://old.example/feed/1"/><link href="https://old.example/log/gulls-2"/>
 <published>2027-04-01T08:00:00+02:00</published>
 <author><name>Sam Whitlock</name></author><author><email>dag@oxlip.example</email></author>
 <category term="wildlife"/></entry>
<entry><title>Not yet</title><link href="https://old.example/log/not-yet"/>
 <published>2027-04-01T08:00:00Z</published>
 <app:control><app:draft>yes</app:draft></app:control></entry>
</feed>"""
RSS = """<rss version="2.0" xmlns:dc="http://purl.org/dc/elements/1.1/"><channel><title>x</title>
<item><title>A day out</title><link>https://old.example/news/day-out</link>
 <dc:creator>Anneke Sorley</dc:creator><pubDate>Tue, 04 May 2027 09:00:00 +0200</pubDate>
 <category>Press</category></item>
<item><title>By mail</title><guid>https://old.example/news/mail</guid>
 <author>anneke@post.example (Anneke Sorley)</author></item>
</channel></rss>"""
SCIM = {
    "schemas": ["urn:ietf:params:scim:api:messages:2.0:ListResponse"],
    "Resources": [
        {"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "id": "1", "userName": "pim.ostler",
         "name": {"givenName": "Pim", "familyName": "Ostler"}, "groups": [{"display": "Volunteers"}],
         "emails": [{"value": "old@post.example"}, {"value": "pim@post.example", "primary": True}]},
        {"schemas": ["urn:ietf:params:scim:schemas:core:2.0:User"], "id": "2", "userName": "rita.moss",
         "displayName": "Rita Moss", "active": False},
        {"schemas": ["urn:ietf:params:scim:schemas:core:2.0:Group"], "displayName": "Friends",
         "members": [{"value": "1"}, {"value": "rita.moss"}]},
    ],
}  # fmt: skip
LDIF = """version: 1
# people
dn: uid=pim.ostler,ou=people,dc=old,dc=example
objectClass: inetOrgPerson
uid: pim.ostler
cn:: UGltIMOTc3RsZXI=
mail: pim@post.example

dn: cn=Friends,ou=groups,dc=old,dc=example
objectClass: groupOfNames
cn: Friends
member: uid=pim.ostler,ou=people,
 dc=old,dc=example

dn: cn=desk,ou=groups,dc=old,dc=example
cn: Ticket desk
memberUid: pim.ostler
"""
CARDS = """BEGIN:VCARD
VERSION:4.0
UID:urn:uuid:1
FN:Pim\\, Ostler
EMAIL:pim@post.example
CATEGORIES:friends,volunteers
END:VCARD
BEGIN:VCARD
VERSION:4.0
KIND:group
FN:Ticket desk
MEMBER:urn:uuid:1
END:VCARD
"""


def rows(text, name="file"):
    raw = text if isinstance(text, bytes) else text.encode()
    return read_incoming(raw, name)


@pytest.mark.parametrize(
    ("text", "header", "cells"),
    [
        (MAP, ["path"], [["https://old.example/visit/parking/"], ["https://old.example/visit/caf%C3%A9?page=2"]]),
        (gzip.compress(MAP), ["path"], [["https://old.example/visit/parking/"], ["https://old.example/visit/caf%C3%A9?page=2"]]),
        (ATOM, ["path", "title", "authors", "categories", "state", "public_from"], [
            ["https://old.example/log/gulls-2", "Gulls & terns", "Sam Whitlock; dag@oxlip.example", "wildlife", "", "2027-04-01T08:00:00+02:00"],
            ["https://old.example/log/not-yet", "Not yet", "", "", "draft", ""]]),
        (RSS, ["path", "title", "authors", "categories", "public_from"], [
            ["https://old.example/news/day-out", "A day out", "Anneke Sorley", "Press", "2027-05-04T07:00:00Z"],
            ["https://old.example/news/mail", "By mail", "anneke@post.example", "", ""]]),
        (json.dumps(SCIM), ["login", "name", "email", "status", "groups"], [
            ["pim.ostler", "Pim Ostler", "pim@post.example", "active", "Volunteers; Friends"],
            ["rita.moss", "Rita Moss", "", "suspended", "Friends"]]),
        (json.dumps(SCIM["Resources"][0]), ["login", "name", "email", "status", "groups"], [
            ["pim.ostler", "Pim Ostler", "pim@post.example", "active", "Volunteers"]]),
        (LDIF, ["login", "name", "email", "groups"], [["pim.ostler", "Pim Óstler", "pim@post.example", "Friends; Ticket desk"]]),
        ("# made by hand\n" + LDIF,
            ["login", "name", "email", "groups"],
            [["pim.ostler", "Pim Óstler", "pim@post.example", "Friends; Ticket desk"]]),
        (LDIF.replace("\n", "\r\n"), ["login", "name", "email", "groups"], [["pim.ostler", "Pim Óstler", "pim@post.example", "Friends; Ticket desk"]]),
        (CARDS, ["name", "email", "groups"], [["Pim, Ostler", "pim@post.example", "friends; volunteers; Ticket desk"]]),
        ('[{"path": "/a", "authors": ["x", "y"]}, {"path": "/b", "title": null}]', ["path", "authors", "title"], [["/a", "x; y", ""], ["/b", "", ""]]),
    ],
)  # fmt: skip
def test_each_form_is_seen_by_how_it_begins(text, header, cells):
    found = rows(text)
    assert found.header == header
    assert [row for _, row in found.rows] == cells


def test_somebody_with_just_an_address_and_a_thing_that_is_nobody():
    """Of a directory only those come in who have a login or an address."""
    found = rows(
        "dn: cn=Ada,dc=x\ncn: Ada\nmail: ada@post.example\n\ndn: cn=printer,dc=x\ncn: printer\n"
    )
    assert [row for _, row in found.rows] == [["", "Ada", "ada@post.example", ""]]


def test_an_index_takes_the_sitemaps_beside_it_and_misses_none(tmp_path):
    (tmp_path / "a.xml").write_bytes(MAP)
    (tmp_path / "b.xml.gz").write_bytes(gzip.compress(MAP.replace(b"parking", b"ferry")))
    found = read_incoming(INDEX, "index.xml", tmp_path)
    assert [row[0].rpartition("/visit/")[2] for _, row in found.rows] == [
        "parking/",
        "caf%C3%A9?page=2",
        "ferry/",
        "caf%C3%A9?page=2",
    ]
    (tmp_path / "a.xml").unlink()
    with pytest.raises(
        pl.BadSite, match=r"index.xml, line 2: 'https://old.example/a.xml' is not beside the index"
    ):
        read_incoming(INDEX, "index.xml", tmp_path)


@pytest.mark.parametrize(
    ("text", "told"),
    [
        ('<!DOCTYPE x [<!ENTITY a "aaa"><!ENTITY b "&a;&a;">]><rss><item><title>&b;</title></item></rss>', "declares a document type"),
        ('<!DOCTYPE x SYSTEM "file:///etc/passwd"><rss/>', "declares a document type"),
        ("<rss><item></rss>", "line 1: 'file' is no proper XML: mismatched tag"),
        ("<html><body/></html>", "'html' is XML of another sort"),
        ("<rss>" + "<item>" * 100 + "</item>" * 100 + "</rss>", "nested too deeply"),
        ("<urlset><url><loc>/visit</loc></url></urlset>", "line 1, loc: '/visit' is no address"),
        ('{"a": 1}', "is JSON of another sort"),
        ('[{"a": 1,]', "line 1: 'file' is no proper JSON"),
        ("[" * 100_000, "is no proper JSON"),
        ('{"Resources": [3]}', "entry 1: 3 is no resource"),
        ("dn: uid=a,dc=x\nchangetype: delete\n", "changes something"),
        ("dn: uid=a,dc=x\nuid\n", "is no proper LDIF"),
        ("dn: nonsense\nuid: a\n", "is no proper LDIF"),
        ("BEGIN:VCARD\nVERSION:4.0\nFN:Pim\n", "is no proper vCard"),
        (b"\x1f\x8bnonsense", "is packed with gzip, but broken"),
    ],
    ids=range(15),
)  # fmt: skip
def test_what_is_broken_or_hostile_is_refused(text, told):
    with pytest.raises(pl.BadSite) as caught:
        rows(text)
    assert told in str(caught.value)


PLAIN = st.none() | st.booleans() | st.integers() | st.text(max_size=5)
NAMES = st.sampled_from(
    [
        "schemas",
        "Resources",
        "userName",
        "name",
        "emails",
        "members",
        "groups",
        "displayName",
        "value",
        "active",
        "path",
    ]
)
ANYTHING = st.recursive(
    PLAIN, lambda x: st.lists(x, max_size=4) | st.dictionaries(NAMES, x, max_size=5), max_leaves=20
)


@given(ANYTHING)
def test_any_json_is_read_or_refused_in_our_words(found):
    with suppress(pl.BadSite):
        table = rows(
            json.dumps([found]) if not isinstance(found, dict | list) else json.dumps(found)
        )
        assert all(
            len(cells) == len(table.header) and all(isinstance(e, str) for e in cells)
            for _, cells in table.rows
        )


@pytest.mark.parametrize(
    ("text", "says"),
    [
        ('[{"login": NaN}]', "line 1: .*NaN is no number of JSON"),
        ('[{"login": -Infinity}]', "-Infinity is no number of JSON"),
        ("[" * 100_000, "it is nested too deep"),
        (r'[{"login": "a\ud83d"}]', "it has half a letter"),
        (r'[{"login": "a\uDE00"}]', "it has half a letter"),
        (f'[{{"login": {"9" * 6_000}}}]', "a number is too long"),
        ("[\n] []", "line 2: .*Extra data"),
        (b'[\n{"login": "\xff"}]', "line 2: .*it is not UTF-8"),
    ],
)
def test_what_is_no_json_is_told_with_its_line(text, says):
    with pytest.raises(pl.BadSite, match=says):
        rows(text)


@given(st.sampled_from([ATOM, RSS, LDIF, CARDS, MAP.decode(), INDEX.decode()]), st.data())
def test_a_file_cut_or_spoilt_anywhere_is_read_or_refused(text, data):
    at = data.draw(st.integers(0, len(text)))
    more = data.draw(st.sampled_from(["", "<", "&x;", "\x00", "\n ", ":", "\ud7ff", "BEGIN:VCARD"]))
    with suppress(pl.BadSite):
        rows(text[:at] + more + text[at + data.draw(st.integers(0, 9)) :])


def test_a_file_that_grows_without_end_is_not_unpacked(monkeypatch):
    monkeypatch.setattr("prim_lantern.formats.incoming.packed._MOST", 1_000)
    with pytest.raises(pl.BadSite, match="more than 500 MB"):
        rows(gzip.compress(b"a" * 2_000))


def test_mistakes_name_the_entry(demo):
    table = rows(json.dumps([{"path": "/x", "kind": "page", "authors": ["nobody.here"]}]))
    with pytest.raises(pl.BadSite, match=r"file, entry 1, authors: 'nobody.here' is no person"):
        content_rows(table, demo.data)


def test_a_feed_comes_in_drafts_as_drafts_and_the_second_time_nothing_changes(
    demo_folder, tmp_path
):
    file = tmp_path / "log.atom"
    file.write_text(ATOM, encoding="utf-8")
    command = ("import", "content", str(file), "--kind", "post", "--state", "published", *HANA)
    first = run(*command, site=demo_folder)
    assert "2 rows: 2 new, 0 changed, 0 as they are already." in first.stdout, first
    items = pl.open_site(demo_folder).data.items
    assert (items["/log/gulls-2"].state, items["/log/not-yet"].state) == ("published", "draft")
    assert items["/log/gulls-2"].authors == ("sam.whitlock", "dag.hollis")
    assert items["/log/gulls-2"].categories == ("topic:wildlife",)
    assert items["/log/gulls-2"].public_from == datetime(2027, 4, 1, 6, tzinfo=UTC)
    again = run("import", "content", str(file), "--kind", "post", *HANA, site=demo_folder)
    assert "2 rows: 0 new, 0 changed, 2 as they are already." in again.stdout, again
    assert pl.open_site(demo_folder).data.items["/log/gulls-2"].state == "published"


def test_what_is_gone_is_told_and_kept_until_confirmed(demo_folder, tmp_path):
    file = tmp_path / "pages.csv"
    command = ("import", "content", str(file), "--kind", "page", *HANA)
    file.write_text("path,title\n/visit/a,A\n/visit/a/b,B\n/visit/c,C\n", encoding="utf-8")
    assert run(*command, site=demo_folder).returncode == 0
    file.write_text("path,title\n/visit/c,C\n", encoding="utf-8")
    told = run(*command, site=demo_folder)
    assert (
        "2 not in the file any more: /visit/a, /visit/a/b. Kept; --drop-gone takes them away."
        in told.stdout
    )
    assert "All of it is so already" in told.stdout
    other = run(*command, "--source", "elsewhere", site=demo_folder)
    assert "not in the file" not in other.stdout
    assert "/visit/a" in pl.open_site(demo_folder).data.items
    dropped = run(*command, "--drop-gone", site=demo_folder)
    assert dropped.returncode == 0, dropped
    items = pl.open_site(demo_folder).data.items
    assert "/visit/a" not in items
    assert "/visit/a/b" not in items
    assert "/visit/c" in items
    assert run("undo", "2", *HANA, site=demo_folder).returncode == 0
    assert "/visit/a/b" in pl.open_site(demo_folder).data.items
    assert "/visit/prices" in items, "what no such file brought stays"


def test_what_was_there_before_and_what_others_put_below_is_never_taken_for_gone(
    demo_folder, tmp_path
):
    """A file that only named a page did not bring it; a page that it brought may carry others."""
    file = tmp_path / "pages.csv"
    command = ("import", "content", str(file), "--kind", "page", *HANA)
    file.write_text("path,title\n/visit,Visit!\n/visit/a,A\n/visit/b,B\n", encoding="utf-8")
    assert run(*command, site=demo_folder).returncode == 0
    with pl.open_site(demo_folder).change(by="hana.okafor") as change:
        change.add_item("/visit/a/mine", "page")
    file.write_text("path,title\n/visit/c,C\n", encoding="utf-8")
    told = " ".join(run(*command, "--drop-gone", site=demo_folder).stdout.split())
    assert "1 not in the file any more: /visit/b." in told
    assert "1 not in the file any more, and kept in any case, as something stands below" in told
    items = pl.open_site(demo_folder).data.items
    assert {"/visit", "/visit/prices", "/visit/a", "/visit/a/mine", "/visit/c"} <= {*items}
    assert "/visit/b" not in items


def test_people_who_are_gone_are_suspended_and_leave_what_the_file_said(demo_folder, tmp_path):
    file = tmp_path / "people.csv"
    command = ("import", "people", str(file), *HANA)
    file.write_text(
        "login,groups\npim,friends;volunteers\nrita,friends\nsam.whitlock,volunteers\nhana.okafor,\n"
    )
    assert run(*command, site=demo_folder).returncode == 0
    file.write_text("login,groups\npim,friends\n")
    told = run(*command, site=demo_folder).stdout
    assert "1 not in the file any more: rita. Kept" in told, "sam was there before"
    assert "1 membership not in the file any more: pim in volunteers. Kept" in told
    assert run(*command, "--drop-gone", site=demo_folder).returncode == 0
    users = pl.open_site(demo_folder).data.users
    assert [users[e].status for e in ("pim", "rita", "sam.whitlock", "hana.okafor")] == [
        "active",
        "suspended",
        "active",
        "active",
    ]
    assert [each.group for each in users["pim"].memberships] == ["friends"]
    assert "not in the file" not in run(*command, site=demo_folder).stdout


# Going out ---------------------------------------------------------------------------------------


@settings(max_examples=40)
@given(site=sites())
def test_content_that_goes_out_comes_in_as_it_was(site):
    for form in ("csv", "json"):
        text = pl.Site(site).export("content", form, NOON)
        found = content_rows(rows(text), site)
        assert "0 new, 0 changed" in found.notes[-1], found.notes


def test_people_that_go_out_come_in_as_they_were(demo):
    for form in ("csv", "json"):
        found = people_rows(rows(demo.export("people", form, "2027-05-10")), demo.data)
        assert "41 rows: 0 new, 0 changed" in found.notes[-1]
    with pytest.raises(pl.BadQuestion):
        demo.export("content", "scim")


def test_scim_has_what_the_standard_asks_for(demo):
    found = json.loads(demo.export("people", "scim", "2027-05-10"))
    assert found["schemas"] == ["urn:ietf:params:scim:api:messages:2.0:ListResponse"]
    assert found["totalResults"] == len(found["Resources"])
    users = {e["id"]: e for e in found["Resources"] if e["meta"]["resourceType"] == "User"}
    groups = {e["id"]: e for e in found["Resources"] if e["meta"]["resourceType"] == "Group"}
    assert all(each["userName"] and each["schemas"] for each in users.values())
    assert not users["theo.marsh"]["active"]
    assert {e["value"] for e in users["leif.aronsen"]["groups"]} == {
        "keepers",
        "keepers-fennick",
        "log-approvers",
    }
    assert {e["value"] for e in groups["newsroom"]["members"]} == {"anneke.sorley"}
    again = rows(json.dumps(found))
    assert [row[0] for _, row in again.rows] == [*users]
    # what a directory knows people and groups by goes out, and comes in
    with_ids = demo.change(by="hana.okafor").change_group("friends", external_id="G-1")
    with_ids.change_user("kit.farrow", attributes={"external_id": "17"}).make()
    found = json.loads(demo.export("people", "scim", "2027-05-10"))["Resources"]
    known = {each["id"]: each["externalId"] for each in found if "externalId" in each}
    assert known == {"kit.farrow": "17", "friends": "G-1"}
    again = rows(json.dumps(found))
    assert again.header[-1] == "external_id"
    assert {row[0]: row[-1] for _, row in again.rows if row[-1]} == {"kit.farrow": "17"}


@settings(max_examples=30)
@given(site=sites())
def test_the_sitemap_has_just_what_guests_may_read(site):
    engine = Engine(site, NOON)
    (text,) = as_sitemaps(engine, BASE, "sitemap.xml").values()
    found = {each.text for each in Xml.fromstring(text).findall(".//{*}loc")}
    skip = {kind.name for kind in site.all_kinds.values() if kind.part or kind.link}
    asked = {
        p
        for p, item in site.items.items()
        if item.kind not in skip and engine.allows(None, "read", p)
    }
    assert found == {address(BASE, path) for path in asked}


def test_over_fifty_thousand_pages_are_several_sitemaps_and_an_index(demo, monkeypatch):
    assert MOST == 50_000
    monkeypatch.setattr("prim_lantern.formats.outgoing.sitemap.MOST", 20)
    maps = demo.sitemaps(f"{BASE}/", "map.xml", at="2027-05-10")
    assert [*maps] == ["map.xml", "map-1.xml", "map-2.xml", "map-3.xml"]
    assert [e.text for e in Xml.fromstring(maps["map.xml"]).findall(".//{*}loc")] == [
        f"{BASE}/map-{n}.xml" for n in (1, 2, 3)
    ]
    assert [maps[name].count("<loc>") for name in maps] == [3, 20, 20, 6]


@settings(max_examples=30)
@given(site=sites(), data=st.data())
def test_a_feed_has_just_what_they_may_read_and_all_that_atom_asks_for(site, data):
    login = data.draw(st.sampled_from([None, *site.users]))
    engine = Engine(site, NOON)
    feed = Xml.fromstring(as_atom(engine, login, BASE, {}, 1_000))
    space = {"a": "http://www.w3.org/2005/Atom", "app": "http://www.w3.org/2007/app"}
    for each in (feed, *feed.findall("a:entry", space)):
        assert [len(each.findall(f"a:{name}", space)) for name in ("id", "title", "updated")] == [
            1,
            1,
            1,
        ]
        assert datetime.fromisoformat(each.findtext("a:updated", "", space)).tzinfo is not None
    entries = {e.findtext("a:id", "", space): e for e in feed.findall("a:entry", space)}
    assert all(each.find("a:author/a:name", space) is not None for each in entries.values())
    skip = {kind.name for kind in site.all_kinds.values() if kind.part or kind.link}
    may = {
        p: i
        for p, i in site.items.items()
        if i.kind not in skip and engine.allows(login, "read", p)
    }
    assert {*entries} == {address(BASE, path) for path in may}
    for path, item in may.items():
        draft = entries[address(BASE, path)].findtext("app:control/app:draft", None, space)
        assert (draft == "yes") == (item.state not in ("published", "scheduled"))


@pytest.mark.parametrize(
    "text", ["trust.example", "ftp://x.example", "https://x.example?a=1", "https://", "/x"]
)
def test_an_address_that_is_none_is_refused(text):
    with pytest.raises(pl.BadValue, match="is no address of a site"):
        base_of(text)


def test_the_commands_write_files_and_overwrite_none(demo_folder, tmp_path):
    for command in (
        ("content", "c.csv"), ("content", "c.json"), ("people", "p.csv"), ("people", "p.json", "--scim"),
        ("sitemap", "s.xml", "--base", BASE), ("feed", "f.atom", "--base", BASE, "--for", "group:friends"),
    ):  # fmt: skip
        what, name, *more = command
        file = tmp_path / name
        assert run("export", what, str(file), *more, site=demo_folder).returncode == 0
        assert file.stat().st_size > 500
        taken = run("export", what, str(file), *more, site=demo_folder)
        assert taken.returncode == 2
        assert "already there" in " ".join(taken.stderr.split())
        assert (
            run("export", what, str(file), *more, "--overwrite", site=demo_folder).returncode == 0
        )
    assert "friends/newsletter" in (tmp_path / "f.atom").read_text(encoding="utf-8")
    assert (
        "friends/newsletter"
        not in run("export", "feed", "-", "--base", BASE, site=demo_folder).stdout
    )
    wrong = run("export", "content", str(tmp_path / "c.xlsx"), site=demo_folder)
    assert "says no form" in " ".join(wrong.stderr.split())


def test_two_who_write_the_same_file_at_once_do_not_mix(tmp_path):
    file = tmp_path / "people.csv"

    def write(beside):
        with beside.open("w") as opened:
            opened.write("first, ")
            opened.flush()
            with ThreadPoolExecutor(1) as pool:
                pool.submit(write_whole, file, "the other").result()
            assert file.read_text() == "the other"
            opened.write("whole")

    written_whole(file, write)
    assert file.read_text() == "first, whole"
    assert [each.name for each in tmp_path.iterdir()] == ["people.csv"]


def test_a_file_is_written_whole_where_it_can_be(tmp_path):
    """A link goes on leading to what is written; what comes after a pipe gets it as it is."""
    file, link, pipe = (tmp_path / name for name in ("people.csv", "link.csv", "pipe"))
    file.write_text("old", encoding="utf-8")
    link.symlink_to(file)
    write_whole(link, "new")
    assert (link.is_symlink(), file.read_text(encoding="utf-8")) == (True, "new")
    os.mkfifo(pipe)
    with ThreadPoolExecutor() as beside:
        got = beside.submit(pipe.read_text, encoding="utf-8")
        write_whole(pipe, "through")
        assert got.result(timeout=10) == "through"
    assert pipe.is_fifo()
    with pytest.raises(pl.BadValue, match="there is no folder"):
        write_whole(tmp_path / "none" / "people.csv", "new")
    assert {each.name for each in tmp_path.iterdir()} == {"people.csv", "link.csv", "pipe"}
