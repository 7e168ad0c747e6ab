"""What a change comes to is told whole: now, later with when, and where nothing comes of it, why."""

from __future__ import annotations

import json
from contextlib import contextmanager

import pytest

import prim_lantern as pl
from conftest import run
from prim_lantern.change.effects import creating_and_managing, filing
from prim_lantern.change.effects.summary import lines_of
from prim_lantern.insight.comparing import compare
from prim_lantern.show.changes import effect_lines

NOW = {"PRIM_LANTERN_NOW": "2027-05-10"}
NOTHING = "Nobody gains or loses anything by it, as things are now."
LATER = "Nobody gains or loses anything now; later it does."


def tried(*command):
    done = run(*command, "--by", "hana.okafor", "--try", variables=NOW)
    assert done.returncode == 0, done
    return done.stdout.replace("\n    ", " ")


@pytest.mark.parametrize(
    ("command", "because"),
    [
        ("allow leif.aronsen edit /stations/fennick",
         "Leif Aronsen may edit /stations/fennick without it: by the role Station keeper, through "
         "group Keepers of Fennick Rock."),
        ("allow guests comment /news",
         "A guest may not comment on /news all the same: the rule guests-never-comment forbids it "
         "without exceptions."),
        ("deny guests edit /news",
         "A guest may not edit /news anyway: they may read it, but nothing gives them the right to "
         "edit here."),
        ("deny hana.okafor read /visit",
         "Hana Okafor may read /visit all the same: they are the owner of the site, who may do "
         "everything."),
        ("rule remove volunteers-see-visit",
         "Sam Whitlock may read /visit all the same: it is published, and open to everyone."),
        ("allow sam.whitlock edit /stations/fennick --kind post",
         "There is nothing at /stations/fennick and below that it speaks of now."),
        ("allow sam.whitlock edit /visit/access --in-state draft",
         "There is nothing at /visit/access and below that it speaks of now."),
        ("allow sam.whitlock edit /visit --since 2020-01-01 --until 2021-01-01",
         "It ended at another time: from 2020-01-01 until 2021-01-01."),
    ],
)  # fmt: skip
def test_a_change_that_comes_to_nothing_says_why(command, because):
    told = tried(*command.split())
    assert NOTHING in told
    assert f"  - {because}\n" in told, told


def test_a_word_for_an_empty_group_and_a_readership_that_closes_nothing(make_site):
    site = make_site("[groups.night]\n", content="/log,page,Log,mo,,,,,,,\n")
    change = site.change(by="mo").allow("edit", to="group:night", where="/log")
    assert change.why_nothing() == ["Nobody who acts here is among group night now."]
    change = site.change(by="mo").set_readership("/log", "public")
    assert change.why_nothing() == ["The readership Public is for everyone: it closes nothing."]
    change = site.change(by="mo").allow("edit", to="everyone", where="/log")
    assert change.why_nothing() == []  # guests gain by it


def test_what_begins_later_is_told_with_its_moment():
    told = tried("allow", "group:patrons", "read", "/trustees/minutes", "--since", "2027-09-01")
    assert f"{LATER}\nFrom 2027-09-01\n  + Dolores Pine gains read at 4 items" in told
    published = tried("item", "step", "/log/seal-count", "publish", "--from", "2027-06-01")
    assert "From 2027-06-01\n  + Guests gain read at /log/seal-count\n" in published
    assert published.count("Sam Whitlock loses") == 1  # told of now, and not once more
    ends = tried("plan", "enrol", "patron", "kit.farrow", "--since", "2027-07-01")
    assert "From 2027-07-01\n  + Kit Farrow gains" in ends


def test_what_somebody_invited_will_come_to_is_told_as_once_accepted():
    told = tried(
        "user",
        "invite",
        "zoe.new",
        "--name",
        "Zoe",
        "--group",
        "volunteers",
        "--email",
        "z@x.example",
    )
    assert f"{LATER}\nOnce accepted\n  + Zoe gains comment at 16 items" in told


def test_everything_is_told_in_one_word(demo):
    site = pl.Site(demo.data)
    lines = site.change(by="hana.okafor").add_item("/visit/new", "page", "New").in_short()
    assert any("everything at /visit/new" in line for line in lines), lines


def test_json_has_what_comes_later_and_why_nothing_does():
    done = run(
        "deny", "guests", "edit", "/news", "--by", "hana.okafor", "--try", "--json", variables=NOW
    )
    effects = json.loads(done.stdout)["effects"]
    assert effects["later"] == []
    assert len(effects["nothing_because"]) == 1


def test_what_was_edited_by_hand_is_said_by_every_command_and_shown(tmp_path):
    folder = tmp_path / "site"
    run("demo", "--to", str(folder), "--yes", site=None)
    assert (
        run("folder", "changes", site=folder).stdout
        == "Nothing was edited by hand since the last change.\n"
    )
    people = folder / "people.csv"
    text = people.read_text(encoding="utf-8")
    row = "gwen.tarrow,Gwen Tarrow,gwen@post.example,,"
    people.write_text(text.replace(row, f"{row}trustees"), encoding="utf-8")
    asked = run("may", "gwen", "read", "/trustees", site=folder, variables=NOW)
    assert asked.stdout.startswith("Yes: ")
    assert asked.stderr.startswith("Note: the folder was edited by hand since the last change;")
    shown = run("folder", "changes", site=folder, variables=NOW).stdout
    assert shown.startswith("Edited by hand\n  users gwen.tarrow\n    - login = gwen.tarrow")
    assert (
        "  + Gwen Tarrow gains read at 12 items: /patrons (5), /trustees (5), /menu (2)\n" in shown
    )
    told = run("folder", "changes", "--json", site=folder, variables=NOW).stdout
    assert '"edited_by_hand": true' in told
    made = run("group", "add", "x", "--by", "hana.okafor", "--yes", site=folder, variables=NOW)
    assert made.returncode == 0
    assert "(by hand)" in run("history", "--last", "2", site=folder).stdout
    assert run("may", "gwen", "read", "/trustees", site=folder).stderr == ""
    (folder / ".last" / "site.toml").write_text(
        "[site", encoding="utf-8"
    )  # no question fails by it
    still = run("may", "gwen", "read", "/trustees", site=folder, variables=NOW)
    assert (still.returncode, still.stderr) == (0, "")


def test_hiding_says_who_still_reads_it_and_by_which_line():
    told = tried("item", "hide", "/stations/fennick")
    assert (
        "Still read by Priya Nandakumar: it is published, and the role Station keeper lets them past the\n"
        "  readership.  [site.toml, line 257; site.toml, line 64]\n"
    ) in told, told
    assert "Still read by" not in tried("item", "hide", "/visit/prices")  # its author alone


def test_rights_over_rights_and_what_begins_later_are_seen(demo):
    beatrix = demo.powers_of("beatrix.lowe", "2027-05-10")
    assert beatrix.manages == {"manage-rights": ("/trustees", "/trustees/minutes")}
    hana = demo.powers_of("hana.okafor", "2027-05-10").manages
    assert set(hana.values()) == {("site",)}
    assert set(hana) == {"manage-rights", "manage-people", "manage-roles", "look-as"}
    told = run("what", "beatrix", variables=NOW).stdout
    assert (
        "Rights over rights and people\n  - manage-rights: /trustees and /trustees/minutes\n"
        in told
    )
    site = pl.Site(demo.data)
    with site.change(by="hana.okafor") as change:
        change.allow("edit", to="user:kit.farrow", where="/news", since="2099-01-01")
        change.add_members("trustees", "kit.farrow", "2099-02-01", "2099-03-01")
    later = site.powers_of("kit.farrow").later
    assert [type(each).__name__ for each in later] == ["Way", "Rule"]


def test_whoever_no_longer_acts_has_nothing_of_their_own(make_site):
    """What everybody may do to others' items alone, and four eyes, tell authors apart."""
    words = """
[kinds.notice]
four_eyes = true
[[rules]]
allow = ["publish", "see-drafts"]
to = ["everyone"]
[[rules]]
allow = ["edit"]
to = ["everyone"]
whose = "others"
"""
    content = "/a,notice,A,ann,,in-review,,,,,\n/b,page,B,ann,,,,,,,\n/c,page,C,mo,,,,,,,\n"
    site = make_site(words, "ann,Ann,,,,,\n", content)
    assert not site.allows("ann", "publish", "/a") and not site.allows("ann", "edit", "/b")
    change = site.change(by="mo").suspend("ann")
    effects = {(each.who, each.action, each.where, each.gained) for each in change.effects()}
    assert effects == {("ann", action, path, True) for action, path in (
        ("publish", "/a"), ("edit", "/a"), ("edit", "/b"),
    )}  # fmt: skip


def test_a_readership_written_with_an_item_counts_for_all_below(demo):
    """Beside a change of people, too, of which only what reaches them is looked at."""
    change = demo.change(by="hana.okafor").add_members("volunteers", "kit.farrow")
    change.import_items([{"path": "/visit", "readership": "office"}])
    lost = {
        (each.who, each.where)
        for each in change.effects()
        if each.action == "read" and not each.gained
    }
    for who in (None, "pavel.ostrow", "greta.oyelaran"):
        assert {(who, "/visit"), (who, "/visit/prices"), (who, "/visit/tea-room")} <= lost


def test_who_comes_into_a_readership_may_create_there_what_others_keep(make_site):
    """Creating below a page asks for reading it."""
    site = make_site(
        '[groups.crew]\n[groups.desk]\n[readerships.inner]\nreaders = ["group:crew"]\n'
        '[[places]]\nwhere = "/a"\nreadership = "inner"\n'
        '[[rules]]\nallow = ["create"]\nto = ["signed-in"]\nkinds = ["page"]\n',
        "ann,Ann,,active,crew,,\nben,Ben,,active,desk,,\n",
        "/a,page,A,mo,,published,,,,,\n",
    )
    change = site.change(by="mo").change_readership(
        "inner", add=["group:desk"], drop=["group:crew"]
    )
    assert change.in_short() == [
        "Ben gains read at /a; create page and panel below /a",
        "Ann loses read at /a; create page and panel below /a",
    ]


def test_the_last_that_may_stand_somewhere_takes_creating_from_all_others(make_site):
    """And one that goes gives it back."""
    site = make_site(
        '[[limits]]\nkind = "page"\nwhere = "/a"\nat_most = 2\n'
        '[[rules]]\nallow = ["create"]\nto = ["user:ann"]\nwhere = "/a"\nkinds = ["page"]\n',
        "ann,Ann,,active,,,\n",
        "/a,page,A,mo,,published,,,,,\n/a/one,page,One,mo,,published,,,,,\n",
    )
    adding = site.change(by="mo").add_item("/a/two", "page")
    assert "Ann loses create page below /a" in adding.in_short()
    adding.make()
    assert "Ann gains create page below /a" in site.change(by="mo").remove_item("/a/one").in_short()


FILING = (
    '[category_sets.topic]\nsea = "Sea"\n[groups.crew]\n[[rules]]\nallow = ["edit"]\nto = ["user:ann"]\n'
    '[[rules]]\nallow = ["file-under"]\nto = ["group:crew"]\n'
)


def test_who_may_file_what_they_edit_is_told_and_nobody_else(make_site):
    """By a word, and by coming into a group of which one speaks."""
    people = "ann,Ann,,active,,,\nben,Ben,,active,,,\n"
    site = make_site(FILING, people, "/a,page,A,mo,,published,,,,,\n/a/p,panel,P,,,,,,,,\n")
    told = ["Ann gains file-under in topic:sea at /a"]
    assert site.change(by="mo").add_members("crew", ["ann", "ben"]).in_short() == told
    assert site.change(by="mo").allow("file-under", to="signed-in").in_short() == told
    assert site.change(by="mo").deny("file-under", to="group:crew").in_short() == []
    site.change(by="mo").add_members("crew", ["ben"]).make()
    both = site.change(by="mo").allow(["edit", "file-under"], to="user:ben")
    assert "file-under in topic:sea at /a" in both.in_short()[0]


def test_where_it_is_too_much_to_ask_who_may_file_what_that_is_said(make_site, monkeypatch):
    monkeypatch.setattr(filing, "_ASKED", 0)
    site = make_site(FILING, "ann,Ann,,active,,,\n", "/a,page,A,mo,,published,,,,,\n")
    effects = site.change(by="mo").add_members("crew", ["ann"]).effects()
    assert len(effects.not_counted) == 1
    said = " ".join(" ".join(effect_lines(lines_of(effects), (), (), effects)).split())
    assert said == (
        "Nobody gains or loses anything that is counted here by it, as things are now. "
        "Who may file what is there under which category is not counted: it is too much."
    )


STEWARDS = '[groups.crew]\n[groups.desk]\nstewards = ["group:crew"]\n[roles.editor]\ncapabilities = [{ can = ["edit"] }]\n'
CYD = "cyd,Cyd,,active,,,\nann,Ann,,active,crew,,\n"
EDITS = '[[given]]\nrole = "editor"\nto = ["group:desk"]\nwithin_any = ["/a"]\n'
ANYBODY = "Anybody could join group crew, and come to {}."


def test_who_looks_after_a_group_is_told(make_site):
    site = make_site(STEWARDS, CYD)

    def told(step):
        change = site.change(by="mo")
        step(change)
        return change.in_short()

    gains = "Cyd gains looking after group:desk"
    assert told(lambda c: c.add_members("crew", ["cyd"])) == [gains]
    assert told(lambda c: c.set_stewards("desk", add=["user:cyd"])) == [gains]
    loses = ["Ann loses looking after group:desk"]
    assert told(lambda c: c.set_stewards("desk", drop=["group:crew"])) == loses
    assert told(lambda c: c.suspend("ann")) == loses
    assert told(lambda c: c.rename_group("desk", "office")) == []
    assert told(lambda c: c.set_stewards("desk", add=["user:mo", "user:ann"])) == []
    both = told(
        lambda c: c.set_stewards("crew", add=["group:crew"]).set_stewards("desk", add=["user:cyd"])
    )
    assert both == ["Ann gains looking after group:crew", gains]
    powers = site.powers_of("ann")
    assert powers.manages == {"look after": ("group:desk",)}


@pytest.mark.parametrize(
    ("step", "comes_to"),
    [
        (lambda c: c.set_sign_up(["crew"]), "looking after group:desk"),
        (lambda c: c.set_sign_up(["desk"]), "the role editor"),
        (lambda c: c.set_sign_up(["other"]).change_group("other", count_in=["desk"]), "the role editor"),
        (lambda c: c.set_sign_up(["other"]).set_condition("desk", ["email contains @ and name is_not cyd"]), "the role editor"),
        (lambda c: c.set_sign_up(["other"]).set_condition("desk", ["status is active", "login is cyd"]), "the role editor"),
        (lambda c: c.set_sign_up(["other"]).set_condition("desk", ["status is suspended", "login is cyd"]), None),
        (lambda c: c.set_condition("desk", ["email contains @"]), None),  # nobody signs up
        (lambda c: c.set_sign_up(["other"]).set_stewards("desk", add=["group:other"]), "looking after group:desk"),
        (lambda c: c.set_sign_up(["other"]), None),
    ],
)  # fmt: skip
def test_what_anybody_comes_to_who_signs_up_is_worth_a_thought(make_site, step, comes_to):
    site = make_site(STEWARDS + "[groups.other]\n" + EDITS, CYD, "/a,page,A,mo,,,,,,,\n")
    cautions = step(site.change(by="mo")).cautions()
    found = [each.partition("come to ")[2] for each in cautions if each.startswith("Anybody could")]
    assert found == ([f"{comes_to}."] if comes_to else [])


def test_what_is_not_counted_is_said_wherever_nothing_is_told(make_site, make_folder, monkeypatch):
    monkeypatch.setattr(creating_and_managing, "_SECTIONS_ASKED", 1)
    monkeypatch.setattr(creating_and_managing, "_PAIRS_ASKED", 1)
    monkeypatch.setattr(compare, "_SECTIONS_ASKED", 1)
    create = '[[rules]]\nallow = ["create"]\nto = ["user:cyd"]\nwhere = "site"\n'
    create += create.replace("cyd", "dan") + "since = 2099-06-01\n"
    pages = "/a,page,A,mo,,,,,,,\n/a/b,page,B,mo,,,,,,,\n"
    folder = make_folder(create, "cyd,Cyd,,suspended,,,\ndan,Dan,,active,,,\n", pages)
    said = "Who may create what is not counted on a site of this size."
    told = run("user", "holdings", "cyd", site=folder, here=True).stdout
    assert told.endswith(
        f"If they acted again, nothing that is counted here would change.\n  {said}\n"
    )
    change = pl.open_site(folder).change(by="mo").bring_back("cyd")
    assert (change.in_short(), change.why_nothing()) == ([said], [])
    tried = run(
        "user", "bring-back", "cyd", "--by", "mo", "--try", "--json", site=folder, here=True
    ).stdout
    assert json.loads(tried)["effects"]["not_counted"] == [said]
    tried = run(
        "user", "bring-back", "cyd", "--by", "mo", "--try", "--csv", "-", site=folder, here=True
    )
    assert said in tried.stderr
    site = pl.open_site(folder)
    found = site.suggest(site.wish("dan", "create", "/a", kind="page"))
    assert not found.least
    assert found.options[0].to_dict()["not_counted"] == [said]
    shown = run("suggest", "dan", "create", "/a", "--kind", "page", site=folder, here=True).stdout
    assert "Suggestion 1, nothing else that is counted here\n" in shown
    assert "none does less" not in shown
    change.make()
    then = run(
        "compare", "--other-at", "2099-01-01", "--at", "2100-01-01", site=folder, here=True
    ).stdout
    assert then.endswith(f"Everybody may do just the same, as far as it is counted here.\n{said}\n")
    two = run("compare", "cyd", "dan", site=folder, here=True).stdout
    assert two.startswith("Cyd and Dan may do the very same, as far as it is looked at here.\n")


def test_of_many_later_days_the_nearest_are_told_and_the_last_with_those_between(make_site):
    pages = "".join(f"/p{n},page,P,mo,,,,,,,\n" for n in range(6))
    change = make_site(STEWARDS, CYD, pages).change(by="mo")
    for number in range(6):
        where, since = f"/p{number}", f"2099-01-0{number + 1}"
        change.allow("edit", to="user:cyd", where=where, since=since)
    told = {when: " ".join(map(str, lines)) for when, lines in change.later()}
    last = "From 2099-01-06, with what begins on 2 days before it"
    assert list(told) == ["From 2099-01-01", "From 2099-01-02", "From 2099-01-03", last]
    assert told[last].startswith("Cyd gains see-drafts and edit at 6 items")


def test_what_a_line_of_the_history_says_is_found_before_the_store_is_held(make_site, monkeypatch):
    site, held, seen = make_site(STEWARDS, CYD), [], []
    changing, counted = site.store.changing, creating_and_managing.Special.creating_counted.fget

    @contextmanager
    def watched(*args):
        with changing(*args) as turn:
            held.append(True)
            yield turn
        held.clear()

    monkeypatch.setattr(site.store, "changing", watched)
    looked_at = property(lambda self: seen.append(bool(held)) or counted(self))
    monkeypatch.setattr(creating_and_managing.Special, "creating_counted", looked_at)
    record = site.change(by="mo").add_members("crew", ["cyd"]).make()
    assert record.effects == ("Cyd gains looking after group:desk",)
    assert set(seen) == {False}
