"""Viewers on the requests of real applications: ASGI, WSGI, decorators, templates, caches."""

from __future__ import annotations

import asyncio
import pickle
import threading
from concurrent.futures import ThreadPoolExecutor
from threading import Barrier, Event

import pytest
from jinja2 import Environment
from starlette.applications import Starlette
from starlette.middleware import Middleware
from starlette.responses import PlainTextResponse
from starlette.routing import Route
from starlette.testclient import TestClient

import prim_lantern as pl
from prim_lantern.web import AsgiViewers, LanternExtension, WsgiViewers, cache_headers, requires
from prim_lantern.web.versions import catch_up


@requires("read", "/{path}")
async def page(request):
    return PlainTextResponse(f"{request.state.viewer.name} at {request.path_params['path']}")


@requires("edit", lambda request: f"/{request.path_params['path']}")
def edit(request):
    return PlainTextResponse("editing", headers={"Cache-Control": "no-cache"})


def change(request):
    site = request.app.state.site
    with site.change(by="hana.okafor") as change:
        user = site.data.users["sam.whitlock"]
        (change.suspend if user.status == "active" else change.bring_back)("sam.whitlock")
    return PlainTextResponse("changed")


def refused(_, error):
    return PlainTextResponse("nothing" if error.hidden else "not yours", error.status)


def app_of(site):
    app = Starlette(
        routes=[
            Route("/edit/{path:path}", edit),
            Route("/change", change, methods=["POST"]),
            Route("/{path:path}", page),
        ],
        middleware=[Middleware(AsgiViewers, site=site, who=who)],
        exception_handlers={pl.Refused: refused},
    )
    app.state.site = site
    return app


def who(scope):
    return dict(scope["headers"]).get(b"x-who", b"").decode() or None


def test_a_viewer_is_on_each_request_and_those_who_may_not_are_refused():
    client = TestClient(app_of(pl.open_demo()))
    assert client.get("/visit").text == "a guest at visit"
    assert client.get("/friends", headers={"x-who": "kit.farrow"}).text == "Kit Farrow at friends"
    assert client.get("/visit", headers={"x-who": "long.gone"}).text == "a guest at visit"
    hidden, missing = client.get("/trustees"), client.get("/nowhere")
    assert (
        (hidden.status_code, hidden.text) == (missing.status_code, missing.text) == (404, "nothing")
    )
    assert client.get("/edit/visit", headers={"x-who": "kit.farrow"}).status_code == 403
    assert client.get("/edit/visit", headers={"x-who": "ines.varga"}).text == "editing"


@pytest.mark.parametrize("login", ["group:trustees", "somebody:group:trustees", "role:owner", "guests", "", "HANA\x00"])  # fmt: skip
def test_no_login_passes_for_somebody_pictured(login):
    site = pl.open_demo()
    site.viewer(pl.pictured("group:trustees")).items()  # whoever is pictured is known from now on
    site.allows(None, "read", "/visit")
    assert not site.viewer(login, unknown="guest").allows("read", "/trustees")
    with pytest.raises(pl.UnknownUser):
        site.allows(login, "read", "/trustees")


def test_no_shared_cache_keeps_what_is_for_one_person():
    site = pl.open_demo()
    client = TestClient(app_of(site))
    headers = client.get("/visit", headers={"x-who": "kit.farrow"}).headers
    assert headers["cache-control"] == "private, no-store"
    assert headers["vary"] == "Cookie, Authorization"
    assert (
        client.get("/edit/visit", headers={"x-who": "ines.varga"}).headers["cache-control"]
        == "no-cache"
    )
    guest = site.viewer(None, "2026-10-31T23:59:00Z")
    assert cache_headers(site, guest, 600)["Cache-Control"] == "public, max-age=60"
    assert (
        cache_headers(site, site.viewer("kit.farrow"), 600)["Cache-Control"] == "private, no-store"
    )


def test_who_has_changed_something_finds_it_changed_on_another_process(where, monkeypatch):
    one, other = TestClient(app_of(pl.open_site(where))), TestClient(app_of(pl.open_site(where)))
    answer = one.post("/change")
    assert (
        "lantern-seen=1; Path=/; Max-Age=120; HttpOnly; SameSite=Lax"
        in answer.headers["set-cookie"]
    )
    assert other.app.state.site.version == 0
    assert other.get("/visit", headers={"cookie": "lantern-seen=1"}).status_code == 200
    assert other.app.state.site.version == 1
    monkeypatch.setattr(pl.Site, "fresh_to", None)  # nobody waits for what was made up
    for made_up in ("999999999", "-1", "x", "9" * 40):
        assert other.get("/visit", headers={"cookie": f"lantern-seen={made_up}"}).status_code == 200
    assert "set-cookie" not in other.get("/visit").headers


@pytest.mark.parametrize("path", ["/{sulg}", "/{}", "/{slug.x}", "/{slug", "/{slug:d}"])
def test_a_path_that_cannot_be_filled_in_says_so(path):
    @requires("read", path, viewer=lambda: pl.open_demo().viewer(None))
    def view(slug):
        return slug

    with pytest.raises(pl.BadQuestion, match=r"the view's arguments with names are slug\."):
        view(slug="visit")


def test_who_makes_up_numbers_lets_two_requests_wait_and_no_more():
    waits, both, go = [], Barrier(3), Event()

    class Behind:
        def fresh_to(self, _, wait):
            waits.append(wait)
            if wait and not go.is_set():
                both.wait(10)
                go.wait(10)

    with ThreadPoolExecutor(2) as threads:
        waiting = [threads.submit(catch_up, Behind(), 7) for _ in range(2)]
        both.wait(10)
        for _ in range(3):
            catch_up(Behind(), 7)
        go.set()
        assert [each.result(10) for each in waiting] == [None, None]
    catch_up(Behind(), 7)
    assert [bool(each) for each in waits] == [True, True, False, False, False, True]


def test_a_site_that_has_just_changed_lets_nobody_else_wait():
    site = pl.open_demo()
    called, others = [], threading.Event()

    class Slow:
        ready = False
        version = 0

        def viewer(self, login, unknown):
            called.append(others.wait(timeout=60))
            return site.viewer(login, unknown=unknown)

    async def app(scope, receive, send):
        called.append(scope["viewer"].name)

    async def both():
        asking = asyncio.create_task(
            AsgiViewers(app, Slow(), who)({"type": "http", "headers": []}, None, None)
        )
        await asyncio.sleep(0.01)
        others.set()  # somebody else is answered meanwhile
        await asking

    asyncio.run(both())
    assert called == [True, "a guest"]


def test_a_refusal_says_no_more_than_it_should_and_pickles():
    viewer = pl.open_demo().viewer("kit.farrow")
    with pytest.raises(pl.Refused) as hidden:
        viewer.require("read", "/trustees/minutes")
    assert "Minutes" not in str(hidden.value) and hidden.value.status == 404
    with pytest.raises(pl.Refused) as refused:
        viewer.require("edit", "/friends")
    again = pickle.loads(pickle.dumps(refused.value))
    assert (again.who, again.action, again.path, again.hidden) == (
        "kit.farrow",
        "edit",
        "/friends",
        False,
    )
    assert "may not edit" in again.decision.reason
    with pytest.raises(pl.UnknownItem) as unknown:
        viewer.may("read", "/trustees/minutez")
    assert "Did you mean" not in str(unknown.value)


def test_a_viewer_answers_of_one_site_whatever_changes():
    site = pl.open_demo()
    viewer = site.viewer("sam.whitlock")
    with site.change(by="hana.okafor") as change:
        change.suspend("sam.whitlock")
    assert viewer.allows("edit", "/log/seal-count") and viewer.login == "sam.whitlock"
    assert viewer.items("edit") == ["/log/seal-count"] and viewer.version == 0
    after = site.viewer("sam.whitlock")
    assert not after.allows("edit", "/log/seal-count") and after.login is None
    rows = [{"path": "/log"}, {"path": "/gone"}]
    assert after.filter(rows, key="path", unknown="skip") == rows[:1]
    with pytest.raises(pl.UnknownItem):
        after.filter(rows, key="path")
    with pytest.raises(pl.BadValue, match="say where its path is"):
        after.filter([{"url": "/log"}], key="path")


def test_wsgi_has_the_same():
    site = pl.open_demo()

    def app(environ, start_response):
        environ["prim_lantern.viewer"].require("read", environ["PATH_INFO"])
        with site.change(by="hana.okafor") as change:
            change.suspend("sam.whitlock")
        start_response("200 OK", [("Content-Type", "text/plain")])
        return [b"ok"]

    said = []
    guarded = WsgiViewers(app, site, who=lambda environ: environ.get("REMOTE_USER"))
    environ = {"PATH_INFO": "/friends", "REQUEST_METHOD": "POST", "REMOTE_USER": "kit.farrow"}
    assert guarded(environ, lambda *told: said.append(told)) == [b"ok"]
    assert said[0][1][-1][1].startswith("lantern-seen=1;")
    with pytest.raises(pl.Refused):
        guarded({"PATH_INFO": "/friends"}, lambda *_: None)


def test_templates_ask_the_viewer():
    templates = Environment(extensions=[LanternExtension], autoescape=True)
    page = templates.from_string(
        "{% shown path to 'edit' %}edit{% otherwise %}look{% endshown %}"
        "{% shown '/nowhere' %}never{% endshown %}"
        "{{ ' read' if path is readable }}{{ ' write' if path is allowed('edit') }}"
    )
    site = pl.open_demo()
    told = {
        who: page.render(viewer=site.viewer(who), path="/visit/prices")
        for who in (None, "mirela.kos")
    }
    assert told == {None: "look read", "mirela.kos": "edit read write"}
    with pytest.raises(pl.BadQuestion, match="give it the viewer"):
        page.render(path="/visit")


def test_a_view_without_a_viewer_is_told_how_to_get_one():
    with pytest.raises(pl.BadQuestion, match="put AsgiViewers or WsgiViewers around"):
        edit(object())
