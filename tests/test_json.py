"""What the commands answer to programs: every key that is promised, each of its sort, no other."""

from __future__ import annotations

import csv
import io
import json
import shutil

import pytest
from jsonschema import Draft202012Validator

import prim_lantern as pl
from conftest import run

NOW = {"PRIM_LANTERN_NOW": "2027-05-10"}
TEXT, WHOLE, YES_NO, NONE = (
    {"type": "string"},
    {"type": "integer"},
    {"type": "boolean"},
    {"type": "null"},
)
MOMENT = {"type": "string", "pattern": r"^\d{4}-\d\d-\d\d(T\d\d:\d\d(:\d\d(\.\d+)?)?Z)?$"}
PATH = {"type": "string", "pattern": "^/"}
LOGIN = {"type": "string", "pattern": "^[a-z0-9._:-]+$"}


def maybe(shape):
    return {"anyOf": [schema(shape), NONE]}


def schema(shape):
    """JSON Schema of a shape: a dict has just these keys, a list any number of its one entry;
    `{str: …}` has any keys."""
    if isinstance(shape, list):
        return {"type": "array", "items": schema(shape[0])}
    if shape == {}:
        return {}
    if isinstance(shape, dict) and str in shape:
        return {"type": "object", "additionalProperties": schema(shape[str])}
    if isinstance(shape, dict) and not {"type", "anyOf", "$ref", "enum"} & shape.keys():
        return {
            "type": "object",
            "properties": {name: schema(each) for name, each in shape.items()},
            "required": list(shape),
            "additionalProperties": False,
        }
    return shape


POINT = {"$ref": "#/$defs/point"}
A_POINT = {
    "what": TEXT,
    "name": maybe(TEXT),
    "text": TEXT,
    "file": maybe(TEXT),
    "line": maybe(WHOLE),
    "behind": [POINT],
}
QUESTION = {"who": TEXT, "action": TEXT, "path": PATH, "at": MOMENT}
STEP = {"at": MOMENT, "by": TEXT, "reason": TEXT}
ENROLMENT = {
    "plan": TEXT,
    "login": LOGIN,
    "since": maybe(MOMENT),
    "until": maybe(MOMENT),
    "state": TEXT,
}
OFFER = {"parent": PATH, "kind": TEXT, "categories": [TEXT], "needs_category": YES_NO}
FILED = {"categories": [TEXT], "items": [PATH]}
COUNT = {"action": TEXT, "where": TEXT, "gained": WHOLE, "lost": WHOLE, "guests": maybe(TEXT)}
RULE = {
    "name": TEXT,
    "id": maybe(TEXT),
    "allow": YES_NO,
    "actions": [TEXT],
    "to": [TEXT],
    "where": TEXT,
    "reach": TEXT,
    "kinds": [TEXT],
    "whose": {"enum": ["any", "own", "others"]},
    "in_state": [TEXT],
    "from": maybe(MOMENT),
    "until": maybe(MOMENT),
    "no_exceptions": YES_NO,
    "note": TEXT,
    "says": TEXT,
    "written": TEXT,
}
WHO_IS = {
    "groups": [POINT],
    "roles": [POINT],
    "rules": [POINT],
    "later": [TEXT],
    "manages": {str: [TEXT]},
}
HERE = {str: [POINT]}
SHAPES = {
    "may ines.varga edit /visit": {"question": QUESTION, "allowed": YES_NO, "sentence": TEXT},
    "why kit.farrow edit /visit": {
        "question": QUESTION, "allowed": YES_NO, "sentence": TEXT, "short": TEXT,
        "because": [POINT], "readerships": [POINT], "outweighed": [POINT], "from_above": [POINT], "missing": [POINT],
        "near": [POINT],
    },
    "who edit,read /log/seal-count": [
        {"login": maybe(LOGIN), "name": TEXT, "action": TEXT, "count": WHOLE, "first": PATH, "by": TEXT, "written": [TEXT]}
    ],
    "what sam.whitlock": {
        "who": LOGIN, "owner": YES_NO, **WHO_IS, "may": {str: [PATH]}, "beyond": {str: [PATH]}, "offers": [OFFER],
        "files": [FILED], "files_beyond": [FILED],
    },
    "what sam.whitlock edit": [{"path": PATH, "title": TEXT, "by": TEXT}],
    "what leif.aronsen create": [OFFER],
    "queue ines.varga": {
        "who": LOGIN,
        "to_decide": [{"path": PATH, "title": TEXT, "kind": TEXT, "authors": [LOGIN], "may": [TEXT], "why": TEXT,
                       "submitted": maybe(STEP), "readers": WHOLE, "guests": YES_NO}],
        "own": [{"path": PATH, "title": TEXT, "state": TEXT, "waits_for": [LOGIN], "sent_back": maybe(STEP)}],
        "coming": [{"at": MOMENT, "path": PATH, "title": TEXT, "what": TEXT}],
    },
    "promises": [{
        "number": WHOLE, "promise": TEXT, "who": [TEXT], "may": YES_NO, "actions": [TEXT], "where": TEXT, "note": TEXT,
        "kept": YES_NO, "broken": WHOLE, "example": maybe(TEXT), "example_who": maybe(TEXT), "example_action": maybe(TEXT),
        "example_path": maybe(PATH), "moment": maybe(MOMENT), "since_change": maybe(WHOLE), "written": TEXT,
    }],
    "user holdings sam.whitlock": [{"what": TEXT, "name": TEXT, "says": TEXT, "written": TEXT}],
    "user invitations": [{"login": LOGIN, "name": TEXT, "email": TEXT, "link": TEXT, "until": maybe(MOMENT)}],
    "user list": [{"login": LOGIN, "name": TEXT, "status": TEXT, "joined": maybe(MOMENT), "groups": [TEXT]}],
    "user show dolores.pine": {
        "login": LOGIN, "name": TEXT, "email": TEXT, "status": TEXT, "owner": YES_NO, "joined": maybe(MOMENT),
        "roles_elsewhere": [TEXT], "enrolments": [ENROLMENT], **WHO_IS,
    },
    "group list": [{"name": TEXT, "label": TEXT, "about": TEXT, "members": WHOLE, "joined": TEXT, "counts_in": [TEXT],
                    "stewards": [TEXT], "external_id": TEXT}],
    "group show staff": {"name": TEXT, "label": TEXT, "members": {str: [TEXT]}},
    "plan list": [{"name": TEXT, "label": TEXT, "groups": [TEXT], "lasts": TEXT,
                   "enrolled": [{"login": LOGIN, "until": maybe(MOMENT)}]}],
    "plan show patron": [{**ENROLMENT, "name": TEXT}],
    "readership show patrons": {
        "name": TEXT, "label": TEXT, "readers": [TEXT], "all_of": [TEXT], "but_not": [TEXT], "no_exceptions": YES_NO,
        "stands_at": [{"place": TEXT, "alone": YES_NO, "items": WHOLE}], "called": TEXT, "view": TEXT, "people": [LOGIN],
        "guests": YES_NO,
    },
    "rule list": [RULE],
    "limit list": [{"where": PATH, "kind": TEXT, "at_most": WHOLE, "now": WHOLE, "written": TEXT}],
    "item list": [{"path": PATH, "title": TEXT, "kind": TEXT, "state": TEXT, "authors": [LOGIN], "categories": [TEXT],
                   "words": WHOLE}],
    "category list": [{"category": TEXT, "label": TEXT, "items": WHOLE, "readership": maybe(TEXT), "words": WHOLE}],
    "kind list": [{"kind": TEXT, "label": TEXT, "sort": TEXT, "four_eyes": YES_NO, "filed_under": [TEXT],
                   "must_be_filed": YES_NO, "items": WHOLE, "built_in": YES_NO}],
    "action list": [{"action": TEXT, "means": TEXT, "brings": [TEXT], "risky": YES_NO, "asked_of": TEXT,
                     "built_in": YES_NO}],
    "history": [{"number": WHOLE, "at": MOMENT, "by": TEXT, "because": TEXT, "said": [TEXT], "operations": [{str: {}}],
                 "effects": [TEXT], "undoes": maybe(WHOLE), "pieces": [{"part": TEXT, "name": TEXT, "before": {}, "after": {}}]}],
    "history check": {"whole": YES_NO, "changes": WHOLE, "edited_by_hand": YES_NO},
    "history seal": {"number": WHOLE, "hash": {"type": "string", "pattern": "^[0-9a-f]{64}$"}},
    "allow kit.farrow edit /visit --by hana.okafor --try": {
        "made": YES_NO, "said": [TEXT], "cautions": [TEXT],
        "effects": {"in_short": [TEXT], "pairs": WHOLE, "counts": [COUNT], "not_counted": [TEXT], "later": [TEXT],
                    "nothing_because": [TEXT]},
    },
}  # fmt: skip


@pytest.fixture(scope="module")
def changed_demo(tmp_path_factory):
    """The demo site with a history and a broken promise."""
    folder = tmp_path_factory.mktemp("json") / "demo"
    shutil.copytree(pl.DEMO_FOLDER, folder)
    for command in (
        "item step /log/bees submit --by hana.okafor",
        "promise add group:friends may read /trustees --by hana.okafor --yes",
        "look-as kit.farrow --by hana.okafor",
    ):
        done = run(*command.split(), site=folder, variables=NOW)
        assert done.returncode == 0, done.stderr
    return folder


@pytest.mark.parametrize("command", SHAPES)
def test_json_has_just_what_programs_were_promised(changed_demo, command):
    done = run(*command.split(), "--json", site=changed_demo, variables=NOW)
    assert done.returncode == (1 if command == "promises" else 0), done.stderr
    found = json.loads(done.stdout)
    wanted = {"$defs": {"point": schema(A_POINT)}, **schema(SHAPES[command])}
    wrong = [
        f"{each.json_path}: {each.message}"
        for each in Draft202012Validator(wanted).iter_errors(found)
    ]
    assert not wrong, "\n".join(wrong[:5])
    assert found, "nothing came, so nothing was looked at"


@pytest.mark.parametrize(
    "command", ["queue ines.varga", "group show staff", "show /patrons", "rule list", "promises"]
)
def test_csv_says_what_json_says(changed_demo, command):
    rows = list(
        csv.reader(
            io.StringIO(
                run(*command.split(), "--csv", "-", site=changed_demo, variables=NOW).stdout
            )
        )
    )
    assert len(rows) > 3
    assert {len(each) for each in rows} == {len(rows[0])}
    told = json.dumps(
        json.loads(run(*command.split(), "--json", site=changed_demo, variables=NOW).stdout),
        ensure_ascii=False,
    )
    for row in rows[1:]:
        cells = [
            cell
            for cell in row
            if cell
            and cell not in ("yes", "no", "here", "elsewhere", "facts", "to decide", "in-review")
        ]
        assert all(
            cell in told or all(each in told for each in cell.split("; ")) for cell in cells
        ), row


def test_refusals_are_json_with_what_tells_them_apart(changed_demo):
    for command, wanted in (
        (
            "may kitt edit /visit",
            {"error": "UnknownUser", "login": "kitt", "suggestions": ["kit.farrow"]},
        ),
        ("show /vist", {"error": "UnknownItem", "path": "/vist"}),
        ("category remove topic:press --by hana.okafor", {"error": "BadChange"}),
        ("give web-team kit.farrow --by sam.whitlock", {"error": "NotAllowed"}),
        ("may kit.farrow", {"error": "MissingParameter", "message": "Missing argument 'ACTION'."}),
    ):
        done = run(*command.split(), "--json", site=changed_demo, variables=NOW)
        told = json.loads(done.stderr)
        assert done.stdout == ""
        assert done.returncode in (1, 2)
        assert wanted.items() <= told.items(), told
        assert told["message"]
        assert not [name for name in told if name.startswith("_")]
