"""The service over HTTP: authorization, people and groups, tokens, limits."""

from __future__ import annotations

import json
import logging
import shutil
import socket
import threading
import time
from contextlib import contextmanager, suppress

import pytest
import schemathesis
import uvicorn
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from starlette.testclient import TestClient

import prim_lantern as pl
from prim_lantern.serve import Tokens, service
from prim_lantern.serve.connections import Connection


@pytest.fixture
def tokens(tmp_path):
    return Tokens(tmp_path / "tokens.json")


@pytest.fixture
def site(tmp_path):
    folder = tmp_path / "site"
    shutil.copytree(pl.DEMO_FOLDER, folder)
    return pl.open_site(folder)


@pytest.fixture
def client_for(site, tokens):
    """A client with a token for something."""
    opened = []

    def client(*scopes, acts_as=None, **more):
        token = tokens.make(f"t{len(opened)}", scopes, acts_as)
        made = TestClient(
            service(site, tokens, **more), headers={"authorization": f"Bearer {token}"}
        )
        opened.append(made.__enter__())
        return made

    yield client
    for each in opened:
        each.__exit__(None, None, None)


# SCIM -------------------------------------------------------------------------------------------


@pytest.fixture
def served(site, tokens):
    """The service on a real port, and the token of a directory."""
    token = tokens.make("directory", ["provisioning"], "hana.okafor")
    with running(service(site, tokens), Connection) as port:
        yield f"http://127.0.0.1:{port}", token


@contextmanager
def running(app, connection):
    server = uvicorn.Server(uvicorn.Config(app, port=0, log_level="error", http=connection))
    thread = threading.Thread(target=server.run)
    thread.start()
    while not server.started:
        time.sleep(0.01)
    yield server.servers[0].sockets[0].getsockname()[1]
    server.should_exit = True
    thread.join()


def test_a_conformance_tester_finds_nothing(served):
    from httpx2 import Client
    from scim2_client.engines.httpx2 import SyncSCIMClient
    from scim2_tester import Status, check_server

    address, token = served
    with Client(
        base_url=f"{address}/scim/v2", headers={"Authorization": f"Bearer {token}"}
    ) as http:
        client = SyncSCIMClient(http)
        found = check_server(client)
    wrong = [each for each in found if each.status in (Status.ERROR, Status.CRITICAL)]
    assert [f"{each.title}: {each.reason}" for each in wrong] == []
    assert sum(each.status == Status.SUCCESS for each in found) > 20


def test_every_write_is_a_change_in_the_history_by_a_user_with_limited_rights(site, client_for):
    client = client_for("provisioning", acts_as="hana.okafor")
    made = client.post("/scim/v2/Users", json={"schemas": [USER], "userName": "wren.hale", "name": {"givenName": "Wren", "familyName": "Hale"}, "emails": [{"value": "wren@post.example"}]})  # fmt: skip
    assert made.status_code == 201 and made.json()["displayName"] == "Wren Hale"
    assert made.headers["etag"] == made.json()["meta"]["version"]
    last = site.history()[-1]
    assert (last.by, last.said) == ("hana.okafor", ("add Wren Hale",))
    assert last.reason == "By a directory, with the token t0"
    weak = client_for("provisioning", acts_as="sam.whitlock")
    refused = weak.post("/scim/v2/Users", json={"schemas": [USER], "userName": "other.one"})
    assert refused.status_code == 403 and "other.one" not in site.data.users
    assert "manage" in refused.json()["detail"]
    twice = client.post("/scim/v2/Users", json={"schemas": [USER], "userName": "WREN.hale"})
    assert (twice.status_code, twice.json()["scimType"]) == (409, "uniqueness")
    owner = client.delete("/scim/v2/Users/hana.okafor")
    assert owner.status_code in (400, 403) and "hana.okafor" in site.data.users


USER = "urn:ietf:params:scim:schemas:core:2.0:User"
PATCH = "urn:ietf:params:scim:api:messages:2.0:PatchOp"


def test_filters_pages_versions_and_patches(site, client_for):
    client = client_for("provisioning", acts_as="hana.okafor")

    def users(**query):
        return client.get("/scim/v2/Users", params=query).json()

    assert [u["id"] for u in users(filter='userName eq "KIT.farrow"')["Resources"]] == [
        "kit.farrow"
    ]
    assert users(filter='userName eq "no.body"')["totalResults"] == 0
    some = users(filter='displayName sw "kit" and active eq true')
    assert [each["userName"] for each in some["Resources"]] == ["kit.farrow"]
    assert users(filter="userName eq")["status"] == "400"
    first, second = (
        users(count=2, sortBy="userName"),
        users(count=2, startIndex=3, sortBy="userName"),
    )
    names = [each["userName"] for page in (first, second) for each in page["Resources"]]
    assert names == sorted(names) and len(set(names)) == 4
    assert first["totalResults"] == len(
        [u for u in site.data.users.values() if u.status != "byline"]
    )
    only = client.get("/scim/v2/Users/kit.farrow", params={"attributes": "userName"}).json()
    assert set(only) == {"schemas", "id", "userName"}
    found = client.get("/scim/v2/Users/kit.farrow")
    again = {"if-none-match": found.headers["etag"]}
    assert client.get("/scim/v2/Users/kit.farrow", headers=again).status_code == 304
    off = {"schemas": [PATCH], "Operations": [{"op": "replace", "path": "active", "value": False}]}
    stale = client.patch("/scim/v2/Users/kit.farrow", json=off, headers={"if-match": 'W/"old"'})
    assert stale.status_code == 412 and site.data.users["kit.farrow"].status == "active"
    done = client.patch("/scim/v2/Users/kit.farrow", json=off)
    assert done.json()["active"] is False and site.data.users["kit.farrow"].status == "suspended"
    assert not site.allows("kit.farrow", "read", "/friends")


def test_groups_and_bulk(site, client_for):
    client = client_for("provisioning", acts_as="hana.okafor")
    bulk = {
        "schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkRequest"],
        "failOnErrors": 1,
        "Operations": [
            {"method": "POST", "path": "/Users", "bulkId": "a", "data": {"schemas": [USER], "userName": "wren.hale"}},
            {"method": "POST", "path": "/Groups", "bulkId": "g", "data": {
                "schemas": ["urn:ietf:params:scim:schemas:core:2.0:Group"], "displayName": "Night watch",
                "members": [{"value": "bulkId:a", "type": "User"}],
            }},
            {"method": "DELETE", "path": "/Users/no.body"},
            {"method": "DELETE", "path": "/Users/wren.hale"},
        ],
    }  # fmt: skip
    answers = client.post("/scim/v2/Bulk", json=bulk).json()["Operations"]
    assert [each["status"] for each in answers] == ["201", "201", "404"]
    for odd in (["x"], "x", [[]]):
        refused = client.post("/scim/v2/Bulk", json={**bulk, "Operations": odd})
        assert refused.status_code == 400, odd
    assert site.members("night-watch") == ["wren.hale"]
    group = client.get("/scim/v2/Groups/night-watch").json()
    assert [each["value"] for each in group["members"]] == ["wren.hale"]
    off = {
        "schemas": [PATCH],
        "Operations": [{"op": "remove", "path": 'members[value eq "wren.hale"]'}],
    }
    assert client.patch("/scim/v2/Groups/night-watch", json=off).status_code == 200
    assert site.members("night-watch") == []
    assert client.delete("/scim/v2/Groups/night-watch").status_code == 204
    assert "night-watch" not in site.data.groups


GROUP = "urn:ietf:params:scim:schemas:core:2.0:Group"
ODD = st.sampled_from(["", None, -1, 10**30, 1.5, True, [], {}, "//", "x" * 3_000, [None], [[]], "bulkId:z", {"a": [1]}, "\x00"])  # fmt: skip


@given(st.data())
@settings(max_examples=60, suppress_health_check=[HealthCheck.function_scoped_fixture])
def test_no_odd_body_of_a_directory_is_more_than_refused(client_for, data):
    client = client_for("provisioning", acts_as="hana.okafor")
    user = {"schemas": [USER], "userName": "wren.hale", "name": {"givenName": "W"}, "emails": [{"value": "w@post.example"}]}  # fmt: skip
    group = {"schemas": [GROUP], "displayName": "Watch", "members": [{"value": "kit.farrow"}]}
    patch = {"schemas": [PATCH], "Operations": [{"op": "add", "path": "emails", "value": user}]}
    step = {"method": "POST", "path": "/Users", "bulkId": "a", "data": user}
    bulk = {"schemas": ["urn:ietf:params:scim:api:messages:2.0:BulkRequest"], "Operations": [step]}
    search = {"filter": 'userName sw "k"', "sortBy": "userName", "count": 2, "attributes": ["id"]}
    method, path, body = data.draw(
        st.sampled_from(
            [
                ("POST", "/Users", user),
                ("POST", "/Groups", group),
                ("PUT", "/Users/kit.farrow", user),
                ("PATCH", "/Users/kit.farrow", patch),
                ("PATCH", "/Groups/volunteers", patch),
                ("POST", "/Bulk", bulk),
                ("POST", "/Users/.search", search),
            ]
        )
    )
    body = json.loads(json.dumps(body))
    within = body
    while True:  # anything in it is something odd
        keys = [*within] if isinstance(within, dict) else range(len(within))
        key = data.draw(st.sampled_from([*keys]))
        if not isinstance(within[key], dict | list) or not within[key] or data.draw(st.booleans()):
            break
        within = within[key]
    within[key] = data.draw(ODD)
    answer = client.request(method, f"/scim/v2{path}", json=body)
    assert answer.status_code < 500, body
    assert answer.headers["content-type"].startswith("application/scim+json")


def test_what_a_directory_knows_them_by_is_kept_and_found(tmp_path, site, client_for):
    client = client_for("provisioning", acts_as="hana.okafor")

    def found(sort, text):
        said = client.get(f"/scim/v2/{sort}", params={"filter": f'externalId eq "{text}"'}).json()
        return [each["id"] for each in said["Resources"]]

    wren = {"schemas": [USER], "userName": "wren.hale", "externalId": "Ab;17"}
    watch = {"schemas": [GROUP], "displayName": "Night watch", "externalId": "G-1"}
    for sort, new in (("Users", wren), ("Groups", watch)):
        made = client.post(f"/scim/v2/{sort}", json=new)
        assert (made.status_code, made.json()["externalId"]) == (201, new["externalId"])
        assert found(sort, new["externalId"]) == [made.json()["id"]]
        assert found(sort, new["externalId"].swapcase()) == [], "case counts (RFC 7643, 3.1)"
        assert found(sort, "") == []
        # replaced by one without it, it has none; patched, another
        where = made.json()["meta"]["location"]
        bare = {name: value for name, value in new.items() if name != "externalId"}
        assert "externalId" not in client.put(where, json=bare).json()
        other = {"op": "add", "path": "externalId", "value": "other"}
        kept = client.patch(where, json={"schemas": [PATCH], "Operations": [other]})
        assert kept.json()["externalId"] == "other" and found(sort, "other")
        before = site.version
        again = client.put(where, json={**new, "externalId": "other"})
        assert again.status_code == 200 and site.version == before, "nothing differs"
    # it is written with the site, and anybody who looks after people sees it there
    assert site.data.attributes[-1] == "external_id"
    again = pl.open_site(tmp_path / "site")
    assert again.data.users["wren.hale"].attributes == {"external_id": "other"}
    assert again.data.groups["night-watch"].external_id == "other"


def test_an_id_stays_when_a_login_changes(site, client_for):
    client = client_for("provisioning", acts_as="hana.okafor")

    def patched(one, **values):
        some = [{"op": "replace", "path": n, "value": v} for n, v in values.items()]
        body = {"schemas": [PATCH], "Operations": some}
        return client.patch(f"/scim/v2/Users/{one}", json=body)

    client.patch(
        "/scim/v2/Groups/volunteers",
        json={"schemas": [PATCH], "Operations": [{"op": "add", "path": "members", "value": [{"value": "kit.farrow"}]}]},
    )  # fmt: skip
    may = site.allows("kit.farrow", "read", "/friends")
    found = patched("kit.farrow", userName="kit.vane", displayName="Kit Vane").json()
    assert (found["id"], found["userName"], found["displayName"]) == ("kit.farrow", "kit.vane", "Kit Vane")  # fmt: skip
    assert found["meta"]["location"].endswith("/Users/kit.farrow")
    assert may and site.allows("kit.vane", "read", "/friends")
    assert "rename kit.farrow to kit.vane" in site.history()[-1].said
    for text in ('userName eq "KIT.vane"', 'displayName eq "Kit Vane" and active eq true'):
        some = client.get("/scim/v2/Users", params={"filter": text}).json()["Resources"]
        assert [each["id"] for each in some] == ["kit.farrow"]
    members = client.get("/scim/v2/Groups/volunteers").json()["members"]
    assert "kit.farrow" in [each["value"] for each in members]
    assert client.get("/scim/v2/Users/kit.vane").status_code == 404, "that is no id"
    told = json.loads(site.export("people", "scim"))["Resources"]
    assert {"kit.farrow"} == {e["id"] for e in told if e.get("userName") == "kit.vane"}
    # the id is nobody else's as long as it is kept
    taken = client.post("/scim/v2/Users", json={"schemas": [USER], "userName": "Kit.Farrow"})
    assert (taken.status_code, taken.json()["scimType"]) == (409, "uniqueness")
    assert taken.json()["detail"] == "Kit.Farrow is the id of somebody."
    own = patched("hana.okafor", userName="hana.vane")
    assert own.status_code == 403 and "acts as hana.okafor" in own.json()["detail"]
    there = patched("kit.farrow", userName="sam.whitlock")
    assert (there.status_code, there.json()["scimType"]) == (409, "uniqueness")
    # once more, by hand: the first id stays; back again, nothing is left of it
    site.change(by="hana.okafor").rename_user("kit.vane", "kit.hale").make()
    assert client.get("/scim/v2/Users/kit.farrow").json()["userName"] == "kit.hale"
    for nobody in ("kit.hale", "no.one"):
        add = {"op": "add", "path": "members", "value": [{"value": nobody}]}
        refused = client.patch(
            "/scim/v2/Groups/volunteers", json={"schemas": [PATCH], "Operations": [add]}
        )
        assert (refused.status_code, refused.json()["scimType"]) == (400, "invalidValue")
    remove = {"op": "remove", "path": 'members[value eq "kit.farrow"]'}
    client.patch("/scim/v2/Groups/volunteers", json={"schemas": [PATCH], "Operations": [remove]})
    assert "kit.hale" not in site.members("volunteers")
    back = {"schemas": [USER], "userName": "kit.farrow", "displayName": "Kit Vane"}
    put = client.put("/scim/v2/Users/kit.farrow", json=back)
    assert put.status_code == 200, put.text
    assert not site.data.users["kit.farrow"].attributes.get("scim_id")
    assert patched("kit.farrow", userName="kit.vane").status_code == 200
    assert client.delete("/scim/v2/Users/kit.vane").status_code == 404
    assert client.delete("/scim/v2/Users/kit.farrow").status_code == 204
    assert "kit.vane" not in site.data.users


def test_a_directory_goes_on_knowing_whom_somebody_renames(site):
    def attributes(login):
        return site.data.users[login].attributes

    site.change(by="hana.okafor").rename_user("kit.farrow", "kit.vane").make()
    assert "scim_id" not in attributes("kit.vane"), "no directory knows them"
    known = site.change(by="hana.okafor").change_user(
        "sam.whitlock", attributes={"external_id": "E7"}
    )
    known.make()
    renamed = site.change(by="hana.okafor").rename_user("sam.whitlock", "sam.vane")
    assert renamed.lines() == []
    renamed.make()
    assert attributes("sam.vane")["scim_id"] == "sam.whitlock"
    with pytest.raises(pl.BadChange, match="a directory knows sam"):
        site.change(by="hana.okafor").add_user("Sam.Whitlock").make()
    site.change(by="hana.okafor").undo(site.version).make()
    assert "scim_id" not in attributes("sam.whitlock")
    for wrong, said in (("Sam.Whitlock", "what a directory knows sam.whitlock by"), ("a/b", "a/b")):
        with pytest.raises(pl.BadChange, match=said):
            site.change(by="hana.okafor").change_user("ines.varga", attributes={"scim_id": wrong})


# Authorization --------------------------------------------------------------------------------------


def question(who="sam.whitlock", action="edit", path="/log/seal-count", **more):
    subject = {"type": "user", "id": who} if who else {"type": "guest", "id": "guest"}
    resource = {"type": "item", "id": path}
    return {"subject": subject, "action": {"name": action}, "resource": resource, **more}


def test_evaluations_say_what_the_library_says(site, client_for):
    client, viewer = client_for("asking"), site.viewer
    paths = list(site.data.items)[::7]
    asked = [
        question(who, action, path)
        for who in (None, "kit.farrow", "ines.varga")
        for action in ("read", "edit", "publish")
        for path in paths
    ]
    found = client.post("/access/v1/evaluations", json={"evaluations": asked}).json()["evaluations"]
    for each, answer in zip(asked, found, strict=True):
        who = each["subject"]["id"] if each["subject"]["type"] == "user" else None
        right = viewer(who).allows(each["action"]["name"], each["resource"]["id"])
        assert answer == {"decision": right}
        assert client.post("/access/v1/evaluation", json=each).json() == answer


def test_the_ways_of_asking_several_at_once(client_for):
    client = client_for("asking")
    yes, no = {"action": {"name": "read"}}, {"action": {"name": "publish"}}
    whole = question()

    def decisions(semantic, *some):
        options = {"options": {"evaluations_semantic": semantic}} if semantic else {}
        body = {**whole, **options, "evaluations": list(some)}
        return [
            e["decision"]
            for e in client.post("/access/v1/evaluations", json=body).json()["evaluations"]
        ]

    assert decisions(None, yes, no, yes) == [True, False, True]
    assert decisions("execute_all", yes, no, yes) == [True, False, True]
    assert decisions("deny_on_first_deny", yes, no, yes) == [True, False]
    assert decisions("permit_on_first_permit", no, yes, no) == [False, True]
    assert client.post("/access/v1/evaluations", json=whole).json() == {"decision": True}
    wrong = {**whole, "evaluations": [yes], "options": {"evaluations_semantic": "any"}}
    assert client.post("/access/v1/evaluations", json=wrong).status_code == 400


def test_what_is_not_known_is_a_no_that_says_so_and_nothing_more(client_for):
    client = client_for("asking")
    for body, status in (
        (question("no.body"), 404),
        (question("group:trustees"), 404),
        (question(path="/trustees/minutez"), 404),
        (question(action="reed"), 404),
        (question(action="create"), 400),
        ({**question(), "subject": {"type": "robot", "id": "x"}}, 404),
        ({**question(), "context": {"time": "soon"}}, 400),
    ):
        answer = client.post("/access/v1/evaluation", json=body).json()
        assert answer.get("decision") is False or answer["status"] == 400
        if "context" in answer:
            assert answer["context"]["error"]["status"] == status
            assert "Did you mean" not in answer["context"]["error"]["message"]


def test_many_questions_at_once_keep_nobody_else_waiting(site, client_for, monkeypatch):
    client, threads = client_for("asking"), []
    asked = type(site).may

    def may(*args):
        threads.append(threading.current_thread())
        return asked(*args)

    site.allows(None, "read", "/visit")  # from then on it is ready
    monkeypatch.setattr(type(site), "may", may)
    client.post("/access/v1/evaluation", json=question())
    client.post("/access/v1/evaluations", json={"evaluations": [question()] * 20})
    loop = set(threads)
    client.post("/access/v1/evaluations", json={"evaluations": [question()] * 21})
    assert len(loop) == 1 and threads[-1] not in loop and len(threads) == 42
    site.change(by="hana.okafor").suspend("kit.farrow").make()
    assert not site.ready, "the next question makes an engine"
    client.post("/access/v1/evaluation", json=question())
    assert threads[-1] not in loop


def test_reasons_for_people_and_for_administrators(client_for):
    wanted = {"context": {"reasons": ["user", "admin"]}}
    asking, reading = client_for("asking"), client_for("asking", "reading")
    hidden = question("kit.farrow", "read", "/trustees/minutes", **wanted)
    told = asking.post("/access/v1/evaluation", json=hidden).json()["context"]
    assert told == {"reason_user": {"en": "You may not do this (read)."}}
    told = reading.post("/access/v1/evaluation", json=hidden).json()["context"]
    assert "Kit Farrow may not read" in told["reason_admin"]["en"]
    for odd in ("admin", -1, {"admin": True}):
        refused = asking.post("/access/v1/evaluation", json=question(context={"reasons": odd}))
        assert refused.status_code == 400


def test_times_places_and_what_is_new(client_for):
    client = client_for("asking")

    def may(body):
        return client.post("/access/v1/evaluation", json=body).json()["decision"]

    winter = question(None, "read", "/visit/winter", context={"time": "2026-12-01T00:00:00Z"})
    assert may(winter) and not may({**winter, "context": {"time": "2027-05-01"}})
    place = {
        **question("beatrix.lowe", "manage-rights"),
        "resource": {"type": "place", "id": "/trustees"},
    }
    assert may(place)
    new = {"name": "create", "properties": {"kind": "post", "categories": ["topic:wildlife"]}}
    assert may({**question(path="/log"), "action": new})
    filed = {"name": "file-under", "properties": {"category": "topic:press"}}
    assert not may({**question(), "action": filed})
    moved = {"name": "move", "properties": {"to": "/about"}}
    assert may({**question("hana.okafor", path="/visit/winter"), "action": moved})


def test_searches_are_paged_and_whole(site, client_for):
    client = client_for("asking")

    def all_of(kind, **body):
        found, token = [], ""
        while True:
            page = {"limit": 7, **({"token": token} if token else {})}
            answer = client.post(f"/access/v1/search/{kind}", json={**body, "page": page}).json()
            found += answer["results"]
            token = answer["page"]["next_token"]
            assert answer["page"]["count"] <= 7
            if not token:
                assert answer["page"]["total"] == len(found)
                return found

    whole = question("ines.varga")
    found = all_of("resource", **{**whole, "resource": {"type": "item"}})
    assert sorted(each["id"] for each in found) == sorted(site.items_for("ines.varga", "edit"))
    found = all_of("subject", **{**whole, "subject": {"type": "user"}})
    assert [each["id"] for each in found] == list(site.who_may("edit", "/log/seal-count"))
    found = all_of("action", subject=whole["subject"], resource=whole["resource"])
    assert {"name": "edit"} in found and {"name": "create"} not in found
    guests = client.post("/access/v1/search/subject", json={**question(action="read", path="/visit"), "subject": {"type": "guest"}})  # fmt: skip
    assert guests.json()["results"] == [{"type": "guest", "id": "guest"}]
    first = client.post("/access/v1/search/resource", json={**whole, "resource": {"type": "item"}, "page": {"limit": 1}}).json()  # fmt: skip
    other = {
        **question("kit.farrow"),
        "resource": {"type": "item"},
        "page": {"token": first["page"]["next_token"]},
    }
    assert client.post("/access/v1/search/resource", json=other).status_code == 400


def test_where_everything_is(client_for):
    told = client_for("asking").get("/.well-known/authzen-configuration").json()
    assert (
        told["access_evaluation_endpoint"]
        == f"{told['policy_decision_point']}/access/v1/evaluation"
    )
    assert len(told) == 6


# Tokens, limits, health ---------------------------------------------------------------------------------


def test_each_token_is_for_what_it_is_for_and_ends(site, tokens, client_for, monkeypatch):
    asking, reading = client_for("asking"), client_for("reading")
    assert reading.post("/access/v1/evaluation", json=question()).status_code == 403
    assert asking.get("/scim/v2/Users").status_code == 403
    assert (
        reading.post("/scim/v2/Users", json={"schemas": [USER], "userName": "x"}).status_code == 403
    )
    tokens.withdraw("t0")
    assert asking.post("/access/v1/evaluation", json=question()).status_code == 401
    ended = tokens.make("short", ["reading"], until="2020-01-01")
    headers = {"authorization": f"Bearer {ended}"}
    assert reading.get("/scim/v2/Users", headers=headers).status_code == 401
    assert oct(tokens.file.stat().st_mode)[-3:] == "600"
    assert ended not in tokens.file.read_text()
    for wrong in (["all"], [], ["provisioning"]):
        with pytest.raises(pl.BadValue):
            tokens.make("x", wrong)
    with pytest.raises(pl.AlreadyThere):
        tokens.make("short", ["reading"])
    with pytest.raises(pl.UnknownName, match="Did you mean short"):
        tokens.withdraw("shrt")


def test_without_a_token_there_is_only_health(site, tokens):
    client = TestClient(service(site, tokens))
    assert client.get("/-/alive").json() == {"status": "alive"}
    assert client.get("/-/ready").json()["status"] == "ready"
    for path in ("/-/metrics", "/openapi.json", "/scim/v2/Users", "/nowhere"):
        answer = client.get(path)
        assert answer.status_code == 401 and answer.headers["www-authenticate"] == "Bearer"
        assert answer.headers["content-type"] == "application/problem+json"
    for _ in range(300):  # a slow machine gets no further within a second
        answer = client.get("/-/metrics", headers={"authorization": "Bearer wrong"})
        if answer.status_code == 429:
            break
    assert answer.status_code == 429 and client.get("/-/alive").status_code == 200


def test_heads_without_end_and_heads_that_never_come_are_cut_off(site, tokens):
    class Impatient(Connection):
        longest, soon = 5_000, 0.5

    def answered(port, *parts, pause=0.0):
        with socket.create_connection(("127.0.0.1", port), timeout=20) as asking:
            found = b""
            with suppress(OSError):
                for part in parts:
                    asking.sendall(part)
                    time.sleep(pause)
                while part := asking.recv(65536):
                    found += part
            return found

    whole = b"GET /-/alive HTTP/1.1\r\nHost: x\r\nConnection: close\r\n"
    with running(service(site, tokens), Impatient) as port:
        assert b"200 OK" in answered(port, whole, b"\r\n")
        assert b"too long" in answered(port, whole, b"X-A: " + b"a" * 9_000)
        assert b"took too long" in answered(port, whole[:40])
        assert b"took too long" in answered(port)  # nothing at all
        assert b"200 OK" in answered(port, whole, b"\r\n", pause=0.2)
        big = b"Content-Length: 50000\r\n\r\n" + b"{" * 50_000  # a body is no head
        assert b"HTTP/1.1 4" in answered(port, whole.replace(b"GET", b"POST") + big)


def test_limits_of_size_depth_and_rate(client_for, monkeypatch):
    client = client_for("asking", rate=30)
    send = lambda body: client.post("/access/v1/evaluation", content=body, headers={"content-type": "application/json"})  # noqa: E731  # fmt: skip
    assert send(b"[" * 100_000).status_code == 400
    assert send(json.dumps({"a": [[[[[]]]]] * 2}).encode()).status_code == 400
    assert send(b'{"a":' * 40 + b"1" + b"}" * 40).json()["detail"].startswith("The body may be 32")
    assert send(b'{"subject": NaN}').status_code == 400
    assert send(rb'{"subject": "\ud83d"}').status_code == 400, "it could not be told back"
    assert send(b" " * 1_000_001).status_code == 413
    assert send(b"\xff\xfe").status_code == 400
    assert client.post("/access/v1/evaluation", content=b"{}").status_code == 415
    many = {"evaluations": [{}] * 10_001}
    assert client.post("/access/v1/evaluations", json=many).status_code == 400
    now = time.monotonic()  # however long sixty take
    monkeypatch.setattr("prim_lantern.serve.guard.monotonic", lambda: now)
    assert {send(b"{}").status_code for _ in range(60)} == {400, 429}


def test_request_ids_are_echoed_and_logs_have_no_more_than_logins(client_for, tokens, caplog):
    client = client_for("asking")
    with caplog.at_level(logging.INFO, logger="prim_lantern.serve"):
        answer = client.post(
            "/access/v1/evaluation", json=question(), headers={"x-request-id": "abc-1"}
        )
        odd = client.get("/nowhere%0d%0aX:%20y?secret=1", headers={"x-request-id": "a b"})
    assert answer.headers["x-request-id"] == "abc-1" and odd.headers["x-request-id"] != "a b"
    assert answer.headers["cache-control"] == "no-store"
    lines = [json.loads(each.getMessage()) for each in caplog.records]
    assert lines[0]["id"] == "abc-1" and lines[0]["endpoint"] == "/access/v1/evaluation"
    assert lines[0]["token"] == lines[1]["token"] == tokens.all()[0].name
    assert lines[1]["endpoint"] == "none"
    told = " ".join(each.getMessage() for each in caplog.records)
    assert "secret" not in told and "\n" not in told and "lantern_" not in told
    counted = client.get("/-/metrics").text
    assert 'prim_lantern_decisions_total{decision="yes"} 1.0' in counted
    assert "prim_lantern_site_version 0.0" in counted


def test_a_tester_of_descriptions_finds_no_errors_of_ours(site, tokens):
    token = tokens.make("described", ["asking", "provisioning"], "hana.okafor")
    headers = {"authorization": f"Bearer {token}"}
    app = service(site, tokens, rate=100_000)
    schema = schemathesis.openapi.from_asgi("/openapi.json", app, headers=headers)
    for operation in schema.get_all_operations():

        @settings(max_examples=8)
        @given(case=operation.ok().as_strategy())
        def one(case):
            answer = case.call(headers=headers)
            assert answer.status_code < 500, (case.method, case.path, answer.text)

        one()
