"""Odd texts and types, empty sites, other threads, processes that end: nothing is ever half anything."""

from __future__ import annotations

import inspect
import os
import shutil
import stat
import sys
import tempfile
import threading
from contextlib import suppress
from pathlib import Path
from random import Random

import pytest
from defusedxml import ElementTree
from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.change.operations import OPERATIONS
from sites import random_site

ANY = st.one_of(
    st.none(), st.booleans(), st.integers(), st.text(max_size=8), st.lists(st.text(max_size=4), max_size=2),
    st.dictionaries(st.text(max_size=4), st.text(max_size=4), max_size=2),
    st.sampled_from(["/log", "site", "volunteers", "sam.whitlock", "group:friends", "edit", "post", "2027-01-01"]),
)  # fmt: skip


@st.composite
def operations(draw):
    name = draw(st.sampled_from(sorted(OPERATIONS)))
    fields = OPERATIONS[name].__dataclass_fields__
    some = draw(st.lists(st.sampled_from(sorted(fields) or ["x"]), unique=True, max_size=4))
    needed = [each.name for each in fields.values() if each.default is each.default_factory]
    return {"do": name, **{field: draw(ANY) for field in {*some, *needed}}}


@given(operations())
def test_operations_of_any_types_are_refused_in_our_words_or_made_whole(operation):
    site = pl.open_demo()
    before = site.data
    try:
        site.change(by="hana.okafor").do(operation).make()
    except pl.PrimLanternError:
        assert site.data is before
    else:
        assert site.store.check_history() == 1


VALUES = [
    None,
    3,
    True,
    "",
    "nobody",
    "a\x00b",
    "/nowhere",
    [],
    [3],
    range(2),
    {},
    object(),
    b"/log",
    "x" * 20_000,
]
USUAL = {
    "who": "sam.whitlock", "login": "sam.whitlock", "action": "edit", "path": "/log", "where": "/log",
    "by": "hana.okafor", "kind": "post", "name": "volunteers", "group": "volunteers", "role": "writer",
}  # fmt: skip
OF_THE_WHOLE = ("checkup", "tidy", "report")
FLAGS = ("today_only", "checkup", "each_word")  # anything is yes or no
SITE_CALLS = [
    (kind, name, parameter)
    for kind in (pl.Site, pl.Change, pl.Viewer)
    for name, method in inspect.getmembers(kind, inspect.isfunction)
    if not name.startswith("_") and name not in ("do", "make", "adopt", "take", "replace_with")
    for parameter in list(inspect.signature(method).parameters.values())[1:]
    if parameter.kind in (parameter.POSITIONAL_OR_KEYWORD, parameter.KEYWORD_ONLY)
    if parameter.name not in FLAGS
]


@pytest.mark.parametrize(
    ("kind", "name", "parameter"), SITE_CALLS, ids=lambda each: getattr(each, "name", str(each))
)
def test_a_wrong_argument_never_ends_in_an_error_that_is_not_ours(
    kind, name, parameter, once, few, tmp_path, monkeypatch
):
    monkeypatch.chdir(tmp_path)  # some of these write files
    some = inspect.signature(getattr(kind, name)).parameters.values()
    needed = {each.name: USUAL.get(each.name, "x") for each in some if each.default is each.empty}
    needed.pop("self")
    if name == "report":
        needed["checkup"] = False  # a question of its own
    if name == "fresh_to":
        needed["wait"] = 0  # for changes that never come
    for value in VALUES:
        if parameter.name == "file" and value == "/nowhere":
            continue  # a name like any other, and it would be written
        site = few if name in OF_THE_WHOLE else once
        if kind is not pl.Site:
            asked = (
                site.change(by="hana.okafor") if kind is pl.Change else site.viewer("sam.whitlock")
            )
        else:
            asked = site
        with suppress(pl.PrimLanternError):
            answer = getattr(asked, name)(**{**needed, parameter.name: value})
            _ = list(answer) if inspect.isgenerator(answer) else answer


@pytest.fixture(scope="module")
def few():
    """A small site, for questions about the whole of it."""
    return pl.Site(random_site(Random(3)))


@pytest.fixture(scope="module")
def once():
    """The demo site, for many questions that change nothing."""
    return pl.open_demo()


@pytest.mark.parametrize(
    ("ask", "told"),
    [
        (lambda s: s.may(3, "edit", "/log"), "3 cannot be who, as it is of type int; expected text or Who or None."),
        (lambda s: s.allows("sam.whitlock", "edit", None), "None cannot be path, as it is of type NoneType; expected text."),
        (lambda s: s.filter(None, "read", b"/log"), "b'/log' cannot be paths, as it is of type bytes; expected a list."),
        (lambda s: s.filter(None, "read", "/log", unknown="skip"), "'/log' cannot be paths, as it is of type str; expected a list."),
        (lambda s: s.how_many_may_each(actions="read"), "'read' cannot be actions, as it is of type str; expected a list."),
        (lambda s: s.viewer(None).filter("/"), "'/' cannot be rows, as it is of type str; expected a list."),
        (lambda s: s.grid(["guests"], "/log"), "'/log' cannot be where, as it is of type str; expected a list."),
        (lambda s: s.change(by="hana.okafor").undo("1"), "'1' cannot be number, as it is of type str; expected a number."),
    ],
)  # fmt: skip
def test_an_argument_of_a_wrong_type_is_told_in_our_words(once, ask, told):
    with pytest.raises(pl.BadValue) as error:
        ask(once)
    assert str(error.value) == told


ODD = [
    "a\rb",
    "a\x00b",
    "a\ud800b",
    " blank ",
    "x" * 10_001,
    "a\x1bb",
    "\x85tail\x85",
    "a\ufffeb",
    "a\uffffb",
]
KEPT = [
    "a\u2028b",
    "a\u2029b",
    "a\x85b",
    "q\"u;o,t'e",
    "line\nbreak",
    "=1+1",
    "ünï 🐦",
    "tab\there",
    "a\x9f\ufdd0\U0001fffeb",
]


@pytest.mark.parametrize("text", ODD, ids=repr)
def test_a_text_that_no_store_could_give_back_is_refused(demo_folder, text):
    site = pl.open_site(demo_folder)
    files = {path: path.read_bytes() for path in demo_folder.iterdir() if path.is_file()}
    for step in (
        lambda c: c.add_user("zoe", name=text),
        lambda c: c.change_item("/log", title=text),
        lambda c: c.allow("edit", to="user:sam.whitlock", where="/log", note=text),
        lambda c: (
            c.change_user("sam.whitlock", attributes={"station": text})
            if text.strip() == text
            else c.add_group("x", label=text)
        ),
    ):
        with pytest.raises(pl.PrimLanternError):
            step(site.change(by="hana.okafor")).make()
    with pytest.raises(pl.PrimLanternError):
        site.change(by="hana.okafor", reason=text)
    now = {
        path: path.read_bytes()
        for path in demo_folder.iterdir()
        if path.name != ".lock" and path.is_file()
    }
    assert {path: text for path, text in files.items() if path.name != ".lock"} == now


@pytest.mark.parametrize("text", KEPT, ids=repr)
def test_any_other_text_comes_back_as_it_was(demo_folder, tmp_path, text):
    for where in (demo_folder, f"sqlite:///{tmp_path / 'site.db'}"):
        if where is not demo_folder:
            from prim_lantern.store.database import DatabaseStore

            DatabaseStore(where, make=True).fill(pl.open_demo().data)
        site = pl.open_site(where)
        with site.change(by="hana.okafor", reason=text) as change:
            change.add_user("zoe", name=text).change_item("/log", title=text)
            change.allow("edit", to="user:zoe", where="/log", note=text).add_group(
                "x", label=text, about=text
            )
        again = pl.open_site(where)
        assert again.data == site.data
        assert (
            again.data.users["zoe"].name
            == again.data.items["/log"].title
            == again.history()[0].reason
            == text
        )
        assert again.store.check_history() == 1
    feed = ElementTree.fromstring(again.feed("hana.okafor", "https://harbour.example"))
    titles = [each.text for each in feed.iterfind("{*}entry/{*}title")]
    assert " ".join(text.split()) in [" ".join(str(each).split()) for each in titles]
    for book in (tmp_path / "book.xlsx", tmp_path / "book"):
        again.write_sheets(book)
        assert again.read_sheets(book, "hana.okafor").steps == ()


@pytest.mark.parametrize("name", ["\0", "a\0b", "half\ud800", "x" * 300], ids=ascii)
def test_what_is_no_name_of_a_file_is_told(demo, tmp_path, name):
    where = f"{tmp_path}/{name}"
    for call in (
        lambda: pl.open_site(where),
        lambda: pl.read_folder(where),
        lambda: pl.write_folder(demo.data, where),
        lambda: pl.put_site(demo.data, where),
        lambda: pl.open_site(f"sqlite:///{where}"),
        lambda: pl.put_site(demo.data, f"sqlite:///{where}"),
        lambda: demo.write_sheets(f"{where}.xlsx"),
        lambda: demo.write_sheets(where),
        lambda: demo.read_sheets(f"{where}.xlsx", "hana.okafor"),
        lambda: demo.draw("reach", f"{where}.png"),
    ):
        with pytest.raises((pl.BadValue, pl.NoSite, pl.StoreTrouble)) as told:
            call()
        assert "on its way" not in str(told.value)
    assert not list(tmp_path.iterdir())


@pytest.mark.skipif(os.geteuid() != 0, reason="only root can read as somebody else")
@pytest.mark.parametrize("name", ["history.jsonl", ".pending.json", "people.csv"])
def test_a_file_that_cannot_be_read_is_told_and_nothing_is_taken_for_missing(name):
    folder = Path(tempfile.mkdtemp(dir="/tmp"))  # one that others may look into
    try:
        folder.chmod(0o755)
        site = pl.put_site(pl.open_demo().data, folder)
        site.change(by="hana.okafor").add_group("crew").make()
        (folder / name).touch()
        (folder / name).chmod(0)
        os.seteuid(65_534)
        with pytest.raises(pl.PrimLanternError, match=rf"{name}.* cannot be read") as told:
            pl.open_site(folder)
    finally:
        os.seteuid(0)
        shutil.rmtree(folder)
    assert "Permission denied" in str(told.value)


def test_a_row_that_was_cut_is_a_mistake(make_folder):
    folder = make_folder(people="ann,Ann,,susp")
    with pytest.raises(pl.BadSite, match="has 4 cells, but there are 7 columns"):
        pl.open_site(folder)


def test_a_site_without_items_can_be_changed(make_site):
    site = make_site("[groups.crew]\n")
    with site.change(by="mo") as change:
        change.add_user("ann").add_members("crew", "ann")
    assert site.members("crew") == ["ann"]
    for rows, message in (
        ([{"path": "/x", "kind": "pgae"}], "pgae"),
        ([{"path": "x", "kind": "page"}], "a path starts with"),
        ([{"path": "/x", "kind": "panel"}], "panel|page"),
        ([{"path": "/x", "kind": 3}], "cannot be the kind"),
    ):
        with pytest.raises(pl.PrimLanternError, match=message):
            site.change(by="mo").import_items(rows).make()


@pytest.mark.skipif(os.name != "posix", reason="modes of files are POSIX's")
def test_files_keep_their_mode_their_mark_and_being_links(demo_folder, tmp_path):
    people, toml = demo_folder / "people.csv", demo_folder / "site.toml"
    people.write_bytes(b"\xef\xbb\xbf" + people.read_bytes())
    toml.chmod(0o640)
    elsewhere = tmp_path / "content.csv"
    (demo_folder / "content.csv").rename(elsewhere)
    (demo_folder / "content.csv").symlink_to(elsewhere)
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor") as change:
        change.add_user("zoe").change_item("/log", title="Log").add_group("x")
    assert people.read_bytes().startswith(b"\xef\xbb\xbf")
    assert stat.S_IMODE(toml.stat().st_mode) == 0o640
    assert (demo_folder / "content.csv").is_symlink()
    assert stat.S_IMODE((demo_folder / "history.jsonl").stat().st_mode) & 0o007 == 0
    assert pl.open_site(demo_folder).data == site.data


def test_a_file_that_was_edited_while_a_change_waited_is_not_written_over(demo_folder, monkeypatch):
    from prim_lantern.formats.folder import pending

    site = pl.open_site(demo_folder)
    with monkeypatch.context() as patched:
        patched.setattr(pending, "finish", lambda *_: None)  # as if the process ended here
        with site.change(by="hana.okafor") as change:
            change.add_user("zoe")
    edited = (demo_folder / "people.csv").read_text() + "yan,Yan,,,,,,\n"
    (demo_folder / "people.csv").write_text(edited)
    with pytest.raises(pl.StoreTrouble, match="it was edited while a change waited"):
        pl.open_site(demo_folder).change(by="hana.okafor").add_user("xia").make()
    assert (demo_folder / "people.csv").read_text() == edited


def test_it_is_seen_at_once_that_others_have_changed_the_site(demo_folder):
    one, two = pl.open_site(demo_folder), pl.open_site(demo_folder)
    assert not one.behind()
    with two.change(by="hana.okafor") as change:
        change.suspend("sam.whitlock")
    assert one.behind()
    assert one.catch_up() == 1
    assert not one.behind()
    assert not one.may("sam.whitlock", "edit", "/log/seal-count")
    people = demo_folder / "people.csv"
    people.write_text(people.read_text().replace("Kit Farrow", "Kit Ferrow"))
    assert one.behind()
    one.catch_up()
    assert one.data.users["kit.farrow"].name == "Kit Ferrow"


def test_a_seal_shows_what_was_dropped_or_written_anew(demo_folder):
    site = pl.open_site(demo_folder)
    for title in ("One", "Two"):
        with site.change(by="hana.okafor") as change:
            change.change_item("/log", title=title)
    number, found = site.store.seal()
    assert number == 2
    assert site.store.check_history(found) == 2
    with pytest.raises(pl.BrokenHistory, match="has the hash that was kept"):
        site.store.check_history("0" * 63 + "1")
    history = demo_folder / "history.jsonl"
    history.write_bytes(history.read_bytes().split(b"\n")[0] + b"\n")
    with pytest.raises(pl.BrokenHistory):
        pl.open_site(demo_folder).store.check_history()


def test_waiting_has_an_end_and_says_for_whom(demo_folder, monkeypatch):
    monkeypatch.setattr("prim_lantern.store.folder._WAIT", 0.2)
    site = pl.open_site(demo_folder)
    told = rf"\(process {os.getpid()} on .+, since 20\d\d-"
    with pl.open_site(demo_folder).store.changing(), pytest.raises(pl.StoreTrouble, match=told):
        site.change(by="hana.okafor").change_item("/log", title="Later").make()
    assert site.data.items["/log"].title != "Later"
    site.change(by="hana.okafor").change_item("/log", title="Later").make()
    assert not [each.name for each in demo_folder.iterdir() if "held" in each.name]


def test_a_right_that_was_taken_away_stays_away_in_every_thread():
    """Threads ask while others take changes over: no answer is late by more than its own call."""
    site = pl.open_demo()
    rules = site.data.rules
    without = tuple(rule for rule in rules if rule.id != "mirela-prices")
    sites = [site.data.with_parts(rules=rules), site.data.with_parts(rules=without)]
    wrong, stop = [], threading.Event()

    def ask():
        while not stop.is_set():
            site.may("mirela.kos", "edit", "/visit/prices")
            site.may("sam.whitlock", "read", "/log", at="2027-05-10")

    before = sys.getswitchinterval()
    sys.setswitchinterval(1e-6)
    threads = [threading.Thread(target=ask) for _ in range(3)]
    try:
        for each in threads:
            each.start()
        for number in range(300):
            site.adopt(sites[number % 2], checked=True)
            if bool(site.may("mirela.kos", "edit", "/visit/prices")) != (number % 2 == 0):
                wrong.append(number)
    finally:
        stop.set()
        for each in threads:
            each.join()
        sys.setswitchinterval(before)
    assert not wrong


def test_several_threads_catch_up_at_once(demo_folder):
    site, other = pl.open_site(demo_folder), pl.open_site(demo_folder)
    errors = []

    def catch_up():
        try:
            for _ in range(20):
                site.catch_up()
        except Exception as error:  # whatever comes out of a thread is to be seen
            errors.append(error)

    threads = [threading.Thread(target=catch_up) for _ in range(4)]
    for each in threads:
        each.start()
    for number in range(3):
        with other.change(by="hana.okafor") as change:
            change.deny(
                "edit", to="user:sam.whitlock", where=f"/{['log', 'news', 'visit'][number]}"
            )
    for each in threads:
        each.join()
    site.catch_up()
    assert not errors
    assert site.data == other.data
    assert len(site.data.rules) == len(set(site.data.rules))
