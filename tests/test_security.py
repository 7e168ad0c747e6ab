"""Attacks of docs/security.md that no other file has, and that each line there has its test."""

from __future__ import annotations

import csv
import json
import os
import re
import shlex
import shutil
import time
from pathlib import Path

import pytest
from starlette.testclient import TestClient

import prim_lantern as pl
from conftest import run

TESTS = Path(__file__).parent
NOW = "2027-05-10"


def test_every_line_of_the_threat_model_has_its_test():
    lines = (TESTS.parent / "docs" / "security.md").read_text(encoding="utf-8").splitlines()
    rows = [line for line in lines if line.startswith("| ") and "| what holds |" not in line]
    there = "\n".join(each.read_text(encoding="utf-8") for each in TESTS.glob("test_*.py"))
    for row in rows:
        named = re.findall(r"`(test_\w+)`", row)
        assert named, row
        for name in named:
            assert f"def {name}(" in there, name
    assert len(rows) > 25


NO_PATHS = [
    "/visit/../trustees", "//trustees", "/trustees/", "/trustees/.", "trustees", "/trustees\x00", "/trustees ",
    " /trustees", "\\trustees", "/trustees\n", "/./trustees",
]  # fmt: skip
OTHER_PATHS = [
    "/TRUSTEES", "/Trustees", "/trustees%2e", "/%74rustees", "/ｔrustees", "/тrustees", "/trustees?x", "/trustees#x",
    "/trustees\u200b",
]  # fmt: skip


@pytest.mark.parametrize("path", NO_PATHS + OTHER_PATHS)
def test_no_other_spelling_of_a_path_leads_to_it(path):
    site = pl.open_demo()
    viewer = site.viewer("hana.okafor")
    assert viewer.allows("read", "/trustees")
    for ask in (viewer.allows, viewer.may):
        with pytest.raises((pl.UnknownItem, pl.BadValue)):
            ask("read", path)
    with pytest.raises((pl.Refused, pl.BadValue)):
        viewer.require("read", path)
    with pytest.raises((pl.UnknownItem, pl.BadValue)):
        site.filter("hana.okafor", "read", [path])
    if path in NO_PATHS:  # nothing is taken over that could be mistaken for another item
        with pytest.raises(pl.BadSite):
            site.content.put({"path": path, "kind": "page"})


@pytest.fixture(scope="module")
def visitors(tmp_path_factory):
    """Whoever visits the example website, signed in."""
    folder = Path(__file__).resolve().parents[1] / "examples" / "website"
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PRIM_LANTERN_NOW", "2027-05-10")
        patch.syspath_prepend(str(folder))
        import app

        application = app.Website(tmp_path_factory.mktemp("website")).app()

        def client(login):
            found = TestClient(application, follow_redirects=False)
            found.post("/-/sign-in", data={"login": login})
            return found

        yield client


@pytest.mark.parametrize("who", ["sam.whitlock", "kit.farrow", ""])
def test_no_refusal_of_the_website_tells_what_is_hidden(visitors, who):
    visitor = visitors(who)

    def told(path, **form):
        answer = visitor.post(path, data=form) if form else visitor.get(path)
        assert answer.status_code in (403, 404), (path, form)
        return answer.status_code, re.sub(r".*<main|minutes|nothing-at-all", "", answer.text)

    hidden, missing = "minutes", "nothing-at-all"
    for path in ("/trustees/{}", "/-/edit/trustees/{}"):
        assert told(path.format(hidden)) == told(path.format(missing))
    for step in ("publish", "submit", "fly"):
        where = "/-/step/trustees/{}"
        assert told(where.format(hidden), step=step) == told(where.format(missing), step=step)
    new = {"kind": "post", "body": ""}
    below = [{**new, "title": "x", "parent": f"/trustees/{each}"} for each in (hidden, missing)]
    named = [{**new, "title": each, "parent": "/trustees"} for each in (hidden, missing)]
    for one, other in (below, named):
        assert told("/-/new", **one) == told("/-/new", **other)
    text = {"title": "x", "body": "y"}
    edits = [told(f"/-/edit/trustees/{each}", **text) for each in (hidden, missing)]
    assert edits[0] == edits[1]


def test_the_website_takes_any_form_and_any_number(visitors):
    editor = visitors("ines.varga")
    assert editor.get("/-/list?at=x").status_code == 200
    assert editor.get(f"/-/list?at={'9' * 30}").status_code == 200
    assert editor.get("/-/list?at=2").text != editor.get("/-/list?at=x").text
    refused = editor.post("/-/edit/about", data={"body": "x"})
    assert refused.status_code == 400 and "title is missing" in refused.text
    assert editor.post("/-/step/about").status_code == 400


def test_hidden_and_missing_take_as_long():
    viewer = pl.open_demo().viewer(None)

    def best_of(path):
        times = []
        for _ in range(300):
            began = time.perf_counter()
            with pytest.raises(pl.Refused):
                viewer.require("read", path)
            times.append(time.perf_counter() - began)
        return sorted(times)[30]

    hidden, missing = best_of("/trustees/minutes"), best_of("/trustees/minutez")
    assert (
        abs(hidden - missing) < 0.001
    )  # a thousandth of a second, far less than a network differs


def test_an_invitation_works_once():
    site = pl.open_demo()
    change = site.change(by="hana.okafor")
    token = change.invite("wren.hale", name="Wren Hale")
    change.make()
    assert token not in str(site.data.invitations) and token not in "".join(site.store.texts())
    again = site.change(by="hana.okafor")
    newer = again.invite("wren.hale")
    again.make()
    with pytest.raises(pl.BadChange):
        site.accept(token)
    assert site.accept(newer) == "wren.hale"
    for used in (newer, token, "", "x" * 43):
        with pytest.raises(pl.BadChange):
            site.accept(used)


def test_serving_to_others_asks_for_tls(tmp_path):
    done = run("serve", "--host", "0.0.0.0", cwd=tmp_path)  # noqa: S104
    assert done.returncode == 2 and "could read the tokens on the way" in done.stderr
    half = run("serve", "--tls-certificate", "x.pem", cwd=tmp_path)
    assert half.returncode == 2 and "belong together" in half.stderr
    gone = run("serve", "--tls-certificate", "x.pem", "--tls-key", "y.pem", cwd=tmp_path)
    assert gone.returncode == 2 and "There is no file" in gone.stderr


def test_tokens_are_made_and_withdrawn_by_command(tmp_path):
    made = run("token", "make", "website", "--for", "asking", cwd=tmp_path)
    assert made.stdout.startswith("lantern_") and "cannot be shown again" in made.stderr
    assert "website" in run("token", "list", cwd=tmp_path).stdout
    assert run("token", "make", "website", "--for", "asking", cwd=tmp_path).returncode == 2
    assert run("token", "withdraw", "website", cwd=tmp_path).stdout == "Withdrew website.\n"
    assert run("token", "list", cwd=tmp_path).stdout == "There are no tokens.\n"
    token = {"name": "x", "hash": "y", "scopes": ["asking"]}
    for damaged in ([3], {"x": 3}, 3, None, [{**token, "hash": 3}], [{**token, "scopes": [3]}],
                    [{**token, "until": 3}], [{**token, "more": "x"}], "[" * 9):  # fmt: skip
        (tmp_path / "lantern-tokens.json").write_text(json.dumps(damaged))
        assert "was damaged" in run("token", "list", cwd=tmp_path).stderr


LOOK_LIKE_INES = [
    "іnes.varga", "іneѕ.vаrgа", "INЕS.VARGA", "ｉｎｅｓ.varga", "ines․varga", "İnes.varga", "ınes.varga",
    "ineѕ․varga", "ιnes.varga", "ɪnes.varga",
]  # fmt: skip
NOT_TO_BE_SEEN = [
    "ines.varga\u200b",
    "in\u00ades.varga",
    "new\u202eone",
    "new\u2060one",
    "new\ufe0f",
    "new\u3164",
]
OF_THEIR_OWN = [
    "inés.varga",
    "анна.ким",
    "ines-varga",
    "straße",
    "王小明",
    "søren",
    "νίκη",
    "ines.varga2",
]


def by_all_ways(login):
    """What makes somebody have a login, as functions of a site."""
    for operation in (
        {"do": "add-user", "login": login, "name": "New"},
        {"do": "import-people", "rows": [{"login": login}]},
        {"do": "rename-user", "login": "kit.farrow", "to": login},
    ):
        yield lambda site, it=operation: site.change(by="hana.okafor").do(it).make()
    yield lambda site: invited(site, login)
    yield lambda site: site.sign_up(login, name="New")


def invited(site, login):
    with site.change(by="hana.okafor") as change:
        change.invite(login, email="new@example.org")


@pytest.mark.parametrize("login", LOOK_LIKE_INES + NOT_TO_BE_SEEN)
def test_nobody_takes_a_login_that_looks_like_another(login, tmp_path):
    site = pl.open_demo()
    for way in by_all_ways(login):
        with pytest.raises(pl.BadValue, match=r"looks like|cannot be seen"):
            way(site)
    file = tmp_path / "people.csv"
    file.write_text(f"login,name\nkit.farrow,Kit\n{login},New\n", encoding="utf-8")
    done = run("import", "people", file, "--by", "hana.okafor", "--try")
    assert done.returncode == 2
    assert re.search(r"line 3.*(looks like|cannot be seen)", " ".join(done.stderr.split()))


@pytest.mark.parametrize("login", OF_THEIR_OWN)
def test_a_login_in_any_alphabet_is_taken(login):
    for way in by_all_ways(login):
        site = pl.open_demo()
        way(site)
        assert login in site.data.users
        with pytest.raises(pl.AlreadyThere):
            site.change(by="hana.okafor").add_user(login.upper()).make()


def test_two_new_ones_in_one_file_must_not_look_alike_either(tmp_path):
    rows = [{"login": "newa"}, {"login": "newа"}]
    with pytest.raises(pl.BadValue, match="looks like 'newa'"):
        pl.open_demo().change(by="hana.okafor").import_people(rows).make()
    file = tmp_path / "people.csv"
    file.write_text("login\nnewa\nnewа\nNEWA\n", encoding="utf-8")
    done = run("import", "people", file, "--by", "hana.okafor", "--try")
    told = " ".join(done.stderr.split())
    assert "line 3, login: 'newа' looks like 'newa'" in told
    assert "'NEWA' is in line 2 already" in told


# What is written to files -----------------------------------------------------------------------

TOLD = TESTS / "told"


def rewritten(file, change):
    """Change each row of a table."""
    with file.open(encoding="utf-8", newline="") as there:
        rows = [change(row) for row in csv.DictReader(there)]
    with file.open("w", encoding="utf-8", newline="") as new:
        writer = csv.DictWriter(new, list(rows[0]))
        writer.writeheader()
        writer.writerows(rows)


def test_no_cell_of_any_list_is_a_formula(tmp_path):
    """On a site where each name, title and label is one, by each command that writes CSV."""
    folder = Path(shutil.copytree(TOLD / "site", tmp_path / "site"))
    rewritten(folder / "people.csv", lambda row: row | {"name": f"={row['name']}"})
    rewritten(folder / "content.csv", lambda row: row | {"title": f"={row['title']}"})
    words = (folder / "site.toml").read_text(encoding="utf-8")
    words = re.sub(r'^(label|about|note) = "', r'\1 = "=', words, flags=re.MULTILINE)
    (folder / "site.toml").write_text(words, encoding="utf-8")
    asked = [line for each in TOLD.glob("*.commands") for line in each.read_text().splitlines()]
    asked = [line for line in asked if line.endswith("--csv -") and not line.startswith("<")]
    written = []
    for command in (*asked, "user add =cmd --by mo --try --csv -"):
        printed = run(*shlex.split(command), site=folder, variables={"PRIM_LANTERN_NOW": NOW})
        written += [cell for row in csv.reader(printed.stdout.splitlines()) for cell in row]
    assert [cell for cell in written if cell.startswith("=")] == []
    assert len({cell for cell in written if cell.startswith("'=")}) > 40
    assert "'=cmd" in written


@pytest.mark.parametrize(
    "command",
    [
        "user list --csv people.csv", "item list --csv history.jsonl", "grid --csv content.csv",
        "rule list --csv .last/site.toml", "export people people.csv --overwrite",
        "report site.toml --overwrite", "promises --junit .pending.json",
        "allow everyone edit /news --by hana.okafor --yes --csv ./content.csv",
    ],
)  # fmt: skip
def test_no_list_takes_the_place_of_what_a_site_is_kept_in(demo_folder, command):
    site = pl.open_site(demo_folder)
    if "history" not in command:  # where there is none yet, it must not begin with a list
        site.change(by="hana.okafor").add_group("crew").make()

    def files():
        there = sorted(each for each in demo_folder.rglob("*") if each.is_file())
        return {each: each.read_bytes() for each in there}

    before = files()
    done = run(*shlex.split(command), site=demo_folder, cwd=demo_folder)
    assert done.returncode == 2
    assert "site in" in done.stderr
    assert "Name another file" in " ".join(done.stderr.split())
    assert files() == before


def test_no_list_takes_the_place_of_a_database(demo_folder, tmp_path):
    url = f"sqlite:///{tmp_path / 'kept'}"
    run("folder", "in", demo_folder, "--by", "hana.okafor", "--yes", site=url)
    done = run("user", "list", "--csv", tmp_path / "kept", site=url)
    assert (done.returncode, "is a database" in done.stderr) == (2, True)
    assert len(pl.open_site(url).data.users) > 30


@pytest.mark.skipif(os.name != "posix", reason="modes of files are those of POSIX")
def test_a_list_that_others_may_not_read_stays_so(demo_folder, tmp_path):
    file = tmp_path / "people-here.csv"
    file.touch(0o600)
    run("user", "list", "--csv", file, site=demo_folder)
    assert file.stat().st_mode & 0o777 == 0o600
    assert "hana.okafor" in file.read_text(encoding="utf-8")
