"""Whatever is proposed as a command makes the very change that was tried."""

from __future__ import annotations

import shlex
from dataclasses import fields

import pytest
from click.testing import CliRunner

import prim_lantern as pl
from prim_lantern.change.operations import OPERATIONS, operation_from
from prim_lantern.change.operations.invitations import SignUp
from prim_lantern.cli.main import main
from prim_lantern.insight.commands import _FORMS, command_of

NOW = "2027-05-10"
SAM, HANA = "sam.whitlock", "hana.okafor"

# An operation of each sort that is proposed somewhere, with all that a proposal may say.
PROPOSED = [
    {"do": "add-members", "group": "trustees", "logins": [SAM, "kit.farrow"]},
    {"do": "add-members", "group": "trustees", "logins": [SAM], "since": "2027-06-01", "until": "2028-01-01"},
    {"do": "remove-members", "group": "volunteers", "logins": [SAM]},
    {"do": "add-group", "name": "together-1"},
    {"do": "change-group", "name": "friends", "count_in": ["patrons"]},
    {"do": "change-group", "name": "keepers-tansy", "no_longer_in": ["keepers"]},
    {"do": "change-group", "name": "friends", "label": "Our friends", "about": ""},
    {"do": "change-user", "login": SAM, "name": "Samuel Whitlock"},
    {"do": "add-readership", "name": "crew", "readers": ["group:keepers", "authors"], "label": "The crew",
     "all_of": ["group:staff"], "but_not": ["group:friends"]},
    {"do": "change-readership", "name": "patrons", "label": "Our patrons"},
    {"do": "add-role", "name": "alike-2", "label": "Alike", "includes": ["commenter", "event-desk"]},
    {"do": "change-role", "name": "log-approver", "label": "Approver", "build_on": ["site-helper"], "no_longer_on": ["commenter"]},
    {"do": "change-role", "name": "log-approver", "drop": ["edit", "publish"]},
    {"do": "add-user", "login": "new.account", "groups": ["friends", "patrons"]},
    {"do": "sign-up", "login": "new.account"},
    {"do": "suspend", "login": SAM},
    {"do": "bring-back", "login": "theo.marsh"},
    {"do": "enrol", "plan": "patron", "logins": [SAM], "since": "2027-06-01"},
    {"do": "end-enrolment", "plan": "patron", "logins": ["greta.oyelaran"]},
    {"do": "renew-enrolment", "plan": "patron", "logins": ["viktor.haim"]},
    {"do": "give", "role": "commenter", "to": [f"user:{SAM}", "group:friends"], "within_any": ["/visit", "topic:press"]},
    {"do": "give", "role": "commenter", "to": ["signed-in"], "until": "2028-01-01"},
    {"do": "take-back", "role": "log-approver", "to": ["user:nils.oakley"], "within_any": ["/log"]},
    {"do": "allow", "actions": ["edit", "comment"], "to": [f"user:{SAM}"], "where": "/visit/prices", "reach": "only-here"},
    {"do": "allow", "actions": ["edit"], "to": ["group:friends"], "kinds": ["page", "post"], "whose": "own",
     "in_state": ["draft", "in-review"], "since": "2027-06-01", "id": "a-rule", "note": "Said; why, and “how”"},
    {"do": "deny", "actions": ["edit"], "to": ["signed-in"], "where": "topic:press"},
    {"do": "deny", "actions": ["read"], "to": ["guests"], "where": "/visit", "no_exceptions": True},
    {"do": "remove-rule", "rule": "mirela-prices"},
    {"do": "stop-from-above", "where": "/visit"},
    {"do": "stop-from-above", "where": "/visit", "off": True},
    {"do": "change-readership", "name": "patrons", "add": [f"user:{SAM}"]},
    {"do": "change-readership", "name": "patrons", "also_but_not": ["group:friends"], "also_all_of": ["group:patrons"]},
    {"do": "set-readership", "where": "/visit", "readership": "patrons", "reach": "only-below", "alone": True},
    {"do": "set-readership", "where": "site", "readership": "signed-in"},
    {"do": "clear-readership", "where": "/patrons"},
    {"do": "remove-readership", "name": "grown-keepers"},
    {"do": "remove-role", "name": "event-desk"},
    {"do": "remove-group", "name": "ticket-desk"},
    {"do": "add-role", "name": "alike-1", "capabilities": [{"can": ["edit"], "kinds": ["page", "post"], "in_state": ["draft"]}]},
    {"do": "change-role", "name": "commenter", "add": [{"own": ["edit", "delete"]}]},
    {"do": "take-step", "path": "/log/terns", "step": "publish"},
    {"do": "change-item", "path": "/log/terns", "file_under": ["topic:press"], "no_longer_under": ["topic:wildlife/seabirds"]},
    {"do": "change-item", "path": "/log/terns", "add_authors": ["kit.farrow"], "drop_authors": [SAM]},
    {"do": "change-item", "path": "/log/anniversary", "public_from": "2027-05-10"},
    {"do": "move-item", "path": "/visit/prices", "new_parent": "/about"},
    {"do": "add-item", "path": "/visit/boats", "kind": "page", "title": "Our boats"},
    {"do": "set-stewards", "group": "friends", "add": [f"user:{SAM}"]},
]  # fmt: skip


def prepared(folder, values):
    """The demo site, as the operation finds it."""
    site = pl.open_site(folder)
    if values["do"] == "stop-from-above" and values.get("off"):
        with site.change(by=HANA) as change:
            change.stop_from_above(values["where"])
    return site


@pytest.mark.parametrize("values", PROPOSED, ids=lambda each: each["do"])
def test_a_command_makes_the_operation_that_it_stands_for(demo_folder, values, monkeypatch):
    monkeypatch.setenv("PRIM_LANTERN_NOW", NOW)
    operation = SignUp(values["login"]) if values["do"] == "sign-up" else operation_from(values)
    site = pl.Site(prepared(demo_folder, values).data)  # in memory
    if values["do"] == "sign-up":
        site.sign_up(values["login"])
        who = []
    else:
        site.change(by=HANA).do(operation).make(effects=False)
        who = ["--by", HANA, "--yes"]
    words = [*shlex.split(command_of(operation)), *who, "--site", str(demo_folder)]
    done = CliRunner().invoke(main, words, standalone_mode=False)
    assert done.exception is None, (words, done.exception)
    assert pl.open_site(demo_folder).data == site.data, words


def test_all_that_is_proposed_is_tried_above():
    assert {each["do"] for each in PROPOSED} == _FORMS.keys()
    for name, form in _FORMS.items():
        made = {**OPERATIONS, "sign-up": SignUp}[name]
        known = {each.name for each in fields(made)}
        assert {each.removesuffix("*") for each in (*form.arguments, *form.options)} <= known


def test_an_operation_that_cannot_be_said_whole_is_no_command():
    """A command that leaves something out would be another change."""
    with pytest.raises(KeyError):
        command_of(operation_from({"do": "add-user", "login": "a", "email": "a@post.example"}))
    with pytest.raises(KeyError):
        command_of(operation_from({"do": "hide", "path": "/visit"}))
