"""Reasons, word for word, on the demo site."""

from __future__ import annotations

import pytest

AT = "2027-05-10"

FOUR_EYES = """\
No: Sam Whitlock may not publish “The spring seal count” (/log/seal-count): it asks for four eyes, \
and they wrote or changed it.
Because:
  - A Log entry asks for four eyes: nobody publishes what they wrote or changed, and Sam Whitlock \
did  [site.toml, line 14]
What is missing:
  - Somebody else who may publish it
  - The right to publish here
What comes near:
  - The role Log approver, given to group Log approvers at /log and below, lets them publish any \
post: Sam Whitlock is not in group Log approvers  [site.toml, line 277]
  - The role Log approver, given to Nils Oakley at /log and below, lets them publish any post: Sam \
Whitlock is not Nils Oakley  [site.toml, line 282]"""

TWO_KEYS = """\
No: Tomasz Reeve may not sell on “Shop” (/back-office/shop): they may read it, but nothing gives \
them the right to sell here.
Because:
  - Nobody has spoken: nothing gives Tomasz Reeve the right to sell here
Readerships on the way:
  - Readership Public on the whole site: Tomasz Reeve is in it, as everyone may view  \
[site.toml, line 7]
  - Readership Back office at /back-office and below: Tomasz Reeve is in it, as group Back office \
may view  [site.toml, line 426]
    - Tomasz Reeve is in group Back office: listed by hand  [people.csv, line 4]
What is missing:
  - The right to sell here
What comes near:
  - The rule desk-sells lets group Ticket desk sell on anything at /back-office/shop and below: \
Tomasz Reeve is not in group Ticket desk  [site.toml, line 502]"""

LAPSED = """\
No: Wendel Achter may not read “Webcam of Fennick Rock” (/patrons/webcam): they are not in the \
readership Patrons at /patrons and below.
Because:
  - Readership Patrons at /patrons and below: Wendel Achter is not in it: it is for group Patrons, \
group Trustees or group Staff  [site.toml, line 396]
    - Wendel Achter was in group Patrons: enrolled in Patron, one year, from 2025-02-01 until \
2026-02-01  [people.csv, line 30]
Readerships on the way:
  - Readership Public on the whole site: Wendel Achter is in it, as everyone may view  \
[site.toml, line 7]
What is missing:
  - Being in the readership Patrons, or a yes to read at /patrons or nearer"""


@pytest.mark.parametrize(
    ("asked", "text"),
    [
        (("sam.whitlock", "publish", "/log/seal-count"), FOUR_EYES),
        (("tomasz.reeve", "sell", "/back-office/shop"), TWO_KEYS),
        (("wendel.achter", "read", "/patrons/webcam"), LAPSED),
    ],
)
def test_the_whole_text(demo, asked, text):
    assert str(demo.why(*asked, AT)) == text


# Who, what, where; then how the sentence ends, and something that the sections say.
REASONS = [
    ("hana.okafor", "edit", "/log", "they are the owner of the site, who may do everything", "is the owner of the site"),
    ("ines.varga", "edit", "/log", "their role Web team has all access on the whole site", "The role Web team, given to Ines Varga on the whole site, has all access there"),
    ("leif.aronsen", "edit", "/stations/fennick/landing", "by the role Station keeper, through group Keepers of Fennick Rock", "is in group Keepers of Fennick Rock: fits position is keeper and station one of fennick or fennick rock"),
    ("farah.lindqvist", "read", "/learn/packs", "it is published, and open to group Visiting teachers", "is in group Visiting teachers: has directory:teacher elsewhere"),
    ("theo.marsh", "edit", "/log/old-postcards", "they cannot read it, as it is a draft, and they may not see drafts", "Theo Marsh is suspended and counts as a guest"),
    ("sam.whitlock", "edit", "/log/terns", "they may read it, but nothing gives them the right to edit here", "now it is in review"),
    ("pavel.ostrow", "read", "/log/storm-watch", "the rule pavel-storm takes that away", "(Asked by the family; see Hana.)"),
    ("anneke.sorley", "publish", "/news/anniversary-press", "they may read it, but the rule press-freeze takes that away", "Equally near, so no beats yes: The role News writer"),
    ("farah.lindqvist", "edit", "/learn/packs", "they may read it, but the rule teachers-never-edit takes that away", "A word that outweighs that deny of edit"),
    ("nuala.brook", "sell", "/back-office/shop", "they cannot read it, as they are not in the readership Back office at /back-office and below", "Being in the readership Back office"),
    ("bo.lind", "edit", "/visit/sailings/timetable", "by the role Timetable desk", "from 2027-04-01 until 2027-10-01"),
    ("greta.oyelaran", "read", "/patrons/webcam/picture", "it is published, and open to everyone", "may read its page, /patrons/webcam"),
    ("sam.whitlock", "read", "/menu/minutes", "they cannot read its target /trustees/minutes: they are not in the readership Trustees at /trustees and below", "it is for group Trustees or Hana Okafor"),
    (None, "read", "/patrons/join", "it is published, and open to everyone", "Readership Patrons at /patrons and below does not count: a nearer path stands alone"),
    ("mirela.kos", "edit", "/visit/prices", "by the rule mirela-prices", "(She set up the price list.)"),
    ("kit.farrow", "comment", "/log/bees", "they cannot read it, as it is a draft, and they may not see drafts", "The right to see drafts here, or that it is published (now: draft)"),
    ("omar.delgarno", "read", "/patrons", "they are not in the readership Patrons at /patrons and below", "will be in group Patrons: enrolled in Patron, one year, from 2027-07-01 until 2028-07-01"),
]  # fmt: skip


@pytest.mark.parametrize(("who", "action", "path", "short", "said"), REASONS)
def test_a_reason(demo, who, action, path, short, said):
    decision = demo.may(who, action, path, AT)
    assert decision.explanation.short == short
    assert decision.reason.endswith(f": {short}.")
    assert said in str(decision.explanation)


def test_outweighed_and_cut_off_are_told(make_site):
    site = make_site(
        """
[groups.crew]
members = ["ann"]
[[rules]]
id = "wide"
allow = ["edit"]
to = ["user:ann"]
[[rules]]
id = "near"
deny = ["edit"]
to = ["group:crew"]
where = "/a"
[[rules]]
id = "outside"
allow = ["edit"]
to = ["user:ann"]
[[places]]
where = "/b"
rights_from_above = false
""",
        "ann,Ann,,,,,\n",
        "/a,page,A,,,,,,,,\n/b,page,B,,,,,,,,\n",
    )
    near = site.why("ann", "edit", "/a").to_dict()
    assert [point["name"] for point in near["because"]] == ["near"]
    assert [point["text"] for point in near["outweighed"]] == [
        "The rule wide lets Ann edit anything on the whole site: outweighed by the rule near at /a "
        "and below (stands nearer)",
        "The rule outside lets Ann edit anything on the whole site: outweighed by the rule near at "
        "/a and below (stands nearer)",
    ]
    cut = site.why("ann", "edit", "/b").to_dict()
    assert cut["missing"][0]["text"] == "The right to edit here"
    assert [point["line"] for point in cut["from_above"]] == [7, 16]
    assert cut["from_above"][0]["behind"][0] == {
        "what": "setting",
        "name": None,
        "text": "/b lets no rights in from above",
        "file": "site.toml",
        "line": 22,
        "behind": [],
    }


def test_creating_and_managing_are_told(demo):
    press = demo.may_create("sam.whitlock", "post", "/log", ["topic:press"], AT)
    assert press.reason == (
        "No: Sam Whitlock may not create a Log entry below /log, filed under topic:press: they may "
        "not file it under topic:press: nothing gives them the right to file under this category."
    )
    rights = demo.may_manage("beatrix.lowe", "manage-rights", "/log", AT)
    assert rights.reason == (
        "No: Beatrix Lowe may not manage rights at /log: nothing gives them the right to "
        "manage rights here."
    )
