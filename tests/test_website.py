"""The example website, driven in a browser as the people of the demo."""

from __future__ import annotations

import os
import subprocess
import sys
import time
import urllib.request
from pathlib import Path

import pytest

playwright = pytest.importorskip("playwright.sync_api")
APP = Path(__file__).resolve().parents[1] / "examples" / "website" / "app.py"
CHROMIUM = Path("/usr/bin/chromium")


@pytest.fixture(scope="module")
def address(tmp_path_factory):
    port = 20_000 + os.getpid() % 20_000
    environment = {**os.environ, "PORT": str(port), "PRIM_LANTERN_NOW": "2027-05-10"}
    running = subprocess.Popen(
        [sys.executable, str(APP), str(tmp_path_factory.mktemp("website"))],
        env=environment, stdout=subprocess.DEVNULL, stderr=subprocess.PIPE, text=True,
    )  # fmt: skip
    found = f"http://127.0.0.1:{port}"
    for _ in range(1_200):
        try:
            urllib.request.urlopen(found).close()
            break
        except OSError:
            assert running.poll() is None, running.stderr.read()
            time.sleep(0.1)
    yield found
    running.terminate()
    _, said = running.communicate(timeout=60)
    assert "Traceback" not in said, said


@pytest.fixture(scope="module")
def browser():
    if not CHROMIUM.exists():
        pytest.skip("Chromium is not installed (Debian: apt-get install chromium)")
    with playwright.sync_playwright() as started:
        found = started.chromium.launch(executable_path=str(CHROMIUM), args=["--no-sandbox"])
        yield found
        found.close()


class Visitor:
    """Somebody at the website, in a window of their own."""

    def __init__(self, browser, address, login=None):
        self.page = browser.new_context(java_script_enabled=False).new_page()
        self.page.set_default_timeout(60_000)
        self._address = address
        if login is not None:
            self.goes("/-/sign-in")
            self.page.select_option("#login", login)
            self.page.click("main button")

    def goes(self, path):
        """The status and the heading of what stands there."""
        answer = self.page.goto(self._address + path)
        return answer.status, self.page.inner_text("h1")

    def reads(self, path="/"):
        self.goes(path)
        return self.page.inner_text("body")

    def links(self, where):
        return [each.inner_text() for each in self.page.query_selector_all(f"{where} a")]

    def clicks(self, what):
        self.page.click(f"text={what}")


@pytest.fixture
def visitor(browser, address):
    return lambda login=None: Visitor(browser, address, login)


def test_a_guest_sees_and_counts_only_what_is_public(visitor):
    guest = visitor()
    assert guest.goes("/") == (200, "Oxlip Sound Lighthouse Trust")
    assert guest.links("nav[aria-label=Main]") == [
        "Events",
        "Learn",
        "Log",
        "News",
        "Stations",
        "Visit",
    ]
    assert "Sign in to see what is for friends" in guest.reads("/")
    hidden = guest.goes("/trustees/minutes")
    assert hidden == guest.goes("/nowhere/at-all") == (404, "There is nothing here")
    assert "0 pages for you" in guest.reads("/-/list?words=minutes")
    assert "46 pages for you" in guest.reads("/-/list")
    assert guest.goes("/-/why?path=/visit")[0] == 404
    assert guest.goes("/-/edit/visit/prices") == (403, "That is not yours to do")
    assert guest.goes("/-/edit/trustees/minutes") == (404, "There is nothing here")


def test_a_friend_sees_more_and_no_sign_in_box(visitor):
    friend = visitor("kit.farrow")
    assert "Friends" in friend.links("nav[aria-label=Main]")
    assert "Sign in to see what is for friends" not in friend.reads("/")
    assert friend.goes("/friends") == (200, "For friends")
    assert friend.goes("/trustees")[0] == 404
    assert "1 page for you" in friend.reads("/-/list?words=sharing")


def test_a_keeper_edits_their_station_alone(visitor):
    keeper = visitor("leif.aronsen")
    assert "Edit" in keeper.reads("/stations/fennick")
    assert "Edit" not in keeper.reads("/stations/marrow/history")
    assert keeper.goes("/-/edit/stations/marrow")[0] in (403, 404)
    keeper.goes("/-/edit/stations/fennick")
    keeper.page.fill("#title", "Fennick Rock and its light")
    keeper.clicks("Keep")
    assert keeper.page.inner_text("h1") == "Fennick Rock and its light"
    assert "Fennick Rock and its light" in visitor().reads("/-/list?words=fennick")


def test_a_volunteer_writes_and_submits_and_an_editor_publishes(visitor):
    volunteer, editor, guest = visitor("sam.whitlock"), visitor("ines.varga"), visitor()
    volunteer.goes("/-/new?kind=post&parent=/log")
    offered = [each.inner_text() for each in volunteer.page.query_selector_all("#category option")]
    assert "topic:wildlife/seals" in offered and "topic:press" not in offered
    volunteer.page.fill("#title", "A seal on the slip")
    volunteer.page.select_option("#category", "topic:wildlife/seals")
    volunteer.clicks("Keep as a draft")
    assert volunteer.page.inner_text("h1") == "A seal on the slip"
    assert "This is draft" in volunteer.page.inner_text("main")
    assert guest.goes("/log/a-seal-on-the-slip")[0] == 404
    assert "0 pages for you" in guest.reads("/-/list?words=seal+on+the+slip")
    volunteer.clicks("Submit")
    assert "Publish" not in volunteer.reads("/log/a-seal-on-the-slip")
    assert "A seal on the slip" in editor.reads("/-/queue")
    editor.goes("/log/a-seal-on-the-slip")
    editor.clicks("Publish")
    assert guest.goes("/log/a-seal-on-the-slip") == (200, "A seal on the slip")


def test_an_administrator_asks_why_and_looks_as_somebody_else(visitor):
    owner = visitor("hana.okafor")
    told = owner.reads("/-/why?who=kit.farrow&action=read&path=/trustees")
    assert "No: Kit Farrow may not read" in told
    owner.page.select_option("#whom", "kit.farrow")
    owner.clicks("Look")
    assert "You see the site as Kit Farrow does" in owner.page.inner_text("[role=status]")
    assert owner.goes("/trustees")[0] == 404
    owner.clicks("Be yourself again")
    assert owner.goes("/trustees")[0] == 200
    assert owner.goes("/-/why?who=nobody.here&path=/visit")[0] == 422


def test_nobody_looks_as_somebody_without_the_right_to_it(visitor, address):
    volunteer = visitor("sam.whitlock")
    answer = volunteer.page.request.post(f"{address}/-/look-as", form={"whom": "hana.okafor"})
    assert answer.status == 403
    assert volunteer.goes("/trustees")[0] == 404
