"""Each operation on the demo site: what is true afterwards, who may make it, what is refused."""

from __future__ import annotations

import re
from dataclasses import replace

import pytest

import prim_lantern as pl
from conftest import run
from prim_lantern.change.operations import OPERATIONS
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.mail import FileMailer, Invitation, invitation_mail
from prim_lantern.site.moments import moment
from prim_lantern.site.rule_names import rule_names

NOW = "2027-05-10"
HANA, INES = "hana.okafor", "ines.varga"  # the owner; all access on the whole site
POST_ROW = pl.Capability(("post",), ("delete",))


@pytest.fixture(autouse=True)
def clock(monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOW)


@pytest.fixture
def site():
    return pl.open_demo()


# An operation, and what is asked before it (False or as it was) and after it (True).
DONE = [
    ({"do": "add-role", "name": "helper", "includes": "commenter", "capabilities": [{"can": ["edit"]}]}, lambda s: "helper" in s.data.roles),
    ({"do": "copy-role", "name": "field-writer", "to": "cub"}, lambda s: "cub" in s.data.roles and s.data.roles["cub"].label == "Field writer (copy)"),
    ({"do": "change-role", "name": "field-writer", "add": [{"kinds": ["post"], "can": ["delete"]}]}, lambda s: s.may("sam.whitlock", "delete", "/log/terns")),
    ({"do": "change-role", "name": "station-keeper", "drop": ["publish"], "drop_kinds": ["file"]}, lambda s: ("page", "panel") in [r.kinds for r in s.data.roles["station-keeper"].capabilities]),
    ({"do": "remove-role", "name": "event-desk"}, lambda s: not any("event-desk" in str(w) for r in s.data.rules for w in r.to)),
    ({"do": "add-user", "login": "mo.tarn", "groups": ["friends"]}, lambda s: "mo.tarn" in s.data.users and "mo.tarn" in s.members("friends")),
    ({"do": "invite", "login": "mo.tarn", "token_hash": "sha256:0", "until": "2027-06-01"}, lambda s: "mo.tarn" in s.data.users and s.data.users["mo.tarn"].status == "invited"),
    ({"do": "accept-finding", "finding": "over-b817fc", "because": "Kept as a record", "until": "2028-01-01"}, lambda s: s.data.accepted[0].finding == "over-b817fc"),
    ({"do": "cancel-invitation", "login": "levin.holt"}, lambda s: "levin.holt" not in s.data.users),
    ({"do": "change-user", "login": "dag.hollis", "attributes": {"position": "keeper", "station": "Tansy"}}, lambda s: "dag.hollis" in s.members("keepers-tansy")),
    ({"do": "suspend", "login": "leif.aronsen"}, lambda s: not s.may("leif.aronsen", "edit", "/stations/fennick")),
    ({"do": "bring-back", "login": "theo.marsh"}, lambda s: "theo.marsh" in s.members("volunteers")),
    ({"do": "import-people", "rows": [{"login": "mo.tarn", "groups": ["friends"]}]}, lambda s: "mo.tarn" in s.members("friends")),
    ({"do": "release-user", "login": "mirela.kos", "hand_to": "sam.whitlock"}, lambda s: s.data.items["/visit/prices"].authors == ("sam.whitlock",)),
    ({"do": "add-promise", "who": "guests", "actions": ["edit"]}, lambda s: s.data.promises[-1].actions == ("edit",)),
    ({"do": "remove-promise", "who": "guests", "actions": ["comment"]}, lambda s: len(s.data.promises) == 4),
    ({"do": "remove-user", "login": "gwen.tarrow"}, lambda s: "gwen.tarrow" not in s.data.users),
    ({"do": "remove-user", "login": "mirela.kos"}, lambda s: s.data.items["/visit/prices"].authors == ()),
    ({"do": "set-timezone", "name": "Europe/Oslo"}, lambda s: s.may(None, "read", "/log/anniversary", at="2027-06-01T04:00Z")),
    ({"do": "hand-over", "to": "ruth.adeyemi"}, lambda s: s.may("ruth.adeyemi", "read", "/trustees/minutes")),
    ({"do": "add-group", "name": "night", "counts_in": ["staff"]}, lambda s: "night" in s.data.groups),
    ({"do": "change-group", "name": "friends", "external_id": "G 17"}, lambda s: s.data.groups["friends"].external_id == "G 17"),
    ({"do": "change-group", "name": "friends", "count_in": ["patrons"]}, lambda s: s.may("kit.farrow", "read", "/patrons/webcam")),
    ({"do": "rename-group", "name": "friends", "to": "companions"}, lambda s: "companions" in s.data.groups and "kit.farrow" in s.members("companions")),
    ({"do": "remove-group", "name": "ticket-desk"}, lambda s: not s.may("lena.osgood", "sell", "/back-office/shop")),
    ({"do": "add-members", "group": "trustees", "logins": ["gwen.tarrow"], "until": "2028-01-01"}, lambda s: s.may("gwen.tarrow", "read", "/trustees/minutes")),
    ({"do": "remove-members", "group": "volunteers", "logins": ["sam.whitlock", "carys.venn"]}, lambda s: not s.may("sam.whitlock", "edit", "/log/seal-count")),
    ({"do": "set-stewards", "group": "friends", "add": ["user:ruth.adeyemi"]}, lambda s: len(s.data.groups["friends"].stewards) == 1),
    ({"do": "set-condition", "group": "relief-keepers", "rows": ["position is relief keeper"]}, lambda s: "dag.hollis" in s.members("keepers")),
    ({"do": "map-group", "group": "staff", "add": ["Directory:Teacher"]}, lambda s: "farah.lindqvist" in s.members("staff")),
    ({"do": "add-plan", "name": "month", "groups": ["friends"], "lasts": "1 month"}, lambda s: "month" in s.data.plans),
    ({"do": "change-plan", "name": "patron", "lasts": "3 years"}, lambda s: "wendel.achter" in s.members("patrons")),
    ({"do": "remove-plan", "name": "patron"}, lambda s: "greta.oyelaran" not in s.members("patrons")),
    ({"do": "enrol", "plan": "patron", "logins": ["kit.farrow"]}, lambda s: s.may("kit.farrow", "read", "/patrons/webcam")),
    ({"do": "end-enrolment", "plan": "patron", "logins": ["viktor.haim"]}, lambda s: not s.may("viktor.haim", "read", "/patrons/webcam")),
    ({"do": "renew-enrolment", "plan": "patron", "logins": ["wendel.achter"]}, lambda s: s.may("wendel.achter", "read", "/patrons/webcam")),
    ({"do": "rename-user", "login": "Sam.Whitlock", "to": "sammy"}, lambda s: s.may("sammy", "edit", "/log/seal-count") and "sammy" in s.members("volunteers") and "sam.whitlock" not in repr((s.data.groups, s.data.rules, [*s.data.content.values_of("authors")]))),
    ({"do": "rename-user", "login": "mirela.kos", "to": "Mirela.Kos"}, lambda s: s.data.rules[6].to[0].name == "Mirela.Kos"),
    ({"do": "rename-user", "login": "beatrix.lowe", "to": "bea"}, lambda s: s.may_manage("bea", "manage-rights", "/trustees") and not s.data.readerships["trustees"].but_not),
    ({"do": "change-user", "login": "sam.whitlock", "account": False}, lambda s: not s.may("sam.whitlock", "comment", "/log") and s.data.users["sam.whitlock"].status == "byline"),
    ({"do": "change-user", "login": "tilda.rask", "account": False}, lambda s: s.data.users["tilda.rask"].status == "byline"),
    ({"do": "change-user", "login": "elowen.pryce", "account": True}, lambda s: s.may("elowen.pryce", "comment", "/log") and s.data.users["elowen.pryce"].joined is not None),
    ({"do": "change-role", "name": "field-writer", "add": [{"kinds": ["post"], "own": ["edit"]}], "instead": True}, lambda s: s.may("sam.whitlock", "edit", "/log/seal-count") and not s.may("sam.whitlock", "submit", "/log/seal-count") and len(s.data.roles["field-writer"].capabilities) == 1),
    ({"do": "add-readership", "name": "desk", "readers": ["group:office", "authors"], "but_not": ["user:lena.osgood"]}, lambda s: "desk" in s.data.readerships),
    ({"do": "change-readership", "name": "patrons", "add": ["group:friends"]}, lambda s: s.may("kit.farrow", "read", "/patrons/webcam")),
    ({"do": "remove-readership", "name": "grown-keepers"}, lambda s: "grown-keepers" not in s.data.readerships),
    ({"do": "set-readership", "where": "/log", "readership": "friends"}, lambda s: not s.may(None, "read", "/log")),
    ({"do": "set-readership", "where": "/patrons/webcam", "readership": "public", "alone": True}, lambda s: s.may(None, "read", "/patrons/webcam")),
    ({"do": "set-readership", "where": "site", "readership": "signed-in"}, lambda s: not s.may(None, "read", "/visit")),
    ({"do": "clear-readership", "where": "/patrons"}, lambda s: s.may(None, "read", "/patrons/webcam")),
    ({"do": "clear-readership", "where": "/sign-in"}, lambda s: s.may("kit.farrow", "read", "/sign-in")),
    ({"do": "hide", "path": "/visit"}, lambda s: not s.may(None, "read", "/visit/access") and s.may(INES, "read", "/visit")),
    ({"do": "give", "role": "timetable-desk", "to": "user:sam.whitlock", "within_any": "/visit/sailings"}, lambda s: s.may("sam.whitlock", "edit", "/visit/sailings")),
    ({"do": "take-back", "role": "event-desk", "to": ["user:ruth.adeyemi"]}, lambda s: not s.may("ruth.adeyemi", "edit", "/events") and s.may("tomasz.reeve", "edit", "/events/beach-clean")),
    ({"do": "take-back", "role": "commenter", "to": ["signed-in"], "within_any": ["/news"]}, lambda s: not s.may("kit.farrow", "comment", "/news") and s.may("kit.farrow", "comment", "/log")),
    ({"do": "allow", "actions": ["edit"], "to": "group:friends", "where": "/friends", "until": "2027-06-01"}, lambda s: s.may("kit.farrow", "edit", "/friends") and not s.may("kit.farrow", "edit", "/friends", "2027-06-01")),
    ({"do": "deny", "actions": "read", "to": "guests", "where": "/visit", "no_exceptions": True, "id": "shut"}, lambda s: not s.may(None, "read", "/visit/prices")),
    ({"do": "remove-rule", "rule": "pavel-storm"}, lambda s: s.may("pavel.ostrow", "read", "/log/storm-watch")),
    ({"do": "remove-rule", "rule": "PAVEL-storm"}, lambda s: s.may("pavel.ostrow", "read", "/log/storm-watch")),
    ({"do": "stop-from-above", "where": "/log/storm-watch"}, lambda s: not s.may("kit.farrow", "comment", "/log/storm-watch")),
    ({"do": "stop-from-above", "where": "/trustees", "off": True}, lambda s: not s.data.rights_cut_at),
    ({"do": "set-limit", "kind": "page", "where": "/visit", "at_most": 1}, lambda s: not s.may_create(HANA, "page", "/visit")),
    ({"do": "set-limit", "kind": "banner", "where": "/visit", "at_most": None}, lambda s: len(s.data.limits) == 1),
    ({"do": "add-item", "path": "/visit/boats", "kind": "page", "authors": [HANA]}, lambda s: "/visit/boats" in s.data.items and not s.may(None, "read", "/visit/boats")),
    ({"do": "import-items", "rows": [{"path": "/visit/a", "kind": "page"}, {"path": "/visit/a/b", "kind": "panel"}, {"path": "/visit/prices", "title": "What it costs"}]}, lambda s: "/visit/a/b" in s.data.items and s.data.items["/visit/prices"].title == "What it costs"),
    ({"do": "remove-item", "path": "/learn/packs"}, lambda s: not s.data.tree.holds("/learn/packs")),
    ({"do": "move-item", "path": "/visit/prices", "new_parent": "/about", "name": "costs"}, lambda s: "/about/costs" in s.data.items and s.may("mirela.kos", "edit", "/about/costs")),
    ({"do": "change-item", "path": "/log/terns", "file_under": ["topic:press"], "no_longer_under": ["topic:wildlife/seabirds"]}, lambda s: s.data.items["/log/terns"].categories == ("topic:press",)),
    ({"do": "change-item", "path": "/visit/prices", "public_from": "2028-01-01", "add_authors": ["sam.whitlock"]}, lambda s: not s.may(None, "read", "/visit/prices") and s.may("sam.whitlock", "read", "/visit/prices")),
    ({"do": "change-item", "path": "/visit/prices", "title": "What it costs"}, lambda s: HANA in s.data.items["/visit/prices"].changed_by),
    ({"do": "take-step", "path": "/log/terns", "step": "publish"}, lambda s: s.may(None, "read", "/log/terns") and not s.data.items["/log/terns"].changed_by),
    ({"do": "take-step", "path": "/log/terns", "step": "publish", "public_from": "2027-06-01"}, lambda s: s.data.items["/log/terns"].state == "scheduled"),
    ({"do": "add-category", "category": "topic:moths"}, lambda s: s.data.categories.get("topic:moths") == "Moths"),
    ({"do": "remove-category", "category": "series:talks"}, lambda s: "series:talks" not in s.data.categories),
    ({"do": "rename-role", "name": "field-writer", "to": "Log-Writer"}, lambda s: "log-writer" in s.data.roles and "field-writer" not in str(s.data.given) and s.may("sam.whitlock", "comment", "/news")),
    ({"do": "rename-role", "name": "commenter", "to": "talker"}, lambda s: s.data.roles["field-writer"].includes == ("talker",)),
    ({"do": "rename-readership", "name": "patrons", "to": "supporters"}, lambda s: "supporters" in s.data.readerships and not s.may(None, "read", "/patrons/webcam") and s.may("dolores.pine", "read", "/patrons/webcam")),
    ({"do": "rename-category", "category": "topic:wildlife", "to": "topic:animals"}, lambda s: "topic:animals/seals" in s.data.categories and "topic:wildlife" not in str(s.data.rules) + str([*s.data.content.values_of("categories")])),
    ({"do": "set-sign-up", "groups": ["patrons", "friends"]}, lambda s: s.data.sign_up_groups == ("patrons", "friends")),
    ({"do": "add-kind", "name": "leaflet", "label": "Leaflet", "four_eyes": True, "filed_under": ["topic"], "must_be_filed": True}, lambda s: not s.may_create(HANA, "leaflet", "/news") and s.may_create(HANA, "leaflet", "/news", categories=["topic:press"])),
    ({"do": "add-kind", "name": "strip", "part": True}, lambda s: s.data.all_kinds["strip"].part and s.may_create(HANA, "strip", "/news")),
    ({"do": "change-kind", "name": "notice", "four_eyes": True, "filed_under": ["topic"], "must_be_filed": True}, lambda s: s.data.kinds["notice"].four_eyes and s.data.kinds["notice"].must_be_filed and s.data.kinds["notice"].filed_under == ("topic",)),
    ({"do": "change-kind", "name": "page", "label": "Leaf"}, lambda s: s.data.all_kinds["page"].called == "Leaf"),
    ({"do": "remove-kind", "name": "event"}, lambda s: s.data.all_kinds["event"].label == ""),
    ({"do": "add-action", "name": "lend", "brings": ["comment"], "risky": True}, lambda s: s.may(HANA, "lend", "/news") and not s.may(None, "lend", "/news")),
    ({"do": "change-action", "name": "export-bookings", "brings": [], "risky": False}, lambda s: s.data.actions["export-bookings"].brings == () and not s.data.actions["export-bookings"].risky),
]  # fmt: skip


@pytest.mark.parametrize(
    ("operation", "then"), DONE, ids=lambda each: each["do"] if isinstance(each, dict) else ""
)
def test_an_operation_does_what_it_says_and_is_taken_back(site, operation, then):
    before = site.data
    if operation["do"] == "remove-category":
        with site.change(by=HANA) as change:
            for path in ("/events/talk-lenses", "/events/talk-wrecks", "/events/talk-storms"):
                change.change_item(
                    path, file_under="series:open-days", no_longer_under="series:talks"
                )
        before = site.data
    change = site.change(by=HANA, reason="To see").do(operation)
    assert site.data is before
    record = change.make(effects=False)
    assert then(site), change.said
    assert record.operations[0]["do"] == operation["do"]
    site.change(by=site.data.owner).undo(record.number).make(effects=False)
    assert hands_aside(site.data) == hands_aside(before)  # who changed an item is never forgotten
    assert site.store.check_history() == len(site.history())


def hands_aside(data):
    items = [replace(each, changed_by=()) for each in data.items.values()]
    return data.with_parts(items={each.path: each for each in items})


def test_every_operation_is_tried_above():
    elsewhere = {"show", "remove-action", "reopen-finding"}  # in tests of their own
    assert {each["do"] for each, _ in DONE} | elsewhere == OPERATIONS.keys()


def test_an_action_is_removed_once_nothing_names_it(site):
    with pytest.raises(pl.BadChange, match="is no action of this site"):
        site.change(by=HANA).remove_action("sell")
    with site.change(by=HANA) as change:
        change.add_action("lend")
    with site.change(by=HANA) as change:
        assert "lose lend" in "".join(change.remove_action("lend").in_short())
    assert "lend" not in site.data.actions


@pytest.mark.parametrize(
    ("method", "old", "new", "says"),
    [
        ("rename_role", "commenter", "web-team", "is there already"),
        ("rename_role", "commenter", "a b", "a b"),
        ("rename_role", "nobody", "x", "is not known"),
        ("rename_readership", "public", "x", "is built in"),
        ("rename_readership", "patrons", "nobody", "is there already"),
        ("rename_category", "topic:wildlife", "series:x", "is not in the set"),
        ("rename_category", "topic:wildlife", "topic:press/x", "stays where it is"),
        ("rename_category", "topic:wildlife", "topic:press", "is there already"),
        ("rename_category", "topic:wildlife", "topic:", "is not in the set"),
    ],
)
def test_a_name_that_cannot_be(site, method, old, new, says):
    with pytest.raises(pl.PrimLanternError, match=says):
        getattr(site.change(by=HANA), method)(old, new)


def test_a_new_name_changes_nothing_else(site):
    for method, old, new in (
        ("rename_role", "field-writer", "log-writer"),
        ("rename_readership", "patrons", "supporters"),
        ("rename_category", "topic:wildlife", "topic:animals"),
    ):
        assert getattr(site.change(by=HANA), method)(old, new).in_short() == []


def test_what_stands_at_a_category_stays_there_under_another_name(site):
    with site.change(by=HANA) as change:
        change.set_readership("topic:wildlife", "patrons")
        change.give("log-approver", to="user:kit.farrow", within_any="topic:wildlife/seals")
        change.add_promise("guests", actions="edit", where="topic:wildlife")
    asked = [
        (who, action, path)
        for who in (None, "kit.farrow", "sam.whitlock")
        for action in ("read", "publish")
        for path in ("/log/terns", "/log/seal-count", "/log/first-puffins")
    ]
    before = [site.allows(*each) for each in asked]
    with site.change(by=HANA) as change:
        change.rename_category("topic:wildlife", "topic:animals")
    assert [site.allows(*each) for each in asked] == before
    assert "topic:wildlife" not in f"{site.data.places} {site.data.given} {site.data.promises}"


# Who may not make it, and what is said of it; everybody else named may.
LEIF, BEATRIX, RUTH = "leif.aronsen", "beatrix.lowe", "ruth.adeyemi"
NOT_ALLOWED = [
    (BEATRIX, {"do": "allow", "actions": ["edit"], "to": "user:callum.strand", "where": "/visit"}, "they may not manage rights at /visit"),
    (BEATRIX, {"do": "allow", "actions": ["delete"], "to": "user:callum.strand", "where": "/trustees"}, "Callum Strand would come to"),
    (BEATRIX, {"do": "allow", "actions": ["edit"], "to": "user:callum.strand", "where": "/trustees", "kinds": ["page"]}, None),
    (BEATRIX, {"do": "deny", "actions": ["read"], "to": "user:callum.strand", "where": "/trustees/minutes"}, None),
    (BEATRIX, {"do": "deny", "actions": ["read"], "to": "guests", "where": "/trustees", "no_exceptions": True}, "it sets, changes or lifts something without exceptions"),
    (BEATRIX, {"do": "remove-rule", "rule": "minutes-stay-inside"}, "it sets, changes or lifts something without exceptions"),
    (BEATRIX, {"do": "add-promise", "who": "guests", "actions": ["read"], "where": "/visit"}, "they may not manage rights at /visit"),
    (BEATRIX, {"do": "import-people", "rows": [{"login": "mo.tarn"}]}, "they may not manage people"),
    (BEATRIX, {"do": "release-user", "login": "mirela.kos"}, "may not manage people"),
    (BEATRIX, {"do": "remove-rule", "rule": "pavel-storm"}, "they may not manage rights at /log/storm-watch"),
    (BEATRIX, {"do": "set-readership", "where": "/trustees", "readership": "public"}, "would come to read a page below /trustees, filed under topic:press, which they may not do themselves"),
    (BEATRIX, {"do": "set-readership", "where": "/patrons", "readership": "public"}, "they may not manage rights at /patrons"),
    (BEATRIX, {"do": "set-readership", "where": "site", "readership": "signed-in"}, "they may not manage rights for the whole site"),
    (BEATRIX, {"do": "change-readership", "name": "patrons", "add": ["group:friends"]}, "they may not manage rights at /patrons"),
    (BEATRIX, {"do": "change-readership", "name": "trustees", "add": ["group:friends"]}, None),
    (BEATRIX, {"do": "add-readership", "name": "mine", "readers": ["group:trustees"]}, None),
    (BEATRIX, {"do": "stop-from-above", "where": "/trustees", "off": True}, None),
    (BEATRIX, {"do": "give", "role": "web-team", "to": "user:callum.strand", "within_any": "/trustees"}, "it changes who has all access: user:callum.strand at /trustees; that is for the owner"),
    (BEATRIX, {"do": "give", "role": "minute-taker", "to": "user:callum.strand", "within_any": "/trustees"}, None),
    (BEATRIX, {"do": "give", "role": "minute-taker", "to": "user:callum.strand"}, "they may not manage rights for the whole site"),
    (BEATRIX, {"do": "change-role", "name": "minute-taker", "add": [{"can": ["delete"]}]}, "they may not manage roles"),
    (BEATRIX, {"do": "add-group", "name": "night"}, "they may not manage people"),
    (BEATRIX, {"do": "add-category", "category": "topic:moths"}, "they may not manage rights for the whole site"),
    (LEIF, {"do": "add-members", "group": "keepers-fennick", "logins": ["dag.hollis"]}, None),
    (LEIF, {"do": "add-members", "group": "keepers-fennick", "logins": [LEIF], "since": "2030-01-01"}, None),
    (LEIF, {"do": "add-members", "group": "trustees", "logins": [LEIF]}, "they are no steward of the group trustees, and may not manage people"),
    (LEIF, {"do": "enrol", "plan": "patron", "logins": [LEIF]}, "they are no steward of the group patrons, and may not manage people"),
    (LEIF, {"do": "set-condition", "group": "keepers-fennick", "rows": []}, "they may not manage people"),
    (LEIF, {"do": "suspend", "login": "sam.whitlock"}, "they may not manage people"),
    (LEIF, {"do": "rename-group", "name": "keepers-fennick", "to": "k"}, "they may not manage people"),
    (LEIF, {"do": "add-item", "path": "/stations/fennick/lamp", "kind": "page", "authors": [LEIF]}, None),
    (LEIF, {"do": "add-item", "path": "/stations/fennick/lamp", "kind": "page", "authors": ["sam.whitlock"]}, "they may not manage rights at /stations/fennick/lamp"),
    (LEIF, {"do": "add-item", "path": "/stations/marrow/lamp", "kind": "page", "authors": [LEIF]}, "they may not create a page below /stations/marrow"),
    (LEIF, {"do": "change-item", "path": "/stations/fennick", "title": "The Rock"}, None),
    (LEIF, {"do": "change-item", "path": "/stations/fennick", "add_authors": ["sam.whitlock"]}, "they may not manage rights at /stations/fennick"),
    (LEIF, {"do": "change-item", "path": "/stations/marrow", "title": "The Head"}, "they may not edit /stations/marrow"),
    (LEIF, {"do": "change-item", "path": "/stations/fennick", "file_under": ["topic:heritage"]}, "they may not file /stations/fennick under topic:heritage, or take it out"),
    (LEIF, {"do": "move-item", "path": "/stations/fennick/landing", "new_parent": "/visit"}, "they may not create a page below /visit, where it moves to"),
    (LEIF, {"do": "move-item", "path": "/stations/fennick/landing", "new_parent": "/stations/fennick", "name": "pier"}, None),
    (LEIF, {"do": "remove-item", "path": "/stations/marrow/history"}, "they may not delete /stations/marrow/history"),
    (LEIF, {"do": "hide", "path": "/stations/fennick"}, "they may not manage rights at /stations/fennick"),
    (LEIF, {"do": "import-items", "rows": [{"path": "/stations/fennick/new", "kind": "page", "state": "published", "authors": (LEIF,)}]}, None),
    (LEIF, {"do": "import-items", "rows": [{"path": "/stations/fennick", "changed_by": ()}, {"path": "/stations/fennick/new", "kind": "page", "readership": "public"}]}, "they may not manage rights at /stations/fennick/new"),
    ("sam.whitlock", {"do": "take-step", "path": "/log/seal-count", "step": "submit"}, None),
    ("sam.whitlock", {"do": "take-step", "path": "/log/seal-count", "step": "publish"}, "they may not publish /log/seal-count"),
    ("beatrix.lowe", {"do": "set-timezone", "name": "Europe/Oslo"}, "it moves every day and time of the site"),
    (INES, {"do": "hand-over", "to": "ruth.adeyemi"}, "only the owner hands over the ownership"),
    (INES, {"do": "give", "role": "web-team", "to": "user:ruth.adeyemi"}, None),
    (INES, {"do": "deny", "actions": ["read"], "to": "guests", "where": "/log", "no_exceptions": True}, None),
    (HANA, {"do": "take-step", "path": "/log/seal-count", "step": "publish"}, None),
    ("theo.marsh", {"do": "suspend", "login": "sam.whitlock"}, "they are suspended"),
]  # fmt: skip


@pytest.mark.parametrize(("by", "operation", "because"), NOT_ALLOWED)
def test_who_may_make_it_and_what_is_missing(site, by, operation, because):
    before = site.data
    change = site.change(by=by)
    if because is None:
        change.do(operation).make()
        assert site.history()[-1].by == by
        return
    change.do(operation)
    with pytest.raises(pl.NotAllowed) as refused:
        change.make()
    assert any(because in each for each in refused.value.because), refused.value.because
    assert refused.value.by == by
    assert site.data is before
    for other in refused.value.ask:  # whoever is named really could
        site.change(by=other).do(operation).judge()


MORE_RIGHTS = """
[groups.top]
[groups.crew]
counts_in = ["top"]
[groups.hands]
when = [{ login = { is = "nobody" } }]
[plans.season]
groups = ["top"]
[roles.all]
all_access = true
[roles.clerk]
capabilities = [{ can = ["manage-people", "manage-rights"] }]
[roles.reader]
capabilities = [{ can = ["read"] }]
[[given]]
role = "all"
to = ["group:top"]
[[given]]
role = "clerk"
to = ["user:ann"]
[[given]]
role = "reader"
to = ["user:ann"]
[[rules]]
allow = ["edit"]
to = ["role:reader"]
where = "/a"
[[rules]]
id = "not-ann"
deny = ["edit"]
to = ["role:reader"]
where = "/b"
"""


@pytest.mark.parametrize(
    ("operation", "because"),
    [
        ({"do": "add-members", "group": "crew", "logins": ["ann"]}, "it changes whether"),
        ({"do": "add-members", "group": "top", "logins": ["ben"], "since": "2030-01-01"}, "it changes whether"),
        ({"do": "enrol", "plan": "season", "logins": ["ben"]}, "it changes whether"),
        ({"do": "change-group", "name": "hands", "count_in": ["top"]}, "it changes what all-access role the group hands leads to"),
        ({"do": "set-condition", "group": "hands", "rows": ["login is ann"]}, None),
        ({"do": "set-condition", "group": "crew", "rows": ["login is ann"]}, "it changes whether"),
        ({"do": "map-group", "group": "top", "add": ["hall:cook"]}, "it changes whether"),
        ({"do": "invite", "login": "cyd", "token_hash": "x", "until": "2030-01-01", "groups": ["top"]}, "it changes whether"),
        ({"do": "give", "role": "reader", "to": "user:ben", "within_any": "/b"}, None),
        ({"do": "give", "role": "reader", "to": "user:ben", "within_any": "/a"}, None),  # she edits there as a reader
        ({"do": "take-back", "role": "reader", "to": "user:ann"}, None),
    ],
)  # fmt: skip
def test_all_access_and_words_about_roles_are_given_by_no_back_door(make_site, operation, because):
    people = "ann,Ann,,,,,\nben,Ben,,,,hall:cook,\n"
    site = make_site(MORE_RIGHTS, people, "/a,page,A,,,,,,,,\n/b,page,B,,,,,,,,\n")
    change = site.change(by="ann")
    if because is None:
        change.do(operation).make()
    else:
        with pytest.raises(pl.NotAllowed) as refused:
            change.do(operation).make()
        assert any(each.startswith(because) for each in refused.value.because), refused.value


# What cannot be done, and the whole message.
REFUSED = [
    ({"do": "giev"}, "'giev' is no operation. Did you mean give?"),
    ({"do": "give", "rol": "commenter"}, "give has no 'rol'. Did you mean role?"),
    ({"do": "suspend"}, "suspend needs login as well."),
    ({"do": "give", "role": "comenter", "to": "signed-in"}, "The role 'comenter' is not known on this site. Did you mean commenter?"),
    ({"do": "give", "role": "commenter", "to": []}, "Nobody was named: say to whom, as user:…, group:… or an audience."),
    ({"do": "give", "role": "commenter", "to": "role:commenter"}, "'role:commenter' cannot stand here: name one of user, group, audience."),
    ({"do": "give", "role": "commenter", "to": "signed-in", "within_any": ["/log", "/news"]}, "commenter is given so already; nothing would change."),
    ({"do": "give", "role": "commenter", "to": "user:sam.whitlok"}, "The user 'sam.whitlok' is not known on this site. Did you mean sam.whitlock?"),
    ({"do": "give", "role": "commenter", "to": "guests", "since": "2027-02-01", "until": "2027-01-01"}, "The time from 2027-02-01 until 2027-01-01 holds no moment: until is not after since."),
    ({"do": "take-back", "role": "commenter", "to": "guests"}, "commenter is not given to guests: 'role show commenter' tells to whom it is given, and 'user show' by which way somebody has it."),
    ({"do": "allow", "actions": [], "to": "guests"}, "A rule needs at least one action, as in 'edit'."),
    ({"do": "allow", "actions": "edit", "to": "user:mirela.kos", "where": "/visit/prices", "reach": "only-here"}, "A rule that says just this is there already; nothing would change."),
    ({"do": "deny", "actions": "edit", "to": "guests", "id": "press-freeze"}, "The rule 'press-freeze' is there already; change it, or take another name."),
    ({"do": "remove-rule", "rule": "press-freze"}, "There is no rule 'press-freze'. Did you mean press-freeze? 'rule list' has them all."),
    ({"do": "remove-rule", "rule": "99"}, "There is no rule '99'. 'rule list' has them all."),
    ({"do": "remove-rule", "rule": "1"}, "There is no rule '1'. 'rule list' has them all."),
    ({"do": "renew-enrolment", "plan": "patron", "logins": "kit.farrow"}, "Kit Farrow was never enrolled in patron: 'plan enrol' does that."),
    ({"do": "end-enrolment", "plan": "patron", "logins": "dolores.pine"}, "Dolores Pine is not enrolled in patron, now or later."),
    ({"do": "rename-user", "login": "kit.farrow", "to": "Sam.Whitlock"}, "The user 'Sam.Whitlock' is there already; change it, or take another name."),
    ({"do": "rename-user", "login": "kit.farrow", "to": "kit.farrow"}, "The user 'kit.farrow' is there already; change it, or take another name."),
    ({"do": "rename-user", "login": "kit.farrow", "to": "signed-in"}, "'signed-in' has a meaning of its own here; take another name."),
    ({"do": "change-user", "login": HANA, "account": False}, "Hana Okafor is the owner: hand over the ownership first."),
    ({"do": "change-user", "login": "kit.farrow", "account": True}, "Kit Farrow is active, not byline."),
    ({"do": "change-user", "login": "elowen.pryce", "account": False}, "Elowen Pryce is a byline already."),
    ({"do": "change-role", "name": "field-writer", "add": [{"kinds": ["page"], "can": ["edit"]}], "instead": True}, "The role field-writer has no row of its own about just these kinds; without 'instead' one is added."),
    ({"do": "set-readership", "where": "/log", "readership": "frends"}, "The readership 'frends' is not known on this site. Did you mean friends?"),
    ({"do": "add-role", "name": "Big Role"}, "'big role' is no proper name here: use lower-case letters, digits, '-', '.' and '_'."),
    ({"do": "add-role", "name": "commenter"}, "The role 'commenter' is there already; change it, or take another name."),
    ({"do": "change-role", "name": "commenter"}, "Nothing was said to change."),
    ({"do": "remove-role", "name": "commenter"}, "field-writer, log-approver, course-reader are built on the role commenter: change that first ('role change … --not-on commenter')."),
    ({"do": "remove-group", "name": "education"}, "The readership classroom names group:education in readers; change it first, so that it is clear who may view."),
    ({"do": "add-user", "login": "SAM.whitlock"}, "The user 'SAM.whitlock' is there already; change it, or take another name."),
    ({"do": "remove-user", "login": HANA}, "Hana Okafor is the owner and can never be removed."),
    ({"do": "suspend", "login": HANA}, "Hana Okafor is the owner: hand over the ownership first."),
    ({"do": "set-timezone", "name": "Europe/Osloo"}, "'Europe/Osloo' is no time zone: write its name, such as Europe/Oslo or UTC; like it are Europe/Oslo, Europe/Moscow."),
    ({"do": "set-timezone", "name": "../UTC"}, "'../UTC' is no time zone: write its name, such as Europe/Oslo or UTC; like it are UTC."),
    ({"do": "set-timezone", "name": "UTC"}, "The site is in the time zone UTC already."),
    ({"do": "hand-over", "to": "tilda.rask"}, "Tilda Rask is invited, and has to accept the invitation first: the owner must be active."),
    ({"do": "hand-over", "to": "elowen.pryce"}, "Elowen Pryce is byline: the owner must be active."),
    ({"do": "bring-back", "login": "sam.whitlock"}, "Sam Whitlock is active, not suspended."),
    ({"do": "invite", "login": "sam.whitlock", "token_hash": "x", "until": "2030-01-01"}, "The user 'sam.whitlock' is there already; change it, or take another name."),
    ({"do": "invite", "login": "mo", "token_hash": "x", "until": "2020-01-01"}, "An invitation until 2020-01-01 has ended already."),
    ({"do": "remove-members", "group": "teachers", "logins": ["farah.lindqvist"]}, "farah.lindqvist: not in teachers by hand. 'group show teachers' tells by which way somebody is a member."),
    ({"do": "set-condition", "group": "office", "rows": ["position = keeper"]}, "'position = keeper' is no test: write ATTRIBUTE, one of is, is_not, one_of, none_of, contains, before, after, filled, and a value, as in 'position is keeper' (several with ';')."),
    ({"do": "set-condition", "group": "office", "rows": ["shoe is 9"]}, "This would leave the site with mistakes; nothing was changed.\n  site.toml, line 129, when[0]: 'shoe' is no column of people.csv."),
    ({"do": "change-group", "name": "keepers", "count_in": ["keepers-fennick"]}, "This would leave the site with mistakes; nothing was changed.\n"),
    ({"do": "change-readership", "name": "office", "drop": ["group:office"]}, "Nobody would be left in office; use 'nobody' where you mean it."),
    ({"do": "remove-readership", "name": "patrons"}, "The readership patrons stands at /patrons: say first who may view there ('readership set', 'readership clear')."),
    ({"do": "set-readership", "where": "/lgo", "readership": "friends"}, "The item '/lgo' is not known on this site. Did you mean /log?"),
    ({"do": "set-readership", "where": "topic:press", "readership": "friends", "alone": True}, "A category cannot stand alone; only a path can."),
    ({"do": "clear-readership", "where": "/log"}, "No readership stands at /log."),
    ({"do": "show", "path": "/log"}, "/log is not hidden by a setting of its own."),
    ({"do": "stop-from-above", "where": "topic:press"}, "topic:press has nothing above it that could be stopped; name a path."),
    ({"do": "add-item", "path": "/log", "kind": "page"}, "The item '/log' is there already; change it, or take another name."),
    ({"do": "add-item", "path": "/log/x", "kind": "post"}, "/log/x cannot be added: a Log entry must be filed under at least one category."),
    ({"do": "import-items", "rows": [{"path": "/new"}]}, "/new is new and needs a kind."),
    ({"do": "import-items", "rows": [{"path": f"/p{n}", "kind": "panel"} for n in range(2)]}, "5 items of the kind panel would stand below /, and the limit is 4."),
    ({"do": "move-item", "path": "/visit", "new_parent": "/visit/prices"}, "/visit cannot be moved there: an item cannot be moved below itself."),
    ({"do": "move-item", "path": "/visit/prices", "new_parent": "/", "name": "log"}, "/visit/prices cannot be moved to /log: an item stands there already."),
    ({"do": "move-item", "path": "/", "new_parent": "/log"}, "The home page cannot be moved."),
    ({"do": "remove-item", "path": "/visit"}, "/menu/visit leads there: change or remove that first."),
    ({"do": "remove-item", "path": "/"}, "The home page cannot be removed."),
    ({"do": "take-step", "path": "/visit", "step": "submit"}, "/visit is published: submit is possible for what is draft."),
    ({"do": "take-step", "path": "/visit", "step": "edit"}, "'edit' is no step: use one of submit, send-back, publish, withdraw, archive."),
    ({"do": "take-step", "path": "/welcome", "step": "archive"}, "/welcome is a part: its state is that of /."),
    ({"do": "change-item", "path": "/log/terns", "no_longer_under": ["topic:wildlife/seabirds"]}, "a Log entry must be filed under at least one category."),
    ({"do": "add-category", "category": "moths"}, "'moths' is no category: write it as topic:wildlife."),
    ({"do": "add-category", "category": "topic:sea/moths"}, "This would leave the site with mistakes; nothing was changed.\n"),
    ({"do": "remove-category", "category": "topic:press"}, "3 items are filed under topic:press, such as /log/film-crew."),
]  # fmt: skip


@pytest.mark.parametrize(("operation", "message"), REFUSED)
def test_what_cannot_be_done_is_said_and_nothing_is(site, operation, message):
    before = site.data
    with pytest.raises(pl.PrimLanternError) as refused:
        site.change(by=HANA).do(operation)
    said = str(refused.value)
    assert said == message or (message[-1] in "/\n" and said.startswith(message)), said
    assert site.data is before


# Cautions: what is worth a second thought, in words; none for everyday changes.
CAUTIONS = [
    ({"do": "allow", "actions": "edit", "to": "user:sam.whitlock", "where": "/visit/prices"}, []),
    ({"do": "allow", "actions": "edit", "to": "everyone", "where": "/visit/prices"}, ["Risky: edit would come to everyone.", "Guests, that is everybody in the world, gain edit at /visit/prices.", "It touches 33 people, at one place."]),
    ({"do": "allow", "actions": "sell", "to": "group:friends", "where": "/back-office/shop"}, ["Risky: sell would come to group Friends, which anybody can join."]),
    ({"do": "give", "role": "web-team", "to": "user:sam.whitlock", "within_any": "/learn"}, ["Sam Whitlock gets all access at /learn and below: everything there, whatever any rule says."]),
    ({"do": "set-readership", "where": "/trustees/budget", "readership": "public", "alone": True}, ["It breaks a promise: guests and group Friends must never read at /trustees and below; guests would read /trustees/budget.", "Guests, that is everybody in the world, gain read at /trustees/budget.", "It touches 31 people, at one place."]),
    ({"do": "allow", "actions": "publish", "to": "group:volunteers", "where": "/log"}, ["It breaks a promise: group Volunteers must never publish at /log and below; Carys Venn would publish /log."]),
    ({"do": "remove-role", "name": "site-helper"}, ["The role Site helper is in use: it is given to Tomasz Reeve."]),
    ({"do": "remove-group", "name": "ticket-desk"}, ["The group Ticket desk is in use: 2 members, 1 word about it."]),
    ({"do": "set-timezone", "name": "Europe/Oslo"}, ["Every day and time is meant in the zone Europe/Oslo from now on."]),
    ({"do": "hand-over", "to": "ruth.adeyemi"}, ["Ruth Adeyemi becomes the owner of the site."]),
    ({"do": "remove-user", "login": "gwen.tarrow"}, ["Gwen Tarrow goes with all they had; to suspend them would keep it."]),
    ({"do": "take-step", "path": "/log/terns", "step": "publish"}, []),
]  # fmt: skip


@pytest.mark.parametrize(("operation", "cautions"), CAUTIONS)
def test_what_is_worth_a_second_thought(site, operation, cautions):
    found = site.change(by=HANA).do(operation).cautions()
    assert [each for each in found if each in cautions] == cautions, found
    assert len(found) == len(cautions), found


@pytest.mark.parametrize(
    "email",
    ["x", "a@b@c", "a@b.example, c@d.example", "<a@b.example>", "a@", "@b.example", "a b@c.example",
     "é@b.example", "a@b.example\nBcc: c@d.example"],
)  # fmt: skip
def test_no_mail_goes_to_what_is_no_address_and_nobody_is_invited_then(
    email, demo_folder, tmp_path
):
    with pytest.raises(pl.BadValue, match="is no address that a mail could go to"):
        invitation_mail(Invitation("Oxlip", "Ida", email, "https://x", moment("2027-05-24")))
    asked = "user", "invite", "ida.fell", "--email", email, "--by", HANA, "--yes"
    done = run(*asked, "--mail-to", tmp_path / "mail", site=demo_folder)
    assert (done.returncode, done.stdout) == (2, "")
    assert "ida.fell" not in pl.open_site(demo_folder).data.users
    assert not (tmp_path / "mail").exists()


def test_line_breaks_in_names_begin_no_line_of_a_mail():
    until = moment("2027-05-24")
    said = "Oxlip\nBcc: a@b.example", "Ida\u2028Fell", "ida@oxlip.example", "https://x"
    mail = invitation_mail(Invitation(*said, until))
    assert mail["Subject"] == "You are invited to Oxlip Bcc: a@b.example"
    assert mail["To"] == "Ida Fell <ida@oxlip.example>"
    assert mail["Bcc"] is None


def test_all_links_are_told_before_a_mail_cannot_be_written(demo_folder, tmp_path):
    people = "login,name,email\nida.fell,Ida,ida@oxlip.example\nmo.tarn,Mo,mo@oxlip.example\n"
    (tmp_path / "people.csv").write_text(people, encoding="utf-8")
    (tmp_path / "mail").write_text("a file, and no folder", encoding="utf-8")
    asked = "user", "invite", "--from", tmp_path / "people.csv", "--by", HANA, "--yes"
    done = run(*asked, "--mail-to", tmp_path / "mail", site=demo_folder)
    assert done.returncode == 2
    assert done.stdout.count("prim-lantern user accept ") == 2
    assert "Traceback" not in done.stderr


def test_an_invitation_from_the_link_to_the_active_person(site, tmp_path, monkeypatch):
    change = site.change(by=HANA)
    token = change.invite("ida.fell", name="Ida Fell", email="ida@oxlip.example", groups="friends")
    change.make()
    kept = site.data.invitations["ida.fell"]
    assert token not in str(site.data.invitations) + str(site.history())
    assert kept.until == moment("2027-05-24")
    mail = invitation_mail(
        Invitation("Oxlip", "Ida Fell", "ida@oxlip.example", f"https://x/{token}", kept.until)
    )
    file = FileMailer(tmp_path / "mail").send(mail)
    assert token in file.read_bytes().replace(b"=\n", b"").decode()
    assert FileMailer(tmp_path / "mail").send(mail) != file
    again = site.change(by=HANA)
    newer = again.invite(
        "Ida.Fell", name="Ida M. Fell", lasts="3 days"
    )  # changed before acceptance
    again.make()
    assert site.data.users["ida.fell"].name == "Ida M. Fell"
    with pytest.raises(pl.BadChange, match="This link is not known"):
        site.accept(token)
    assert site.accept(newer) == "ida.fell"
    assert site.may("ida.fell", "read", "/friends")
    assert (site.history()[-1].by, site.data.invitations) == ("ida.fell", {})
    with pytest.raises(pl.BadChange, match="This link is not known"):
        site.accept(newer)
    late = site.change(by=HANA)
    last = late.invite("mo.tarn")
    late.make()
    monkeypatch.setenv("PRIM_LANTERN_NOW", "2027-05-24")
    with pytest.raises(pl.BadChange, match="This link has ended on 2027-05-24"):
        site.accept(last)


def test_looking_as_somebody_asks_for_the_right_and_is_recorded(site):
    assert site.looking_as("sam.whitlock", by="tomasz.reeve").called == "Sam Whitlock"
    assert (site.history()[-1].by, site.history()[-1].said) == (
        "tomasz.reeve",
        ("look as sam.whitlock",),
    )
    with pytest.raises(pl.NotAllowed, match=r"sam.whitlock may not look at the site as a guest"):
        site.looking_as(None, by="sam.whitlock")
    site.looking_as("sam.whitlock", by="sam.whitlock")  # as oneself: nothing to ask or note
    with site.change(by=HANA) as change:
        change.deny("look-as", "user:tomasz.reeve")
    with pytest.raises(pl.NotAllowed, match="they have no right to look-as"):
        site.looking_as("sam.whitlock", by="tomasz.reeve")
    assert len(site.history()) == 2


@pytest.mark.parametrize(
    "login",
    [
        "anneke.sorley",
        "beatrix.lowe",
        HANA,
        "lena.osgood",
        "mirela.kos",
        "tilda.rask",
        "sam.whitlock",
    ],
)
def test_nothing_speaks_of_a_login_that_was_renamed(site, tmp_path, login):
    with site.change(by=HANA) as change:
        change.set_stewards("friends", add=[f"user:{login}"])
        change.change_readership("office", add=[f"user:{login}"], also_but_not=["user:joon.park"])
        change.add_promise(f"user:{login}", "edit", "/trustees", may=False)
        change.add_group("called-so")
        change.set_condition("called-so", f"login is {login}")
        change.give("commenter", to=f"user:{login}", within_any="/visit")
        change.deny("comment", to=f"user:{login}", where="/visit")
        change.rename_user(login, "someone.else")
    write_folder(site.data, tmp_path / "site")
    written = "".join(each.read_text() for each in (tmp_path / "site").iterdir())
    assert "someone.else" in written
    assert not re.search(rf"(?<![\w.]){re.escape(login)}(?![\w.@])", written)


def test_rules_that_are_called_alike_are_told_apart_for_good(site):
    with site.change(by=HANA) as change:
        change.allow("edit", to="user:kit.farrow", where="/visit", kinds="page")
        change.allow("edit", to="user:kit.farrow", where="/visit", kinds="post")
        change.allow("comment", to="user:kit.farrow", where="site")
    names = [name for name in rule_names(site.data.rules) if name.startswith("kit")]
    one, other, alone = names
    assert alone == "kit.farrow-comment-site"
    assert {one[:-5], other[:-5]} == {"kit.farrow-edit-visit"}
    with site.change(by=HANA) as change:
        change.remove_rule(one)
    assert "kit.farrow-edit-visit" in rule_names(site.data.rules)
    with pytest.raises(pl.BadChange, match="There is no rule"):
        site.change(by=HANA).remove_rule(one)
    with site.change(by=HANA) as change:
        change.remove_rule(other)  # as it was called before, though it needs no more letters now
    assert not [
        rule for rule in site.data.rules if rule.kinds == ("post",) and rule.actions == ("edit",)
    ]
