"""The service over HTTP: authorization, people and groups, tokens, limits."""

from __future__ import annotations

import json
import logging
import os
import socket
import threading
import time
from contextlib import suppress

import pytest
import schemathesis
from hypothesis import given, settings
from starlette.testclient import TestClient

import prim_lantern as pl
from prim_lantern.freshness import KeptFresh
from prim_lantern.serve import service
from prim_lantern.serve.connections import Connection
from prim_lantern.serve.tokens import Tokens
from serving import running

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
    monkeypatch.setattr(KeptFresh, "_look", lambda _: True)  # it would make the engine by itself
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


def test_at_no_moment_can_others_read_the_tokens_or_find_half_a_file(tmp_path, monkeypatch):
    tokens, replace, seen = Tokens(tmp_path / "tokens.json"), os.replace, []

    def watched(beside, file):
        held = file.read_text() if file.exists() else None
        seen.append((beside.stat().st_mode & 0o777, held and held.count("hash")))
        replace(beside, file)

    monkeypatch.setattr(os, "replace", watched)
    for name in ("one", "two", "three"):
        tokens.make(name, ["reading"])
        tokens.file.chmod(0o644)
    assert seen == [(0o600, None), (0o600, 1), (0o600, 2)]
    assert [each.name for each in Tokens(tokens.file).all()] == ["one", "two", "three"]


def test_each_token_is_for_what_it_is_for_and_ends(site, tokens, client_for, monkeypatch):
    asking, reading = client_for("asking"), client_for("reading")
    assert reading.post("/access/v1/evaluation", json=question()).status_code == 403
    assert asking.get("/scim/v2/Users").status_code == 403
    assert reading.post("/scim/v2/Users", json={"userName": "x"}).status_code == 403
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
        longest, soon = 5_000, 60.0

    def answered(port, *parts, pause=0.0):
        with socket.create_connection(("127.0.0.1", port), timeout=120) as asking:
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
        assert b"200 OK" in answered(port, whole, b"\r\n", pause=0.2)
        big = b"Content-Length: 50000\r\n\r\n" + b"{" * 50_000  # a body is no head
        assert b"HTTP/1.1 4" in answered(port, whole.replace(b"GET", b"POST") + big)
        Impatient.soon = 0.2
        assert b"took too long" in answered(port, whole[:40])
        assert b"took too long" in answered(port)  # nothing at all


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
