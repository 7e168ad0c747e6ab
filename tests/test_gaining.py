"""Could-gain: held against the gate, and against trying every step, on generated sites."""

from __future__ import annotations

from hypothesis import given, settings

import prim_lantern as pl
from conftest import run
from prim_lantern.change.gate.gate import missing_for
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.operations.base import Made
from prim_lantern.change.operations.content import ChangeItem, MoveItem, TakeStep
from prim_lantern.change.operations.groups import AddMembers
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight import holdings
from prim_lantern.insight.gaining import could_gain as looking
from prim_lantern.insight.gaining.could_gain import could_gain
from prim_lantern.site.people import ACTIVE
from sites import NOON
from test_insight import (
    AT,
    ITEMS,
    PEOPLE,
    actions_of,
    few,
    in_columns,
    seeds,
    spot_paths,
)

# Could gain ------------------------------------------------------------------------------------


def union_of(engine, actors):
    return {
        (action, path)
        for login in actors
        for action in actions_of(engine.data)
        for path in engine.data.items
        if engine.allows(login, action, path)
    }


@few
@given(in_columns, seeds)
def test_every_step_that_could_gain_tells_is_let_through_and_gains_what_it_says(site, rng):
    engine = Engine(site, NOON)
    logins = [e for e, user in site.users.items() if user.status == ACTIVE]
    who = rng.choice(logins)
    others = rng.sample([e for e in logins if e != who], min(len(logins) - 1, rng.randrange(2)))
    for chain in could_gain(engine, who, others):
        data, actors = site, [who, *others]
        before = union_of(engine, actors)
        for move in chain.moves:
            by = move.by or move.operation.login
            at = engine.after(data, NOON)
            proposal = Proposal(data, Made(by, NOON))
            proposal.do(move.operation)
            if move.by is not None:
                assert not missing_for(Judged(at, proposal.data, proposal.renames, proposal.made))
            data = proposal.data
            if move.operation.do in ("add-user", "sign-up"):
                actors.append(move.operation.login)
        after = union_of(engine.after(data, NOON), actors)
        for action, spots in chain.gains:
            if action in actions_of(site):
                for path in spot_paths(data, spots):
                    assert (action, path) in after
                    assert (action, path) not in before


@few
@given(in_columns, seeds)
def test_nothing_is_gained_by_one_step_that_could_gain_does_not_tell(site, rng):
    """Every membership that somebody may give to those who are with them, and every filing and step
    of theirs, is tried: what the others newly may is told."""
    engine = Engine(site, NOON)
    logins = [e for e, user in site.users.items() if user.status == ACTIVE and e != site.owner]
    if len(logins) < 2 or not site.groups:
        return
    actors = rng.sample(logins, 2)
    found = could_gain(engine, actors[0], actors[1:])
    told = {
        (action, path)
        for chain in found for action, spots in chain.gains for path in spot_paths(site, spots)
    } | union_of(engine, actors)  # fmt: skip
    before = Judged(engine, site, (), Made(site.owner, NOON))
    if any(before.top(each) for each in actors):
        assert found == []
        return
    change = pl.Site(site, checked=True).change(by=actors[0])
    steps = [("add-members", g, (other,)) for g in site.groups for other in actors]
    for by in actors:
        for do, group, some in steps:
            proposal = Proposal(site, Made(by, NOON))
            try:
                proposal.do(pl_operation({"do": do, "group": group, "logins": list(some)}))
            except PrimLanternError:
                continue
            judged = Judged(engine, proposal.data, proposal.renames, proposal.made)
            if not missing_for(judged):
                after = engine.after(proposal.data, NOON)
                assert union_of(after, actors) <= told, (by, group, some)
    assert change.said == ()


def pl_operation(values):
    from prim_lantern.change.operations import operation_from

    return operation_from(values)


def test_whoever_manages_people_could_come_to_what_groups_give(demo_folder):
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor") as change:
        change.allow("manage-people", "user:beatrix.lowe")
    found = site.could_gain("beatrix.lowe", at=AT)
    assert any(
        each.moves[0].command == "user add new.account --group log-approvers --by beatrix.lowe"
        for each in found
    )
    assert not any("web-team" in each.moves[0].command for each in found)  # all access
    assert site.could_gain("hana.okafor", at=AT) == []  # may do everything already
    told = site.checkup(AT, "could-break-promises")
    assert [each.severity for each in told if "Beatrix" in each.says] == ["note"]
    who = [login for login, _ in site.who_could_gain("publish", "/log/bees", AT)]
    assert "beatrix.lowe" in who


def test_content_moves_are_real_operations(demo):
    found = demo.could_gain("sam.whitlock", at=AT)
    kinds = {type(chain.moves[-1].operation) for chain in found}
    assert TakeStep in kinds
    assert kinds <= {TakeStep, ChangeItem, MoveItem, type(found[0].moves[0].operation)}


def test_a_new_account_is_called_as_nobody_is(demo_folder):
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor") as change:
        change.add_user("new.account2", name="Somebody")
    (first, *_) = site.could_gain("gwen.tarrow", at=AT)
    assert first.moves[0].command == "user sign-up a.new.account"


LOOKED_AFTER = (
    '[groups.first]\nstewards = ["user:ann"]\n[groups.second]\nstewards = ["user:ann", "group:first"]\n'
    '[readerships.inner]\nreaders = ["user:ann"]\nall_of = ["group:second"]\n'
    '[[places]]\nwhere = "/a"\nreadership = "inner"\n'
)


def test_two_come_to_it_through_each_others_groups(make_site):
    """Ann looks after both groups, and may not put herself in; Ben, once in the first, may."""
    site = make_site(LOOKED_AFTER, PEOPLE, ITEMS)
    assert site.could_gain("ann", at=AT) == []
    (chain,) = site.could_gain("ann", ["ben"], at=AT)
    assert [move.command for move in chain.moves] == [
        "group add-members first ben --by ann",
        "group add-members second ann --by ben",
    ]
    assert [(action, spots[0].where) for action, spots in chain.gains] == [("read", "/a")]


def test_looking_after_a_group_and_filing_can_be_come_to_as_well(make_site):
    site = make_site(
        LOOKED_AFTER.replace('["user:ann", "group:first"]', '["group:first"]')
        + '[category_sets.topic]\nsea = "Sea"\n[kinds.post]\nmust_be_filed = true\n'
        + '[[rules]]\nallow = ["edit", "create"]\nto = ["signed-in"]\nwhere = "site"\n'
        + '[[rules]]\nallow = ["file-under"]\nto = ["group:second"]\nwhere = "topic:sea"\nkinds = ["post"]\n',
        PEOPLE,
        "/a,page,A,mo,,published,,,,,\n/p,post,P,mo,,published,,,,,\n",
    )
    chains = site.could_gain("ben", ["ann"], at=AT)
    gains = [[action for action, _ in chain.gains] for chain in chains]
    filed = ["file-under in topic:sea", "create post in topic:sea"]
    assert gains[0] == ["look after"]
    assert {*filed, "read"} <= {*gains[1]}, gains
    assert "create post" not in gains[1]  # unfiled it cannot be


def test_whoever_comes_to_manage_people_is_not_told_each_group(make_site):
    manage = '[[rules]]\nallow = ["manage-people"]\nto = ["group:first"]\nwhere = "site"\n'
    site = make_site(LOOKED_AFTER + "[groups.third]\n" + manage, PEOPLE, ITEMS)
    first = site.could_gain("ann", ["ben"], at=AT)[0]
    assert [action for action, _ in first.gains] == ["manage-people"]


def test_what_could_gain_leaves_out_is_said(make_folder, monkeypatch):
    folder = make_folder(LOOKED_AFTER, PEOPLE, ITEMS)
    assert pl.open_site(folder).could_gain("ann", ["ben"], at=AT).not_looked_at == ()
    monkeypatch.setattr(looking, "_STATES", 0)
    monkeypatch.setattr(holdings, "_SECTIONS_ASKED", 0)
    left_out = pl.open_site(folder).could_gain("ann", ["ben"], at=AT).not_looked_at
    assert [each.partition(":")[0] for each in left_out] == [
        "There may be more",
        "Who may create and file what is not looked at on a site of this size.",
    ]
    told = run("could-gain", "--to", "publish", "/a", "--at", AT, site=folder, here=True).stdout
    assert told.startswith(
        "Nobody else could come to that.\nThere may be more: chains of more than 4"
    )


@settings(max_examples=max(2, settings.default.max_examples // 10))
@given(in_columns, seeds)
def test_no_sequence_of_memberships_gains_what_could_gain_does_not_tell(site, rng):
    """Sequences of up to three steps by two people, taken at random, of those that are let through."""
    engine = Engine(site, NOON)
    logins = [e for e, user in site.users.items() if user.status == ACTIVE and e != site.owner]
    before = Judged(engine, site, (), Made(site.owner, NOON))
    logins = [each for each in logins if not before.top(each)]
    if len(logins) < 2 or not site.groups:
        return
    actors = rng.sample(logins, 2)
    chains = could_gain(engine, actors[0], actors[1:])
    told = union_of(engine, actors) | {
        (action, path)
        for chain in chains for action, spots in chain.gains for path in spot_paths(site, spots)
    }  # fmt: skip
    steps = [(by, group, other) for by in actors for group in site.groups for other in actors]
    for _ in range(12):  # a site may have thousands of sequences, and each step may take long
        data = site
        for by, group, other in rng.choices(steps, k=3):
            proposal = Proposal(data, Made(by, NOON))
            try:
                proposal.do(AddMembers(group, (other,)))
            except PrimLanternError:
                continue
            at = engine.after(data, NOON)
            if not missing_for(Judged(at, proposal.data, proposal.renames, proposal.made)):
                data = proposal.data
                assert union_of(engine.after(data, NOON), actors) <= told


FILING = (
    '[category_sets.topic]\nopen = "Open"\n[kinds.post]\nfiled_under = ["topic"]\n'
    '[[rules]]\nallow = ["edit"]\nto = ["user:ann"]\nwhere = "/a"\n'
    '[[rules]]\nallow = ["file-under", "publish"]\nto = ["user:ann"]\nwhere = "topic:open"\n'
    '[[rules]]\nallow = ["delete"]\nto = ["user:ann"]\nwhere = "/a"\nin_state = ["published"]\n'
)


def test_one_step_with_an_item_leads_to_the_next(make_site):
    """Filed there, Ann may publish it; published, she may delete it."""
    site = make_site(FILING, PEOPLE, "/a,post,A,mo,,draft,,,,,\n/b,post,B,mo,,draft,,,,,")
    found = [
        ([move.command for move in chain.moves], [action for action, _ in chain.gains])
        for chain in site.could_gain("ann", at=AT)
    ]
    file = "item change /a --filed topic:open --by ann"
    publish = "item step /a publish --by ann"
    assert found == [([file], ["publish"]), ([file, publish], ["delete"])]
