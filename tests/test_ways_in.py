"""Ways by which somebody once came to more than they should, each by name; and what must go on."""

from __future__ import annotations

import pytest

import prim_lantern as pl
from prim_lantern.change.gate import pictures
from prim_lantern.change.operations import invitations

NOW = "2027-05-10"
SITE = """
[kinds.post]
four_eyes = true
[category_sets.topic]
"press" = "Press"
[groups.bosses]
[groups.idle]
[groups.aides]
[groups.crew]
stewards = ["user:sid"]
members = ["cyd"]
[groups.outer]
counts_in = ["crew"]
[plans.year]
groups = ["bosses"]
lasts = "1 year"
[plans.nothing]
[roles.all]
all_access = true
[roles.badge]
[roles.editor]
capabilities = [{ can = ["edit", "create", "submit", "file-under"] }]
[roles.publisher]
capabilities = [{ can = ["edit", "create", "publish", "withdraw", "delete"] }]
[roles.manager]
capabilities = [{ can = ["manage-rights"] }]
[roles.clerk]
capabilities = [{ can = ["manage-people"] }]
[[given]]
role = "all"
to = ["group:bosses"]
[[given]]
role = "all"
to = ["group:aides"]
within_any = ["/a"]
[[given]]
role = "manager"
to = ["user:ann"]
within_any = ["/a"]
[[given]]
role = "editor"
to = ["user:ann", "user:cyd"]
within_any = ["/a"]
[[given]]
role = "editor"
to = ["user:dan"]
within_any = ["/a"]
until = 2027-07-01
[[given]]
role = "manager"
to = ["user:dan"]
within_any = ["/a"]
[[given]]
role = "publisher"
to = ["user:pat"]
within_any = ["/a"]
[[given]]
role = "clerk"
to = ["user:kim"]
[[given]]
role = "badge"
to = ["user:cyd"]
within_any = ["/club"]
[readerships.club]
readers = ["role:badge"]
[readerships.sealed]
readers = ["group:bosses"]
no_exceptions = true
[readerships.board]
readers = ["group:crew"]
no_exceptions = true
[[places]]
where = "/board"
readership = "board"
[[places]]
where = "/club"
readership = "club"
[[places]]
where = "/sealed"
readership = "sealed"
[[rules]]
allow = ["edit"]
to = ["group:idle"]
where = "/b"
since = 2030-01-01
[[rules]]
id = "never"
deny = ["edit"]
to = ["group:crew"]
where = "topic:press"
no_exceptions = true
[[rules]]
id = "not-ann-in-b"
deny = ["edit"]
to = ["user:ann"]
where = "/a/b"
"""
PEOPLE = (
    "ann,Ann,,,,,\nben,Ben,,,,,\ncyd,Cyd,,,,,\ndan,Dan,,,,,\nkim,Kim,,,,,\npat,Pat,,,,,\n"
    "sid,Sid,,,,,\ntop,Top,,,bosses,,\nsue,Sue,,suspended,bosses,,\nivo,Ivo,,invited,,,\nlap,Lapsed,,,plan:year@2024-01-01,,\n"
)
CONTENT = (
    "/a,page,A,,,,,,,,\n/a/b,page,B,,,,,,,,\n/a/post,post,Post,cyd,ben,draft,,,,,\n"
    "/a/mine,post,Mine,pat,,draft,,,,,\n/a/out,post,Out,cyd,,,,,,,\n/a/out/panel,panel,Panel,,,,,,,,\n"
    "/a/press,page,Press,cyd,,,topic:press,,,,\n/club,page,Club,,,,,,,,\n/sealed,page,Sealed,,,,,,,,\n"
    "/b,page,Other,,,,,,,,\n/board,page,Board,,,,,,,,\n"
)


@pytest.fixture(autouse=True)
def clock(monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOW)


@pytest.fixture
def site(make_site):
    return make_site(SITE, PEOPLE, CONTENT)


def op(do, **values):
    return {"do": do.replace("_", "-"), **values}


REFUSED = {
    "all access to guests, by anybody": ("ben", op("give", role="all", to="guests")),
    "all access to an empty group": ("kim", op("change_group", name="idle", count_in="bosses")),
    "all access taken from the top": ("ben", op("take_back", role="all", to="group:bosses")),
    "all access to a section taken by who manages it": ("ann", op("take_back", role="all", to="group:aides")),
    "the top taken out of their group": ("kim", op("remove_members", group="bosses", logins="top")),
    "a role without capabilities that a readership names": ("ann", op("give", role="badge", to="user:ann", within_any="/club")),
    "a membership to come": ("kim", op("add_members", group="bosses", logins="ben", since="2030-01-01")),
    "an enrolment that leads to all access": ("kim", op("enrol", plan="year", logins="ben")),
    "a longer plan": ("kim", op("change_plan", name="year", lasts="no end")),
    "bringing back the top": ("kim", op("bring_back", login="sue")),
    "inviting into all access": ("kim", op("invite", login="ivo", token_hash="sha256:0", until="2030-01-01", groups="bosses")),
    "a clerk suspending the top": ("kim", op("suspend", login="top")),
    "a clerk changing the top's e-mail": ("kim", op("change_user", login="top", email="kim@post.example")),
    "a clerk changing the owner's e-mail": ("kim", op("change_user", login="mo", email="kim@post.example")),
    "the top changing the owner's e-mail": ("top", op("change_user", login="mo", email="top@post.example")),
    "a nearer allow past a deny": ("ann", op("allow", actions="edit", to="user:ben", where="/a/b")),
    "a right for a month given for ever": ("dan", op("give", role="editor", to="user:ben", within_any="/a")),
    "what one does not hold, from a later day on": ("ann", op("allow", actions="publish", to="user:ben", where="/a/post", since="2030-01-01")),
    "oneself, from a later day on": ("dan", op("allow", actions="edit", to="user:dan", where="/a/post", since="2027-06-01", until="2028-01-01")),
    "a role, from a later day on": ("ann", op("give", role="publisher", to="user:ben", within_any="/a/post", since="2030-01-01")),
    "into a group of which a word speaks from a later day on": ("kim", op("add_members", group="idle", logins="kim")),
    "what one does not hold": ("ann", op("allow", actions="publish", to="user:ben", where="/a")),
    "all, which takes in more": ("ann", op("allow", actions="all", to="user:ben", where="/a")),
    "oneself": ("ann", op("allow", actions="delete", to="user:ann", where="/a")),
    "oneself as author elsewhere": ("ann", op("change_item", path="/b", add_authors="ann")),
    "a right to manage that one has only further in": ("ann", op("allow", actions="manage-rights", to="user:ben")),
    "what has no exceptions": ("ann", op("remove_rule", rule="never")),
    "a final deny": ("ann", op("deny", actions="edit", to="user:ben", where="/a", no_exceptions=True)),
    "a steward freeing of a final deny": ("sid", op("remove_members", group="crew", logins="cyd")),
    "taking out of the category of a final deny": ("top2", op("change_item", path="/a/press", no_longer_under="topic:press")),
    "one's own work, by the one who wrote it": ("pat", op("take_step", path="/a/mine", step="publish")),
    "by step without the right": ("ann", op("take_step", path="/a/post", step="publish")),
    "an invitation accepted by its hash": ("ben", op("accept", login="ivo", token_hash="sha256:0")),
    "a suspended person": ("sue", op("add_item", path="/b/x", kind="page")),
    "an item where one may not create": ("ben", op("add_item", path="/a/x", kind="page")),
    "added as public": ("ann", op("import_items", rows=[{"path": "/a/x", "kind": "page"}])),
    "somebody else as its author": ("cyd", op("import_items", rows=[{"path": "/a/x", "kind": "page", "state": "draft", "authors": "ben"}])),
    "hands written in an import": ("ann", op("import_items", rows=[{"path": "/a/mine", "changed_by": "cyd"}])),
    "removing without the right": ("ann", op("remove_item", path="/a/b")),
    "another's name": ("ben", op("change_user", login="cyd", name="Cyd Two")),
    "roles by somebody who manages a section": ("ann", op("change_role", name="editor", add=[{"can": ["delete"]}])),
}  # fmt: skip


@pytest.mark.parametrize(("by", "operation"), REFUSED.values(), ids=REFUSED)
def test_a_way_in_is_closed(site, by, operation):
    if by == "top2":  # may edit and file there, but is not the top
        with site.change(by="mo") as change:
            change.give("editor", to="user:ben", within_any="site")
        by = "ben"
    before = site.data
    with pytest.raises((pl.NotAllowed, pl.BadChange)):
        site.change(by=by).do(operation).make()
    assert site.data is before


def test_by_oneself_as_the_owner_nobody_publishes_their_own(site):
    with site.change(by="mo") as change:
        change.add_item("/a/new", "post", title="New")
    with pytest.raises(pl.NotAllowed, match="four eyes"):
        site.change(by="mo").take_step("/a/new", "publish").make()
    for steps in (
        lambda c: c.change_item("/a/new", add_authors="ben", drop_authors="mo"),
        lambda c: c.change_item("/a/new", title="Newer"),
    ):
        with site.change(by="mo") as change:
            steps(change)
        with pytest.raises(pl.NotAllowed, match="four eyes"):
            site.change(by="mo").take_step("/a/new", "publish").make()
    with site.change(by="top") as change:
        change.take_step("/a/new", "publish")
    assert site.data.items["/a/new"].changed_by == ()
    with site.change(by="mo") as change:  # a panel counts as the page that it is on
        change.change_item("/a/out/panel", title="Other")
    assert "mo" in site.data.items["/a/out"].changed_by


def test_taken_back_no_hand_is_forgotten(site):
    with site.change(by="mo") as change:
        change.change_item("/a/post", title="Mine")
    with site.change(by="mo") as change:
        change.undo(site.seen.number)
    assert "mo" in site.data.items["/a/post"].changed_by
    assert site.store.check_history() == 2


GOES = {
    "giving what one holds": ("ann", op("allow", actions="edit", to="user:ben", where="/a/post", reach="only-here")),
    "giving a role within one's section": ("ann", op("give", role="editor", to="user:ben", within_any="/a/press")),
    "for the time one holds it": ("dan", op("give", role="editor", to="user:ben", within_any="/a/press", until="2027-07-01")),
    "closing": ("ann", op("set_readership", where="/a", readership="signed-in")),
    "removing a person": ("kim", op("remove_user", login="ben")),
    "a member into a group that a final deny names": ("sid", op("add_members", group="crew", logins="ben")),
    "a member into the readers of a closed readership": ("kim", op("add_members", group="crew", logins="ben")),
    "a new person into the readers of a closed readership": ("kim", op("add_user", login="zed", name="Zed", groups="crew")),
    "one's own name": ("ben", op("change_user", login="ben", name="Ben Two")),
    "importing a draft": ("cyd", op("import_items", rows=[{"path": "/a/x", "kind": "page", "state": "draft"}])),
    "importing what is in review": ("cyd", op("import_items", rows=[{"path": "/a/x", "kind": "page", "state": "in-review"}])),
    "publishing what others wrote": ("pat", op("take_step", path="/a/post", step="publish")),
    "deleting where words stand": ("pat", op("remove_item", path="/a/b")),
    "what the owner brings in, public": ("mo", op("import_items", rows=[{"path": "/a/x", "kind": "post", "authors": "cyd"}])),
}  # fmt: skip


@pytest.mark.parametrize(("by", "operation"), GOES.values(), ids=GOES)
def test_what_must_not_be_refused(site, by, operation):
    site.change(by=by).do(operation).make()
    assert site.history()[-1].by == by


def test_hiding_and_showing_again_and_taking_back_ones_own_narrowing(site):
    with site.change(by="ann") as change:
        change.hide("/a")
    with site.change(by="ann") as change:
        change.show("/a")
    with site.change(by="ann") as change:
        change.deny("edit", to=["user:ann", "user:cyd"], where="/a", reach="only-here")
    assert not site.may("ann", "edit", "/a")
    with site.change(by="ann") as change:
        change.undo(site.seen.number)
    assert site.may("ann", "edit", "/a")


def test_words_stay_where_something_is_removed(site):
    with site.change(by="mo") as change:
        change.remove_item("/sealed")
    with site.change(by="mo") as change:
        change.add_item("/sealed", "page")
    assert not site.may("ben", "read", "/sealed")


def test_a_change_is_judged_when_it_is_made(site):
    change = site.change(by="ann").allow("edit", to="user:ben", where="/a/post", reach="only-here")
    change.effects()
    with site.change(by="mo") as other:
        other.take_back("manager", to="user:ann")
    with pytest.raises(pl.ChangedMeanwhile):
        change.make()
    assert not site.may("ben", "edit", "/a/post")


def test_an_undone_acceptance_leaves_no_link_that_works(site):
    with site.change(by="mo") as change:
        token = change.invite("zoe")
    assert site.accept(token) == "zoe"
    with pytest.raises(pl.BadChange):
        site.accept(token)
    with site.change(by="mo") as change:
        change.undo(site.seen.number)
    assert site.data.users["zoe"].status == "invited"
    with pytest.raises(pl.BadChange):
        site.accept(token)


def test_looking_as_somebody_asks_for_the_right_now(site):
    with pytest.raises(pl.NotAllowed):
        site.looking_as("cyd", at="2020-01-01", by="ben")


def test_moments_of_the_history_never_go_back(site, monkeypatch):
    with site.change(by="mo") as change:
        change.change_item("/b", title="One")
    monkeypatch.setenv("PRIM_LANTERN_NOW", "2020-01-01")
    with site.change(by="mo") as change:
        change.change_item("/b", title="Two")
    assert site.history()[1].at >= site.history()[0].at


def test_what_would_take_too_long_to_find_out_asks_the_top(site, monkeypatch):
    operation = op("set_readership", where="/a", readership="signed-in")
    with site.change(by="mo") as change:
        change.deny("read", to="everyone", where="topic:press", no_exceptions=True)
        change.set_readership("/a", readership="club")
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr("prim_lantern.change.gate.search.AT_MOST", 10)
        with pytest.raises(pl.NotAllowed, match="would take too long") as refused:
            site.change(by="ann").do(operation).make()
        assert refused.value.ask == ("top", "mo")
        with pytest.raises(pl.NotAllowed, match="would take too long"):  # of people, too
            site.change(by="kim").do(op("add_members", group="idle", logins="kim")).make()
        site.change(by="top").do(operation).make()
    with site.change(by="mo") as change:
        change.set_readership("/a", readership="club")
    site.change(by="ann").do(operation).make()  # nobody reads what she may not: found out in time


def test_a_readership_that_lets_in_fewer_may_be_set_by_whoever_manages_there(site):
    with site.change(by="mo") as change:  # who may not read it all themselves
        change.deny("read", to="user:ann", where="topic:press")
        change.set_readership("/a", readership="signed-in")
    for readership in ("club", "nobody"):
        site.change(by="ann").do(op("set_readership", where="/a", readership=readership)).make()
    site.change(by="ann").do(op("set_readership", where="/a/b", readership="club")).make()
    for wider in ("public", "signed-in", "authors-only"):
        with pytest.raises(pl.NotAllowed):
            site.change(by="ann").do(op("set_readership", where="/a", readership=wider)).make()
    for where in ("/a/b", "/a/press"):  # what is above counts no more
        with pytest.raises(pl.NotAllowed):
            site.change(by="ann").do(
                op("set_readership", where=where, readership="signed-in", alone=True)
            ).make()


def test_whoever_would_lose_the_way_back_is_told(site):
    change = site.change(by="ann").deny("manage-rights", to="user:ann", where="/a")
    assert any(
        "you lose the right to manage-rights at /a yourself" in each for each in change.cautions()
    )
    with site.change(by="mo") as other:
        other.give("all", to="user:ben")
    assert (
        "you lose all access yourself"
        in site.change(by="ben").take_back("all", to="user:ben").cautions()[0]
    )


def test_nobody_makes_an_author_of_somebody_who_could_then_do_more_than_they_themselves(site):
    with site.change(by="mo") as change:
        change.allow("delete", to="signed-in", where="/a", whose="own")
    with pytest.raises(pl.NotAllowed, match="Ben would come to delete"):
        site.change(by="ann").change_item("/a/press", add_authors="ben").make()
    with site.change(by="mo") as change:
        change.allow("delete", to="user:ann", where="/a")
    site.change(by="ann").change_item("/a/press", add_authors="ben").make()


def test_an_undone_new_author_is_looked_at_as_well(site):
    with site.change(by="mo") as change:
        change.allow("delete", to="signed-in", where="/a", whose="own")
    with site.change(by="mo") as change:
        change.change_item("/a/press", add_authors="ben", drop_authors="cyd")
    number = site.seen.number
    with pytest.raises(pl.NotAllowed):
        site.change(by="ann").undo(number).make()
    with pytest.raises(pl.NotAllowed, match="would come to delete"):
        site.change(by="ann").change_item("/a/press", add_authors="ann").make()


def test_whoever_signs_up_comes_to_no_more_than_the_groups_for_that(site):
    with pytest.raises(pl.BadChange, match="Nobody signs up"):
        site.sign_up("zoe")
    with pytest.raises(pl.BadChange, match="bosses leads to all access"):
        site.change(by="mo").set_sign_up("bosses")
    with pytest.raises(pl.NotAllowed):
        site.change(by="ben").set_sign_up("crew").make()
    with site.change(by="kim") as change:
        change.set_sign_up(["crew", "idle"])
    assert site.sign_up("zoe", name="Zoe", groups="crew") == "zoe"
    assert [each.group for each in site.data.users["zoe"].memberships] == ["crew"]
    assert (site.history()[-1].by, site.history()[-1].reason) == ("zoe", "Signed up")
    for login, groups in (
        ("zoe", ()),
        ("ZOE", ()),
        ("yan", "bosses"),
        ("yan", "outer"),
        ("y n", ()),
    ):
        with pytest.raises(pl.PrimLanternError):
            site.sign_up(login, groups=groups)
    with site.change(by="mo") as change:  # later on, all access comes to one of them
        change.change_group("idle", count_in="bosses")
    with pytest.raises(pl.BadChange, match="idle leads to all access"):
        site.sign_up("yan")
    with pytest.raises(pl.BadChange, match=r"Site\.sign_up"):
        site.change(by="mo").do(invitations.SignUp("yan"))
    with pytest.raises(pl.BadChange, match="no operation"):
        site.change(by="mo").do({"do": "sign-up", "login": "yan"})
    with site.change(by="kim") as change:
        change.undo(2)
    assert "zoe" not in site.data.users and "yan" not in site.data.users


BY_ROLE = """
[[given]]
role = "editor"
to = ["user:pat"]
within_any = ["topic:press"]
[[rules]]
allow = ["comment"]
to = ["role:editor"]
where = "/a"
"""


def test_where_words_speak_of_whoever_has_a_role_nobody_gives_more_than_they_have(make_site):
    site = make_site(SITE + BY_ROLE, PEOPLE, CONTENT)
    assert site.engine_for(site.data, site.moment()).ground.whole
    assert site.allows("ben", "read", "/a") and not site.allows("ben", "comment", "/a")
    for action in ("publish", "delete"):
        with pytest.raises(pl.NotAllowed, match=f"Ben would come to {action}"):
            site.change(by="ann").allow(action, to="user:ben", where="/a/b").make()
    with site.change(by="mo") as change:
        change.give("editor", to="user:ben", within_any="/a")
    assert site.allows("ben", "comment", "/a")  # whoever has the role is somebody else now
    with site.change(by="mo") as change:
        change.take_back("editor", to="user:ben", within_any="/a")
    assert not site.allows("ben", "comment", "/a")


def test_nobody_signs_up_into_all_access_by_what_they_say_of_themselves(site):
    with site.change(by="mo") as change:
        change.set_sign_up("crew").set_condition("bosses", "login is zoe")
        change.set_condition("idle", "email is zed@post.example").change_group(
            "idle", count_in="bosses"
        )
    for login, email in (("zoe", ""), ("Zoe", ""), ("zed", "zed@post.example")):
        with pytest.raises(pl.BadChange, match="would come to all access"):
            site.sign_up(login, email=email)
    assert site.sign_up("zed") == "zed"


THREE = """
default_readership = "crew"
[category_sets.topic]
"a" = "A"
[category_sets.area]
"b" = "B"
[category_sets.mood]
"c" = "C"
[groups.crew]
[readerships.crew]
readers = ["group:crew"]
[kinds.post]
filed_under = ["topic", "area", "mood"]
[[rules]]
allow = ["edit"]
to = ["guests"]
where = "topic:a"
in_state = ["draft"]
[[rules]]
allow = ["see-drafts"]
to = ["guests"]
where = "area:b"
[[rules]]
allow = ["read", "see-drafts", "manage-rights"]
to = ["user:cyd"]
where = "mood:c"
"""


@pytest.mark.parametrize("few", [12, 1])
def test_what_three_categories_open_together_is_seen(make_folder, monkeypatch, few):
    """Guests would edit drafts under all three; whoever lets them read under one could not."""
    site = pl.open_site(
        make_folder(THREE, "cyd,Cyd,,active,,,", "/x,post,X,mo,,draft,topic:a;area:b;mood:c,,,,")
    )
    monkeypatch.setattr(pictures, "_FEW", few)
    with pytest.raises(pl.NotAllowed, match="edit"):
        site.change(by="cyd").allow("read", to="guests", where="mood:c").make()
    site.change(by="mo").deny("edit", to="guests", where="topic:a").make()  # now nothing is opened
    site.change(by="cyd").allow("read", to="guests", where="mood:c").make()
    assert site.may(None, "read", "/x")


def test_nothing_keeps_the_owner_out_so_that_nobody_frees_them(site):
    with site.change(by="mo") as change:
        change.add_members("crew", "mo")
    with site.change(by="sid") as change:  # the steward; a final deny names the group
        change.remove_members("crew", "mo")
    with pytest.raises(pl.NotAllowed, match="kept from edit without exceptions"):
        site.change(by="sid").remove_members("crew", "cyd").make()


def test_the_owner_gains_nothing_by_a_word(site):
    site.change(by="ann").allow("publish", to="user:mo", where="/a").make()  # she may not publish
    with pytest.raises(pl.NotAllowed, match="publish"):
        site.change(by="ann").allow("publish", to="user:ben", where="/a").make()


PANELS = """
[[rules]]
allow = ["manage-rights"]
to = ["user:ann"]
where = "/a"
[[rules]]
allow = ["edit"]
to = ["user:ann"]
where = "/a"
reach = "only-here"
kinds = ["panel"]
"""


def test_parts_of_pages_that_are_still_to_come_are_seen(make_folder):
    """Nothing stands below /a yet; a panel on a new page there is not one on /a."""
    site = pl.open_site(
        make_folder(PANELS, "ann,Ann,,,,,\nben,Ben,,,,,", "/a,page,A,mo,,published,,,,,")
    )
    for reach in ("here-and-below", "only-below"):
        with pytest.raises(pl.NotAllowed, match="edit a panel"):
            site.change(by="ann").allow(
                "edit", to="user:ben", where="/a", kinds="panel", reach=reach
            ).make()
    site.change(by="ann").allow(
        "edit", to="user:ben", where="/a", kinds="panel", reach="only-here"
    ).make()


def test_managing_is_given_on_only_where_one_manages_however_closed_it_is(site):
    with site.change(by="mo") as change:
        change.set_readership("/a/b", readership="sealed")
        change.deny("manage-rights", to="user:ann", where="/a/b")
    with pytest.raises(pl.NotAllowed, match="manage-rights"):
        site.change(by="ann").allow("manage-rights", to="user:ben", where="/a").make()
    site.change(by="ann").allow("manage-rights", to="user:ben", where="/a/post").make()


@pytest.mark.parametrize("later", ["a deny ends", "a role begins"])
def test_what_words_about_a_role_let_somebody_do_only_later_is_seen(site, later):
    """Dan, who may edit until July, lets Ben edit what something else keeps him from until then."""
    with site.change(by="mo") as change:
        change.allow("edit", to="user:dan", where="/a/b", until="2028-01-01")
        if later == "a deny ends":
            change.give("badge", to="user:ben", within_any="/a")
            for action in ("edit", "see-drafts"):
                change.deny(action, to="role:badge", where="/a/b", until="2028-06-01")
        else:
            change.give("badge", to="user:ben", within_any="/a", since="2028-06-01")
    word = {"to": "role:badge", "where": "/a/b", "reach": "only-here"}
    change = site.change(by="dan").allow("edit", **word)
    with pytest.raises(pl.NotAllowed, match="2028-06-01"):
        change.make()
    site.change(by="dan").allow("edit", **word, until="2028-01-01").make()


@pytest.mark.parametrize("first", ["/a/mine", "/a/press"])  # before and after the page in order
def test_of_several_items_each_that_is_touched_keeps_the_hand(site, first):
    with site.change(by="mo") as change:
        change.change_item(first, public_from="2027-01-01")  # nothing that four eyes look at
        change.change_item("/a/out/panel", title="Other")
        change.change_item("/a/post", title="Another")
    hands = {path: item.changed_by for path, item in site.data.items.items() if item.changed_by}
    assert hands == {"/a/out": ("mo",), "/a/post": ("ben", "mo")}


@pytest.mark.parametrize("freed", ["guests", "signed-in"])
def test_nobody_but_the_top_frees_those_whom_no_person_stands_for(make_site, freed):
    """A word without exceptions speaks of whoever has a role; the role is taken back from all."""
    site = make_site(
        "[roles.shunned]\n[roles.all]\nall_access = true\n"
        "[[given]]\nrole = 'all'\nto = ['user:ann']\nwithin_any = ['/a']\n"
        f"[[given]]\nrole = 'shunned'\nto = ['{freed}']\nwithin_any = ['/a']\n"
        "[[rules]]\ndeny = ['read']\nto = ['role:shunned']\nwhere = '/a'\nno_exceptions = true\n",
        people="ann,,,,,,\n",
        content="/a,page,,,,,,,,,\n",
    )
    with pytest.raises(pl.NotAllowed, match="kept from read without exceptions"):
        site.change(by="ann").take_back("shunned", freed).make()
    site.change(by=site.data.owner).take_back("shunned", freed).make()
    assert site.allows(None if freed == "guests" else "ann", "read", "/a")
