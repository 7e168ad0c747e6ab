"""Several processes that answer from one site: real ones, which are told of each other's changes."""

from __future__ import annotations

import os
import subprocess
import sys
import time
from concurrent.futures import ThreadPoolExecutor

import pytest

import prim_lantern as pl
from conftest import Server, put
from prim_lantern.freshness import KeptFresh

SOON = 60.0  # seconds at most, however busy the machine; docs/benchmarks.md has what it takes
PROCESS = """
import sys
import prim_lantern as pl
site = pl.open_site(sys.argv[1])
kept = site.keep_fresh(refuse_after=float(sys.argv[2]) if sys.argv[2] else None)
print("ready", flush=True)
for line in sys.stdin:
    try:
        print(eval(line), flush=True)
    except pl.PrimLanternError as error:
        print(type(error).__name__, str(error).splitlines()[0], flush=True)
"""


class Process:
    """A process of a website, asked over a pipe."""

    def __init__(self, where, refuse_after=""):
        self._running = subprocess.Popen(
            [sys.executable, "-c", PROCESS, where, str(refuse_after)],
            stdin=subprocess.PIPE, stdout=subprocess.PIPE, text=True,
        )  # fmt: skip
        assert self._running.stdout.readline() == "ready\n"

    def ask(self, what):
        self._running.stdin.write(f"{what}\n")
        self._running.stdin.flush()
        return self._running.stdout.readline().strip()

    def until(self, what, answer):
        """How many seconds it takes until it answers so."""
        began = time.monotonic()
        while not self.ask(what).startswith(answer):
            assert time.monotonic() - began < SOON, (what, self.ask(what))
            time.sleep(0.005)
        return time.monotonic() - began

    def __enter__(self):
        return self

    def __exit__(self, *_):
        self._running.stdin.close()
        self._running.wait(timeout=60)
        self._running.stdout.close()


def may(action="edit", path="/visit/prices", who="sam.whitlock"):
    return f"site.allows({who!r}, {action!r}, {path!r})"


def test_what_one_process_changes_the_others_answer_by_at_once(where):
    site = pl.open_site(where)
    with Process(where) as one, Process(where) as other:
        assert [each.ask(may()) for each in (one, other)] == ["False", "False"]
        with site.change(by="hana.okafor") as change:
            change.allow("edit", to="user:sam.whitlock", where="/visit/prices")
        for each in (one, other):
            each.until(may(), "True")
        with site.change(by="hana.okafor") as change:
            change.suspend("sam.whitlock")
        for each in (one, other):
            each.until(may(), "False")
            assert each.ask("site.version") == "2"
            assert each.ask("site.freshness.trouble") == ""


def test_a_folder_that_is_edited_by_hand_is_taken_over_and_mistakes_are_told(demo_folder):
    file = demo_folder / "site.toml"
    text = file.read_text(encoding="utf-8")
    with Process(demo_folder) as process:
        assert process.ask(may("read", "/trustees", None)) == "False"
        file.write_text(f"{text}\n[[rules]]\nallow = 'reed'\n", encoding="utf-8")
        process.until("bool(site.freshness.trouble)", "True")
        assert "reed" in process.ask("site.freshness.trouble.replace(chr(10), ' ')")
        assert process.ask(may("read", "/visit", None)) == "True"  # by what it knows
        allow = "\n[[rules]]\nallow = ['read']\nto = ['guests']\nwhere = '/trustees'\n"
        file.write_text(text + allow, encoding="utf-8")
        process.until(may("read", "/trustees", None), "True")
        assert process.ask("site.freshness.trouble") == ""


def test_without_its_database_a_process_goes_on_says_so_and_refuses_after_a_while():
    server = Server()
    try:
        where = put(pl.open_demo().data, server.database())
        site = pl.open_site(where)
        with Process(where) as patient, Process(where, refuse_after=1.5) as strict:
            server.stop()
            for each in (patient, strict):
                each.until("bool(site.freshness.trouble)", "True")
            strict.until(may("read", "/visit", None), "StoreTrouble")
            said = strict.ask(may("read", "/visit", None))
            assert "not reached since 20" in said and "nothing is answered" in said
            assert strict.ask("site.who_may('read', '/visit')").startswith("StoreTrouble")
            assert strict.ask("site.viewer(None)").startswith("StoreTrouble")
            assert patient.ask(may("read", "/visit", None)) == "True"
            assert float(patient.ask("site.freshness.age")) > 0.5
            server.start()
            for each in (patient, strict):
                each.until("bool(site.freshness.trouble)", "False")
            with site.change(by="hana.okafor") as change:
                change.allow("edit", to="user:sam.whitlock", where="/visit/prices")
            for each in (patient, strict):
                each.until(may(), "True")
    finally:
        server.remove()


def test_somebody_who_is_sent_on_finds_their_change_made(where):
    site, other = pl.open_site(where), pl.open_site(where)
    with site.change(by="hana.okafor") as change:
        change.suspend("sam.whitlock")
    assert other.version == 0
    other.fresh_to(site.version)
    assert other.data.users["sam.whitlock"].status == "suspended"
    with pytest.raises(pl.StoreTrouble, match="has no change 7 yet; 1 is the last"):
        other.fresh_to(7, wait=0.1)


def test_a_forked_process_goes_on_by_itself(where):
    site = pl.open_site(where)
    with site.keep_fresh():
        child = os.fork()
        if child == 0:
            until = time.monotonic() + SOON
            while site.version < 1 and time.monotonic() < until:
                time.sleep(0.01)
            os._exit(0 if site.version == 1 else 1)
        other = pl.open_site(where)
        with other.change(by="hana.okafor") as change:
            change.suspend("sam.whitlock")
        assert os.waitstatus_to_exitcode(os.waitpid(child, 0)[1]) == 0


def test_stopping_ends_the_thread_and_refuses_nothing(where, monkeypatch):
    site = pl.open_site(where)
    later = 0.0
    for module in ("freshness", "live", "questions"):
        monkeypatch.setattr(f"prim_lantern.{module}.time", lambda: time.time() + later)
    with site.keep_fresh(refuse_after=300) as kept:
        assert site.allows(None, "read", "/visit")
        later, before = 1_000.0, time.monotonic()
        while site.freshness.age > 0:  # the store says again that nothing is newer
            assert time.monotonic() - before < SOON
            time.sleep(0.01)
        assert site.allows(None, "read", "/visit")
    kept.stop()
    later = 2_000.0
    assert site.allows(None, "read", "/visit")
    with pytest.raises(pl.BadValue, match="is no time: say how many seconds"):
        site.keep_fresh(refuse_after=0)


def test_another_takes_its_place_and_what_is_wrong_stops_nothing(where, monkeypatch):
    site, free = pl.open_site(where), []
    stop = KeptFresh.stop

    def take_over():
        if site._taking.acquire(timeout=5):
            site._taking.release()
            free.append(True)

    def stop_while_others_take_over(kept):
        with ThreadPoolExecutor(1) as pool:
            pool.submit(take_over).result()
        stop(kept)

    first = site.keep_fresh(refuse_after=300)
    monkeypatch.setattr(KeptFresh, "stop", stop_while_others_take_over)
    second = site.keep_fresh(refuse_after=200)
    monkeypatch.undo()
    assert free == [True]  # nobody waited
    first.stop()  # once more
    with pytest.raises(pl.BadValue):
        site.keep_fresh(refuse_after=-1)
    assert site._confirmed.good_for == 200
    assert (first._thread.is_alive(), second._thread.is_alive()) == (False, True)
    second.stop()


def test_many_threads_ask_while_others_change(where):
    site, other = pl.open_site(where), pl.open_site(where)
    with site.keep_fresh(), ThreadPoolExecutor(4) as pool:
        done = []
        asking = [pool.submit(_ask_until, site, done) for _ in range(3)]
        for turn in range(4):
            with other.change(by="hana.okafor") as change:
                if turn % 2:
                    change.bring_back("sam.whitlock")
                else:
                    change.suspend("sam.whitlock")
        site.fresh_to(4)
        done.append(True)
        assert all(each.result() for each in asking)
    assert site.data.users["sam.whitlock"].status == "active"


def _ask_until(site, done):
    """Whether all that each viewer answered was of one site: of somebody active, or of a guest."""
    while not done:
        viewer = site.viewer("sam.whitlock")
        active = viewer.version % 2 == 0
        if {viewer.allows("edit", "/log/seal-count"), viewer.login is not None} != {active}:
            return False
    return True
