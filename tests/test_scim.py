"""People and groups over SCIM: a directory reads and writes them."""

from __future__ import annotations

import json

import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.serve import service
from prim_lantern.serve.connections import Connection
from serving import running


@pytest.fixture
def served(site, tokens):
    """The service on a real port, and the token of a directory."""
    token = tokens.make("directory", ["provisioning"], "hana.okafor")
    with running(service(site, tokens), Connection) as port:
        yield f"http://127.0.0.1:{port}", token


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


def test_what_a_directory_knows_them_by_is_kept_and_found(demo_folder, site, client_for):
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
    again = pl.open_site(demo_folder)
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
