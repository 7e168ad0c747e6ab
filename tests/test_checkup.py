"""The checkup: each sort of mistake is found where it is, and not where it is not."""

from __future__ import annotations

import json
import re
import shlex
from dataclasses import replace
from datetime import date, timedelta
from random import Random
from unittest import mock

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import documents
import prim_lantern as pl
from conftest import run
from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.operations.base import Made
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.insight.checks import nobody_may, open_to_all
from prim_lantern.insight.checkup import CHECKS, checkup
from prim_lantern.insight.finding import SEVERITIES, Finding
from prim_lantern.insight.look import Look
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who
from sites import NOON, sites

AT = "2027-05-10"
GROUPS = "[groups.crew]\n[groups.desk]\n"
EDITOR = '[roles.editor]\ncapabilities = [{ can = ["edit", "publish"] }]\n[roles.all]\nall_access = true\n'
WRITER = '[roles.writer]\ncapabilities = [{ can = ["edit"] }]\n'
OWN = "".join(f"/a/{x},page,{x},cyd,,draft,,,,,\n" for x in "xyz")
SECTION = "/a,page,A,mo,,published,,,,,"
POST = "[kinds.post]\nfour_eyes = true\n"


def word(verb, actions, to, where="site", more=""):
    return f"[[rules]]\n{verb} = {json.dumps(actions.split())}\nto = {json.dumps(to.split())}\nwhere = {json.dumps(where)}\n{more}\n"


def role(name, to, within="site", more=""):
    return f"[[given]]\nrole = {json.dumps(name)}\nto = {json.dumps(to.split())}\nwithin_any = {json.dumps([within])}\n{more}\n"


CREW = "cyd,Cyd,,active,crew,,"
SIGNING_UP = 'sign_up_groups = ["crew"]\n'
CLOSED = GROUPS + '[readerships.crew]\nreaders = ["group:crew"]\n'
TOPIC = '[category_sets.topic]\nsea = "Sea"\n'
BELOW = "\n".join([SECTION, *(f"/a/{x},page,{x},mo,,published,,,,," for x in "bcd")])
# The check; a site (site.toml, people, content) that has it, and what is said; one that has it not.
CASES = [
    ("equally-near", (GROUPS + word("allow", "edit", "group:crew", "/a") + word("deny", "edit", "group:desk", "/a"), "cyd,Cyd,,active,crew;desk,,", SECTION),
     "note: .*lets group crew edit anything at /a and below, and .*equally near, so the no holds for Cyd",
     (GROUPS + word("allow", "edit", "group:crew", "/a") + word("deny", "edit", "group:desk", "/a"), "cyd,Cyd,,active,crew,,", SECTION)),
    ("equally-near", (GROUPS + word("allow", "edit", "group:crew", "/a") + word("deny", "edit", "group:crew", "/a"), CREW, SECTION), "mistake: .*equally near",
     (GROUPS + word("allow", "edit", "group:crew", "/a") + word("deny", "publish", "group:crew", "/a"), CREW, SECTION)),
    ("still-closed", (CLOSED + '[[places]]\nwhere = "/a"\nreadership = "crew"\n[[places]]\nwhere = "/a/b"\nreadership = "public"\n', CREW, BELOW),
     "mistake: The readership Public at /a/b and below opens nothing: the readership crew at /a",
     (CLOSED + '[[places]]\nwhere = "/a"\nreadership = "crew"\n[[places]]\nwhere = "/a/b"\nreadership = "public"\nreadership_from_above = false\n', CREW, BELOW)),
    ("still-closed", ('[[places]]\nwhere = "/a"\nreadership = "signed-in"\n[[places]]\nwhere = "/a/b"\nreadership = "public"\n', "", BELOW),
     "mistake: The readership Public at /a/b and below opens nothing: the readership Signed in at /a",
     ('[[places]]\nwhere = "/a"\nreadership = "signed-in"\n[[places]]\nwhere = "/a/b"\nreadership = "signed-in"\n', "", BELOW)),
    ("closed-one-by-one", (CLOSED + "".join(f'[[places]]\nwhere = "/a/{x}"\nreadership = "crew"\n' for x in "bcd"), CREW, BELOW),
     "mistake: 3 places below /a have the readership crew each by itself", (CLOSED + '[[places]]\nwhere = "/a"\nreach = "only-below"\nreadership = "crew"\n', CREW, BELOW)),
    ("cannot-create", ('[kinds.post]\nmust_be_filed = true\n' + TOPIC + GROUPS + word("allow", "create", "group:crew", "/a", 'kinds = ["post"]'), CREW, SECTION),
     "mistake: Group crew may create a post at /a and below, and cannot: it must be filed",
     ('[kinds.post]\nmust_be_filed = true\n' + TOPIC + GROUPS + word("allow", "create file-under", "group:crew", "/a", 'kinds = ["post"]'), CREW, SECTION)),
    ("out-of-reach", ("", "", f"{SECTION}\n/b,page,B,mo,,published,,,,,\n/m,link,Go,,,published,,,,,/b"), "note: 1 page that guests may read is in no menu.*: /a\\.",
     ("", "", f"{SECTION}\n/m,link,Go,,,published,,,,,/a")),
    ("wider-than-page", (CLOSED + '[readerships.desk]\nreaders = ["group:desk"]\n', "cyd,Cyd,,active,desk,,", "/a,page,A,mo,,published,,crew,,,\n/a/p,panel,P,,,,,desk,,,"),
     "note: The part /a/p is for the readership desk, and 1 of the 1 in it may not read its page /a",
     (CLOSED, CREW, "/a,page,A,mo,,published,,,,,\n/a/p,panel,P,,,,,crew,,,")),
    ("used-nowhere", (GROUPS, CREW, ""), "note: Nothing speaks of the group crew", (CLOSED + '[readerships.desk]\nreaders = ["group:desk"]\n' + "".join(
        f'[[places]]\nwhere = "/{x}"\nreadership = "{n}"\n' for x, n in (("a", "crew"), ("b", "desk"))), "", BELOW + "\n/b,page,B,mo,,published,,,,,")),
    ("used-nowhere", (CLOSED, CREW, ""), "note: The readership crew stands nowhere", (EDITOR + role("editor", "user:mo") + role("all", "user:mo"), "", "")),
    ("used-nowhere", (GROUPS + EDITOR, CREW, ""), "note: The role editor is given to nobody", (EDITOR + role("editor", "user:mo") + role("all", "user:mo"), "", "")),
    ("named-but-gone", (word("allow", "edit", "user:cyd", "/a"), "cyd,Cyd,,byline,,,", SECTION), "mistake: Cyd is a byline without an account, and named by a rule at /a",
     (word("allow", "edit", "user:cyd", "/a"), "cyd,Cyd,,active,,,", SECTION)),
    ("looked-after-by-nobody", ('[groups.crew]\n[groups.desk]\nstewards = ["user:mo"]\n', CREW, ""), "note: 1 group has members put in by hand, and no steward: crew",
     (GROUPS, CREW, "")),
    ("nearly-the-same", ('[roles.a]\ncapabilities = [{ can = ["edit", "publish", "delete", "comment"] }]\n[roles.b]\ncapabilities = [{ can = ["edit", "publish", "delete"] }, { in_state = ["in-review", "scheduled", "published", "archived"], can = ["comment"] }]\n', "", ""),
     "note: The roles a and b differ in one thing: a can comment", ('[roles.a]\ncapabilities = [{ can = ["edit"] }]\n[roles.b]\ncapabilities = [{ can = ["comment"] }]\n', "", "")),
    ("could-break-promises", (GROUPS + word("allow", "manage-people", "user:cyd") + word("allow", "publish", "group:crew", "/a"), "cyd,Cyd,,active,,,", SECTION),
     "note: Cyd may manage people, and could come to what any group", (GROUPS + word("allow", "manage-people", "user:cyd"), "cyd,Cyd,,active,,,", "")),
    ("open-to-all", (word("allow", "edit", "guests", "/a"), "", SECTION),
     "serious: Guests, that is anybody in the world, may edit /a", (word("allow", "comment", "guests", "/a"), "", SECTION)),
    ("open-to-all", ('sign_up_groups = ["crew"]\n' + GROUPS + word("allow", "edit", "signed-in", "/a"), "", SECTION),
     "serious: Whoever signs up may edit /a", (GROUPS + word("allow", "edit", "signed-in", "/a"), "", SECTION)),
    ("open-to-all", (word("allow", "manage-rights", "everyone", "/a"), "", SECTION),
     "serious: Guests, that is anybody in the world, may manage rights at /a", (word("allow", "manage-rights", "user:mo", "/a"), "", SECTION)),
    ("open-to-all", (EDITOR + role("editor", "guests", "/a") + word("allow", "create", "role:editor", "/a"), "", SECTION),
     "serious: .*may create .* /a", (EDITOR + role("editor", "user:mo", "/a") + word("allow", "create", "role:editor", "/a"), "", SECTION)),
    ("risky-for-many", (GROUPS + word("allow", "publish", "signed-in"), "", ""), "serious: .*everybody signed in are many",
     (GROUPS + word("allow", "publish", "group:crew"), "", "")),
    ("risky-for-many", (SIGNING_UP + '[groups.crew]\ncounts_in = ["desk"]\n[groups.desk]\n' + word("allow", "publish", "group:desk"), "", ""),
     "serious: .*group desk are many", (GROUPS + word("allow", "publish", "group:desk"), "", "")),
    ("risky-for-many", (SIGNING_UP + '[groups.crew]\n[groups.desk]\nwhen = [{ email = { contains = "@" }, position = { filled = false } }]\n' + word("allow", "publish", "group:desk"), "", ""),
     "serious: .*group desk are many",
     (SIGNING_UP + '[groups.crew]\n[groups.desk]\nwhen = [{ position = { filled = true } }, { login = { is = "mo" } }]\n' + word("allow", "publish", "group:desk"), "", "")),
    ("risky-for-many", (SIGNING_UP + '[groups.crew]\n[groups.desk]\nstewards = ["group:crew"]\n' + word("allow", "read", "group:desk"), "", ""),
     "serious: Group crew look after the members of group desk, and anybody can join: whoever does comes to read on the whole site",
     (SIGNING_UP + '[groups.crew]\n[groups.desk]\nstewards = ["group:crew"]\n', "", "")),
    ("all-access", (GROUPS + EDITOR + role("all", "group:crew"), CREW, ""), "mistake: .*gives all access to group crew: 1 person",
     (GROUPS + EDITOR + role("all", "user:cyd"), CREW, "")),
    ("all-access", (EDITOR + role("all", "user:a user:b user:c user:d"), "a,A,,active,,,\nb,B,,active,,,\nc,C,,active,,,\nd,D,,active,,,", ""),
     "note: 4 people have all access to the whole site: A, B, C and D",
     (EDITOR + role("all", "user:a user:b user:c"), "a,A,,active,,,\nb,B,,active,,,\nc,C,,active,,,", "")),
    ("never-decides", (GROUPS + word("allow", "read", "group:crew", "/a"), CREW, SECTION), "mistake: Decides nothing: a rule without a name",
     (GROUPS + word("allow", "edit", "group:crew", "/a"), "", SECTION)),  # nobody is in it yet
    ("never-decides", (GROUPS + EDITOR + role("editor", "group:crew", "/a") * 2, CREW, SECTION), "mistake: Decides nothing: the role editor",
     (GROUPS + EDITOR + role("editor", "group:crew", "/a"), CREW, "")),  # nothing stands there yet
    ("never-decides", (GROUPS + EDITOR + word("deny", "edit", "group:crew"), CREW, SECTION), "note: Stops nobody so far",
     (GROUPS + EDITOR + role("editor", "group:crew") + word("deny", "edit", "group:crew", "/a"), CREW, SECTION)),
    ("never-decides", ('[[places]]\nwhere = "/a"\nreadership = "public"\n', "", SECTION), "mistake: Decides nothing: the readership Public at /a",
     ('[[places]]\nwhere = "/a"\nreadership = "signed-in"\n', "", SECTION)),
    ("never-decides", (GROUPS + EDITOR + role("editor", "group:crew") + role("editor", "user:cyd", more="since = 2028-01-01"), CREW, SECTION),
     "mistake: Decides nothing: the role editor, given to Cyd",
     (GROUPS + EDITOR + role("editor", "user:cyd", more="since = 2028-01-01"), CREW, SECTION)),  # it will
    ("fits-nobody", ("[groups.crew]\nwhen = [{ position = { is = \"sailer\" } }]\n", "", ""), "mistake: .*Nearest: position “sailor”",
     ("[groups.crew]\nwhen = [{ position = { is = \"sailor\" } }]\n", "", "")),
    ("fits-nobody", ("[groups.crew]\nmapped_from = [\"hall:porters\"]\n", "cyd,Cyd,,active,,hall:porter,", ""), "note: .*hall:porters elsewhere.*hall:porter\\.",
     ("[groups.crew]\nmapped_from = [\"hall:porter\"]\n", "cyd,Cyd,,active,,hall:porter,", "")),
    ("hidden-target", ("", "cyd,Cyd,,active,,,", "/a,page,A,mo,,published,,nobody,,,\n/to-a,link,Go,,,published,,,,,/a"),
     "mistake: The link /to-a “Go” stands where anybody could see it.*nobody but the owner",
     ("", "cyd,Cyd,,active,,,", f"{SECTION}\n/to-a,link,Go,,,published,,,,,/a")),
    ("nobody-may", ("", "cyd,Cyd,,active,,,", "/a,page,A,,,published,,nobody,,,"), "mistake: Nobody but the owner may read /a",
     (GROUPS + '[readerships.crew]\nreaders = ["group:crew"]\n', "", "/a,page,A,,,published,,crew,,,")),  # whoever will be in it
    ("nobody-may", ("", "cyd,Cyd,,active,,,", SECTION), "note: Nobody but the owner may edit /a",
     (GROUPS + EDITOR + role("editor", "group:desk"), "cyd,Cyd,,active,,,", SECTION)),
    ("waits-for-nobody", (POST + EDITOR + role("editor", "user:cyd"), "cyd,Cyd,,active,,,", "/a,post,A,mo;cyd,,in-review,,,,,"),
     "mistake: /a “A” waits for review, and nobody may publish it. Four eyes keep Cyd and Mo Tarn",
     (POST + EDITOR + role("editor", "user:cyd"), "cyd,Cyd,,active,,,", "/a,post,A,mo,,in-review,,,,,")),
    ("look-alikes", ("", "ines,Ines,,active,,,\n\u0456nes,Other,,active,,,", ""),
     "mistake: The logins ines \\(Ines\\) and \u0456nes \\(Other; U\\+0456 CYRILLIC .*\\) look the same\\.",
     ("", "ines,Ines,,active,,,\nin\u00e9s,Other,,active,,,", "")),
    ("look-alikes", ("", "", f"{SECTION}\n/a\u200b,page,A,mo,,published,,,,,"), "mistake: The paths /a and /a.* look the same",
     ("", "", f"{SECTION}\n/A,page,A,mo,,published,,,,,\n/\u0430nn,page,A,mo,,published,,,,,")),
    ("look-alikes", ("", "ann\u00ad,Ann,,active,,,", ""), "mistake: The login ann\u00ad \\(Ann; U\\+00AD SOFT HYPHEN\\) holds what cannot be seen",
     ("", "ann,Ann,,active,,,", "")),
    ("stewards-gone", ('[groups.crew]\nstewards = ["user:cyd"]\n', "cyd,Cyd,,suspended,,,", ""), "mistake: Group crew is looked after by Cyd",
     ('[groups.crew]\nstewards = ["user:cyd", "user:mo"]\n', "cyd,Cyd,,suspended,,,", "")),
    ("gone-but-listed", (GROUPS, "cyd,Cyd,,suspended,crew,,", ""), "note: Cyd is listed by hand in group crew, though they are not active",
     (GROUPS, CREW, "")),
    ("gone-but-listed", ('[groups.crew]\nmembers = ["cyd"]\n[plans.year]\ngroups = ["crew"]\nlasts = "1 year"\n', "cyd,Cyd,,active,plan:year@2025-01-01,,", ""),
     "mistake: Cyd is listed by hand in group crew, though their enrolment",
     ('[groups.crew]\nmembers = ["cyd"]\n[plans.year]\ngroups = ["crew"]\nlasts = "1 year"\n', "cyd,Cyd,,active,plan:year@2027-01-01,,", "")),
    ("more-than-used", (GROUPS + EDITOR + word("allow", "edit", "group:crew", "/a", 'whose = "own"') + role("editor", "user:cyd", "/a"), CREW,
                        "/a,page,A,,,published,,,,,\n/a/own,page,O,cyd,,draft,,,,,"),
     "note: .*nothing that Cyd wrote or changed there needs it \\(/a/own\\). It lets them edit 1 item and publish 2 items",
     (GROUPS + EDITOR + role("editor", "user:cyd", "/a"), CREW, "/a/own,page,O,cyd,,draft,,,,,")),
    ("higher-than-needed", (EDITOR + WRITER + role("editor", "user:cyd", "/a"), "cyd,Cyd,,active,,,", f"/a,page,A,,,published,,,,,\n{OWN}"),
     "note: .*for what Cyd wrote or changed there \\(/a/x, /a/y and 1 more\\) the next lower role, writer, would do. It would take away: publish 4 items",
     (EDITOR + WRITER + role("writer", "user:cyd", "/a"), "cyd,Cyd,,active,,,", f"/a,page,A,,,published,,,,,\n{OWN}")),
    ("same-twice", (EDITOR + '[roles.again]\ncapabilities = [{ can = ["edit", "publish"] }]\n', "", ""), "note: The roles editor and again allow the same",
     (EDITOR + '[roles.again]\ncapabilities = [{ can = ["edit"] }]\n', "", "")),
    ("over", (GROUPS + EDITOR + role("editor", "group:crew", more="until = 2027-01-01"), "", ""), "note: .*it is over",
     (GROUPS + EDITOR + role("editor", "group:crew", more="until = 2028-01-01"), "", "")),
    ("ending-soon", ('[groups.crew]\n[plans.year]\ngroups = ["crew"]\nlasts = "1 year"\n', "cyd,Cyd,,active,plan:year@2026-05-20,,", ""),
     "note: Enrolments in year end within 30 days: Cyd \\(2027-05-20\\)",
     ('[groups.crew]\n[plans.year]\ngroups = ["crew"]\nlasts = "1 year"\n', "cyd,Cyd,,active,plan:year@2026-07-20,,", "")),
]  # fmt: skip
WITH_POSITION = (
    "login,name,email,status,groups,roles_elsewhere,joined,position\nmo,Mo Tarn,,,,,,sailor\n"
)


def found_in(make_folder, case, name):
    head, rules = ("", case[0])
    if rules.startswith("sign_up"):
        head, _, rules = rules.partition("\n")
    folder = make_folder(f"{head}\n{rules}", case[1], case[2])
    if "position" in rules:
        (folder / "people.csv").write_text(WITH_POSITION, encoding="utf-8")
    site = pl.open_site(folder)
    return site, site.checkup(AT, name)


@pytest.mark.parametrize(("name", "has", "said", "has_not"), CASES, ids=[each[0] for each in CASES])
def test_each_check_finds_what_it_is_for_and_nothing_else(make_folder, name, has, said, has_not):
    site, found = found_in(make_folder, has, name)
    told = [f"{each.severity}: {each.says}" for each in found]
    severity, _, text = said.partition(": ")
    assert [each for each in told if each.startswith(severity)], told
    assert any(re.search(text, each) for each in told), told
    mended = next((each for each in found if each.fix), None)
    if mended is not None:  # what is said to mend it does
        where, now = site.store.where, {"PRIM_LANTERN_NOW": AT}
        done = run(*shlex.split(mended.fix[0]), "--by", "mo", "--yes", site=where, variables=now)
        assert done.returncode == 0, done.stdout + done.stderr
        assert mended.says not in [each.says for each in pl.open_site(where).checkup(AT, name)]
    assert not found_in(make_folder, has_not, name)[1]


def test_the_mistakes_of_the_demo_are_all_found():
    found = pl.open_demo().checkup(AT)
    told = {(each.name, each.severity): each.says for each in reversed(found)}
    assert "releif keeper" in told["fits-nobody", "mistake"]
    assert "volunteers-see-visit" in told["never-decides", "mistake"]
    assert "Dolores Pine" in told["gone-but-listed", "mistake"]
    assert any("/menu/minutes" in each.says for each in found if each.name == "hidden-target")
    assert "Nils Oakley" in told["more-than-used", "note"]
    severities = [SEVERITIES.index(each.severity) for each in found]
    assert severities == sorted(severities)
    assert sum(each.severity == "mistake" for each in found) == 3


@pytest.mark.parametrize("starter", ["small", "empty"])
def test_what_new_writes_has_no_mistakes(tmp_path, starter):
    folder = tmp_path / "new"
    options = ["--empty"] if starter == "empty" else []
    assert (
        run("new", str(folder), "--name", "New", "--owner", "mo", *options, site=None).returncode
        == 0
    )
    assert pl.open_site(folder).checkup() == []


def test_what_takes_back_a_role_takes_no_more_than_was_found(make_site):
    """The same role given again, elsewhere or for another time, stays."""
    site = make_site(
        GROUPS + EDITOR
        + role("editor", "group:crew user:mo", "/a", "until = 2027-01-01")
        + role("editor", "group:crew", "/a", "since = 2027-01-01\nuntil = 2028-01-01")
        + role("editor", "group:crew", more="until = 2027-02-01")
        + role("all", "group:crew user:cyd"),
        CREW, SECTION,
    )  # fmt: skip
    over = [each.fix for each in site.checkup(AT, "over")]
    assert over == [
        ("take-back editor group:crew,user:mo --within /a --until 2027-01-01T00:00:00Z",),
        ("take-back editor group:crew --within site --until 2027-02-01T00:00:00Z",),
    ]
    (all_access,) = site.checkup(AT, "all-access")
    assert all_access.fix == ("take-back all group:crew --within site",)
    before = site.data.given
    for (fix,) in [*over, all_access.fix]:
        assert run(*shlex.split(fix), "--by", "mo", "--yes", site=site.store.where).returncode == 0
    now = pl.open_site(site.store.where).data.given
    assert now == (before[1], replace(before[3], to=before[3].to[1:]))


def test_a_membership_that_is_over_goes_alone(make_site):
    """Not with the one that came after it."""
    people = "ann,Ann,,active,crew@..2027-01-01,,\nben,Ben,,active,crew@..2027-01-01;crew@2027-01-01..,,\n"
    found = make_site(GROUPS, people, SECTION).checkup(AT, "over")
    assert [(each.says, each.fix) for each in found] == [
        ("Ann's membership of group crew is over.", ("group remove-members crew ann",)),
        ("Ben's membership of group crew is over.", ()),
    ]


def test_where_it_would_take_more_no_command_is_offered(make_site):
    twice = role("editor", "group:crew", "/a") + role("editor", "group:crew user:mo", "/a")
    site = make_site(GROUPS + EDITOR + twice, CREW, SECTION)
    found = site.checkup(AT, "never-decides")
    assert len(found) == 2  # each of them, as the other is there
    assert {(each.says[:33], each.fix) for each in found} == {
        ("Decides nothing: the role editor,", ())
    }


def test_the_recipes_of_the_cookbook_leave_no_mistakes(tmp_path, request):
    if not request.config.getoption("--long"):
        pytest.skip("takes some minutes: --long")
    planted = {each.key for each in pl.open_demo().checkup(AT)}
    for name, folder in documents.recipes(tmp_path / "recipe"):
        found = pl.open_site(folder / "site").checkup(AT)
        new = [each.says for each in found if each.severity != "note" and each.key not in planted]
        assert new == [], name


in_columns = sites().map(lambda site: replace(site, items=site.content, users=site.people))


HARMLESS = ("never-decides", "used-nowhere", "over")


@settings(max_examples=max(2, settings.default.max_examples // 15))
@given(in_columns, st.integers(0, 2**32).map(Random))
def test_what_is_said_to_decide_nothing_can_go_without_changing_any_answer(site, rng):
    engine = Engine(site, NOON)
    with mock.patch("prim_lantern.insight.look.command_of", lambda operation: operation):
        found = [each for check in HARMLESS for each in checkup(engine, check) if each.fix]
    before, actions = engine.reference, Effects(engine, engine, ()).actions
    for each in found:
        proposal = Proposal(site, Made(site.owner, NOON))
        proposal.do(*each.fix)
        later = engine.after(proposal.data, NOON)
        assert not list(Effects(engine, later, proposal.renames)), each
        for _ in range(40):
            who, path = rng.choice([None, *site.users]), rng.choice(list(site.items))
            asked = (who, rng.choice(actions), path)
            assert before.may(*asked).allowed == later.reference.may(*asked).allowed, (each, asked)


def test_the_command_tells_programs_and_people(demo_folder):
    at = {"PRIM_LANTERN_NOW": AT}
    done = run("checkup", site=demo_folder, variables=at)
    assert done.returncode == 0
    assert done.stdout.index("Mistakes") < done.stdout.index("Worth knowing")
    assert "mend: prim-lantern group remove-members patrons dolores.pine" in done.stdout
    told = json.loads(
        run("checkup", "fits-nobody", "--json", site=demo_folder, variables=at).stdout
    )
    assert told == [{
        "key": "fits-nobody-7db390", "name": "fits-nobody", "severity": "mistake",
        "where": ["site.toml, line 87"], "touches": {}, "fix": [], "accepted": "",
        "says": "Group Relief keepers takes in whoever fits “position is releif keeper”, and nobody does. "
                "Nearest: position “relief keeper”.",
    }]  # fmt: skip
    rows = run(
        "checkup", "gone-but-listed", "--csv", "-", site=demo_folder, variables=at
    ).stdout.splitlines()
    assert rows[0] == "key,name,severity,says,where,touches,fix,accepted"
    assert rows[1].endswith(
        ',"site.toml, line 123",people: 1,group remove-members patrons dolores.pine,'
    )
    unknown = run("checkup", "fits-noone", site=demo_folder)
    assert (unknown.returncode, "Did you mean fits-nobody?" in unknown.stderr) == (2, True)
    for name in CHECKS:
        assert CHECKS[name].means.count("\n") >= 2
    with pl.open_site(demo_folder).change(by="hana.okafor") as change:
        change.allow("edit", to="guests", where="/visit")
    assert run("checkup", "open-to-all", site=demo_folder, variables=at).returncode == 1


def test_what_is_accepted_is_told_apart_until_its_day_or_until_it_is_another(demo_folder):
    def told(*words, code=0):
        done = run(*words, site=demo_folder, variables={"PRIM_LANTERN_NOW": AT})
        assert done.returncode == code, done.stdout + done.stderr
        return done.stdout + done.stderr

    (found,) = pl.open_site(demo_folder).checkup(AT, "fits-nobody")
    by = ("--by", "hana.okafor")
    assert "Say why" in told("finding", "accept", found.key, *by, code=2)
    assert "Did you mean" in told(
        "finding", "accept", found.key[:-1], *by, "--because", "So", code=2
    )
    refused = told(
        "finding", "accept", found.key, "--by", "sam.whitlock", "--because", "So", code=1
    )
    assert "manage rights" in refused
    told(
        "finding", "accept", found.key, *by, "--because", "Their spelling", "--until", "2027-12-01"
    )
    site = pl.open_site(demo_folder)
    (again,) = site.checkup(AT, "fits-nobody")
    assert again.accepted == "Their spelling (until 2027-12-01)"
    assert again.key == found.key
    assert site.checkup("2027-12-01", "fits-nobody")[0].accepted == ""
    assert "Accepted as they are" in told("checkup", "fits-nobody")
    assert site.store.check_history() == 1
    assert "is not accepted" in told("finding", "reopen", "fits-nobody-000000", *by, code=2)
    told("finding", "reopen", found.key, *by)
    assert pl.open_site(demo_folder).data.accepted == ()
    told("undo", "2", *by)
    assert pl.open_site(demo_folder).data.accepted[0].says == found.says


def test_a_key_stays_while_the_same_is_found_and_numbers_change():
    one = Finding("a", "note", "3 of 35 people see it")
    assert one.key == one._replace(says="4 of 36 people see it").key
    assert one.key != one._replace(says="3 of 35 people hear it").key
    assert one.key != one._replace(name="b").key


LATER = CLOSED.replace("[readerships.crew]", "[readerships.crew]\nno_exceptions = true") + (
    '[[places]]\nwhere = "/a"\nreadership = "crew"\n' + word("allow", "edit", "group:desk", "/a")
)


def test_a_word_that_will_decide_for_somebody_later_is_not_useless(make_site):
    """Nobody in just one of the two groups is let past; who will be in both is."""
    now = make_site(LATER, "cyd,Cyd,,active,crew,,", SECTION)
    assert [each.severity for each in now.checkup(AT, "never-decides")] == ["mistake"]
    assert now.tidy(AT).after.rules == 0
    later = make_site(LATER, "cyd,Cyd,,active,crew;desk@2028-01-01..,,", SECTION)
    assert later.checkup(AT, "never-decides") == []
    assert later.tidy(AT).steps == ()
    assert later.tidy(AT, today_only=True).steps == ()
    assert later.may("cyd", "edit", "/a", "2028-02-01")


@given(sites(), st.integers(0, 2**32).map(Random))
def test_those_of_whom_some_whos_speak_are_found_as_one_by_one(site, rng):
    engine = Engine(site, NOON)
    look, whos = Look(engine), engine.crowd.belonging.whos
    every = [EVERYONE, GUESTS, SIGNED_IN, *(Who("group", name) for name in site.groups)]
    every += [Who("user", login) for login in site.users]
    some = rng.sample(every, rng.randrange(1, 4))
    found = {login for login in (None, *look.active) if not whos(login).isdisjoint(some)}
    assert look.among(some) == found


@given(sites(), st.sampled_from(["read", "edit"]))
def test_what_nobody_may_is_found_as_one_by_one(site, action):
    """Nobody who is there but the owner, nor anybody who is in just one of the groups."""
    site = replace(site, items=site.content, users=site.people)
    engine = Engine(site, NOON)
    look, members = Look(engine), [login_of(Who("group", name)) for name in site.groups]
    whos = [*(e for e in look.active if e != site.owner), *members]
    names = site.content.names
    closed = [path for path in names if not any(engine.allows(e, action, path) for e in whos)]
    rows = np.arange(len(names))
    assert [names[row] for row in nobody_may.of_rows(look, action, rows).tolist()] == closed


@pytest.mark.parametrize("where", ["/a", "topic:sea"])
def test_one_of_many_who_can_create_is_enough(make_site, where):
    """Somebody who is in just this group could not: only Cyd, by a word of their own, can."""
    sea = "[kinds.post]\nmust_be_filed = true\n" + TOPIC
    creates = word("allow", "create", "group:crew", where, 'kinds = ["post"]\n')
    crew = "ann,Ann,,active,crew,,\ncyd,Cyd,,active,crew,,"
    cannot = make_site(sea + GROUPS + creates, crew, SECTION)
    assert [each.name for each in cannot.checkup(AT, "cannot-create")] == ["cannot-create"]
    can = make_site(sea + GROUPS + creates + word("allow", "file-under", "user:cyd"), crew, SECTION)
    assert can.checkup(AT, "cannot-create") == []


def test_where_too_much_changes_by_itself_only_what_is_said_twice_goes_and_it_says_so(make_folder):
    """Each of many memberships begins at a moment of its own."""
    twice = word("allow", "edit", "group:crew", "/a") * 2
    nearer = word("allow", "edit", "group:crew", "/a/b")
    many = [date(2028, 1, 1) + timedelta(days=number) for number in range(301)]
    rows = [f"p{each:%Y%m%d},P,,active,crew@{each}..,," for each in many]
    for people, tried in ((rows, False), (rows[:20], True)):
        folder = make_folder(GROUPS + twice + nearer, "\n".join(people), SECTION)
        site = pl.open_site(folder)
        found = site.tidy(AT)
        assert (found.tried_each, found.after.rules) == (tried, 2 - tried)
        told = run("tidy", site=folder, variables={"PRIM_LANTERN_NOW": AT}).stdout
        assert ("at too many later moments" in " ".join(told.split())) == (not tried)
        says = [each.says for each in site.checkup(AT, "never-decides")]
        assert sum(each.startswith("Decides nothing: ") for each in says) == 3 - (not tried)
        assert any("too many later moments" in each for each in says) == (not tried)


def test_who_was_not_looked_at_is_counted(make_site):
    """Of those who could come to much, five are looked at of each sort."""
    clerk = '[roles.clerk]\ncapabilities = [{ can = ["manage-people"] }]\n'
    logins = [f"c{number}" for number in range(7)]
    people = "\n".join(f"{each},,,active,,," for each in logins)
    for some in (5, 6, 7):
        to = " ".join(f"user:{each}" for each in logins[:some])
        site = make_site(GROUPS + clerk + role("clerk", to), people, SECTION)
        says = [each.says for each in site.checkup(AT, "could-break-promises")]
        told = [each for each in says if "were looked at" in each]
        more = {5: [], 6: ["1 more person manages"], 7: ["2 more people manage"]}[some]
        assert [each[: len(more[0])] for each in told] == more if more else not told


@pytest.mark.parametrize("status", ["suspended", "invited", "byline"])
def test_a_word_for_somebody_who_may_come_back_is_not_useless(make_site, status):
    """It decides nothing as things are; who has no account is told of by another check."""
    words = WRITER + role("writer", "user:cyd", "/a") + word("allow", "publish", "user:cyd", "/a")
    site = make_site(GROUPS + words, f"ann,Ann,,active,crew,,\ncyd,Cyd,,{status},,,", SECTION)
    gone = status == "byline"
    found = [each.says for each in site.checkup(AT, "never-decides")]
    assert any("Cyd" in each for each in found) == gone
    assert (site.tidy(AT).after.words < site.tidy(AT).before.words) == gone


def test_of_very_many_words_only_those_said_twice_are_told_to_decide_nothing(make_folder):
    many = "".join(word("allow", "edit", "group:crew", f"/a/p{number}") for number in range(300))
    deny = word("deny", "edit", "group:crew", "/a/p7", "until = 2030-01-01\n")
    for more, tried, gone in (("", True, 0), (deny, False, 0), (deny * 2, False, 1)):
        folder = make_folder(GROUPS + many + more, "ann,Ann,,active,crew,,", SECTION)
        found = pl.open_site(folder).tidy(AT)
        assert (found.tried_each, found.before.rules - found.after.rules) == (tried, gone)
        if not tried:
            told = run("tidy", site=folder, variables={"PRIM_LANTERN_NOW": AT}).stdout
            assert "There are more than 300 words" in told and "--each-word" in told
            assert told.endswith("Nothing is.\n") == (not gone)


def test_what_is_not_counted_whole_is_not_told_as_a_number(make_site, monkeypatch):
    site = make_site(word("allow", "create", "guests"), "", BELOW)
    assert "may create something below /, /a, /a/b, /a/c and 1 more:" in says(site)
    monkeypatch.setattr(open_to_all, "_ENOUGH", 4)
    assert "and many more:" in says(site)


def says(site):
    (found,) = site.checkup(AT, "open-to-all")
    return found.says
