"""How access is decided, point by point, on small sites asked through the library."""

from __future__ import annotations

import pytest

import prim_lantern as pl
from prim_lantern.site.content import Item, state_after
from prim_lantern.site.moments import Duration, moment

PEOPLE = """ann,Ann,,,,,
ben,Ben,,,,,
sid,Sid,,suspended,crew,,
"""
CONTENT = """/a,page,A,ann,,,,,,,
/a/p,panel,Panel,,,,,,,,
/a/p/q,panel,Inner,,,,,,,,
/a/b,page,B,,,,,,,,
/d,page,Draft,ann,,draft,,,,,
/d/p,panel,On draft,,,,,,,,
/d/sub,page,Below draft,,,,,,,,
/s,page,Screen,,,,,,,,
/link,link,To draft,,,,,,,,/d
/far,link,To nothing,,,,,,,,/nowhere
/club,page,Club,,,,,,,,
/club/gull,page,Gull,,,,topic:sea/gulls,,,,
/post,post,Post,ann,ben,draft,topic:sea/gulls,,,,
"""
BASE = """
[kinds.post]
four_eyes = true
[category_sets.topic]
sea = "Sea"
"sea/gulls" = "Gulls"
[groups.crew]
members = ["ann"]
[roles.mate]
capabilities = [{ can = ["edit"] }]
[roles.able]
includes = ["mate"]
[roles.all]
all_access = true
[readerships.crew]
readers = ["group:crew"]
"""


def rule(word: str, actions: str, to: str, where: str = "site", more: str = "") -> str:
    listed = ", ".join(f'"{each}"' for each in actions.split())
    return f'[[rules]]\n{word} = [{listed}]\nto = ["{to}"]\nwhere = "{where}"\n{more}\n'


def place(where: str, more: str) -> str:
    return f'[[places]]\nwhere = "{where}"\n{more}\n'


def give(role: str, to: str, within: str = "site", more: str = "") -> str:
    return f'[[given]]\nrole = "{role}"\nto = ["{to}"]\nwithin_any = ["{within}"]\n{more}\n'


CREW_AT_A = place("/a", 'readership = "crew"')

# What is set up, and who may do what then (True) or may not (False).
CASES = {
    "nobody has spoken": ("", [("ann", "edit", "/a", False), ("mo", "edit", "/a", True)]),
    "suspended people are guests": (
        rule("allow", "edit", "group:crew") + rule("deny", "read", "guests", "/s"),
        [("sid", "edit", "/a", False), ("sid", "read", "/s", False), ("ann", "edit", "/a", True)],
    ),
    "a user outranks a group at one place": (
        rule("deny", "edit", "group:crew") + rule("allow", "edit", "user:ann"),
        [("ann", "edit", "/a", True)],
    ),
    "a nearer audience outweighs a user": (
        rule("allow", "edit", "user:ann") + rule("deny", "edit", "everyone", "/a"),
        [("ann", "edit", "/a", False), ("ann", "edit", "/s", True)],
    ),
    "two words at one path are at one place whatever their reach": (
        rule("allow", "edit", "user:ann", "/a", 'reach = "only-here"')
        + rule("deny", "edit", "group:crew", "/a"),
        [("ann", "edit", "/a", True), ("ann", "edit", "/a/b", False)],
    ),
    "only-below leaves the page and its parts out": (
        rule("allow", "edit", "user:ben", "/a", 'reach = "only-below"'),
        [("ben", "edit", "/a", False), ("ben", "edit", "/a/p", False), ("ben", "edit", "/a/b", True)],
    ),
    "only-here of a part takes its own parts along": (
        rule("allow", "edit", "user:ben", "/a/p", 'reach = "only-here"'),
        [("ben", "edit", "/a/p", True), ("ben", "edit", "/a/p/q", True), ("ben", "edit", "/a", False)],
    ),
    "a category below outweighs the one above": (
        rule("allow", "edit", "user:ann", "topic:sea") + rule("deny", "edit", "everyone", "topic:sea/gulls"),
        [("ann", "edit", "/post", False)],
    ),
    "a part has its page's authors and state": (
        rule("allow", "edit", "user:ann", "site", 'whose = "own"\nin_state = ["draft"]'),
        [("ann", "edit", "/d/p", True), ("ann", "edit", "/a/p", False)],
    ),
    "a part counts as of its page's kind": (
        rule("allow", "edit", "user:ben", "site", 'kinds = ["page"]'),
        [("ben", "edit", "/a/p", True), ("ben", "edit", "/post", False)],
    ),
    "others' leaves one's own out": (
        rule("allow", "edit", "user:ann", "site", 'whose = "others"'),
        [("ann", "edit", "/a", False), ("ann", "edit", "/a/b", True)],
    ),
    "state passes down to parts only": (
        "",
        [("ben", "read", "/d", False), ("ben", "read", "/d/p", False), ("ben", "read", "/d/sub", True)],
    ),
    "a link is hidden with its target": (
        "",
        [("ben", "read", "/link", False), ("ann", "read", "/link", True), (None, "read", "/far", True)],
    ),
    "a brought read holds in every state, the rest keeps them": (
        CREW_AT_A + rule("allow", "edit", "user:ben", "/a", 'in_state = ["draft"]'),
        [("ben", "read", "/a", True), ("ben", "see-drafts", "/a", False), ("ben", "edit", "/a", False)],
    ),
    "a denied read takes the rest along": (
        rule("allow", "edit", "user:ben") + rule("deny", "read", "user:ben", "/a"),
        [("ben", "edit", "/a", False), ("ben", "edit", "/s", True)],
    ),
    "a role within a place, as a who": (
        give("mate", "user:ben", "/a") + rule("allow", "comment", "role:mate"),
        [("ben", "comment", "/a/b", True), ("ben", "comment", "/s", False)],
    ),
    "holding a role that includes another is not holding that": (
        give("able", "user:ben") + rule("allow", "comment", "role:mate"),
        [("ben", "edit", "/a", True), ("ben", "comment", "/a", False)],
    ),
    "a deny without exceptions binds all-access, not the owner": (
        give("all", "user:ben") + rule("deny", "edit", "everyone", "/a", "no_exceptions = true"),
        [("ben", "edit", "/a", False), ("ben", "edit", "/s", True), ("mo", "edit", "/a", True)],
    ),
    "all-access passes an ordinary deny and readership, within its place": (
        CREW_AT_A + give("all", "user:ben", "/a") + rule("deny", "edit", "user:ben", "/a"),
        [("ben", "edit", "/a/b", True), ("ben", "edit", "/s", False)],
    ),
    "a deny of seeing drafts without exceptions": (
        give("all", "user:ben") + rule("deny", "see-drafts", "user:ben", "/d", "no_exceptions = true"),
        [("ben", "read", "/d", False), ("ben", "read", "/d/sub", True)],
    ),
    "rights from outside do not reach in, denies do": (
        place("/a", "rights_from_above = false")
        + rule("allow", "edit", "user:ben")
        + rule("allow", "edit", "user:ben", "topic:sea")
        + rule("deny", "comment", "user:ann")
        + rule("allow", "comment", "signed-in", "/a"),
        [("ben", "edit", "/a/b", False), ("ben", "edit", "/s", True), ("ann", "comment", "/a", True)],
    ),
    "all-access reaches into a cut-off path": (
        place("/a", "rights_from_above = false") + give("all", "user:ben"),
        [("ben", "edit", "/a", True)],
    ),
    "a path that stands alone": (
        CREW_AT_A + place("/a/b", 'readership = "public"\nreadership_from_above = false'),
        [(None, "read", "/a/b", True), (None, "read", "/a", False), (None, "read", "/a/p", False)],
    ),
    "a final readership is not taken away by standing alone": (
        '[readerships.sealed]\nreaders = ["group:crew"]\nno_exceptions = true\n'
        + place("/a", 'readership = "sealed"')
        + place("/a/b", 'readership = "public"\nreadership_from_above = false')
        + rule("allow", "read", "user:ben", "/a"),
        [("ben", "read", "/a/b", False), ("ben", "read", "/a", False), ("ann", "read", "/a/b", True)],
    ),
    "a yes in a category does not open a closed section": (
        place("/post", 'readership = "nobody"') + rule("allow", "read", "user:ben", "topic:sea"),
        [("ben", "read", "/post", False)],
    ),
    "a yes at its own path opens a closed category": (
        place("topic:sea", 'readership = "nobody"')
        + rule("allow", "see-drafts", "user:ben", "/post"),
        [("ben", "read", "/post", True)],
    ),
    "standing alone below a category: only its own path keeps the category's readership away": (
        place("topic:sea", 'readership = "nobody"')
        + place("/post", 'readership = "public"\nreadership_from_above = false')
        + rule("allow", "see-drafts", "everyone"),
        [("ben", "read", "/post", True)],
    ),
    "standing alone above does not keep a category's readership away": (
        place("topic:sea", 'readership = "nobody"')
        + place("/club", 'readership = "public"\nreadership_from_above = false'),
        [("ben", "read", "/club/gull", False), ("ben", "read", "/club", True)],
    ),
    "a yes at a category lets past the readerships there and above, not below": (
        place("topic:sea", 'readership = "nobody"')
        + rule("allow", "read", "user:ben", "topic:sea/gulls")
        + rule("allow", "read", "user:ann", "topic:sea"),
        [("ben", "read", "/club/gull", True), ("ann", "read", "/club/gull", True)],
    ),
    "a yes at the upper category does not let past a readership at the lower": (
        place("topic:sea/gulls", 'readership = "nobody"')
        + rule("allow", "read", "user:ben", "topic:sea/gulls")
        + rule("allow", "read", "user:ann", "topic:sea"),
        [("ben", "read", "/club/gull", True), ("ann", "read", "/club/gull", False)],
    ),
    "a part meets only what stands on the way from its page": (
        CREW_AT_A
        + place("/a/p", 'readership = "signed-in"')
        + rule("allow", "read", "guests", "/a", 'reach = "only-here"'),
        [(None, "read", "/a", True), (None, "read", "/a/p", False), ("ben", "read", "/a/p", False)],
    ),
    "four eyes bind the owner too": (
        rule("allow", "publish", "group:crew") + rule("allow", "publish", "user:ben"),
        [("ann", "publish", "/post", False), ("ben", "publish", "/post", False), ("mo", "publish", "/post", True)],
    ),
    "whoever may edit may see the draft": (
        rule("allow", "edit", "user:ben", "/d"),
        [("ben", "read", "/d", True), ("ben", "edit", "/d/p", True)],
    ),
    "an audience gets just what is named": (
        rule("allow", "edit", "signed-in", "/d"),
        [("ben", "read", "/d", False), ("ben", "edit", "/d", False)],
    ),
}  # fmt: skip


@pytest.mark.parametrize("case", CASES)
def test_case(make_site, case):
    words, questions = CASES[case]
    site = make_site(BASE + words, PEOPLE, CONTENT)
    found = [(*asked, bool(site.may(*asked))) for *asked, _ in questions]
    assert found == questions


MANAGING = (
    rule("allow", "manage-rights", "user:ann", "/a")
    + rule("allow", "manage-rights", "user:ben", "/a/b", 'reach = "only-below"')
    + rule("allow", "manage-rights manage-people", "group:crew", "topic:sea")
    + rule("deny", "manage-rights", "everyone", "/a/p", "no_exceptions = true")
)


@pytest.mark.parametrize(
    ("who", "action", "where", "expected"),
    [
        ("ann", "manage-rights", "/a", True),
        ("ann", "manage-rights", "/a/b", True),
        ("ann", "manage-rights", "site", False),
        ("ann", "manage-rights", "/a/p", False),
        ("ben", "manage-rights", "/a/b", False),
        ("ann", "manage-rights", "topic:sea/gulls", True),
        ("ann", "manage-people", "site", False),
        ("mo", "manage-rights", "/a/p", True),
        ("sid", "manage-rights", "topic:sea", False),
        (None, "look-as", "site", False),
    ],
)
def test_managing(make_site, who, action, where, expected):
    site = make_site(BASE + MANAGING, PEOPLE, CONTENT)
    assert bool(site.may_manage(who, action, where)) is expected


STANDING = """
[groups.crew]
[kinds.post]
filed_under = ["topic"]
must_be_filed = true
[category_sets.topic]
sea = "Sea"
[category_sets.series]
talks = "Talks"
[[limits]]
kind = "page"
where = "/a"
at_most = 1
"""


@pytest.mark.parametrize(
    ("kind", "parent", "categories", "because"),
    [
        ("page", "/d", [], None),
        ("post", "/a", ["topic:sea"], None),
        ("panel", "/a/p", [], None),
        ("page", "/a", [], "there are 1 items of the kind page below /a already"),
        ("page", "/a/p", [], "/a/p is a part of a page, and below it only parts can be"),
        ("page", "/link", [], "/link is a link, and nothing can be below a link"),
        ("panel", "/", [], "a panel is a part and needs a page, and no item stands at /"),
        ("panel", "/a", ["topic:sea"], "a panel is a part of a page and has its page's categories"),
        ("post", "/a", ["series:talks"], "a post is filed under topic only"),
        ("post", "/a", [], "a post must be filed under at least one category"),
    ],
)
def test_where_an_item_can_stand_binds_the_owner_too(make_site, kind, parent, categories, because):
    content = CONTENT.replace("topic:sea/gulls", "topic:sea")
    decision = make_site(STANDING, PEOPLE, content).may_create("mo", kind, parent, categories)
    assert bool(decision) is (because is None)
    assert because is None or because in decision.reason


def test_creating_filing_and_moving(make_site):
    words = (
        rule("allow", "create", "user:ben", "/a")
        + rule("allow", "edit", "user:ben", "/d", 'reach = "only-here"')
        + rule("allow", "file-under", "user:ben", "topic:sea")
        + rule("deny", "create", "user:ben", "/a/b")
        + rule("allow", "create", "guests", "/s")
    )
    site = make_site(BASE + words, PEOPLE, CONTENT)
    assert site.may_create("ben", "page", "/a")
    assert site.may_create("ben", "page", "/a", ["topic:sea/gulls"])
    assert not site.may_create("ben", "page", "/a/b")
    assert site.may_create(None, "page", "/s")  # a guest is no author of it; still a yes
    assert site.may_file("ben", "/a", "topic:sea")
    assert not site.may_file("ann", "/a", "topic:sea")
    assert not site.may_file("mo", "/a/p", "topic:sea")  # a part has its page's categories
    assert not site.may_move("ben", "/d", "/a")  # not without /d/sub, which he may not edit
    assert site.may_move("mo", "/d", "/a")
    assert not site.may_move("mo", "/d", "/d/sub")
    assert not site.may_move("mo", "/a/p", "/link")


def test_a_created_item_is_its_makers_own(make_site):
    words = rule("allow", "create", "user:ben", "/a", 'whose = "own"\nin_state = ["draft"]')
    site = make_site(BASE + words, PEOPLE, CONTENT)
    assert site.may_create("ben", "page", "/a")
    assert not site.may_create("ben", "panel", "/a")  # its page is Ann's, and published


@pytest.mark.parametrize(
    ("at", "may"),
    [
        ("2027-03-31T23:59:59Z", False),
        ("2027-04-01", True),
        ("2027-09-30T23:59:59Z", True),
        ("2027-10-01", False),
        ("2027-10-01T01:00+02:00", True),
    ],
)
def test_a_period_is_half_open(demo, at, may):
    assert bool(demo.may("bo.lind", "edit", "/visit/sailings", at)) is may
    assert (
        demo.items_for("bo.lind", "edit", at)
        == ["/visit/sailings", "/visit/sailings/timetable"] * may
    )


def test_state_in_effect_and_steps():
    item = Item("/x", "event", state="scheduled", public_from=moment("2027-05-01"))
    until = Item("/x", "event", public_until=moment("2027-05-01"))
    before, after = moment("2027-04-30"), moment("2027-05-01")
    assert [item.state_at(before), item.state_at(after)] == ["scheduled", "published"]
    assert [until.state_at(before), until.state_at(after)] == ["published", "archived"]
    draft = Item("/x", "event", state="draft", public_from=after)
    review = Item("/x", "event", state="in-review")
    steps = [
        (state_after("submit", draft, before, own=False), "in-review"),
        (state_after("publish", draft, before, own=False), "scheduled"),
        (state_after("publish", draft, after, own=False), "published"),
        (state_after("publish", item, before, own=False), None),
        (state_after("send-back", review, before, own=False), "draft"),
        (state_after("withdraw", review, before, own=True), "draft"),
        (state_after("withdraw", review, before, own=False), None),
        (state_after("withdraw", item, before, own=False), "draft"),
        (state_after("archive", item, after, own=False), "archived"),
        (state_after("archive", until, after, own=False), None),
        (state_after("edit", draft, before, own=True), None),
    ]
    assert [found for found, _ in steps] == [expected for _, expected in steps]


@pytest.mark.parametrize(
    ("start", "lasts", "end"),
    [
        ("2027-01-31", "1 month", "2027-02-28"),
        ("2028-01-31", "1 month", "2028-02-29"),
        ("2028-02-29", "1 year", "2029-02-28"),
        ("2027-12-31T09:00Z", "2 months", "2028-02-29T09:00:00"),
        ("2027-05-10", "3 weeks", "2027-05-31"),
    ],
)
def test_durations_end_on_the_last_day(start, lasts, end):
    assert Duration.read(lasts).after(moment(start)).isoformat().startswith(end)


@pytest.mark.parametrize(
    ("ask", "error", "message"),
    [
        (lambda s: s.may("san", "read", "/a"), pl.UnknownUser, "The user 'san' is not known on this site. Did you mean ann?"),
        (lambda s: s.may("ann", "raed", "/a"), pl.UnknownAction, "The action 'raed' is not known on this site. Did you mean read?"),
        (lambda s: s.may("ann", "read", "/A"), pl.UnknownItem, "The item '/A' is not known on this site. Did you mean /a?"),
        (lambda s: s.may_file("ann", "/a", "topic:see"), pl.UnknownCategory, "The category 'topic:see' is not known on this site. Did you mean topic:sea or topic:sea/gulls?"),
        (lambda s: s.may_create("ann", "pots", "/a"), pl.UnknownKind, "The kind 'pots' is not known on this site. Did you mean post?"),
        (lambda s: s.may_create("ann", "page", "/zz"), pl.UnknownItem, "The item '/zz' is not known on this site."),
        (lambda s: s.may("ann", "file-under", "/a"), pl.BadQuestion, "'file-under' is asked with a category."),
        (lambda s: s.may("ann", "create", "/a"), pl.BadQuestion, "'create' is asked with a kind and the parent of what would be new."),
        (lambda s: s.may("ann", "look-as", "/a"), pl.BadQuestion, "'look-as' is asked of a place: 'site', a path or a category."),
        (lambda s: s.may_manage("ann", "look-as", "/a"), pl.BadQuestion, "'look-as' is asked of the whole site: leave the place out."),
        (lambda s: s.may_manage("ann", "edit", "/a"), pl.BadQuestion, "'edit' is done to items: ask 'may' with a path."),
        (lambda s: s.looking_as(pl.pictured("group:crwe")), pl.UnknownWho, "The name 'group:crwe' is not known on this site. Did you mean group:crew?"),
        (lambda s: s.grid(["authors"]), pl.UnknownUser, "The user 'authors' is not known on this site."),
        (lambda s: s.grid(["role:nobody"]), pl.UnknownWho, "The name 'role:nobody' is not known on this site."),
        (lambda s: s.may("ann", "read", "/a", "10 May"), pl.BadValue, "'10 May' is no moment: write a day as 2027-01-31 or a time as 2027-01-31T09:30Z."),
        (lambda s: s.may("ann", "read", "/a", "0001-01-01T00:00+05:00"), pl.BadValue, None),
    ],
)  # fmt: skip
def test_what_cannot_be_asked_is_an_error(make_site, ask, error, message):
    site = make_site(BASE, PEOPLE, CONTENT)
    with pytest.raises(error) as raised:
        ask(site)
    assert message is None or str(raised.value) == message
    assert raised.value.exit_code == 2


def test_logins_compare_without_regard_to_case(demo):
    assert demo.may("LEIF.Aronsen", "edit", "/stations/fennick")
    assert demo.may("LEIF.Aronsen", "edit", "/stations/fennick").question.who == "leif.aronsen"
