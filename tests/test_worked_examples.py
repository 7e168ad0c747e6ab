"""The worked examples of docs/how-access-is-decided.md, as they are counted there."""

from __future__ import annotations

import pytest

PEOPLE = """leif,Leif,,,keepers-fennick,,
cara,Cara,,,crew,,
ned,Ned,,,patrons,,
edda,Edda,,,,,
"""
CONTENT = """/stations,page,Stations,,,,,,,,
/stations/fennick,page,Fennick,,,,topic:press,,,,
/stations/fennick/notice,page,Notice,,,,topic:press,,,,
/stations/marrow,page,Marrow,,,,,,,,
/stations/marrow/tide,panel,Tide,,,,,,,,
/stations/marrow/log,page,Log,,,,,,,,
/posts/own,post,Own,leif,,,,,,,
/posts/draft,post,Draft,leif,,draft,,,,,
/club,page,Club,,,,,,,,
/patrons,page,Patrons,,,,,,,,
/open,page,Open,,,,,,,,
"""
BASE = """
[category_sets.topic]
press = "Press"
wildlife = "Wildlife"
[groups.crew]
[groups.keepers-fennick]
[groups.trainees]
members = ["leif"]
[groups.web]
members = ["cara"]
[groups.patrons]
[roles.keeper]
capabilities = [{ can = ["edit"] }]
[roles.writer]
capabilities = [{ kinds = ["post"], own = ["edit"], in_state = ["draft"] }]
[roles.filer]
capabilities = [{ kinds = ["post"], can = ["create", "file-under"] }]
[roles.everything]
all_access = true
[readerships.crew]
readers = ["group:crew"]
[readerships.patrons]
readers = ["group:patrons"]
no_exceptions = true
[[places]]
where = "/stations"
readership = "crew"
"""


def given(role: str, to: str, within: str = "site") -> str:
    return f'[[given]]\nrole = "{role}"\nto = ["{to}"]\nwithin_any = ["{within}"]\n'


def rule(word: str, action: str, to: str, where: str, more: str = "") -> str:
    return f'[[rules]]\n{word} = ["{action}"]\nto = ["{to}"]\nwhere = "{where}"\n{more}\n'


AT_FENNICK = given("keeper", "group:keepers-fennick", "/stations/fennick")
CLUB = '[[places]]\nwhere = "/club"\nrights_from_above = false\n'
PATRONS = '[[places]]\nwhere = "/patrons"\nreadership = "patrons"\n'

EXAMPLES = {
    1: (
        given("keeper", "group:keepers-fennick"),
        [
            ("leif", "read", "/stations/fennick", False),
            ("leif", "edit", "/stations/fennick", False),
        ],
    ),
    2: (
        AT_FENNICK,
        [
            ("leif", "read", "/stations/fennick", True),
            ("leif", "edit", "/stations/fennick", True),
            ("leif", "edit", "/stations/marrow", False),
        ],
    ),
    "3, an audience": (
        AT_FENNICK + rule("deny", "edit", "signed-in", "/stations/fennick"),
        [("leif", "edit", "/stations/fennick", True)],
    ),
    "3, another group": (
        AT_FENNICK + rule("deny", "edit", "group:trainees", "/stations/fennick"),
        [("leif", "edit", "/stations/fennick", False)],
    ),
    4: (
        AT_FENNICK + rule("deny", "edit", "everyone", "topic:press"),
        [
            ("leif", "edit", "/stations/fennick", True),
            ("leif", "edit", "/stations/fennick/notice", False),
        ],
    ),
    5: (
        rule("allow", "read", "user:leif", "/stations/marrow", 'reach = "only-here"'),
        [
            ("leif", "read", "/stations/marrow", True),
            ("leif", "read", "/stations/marrow/tide", True),
            ("leif", "read", "/stations/marrow/log", False),
        ],
    ),
    6: (
        given("writer", "user:leif"),
        [
            ("leif", "edit", "/posts/own", False),
            ("leif", "read", "/posts/own", True),
            ("leif", "edit", "/posts/draft", True),
        ],
    ),
    7: (
        CLUB + rule("deny", "read", "guests", "site") + rule("allow", "edit", "group:web", "site"),
        [
            (None, "read", "/club", False),
            ("cara", "edit", "/club", False),
            ("cara", "edit", "/open", True),
            ("cara", "read", "/club", True),
        ],
    ),
    9: (
        rule("allow", "comment", "signed-in", "/stations"),
        [("leif", "comment", "/stations", False), ("cara", "comment", "/stations", True)],
    ),
    10: (
        PATRONS + given("everything", "user:edda"),
        [
            ("edda", "read", "/patrons", False),
            ("edda", "edit", "/stations", True),
            ("mo", "read", "/patrons", True),
            ("ned", "read", "/patrons", True),
        ],
    ),
}


@pytest.mark.parametrize("number", EXAMPLES)
def test_example(make_site, number):
    words, questions = EXAMPLES[number]
    site = make_site(BASE + words, PEOPLE, CONTENT)
    asked = [(who, action, path) for who, action, path, _ in questions]
    assert [bool(site.may(*each)) for each in asked] == [expected for *_, expected in questions]


def test_example_8(make_site):
    site = make_site(BASE + given("filer", "user:leif", "topic:wildlife"), PEOPLE, CONTENT)

    def create(*categories: str) -> bool:
        return bool(site.may_create("leif", "post", "/open", categories))

    assert create("topic:wildlife")
    assert not create("topic:wildlife", "topic:press")
    assert not create()
    assert not site.may_create("leif", "page", "/open", ["topic:wildlife"])
