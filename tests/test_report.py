"""The report for a board: it says what the site says, on one page that needs nothing else, and that
everybody can use."""

from __future__ import annotations

import re
import shutil
import signal
import subprocess
import sys
from html.parser import HTMLParser
from random import Random

import pytest
from hypothesis import given, settings

import prim_lantern as pl
from conftest import run
from prim_lantern.decide.engine import Engine
from prim_lantern.report.contents import contents
from prim_lantern.report.grid import ALL, OTHERS, grid_part
from prim_lantern.report.page import page
from prim_lantern.site.moments import moment
from sites import sites

NOON = moment("2027-05-10T12:00:00Z")
CHROMIUM = shutil.which("chromium")


@settings(max_examples=30)
@given(site=sites())
def test_the_grid_says_of_every_page_what_the_site_says(site):
    engine = Engine(site, NOON)
    groups = [f"group:{each}" for each in site.groups]
    part = grid_part(engine, sorted(site.items), ["guests", *groups])
    for section in part.sections:
        named = [at for at, each in enumerate(section.columns) if "Guests" in each]
        (at,) = named or [section.columns.index(ALL if ALL in section.columns else OTHERS)]
        for line in section.lines:
            cell, reasons = line.cells[at]
            may = engine.allows(None, "read", line.where)
            assert ("read" in cell.split(", ")) == may
            assert reasons[0].startswith("Yes: A guest" if may else "No: A guest")


def test_folding_leaves_out_only_what_says_nothing_new(demo):
    engine = demo._state.engine(NOON)
    whole = [
        "/stations",
        "/stations/fennick",
        "/stations/fennick/tour",
        "/stations/fennick/working",
    ]
    (section,) = grid_part(
        engine, whole, ["guests", "group:keepers-fennick", "group:staff"]
    ).sections
    assert [line.where for line in section.lines] == [
        "/stations",
        "/stations/fennick",
        "/stations/fennick/working",
    ]
    assert section.folded == 1
    assert set(section.columns) == {"Guests", "Keepers of Fennick Rock", "Staff"}
    many = ["guests", *(f"group:{each}" for each in engine.data.groups)]
    (section,) = grid_part(engine, ["/trustees"], many).sections
    assert section.columns == (OTHERS, "Trustees")
    (section,) = grid_part(engine, ["/visit"], many).sections
    assert section.columns == (ALL,)


class _Page(HTMLParser):
    """What a page refers to, which marks it leaves open, and its text."""

    def __init__(self, text):
        super().__init__()
        self.refers, self.open, self.wrong, self.text, self.scripts = [], [], [], [], 0
        self.feed(text)

    def handle_starttag(self, tag, attributes):
        values = dict(attributes)
        self.refers += [values[each] for each in ("href", "src", "action") if each in values]
        self.scripts += tag == "script" or any(each.startswith("on") for each in values)
        if tag not in ("meta", "br", "link", "img", "input"):
            self.open.append(tag)

    def handle_endtag(self, tag):
        if not self.open or self.open.pop() != tag:
            self.wrong.append(tag)

    def handle_data(self, data):
        self.text.append(data)


EVIL = '<script>alert(1)</script>"><img src=x onerror=alert(2)>'


def test_every_text_of_the_site_is_escaped_and_nothing_is_fetched(demo_folder):
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor", reason=EVIL) as change:
        change.change_item("/visit", title=EVIL)
        change.change_group("friends", label=EVIL, about=EVIL)
        change.change_role("commenter", label=EVIL, about=EVIL)
        change.change_user("sam.whitlock", name=EVIL)
        change.add_promise("guests", "edit", may=False, note=EVIL)
    found = _Page(site.report("2027-05-10", "2020-01-01", checkup=False))
    assert found.scripts == 0
    assert found.wrong == [] and found.open == []
    assert all(each.startswith("#") for each in found.refers)
    assert "".join(found.text).count("<script>alert(1)") >= 5


def test_it_tells_numbers_promises_findings_and_changes(demo_folder):
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor", reason="For the board") as change:
        change.add_members("newsroom", ["kit.farrow"])
    text = re.sub(r"\s+", " ", re.sub(r"<[^>]+>", " ", site.report("2027-05-10", "2020-01-01")))
    for said in (
        "41 (active 36, invited 3, suspended 1, byline 1)", "The owner is Hana Okafor",
        "Ines Varga: on the whole site, by the role Web team", "3 of 5 hold.",
        "Everyone may read at /visit and below", "Mistakes (3)", "Nearest: position “relief keeper”",
        "Change 1", "For the board", "add kit.farrow to group:newsroom",
        "Field writer", "create, edit, submit and delete: a post of their own while draft",
        "How one joins: whose position is keeper",
    ):  # fmt: skip
        assert said in text, said
    found = contents(site._state.engine(NOON), None, (), None)
    assert found.all_access == (("Ines Varga", "on the whole site, by the role Web team"),)
    broken = [each.broken for each in found.promises if not each.kept]
    assert broken == [
        "35 times, for example at /visit/winter",
        "19 times, for example at /log/anniversary",
    ]
    assert "Changes since" not in site.report("2027-05-10", checkup=False)
    assert '<h2 id="findings"' not in site.report("2027-05-10", checkup=False)


def test_what_is_too_much_is_counted_and_it_says_so(make_site):
    rng = Random(3)
    groups = "".join(f'[groups.g{n}]\nlabel = "Group {n}"\n' for n in range(80))
    roles = "".join(
        f'[roles.r{n}]\n[[roles.r{n}.capabilities]]\ncan = ["edit"]\n' for n in range(70)
    )
    paths = ["/", *(f"/s{n}" for n in range(400))]
    rules = "".join(
        f'[[rules]]\nallow = ["edit"]\nto = ["group:g{rng.randrange(80)}"]\nwhere = "{each}"\n'
        for each in paths[1:250]
    )
    people = "".join(f"p{n},Person {n},,,g1,,\n" for n in range(50))
    site = make_site(groups + roles + rules, people, "".join(f"{e},page,,,,,,,,,\n" for e in paths))
    found = contents(site._state.engine(NOON), None, (), None)
    assert found.summed == (
        "The grid has 60 of 80 groups.", "60 of 80 groups are told one by one.",
        "60 of 70 roles are told one by one.", "200 of 249 places with words of their own are told.",
    )  # fmt: skip
    assert (len(found.groups), len(found.roles), len(found.places)) == (60, 60, 200)
    assert found.groups[1].lines[0].endswith("and 30 more")
    text = page(found)
    assert "too big to be told whole" in text
    assert len(text.encode()) < 5_000_000


def test_the_command_writes_a_page_and_overwrites_none(demo_folder, tmp_path):
    file = tmp_path / "board.html"
    done = run("report", str(file), "--no-checkup", "--since", "2027-01-01", site=demo_folder)
    assert done.returncode == 0, done
    assert file.read_text(encoding="utf-8").startswith("<!doctype html>")
    again = run("report", str(file), site=demo_folder)
    assert again.returncode == 2
    assert "already there" in " ".join(again.stderr.split())


@pytest.mark.skipif(CHROMIUM is None, reason="Chromium (chromium) is not installed")
def test_everybody_can_use_it_in_a_browser(demo, tmp_path):
    """WCAG 2.2 AA by axe-core, with every part opened; no sideways scrolling at 400 % zoom, which
    is 320 pixels; every place with a summary can be reached by the keyboard."""
    from axe_playwright_python.sync_playwright import Axe
    from playwright.sync_api import sync_playwright

    file = tmp_path / "board.html"
    file.write_text(demo.report("2027-05-10", "2020-01-01", checkup=False), encoding="utf-8")
    with sync_playwright() as play:
        browser = play.chromium.launch(executable_path=CHROMIUM, args=["--no-sandbox"])
        view = browser.new_page(viewport={"width": 1280, "height": 800})
        asked = []
        view.on("request", lambda request: asked.append(request.url))
        view.goto(file.as_uri())
        rules = {
            "runOnly": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa", "best-practice"]
        }
        assert Axe().run(view, options=rules).violations_count == 0
        view.evaluate("document.querySelectorAll('details').forEach(each => each.open = true)")
        assert Axe().run(view, options=rules).violations_count == 0
        view.set_viewport_size({"width": 320, "height": 256})
        assert view.evaluate("document.documentElement.scrollWidth") <= 320
        view.keyboard.press("Tab")
        assert view.evaluate("document.activeElement.textContent") == "To the report"
        view.keyboard.press("Enter")
        assert view.evaluate("document.activeElement.id") == "main"
        assert asked == [file.as_uri()]
        browser.close()


def test_a_report_that_is_stopped_leaves_nothing_behind(demo_folder, tmp_path):
    file = tmp_path / "board.html"
    file.write_text("the old one", encoding="utf-8")
    words = ["report", str(file), "--overwrite", "--site", str(demo_folder)]
    code = """
import time, prim_lantern.insight.checkup as insight
from prim_lantern.cli.start import run
def endless(*args, **more):
    print("now", flush=True)
    time.sleep(600)
insight.checkup = endless
run()
"""
    process = subprocess.Popen(
        [sys.executable, "-c", code, *words],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        # where tests run in the background, Ctrl-C is for somebody else
        preexec_fn=lambda: signal.signal(signal.SIGINT, signal.SIG_DFL),
    )
    assert process.stdout.readline() == b"now\n"
    process.send_signal(signal.SIGINT)
    _, said = process.communicate(timeout=300)
    assert process.returncode == 2
    assert b"Stopped." in said
    assert b"Traceback" not in said
    assert [each.name for each in tmp_path.iterdir() if each.is_file()] == ["board.html"]
    assert file.read_text(encoding="utf-8") == "the old one"
