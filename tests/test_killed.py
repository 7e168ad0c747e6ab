"""A process that is killed at each single call to the system by which a change is written."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys

import pytest

import prim_lantern as pl
from prim_lantern.store.database import DatabaseStore

WRITING = (
    "write,pwrite64,fsync,fdatasync,ftruncate,rename,renameat,renameat2,unlink,unlinkat,mkdir,"
    "chmod,fchmod,fchown,sendto,sendmsg"
)
CHANGE = """
import sys
import prim_lantern as pl
site = pl.open_site(sys.argv[1])
with site.change(by="hana.okafor") as change:
    change.change_item("/log", title=sys.argv[2]).add_user("zoe" + sys.argv[2])
    change.allow("edit", to="user:zoe" + sys.argv[2], where="/log")
"""


@pytest.fixture(params=["folder", "sqlite", "postgresql"])
def where(request, tmp_path, demo_folder):
    """The demo site, kept in each way."""
    if request.param == "folder":
        return str(demo_folder)
    if request.param == "sqlite":
        place = f"sqlite:///{tmp_path / 'site.db'}"
    else:
        place = request.getfixturevalue("postgresql")()
    DatabaseStore(place, make=True).fill(pl.open_demo().data)
    return place


def killed_at(where, number):
    """Make a change in a process that is killed at one of its writing calls, if it gets so far."""
    command = [sys.executable, "-B", "-c", CHANGE, where, str(number)]
    inject = f"inject={WRITING}:signal=KILL:when={number}"
    traced = ["strace", "-f", "-qq", "-o", os.devnull, "-e", f"trace={WRITING}", "-e", inject]
    ended = subprocess.run([*traced, *command], capture_output=True, check=False, timeout=300)
    assert ended.returncode in (0, -9, 137), ended.stderr
    return ended.returncode != 0


def assert_whole(where, number, before):
    """Whether the site is as before the change or after it; the site."""
    site = pl.open_site(where)
    made = site.data.items["/log"].title == str(number)
    assert (f"zoe{number}" in site.data.users) == made
    assert len(site.data.rules) == len(before.data.rules) + made
    assert site.store.check_history() == site.seen.number == before.seen.number + made
    with site.change(by="hana.okafor", reason="goes on") as change:
        change.change_item("/visit", title=str(number))
    return pl.open_site(where)


@pytest.mark.skipif(shutil.which("strace") is None, reason="strace is not installed")
def test_killed_at_any_writing_call_the_site_is_before_or_after(where, request):
    some = 12 if "://" in where else 4  # a database writes far more often
    step = 1 if request.config.getoption("--long") else some
    site, number, killed = pl.open_site(where), 1, 0
    while killed_at(where, number):
        site = assert_whole(where, number, site)
        killed += 1
        number += step
    assert killed > 1
    assert_whole(where, number, site)
