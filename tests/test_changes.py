"""Changes on generated sites: exact effects, exact ways back, and nothing given that is not held."""

from __future__ import annotations

from contextlib import contextmanager
from dataclasses import replace
from functools import cached_property
from itertools import product
from random import Random

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from operations import random_proposal
from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.held import Held
from prim_lantern.change.operations import OPERATIONS, operation_from
from prim_lantern.change.operations.base import Made
from prim_lantern.change.operations.rights import Allow, Deny, Give, TakeBack
from prim_lantern.change.pieces import differences, with_pieces
from prim_lantern.change.proposal import Proposal
from prim_lantern.change.record import Record
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.lists import Lists
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stewards import LOOK_AFTER
from prim_lantern.decide.subject import with_above
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.formats.entries import State
from prim_lantern.formats.history import NO_HASH, line_from, text_of, written_line
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.check import problems_in
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS
from prim_lantern.site.people import Group, Membership, User
from prim_lantern.site.places import SITE, Place, place
from prim_lantern.site.rights import Rule
from prim_lantern.site.who import SIGNED_IN, Who
from sites import NOON, sites

seeds = st.integers(0, 2**32).map(Random)
in_columns = sites().map(lambda site: replace(site, items=site.content, users=site.people))


def expected(before: SiteData, after: SiteData, earlier, actions) -> set[tuple]:
    """Every effect, by asking the reference about everybody and everything, before and after."""
    old, new = Reference(before, NOON), Reference(after, NOON)
    paths = {path: earlier(path) for path in after.items}
    paths |= {path: path for path in before.items if path not in paths.values()}

    def may(reference: Reference, who: str | None, action: str, path: str) -> bool:
        data = reference.data
        if path not in data.items or action not in data.item_actions:
            return False
        return reference.may(who if who in data.users else None, action, path).allowed

    def active(data: SiteData, who: str) -> bool:
        return who in data.users and data.users[who].status == "active"

    people = [w for w in {*before.users, *after.users} if active(before, w) or active(after, w)]
    return {
        (who, action, path, is_now)
        for who in [None, *people]
        for action in actions
        for path, old_path in paths.items()
        if (is_now := may(new, who, action, path)) != may(old, who, action, old_path)
    }


@given(in_columns, seeds)
def test_effects_are_exactly_the_answers_that_change(site, rng):
    proposal = random_proposal(rng, site, "ada")
    before = Engine(site, NOON)
    effects = Effects(before, before.after(proposal.data, NOON), proposal.renames)
    effects.actions = rng.sample(effects.actions, 4)

    def earlier(path: str) -> str:
        for each in reversed(proposal.renames):
            path = each.inverse.path(path)
        return path

    wanted = expected(site, proposal.data, earlier, effects.actions)
    found = {tuple(each) for each in effects if each.action in effects.actions}
    assert found == wanted, [step.said for step in proposal.steps]
    counted = sum(e.gained + e.lost + abs(e.guests) for e in effects.changed)
    assert counted == len(list(effects)) == effects.size


def created(engine: Engine, who: str | None) -> set[tuple[str, str]]:
    """What somebody may create below each section, as effects call it."""
    known = who if who in engine.data.users else None
    found = set()
    for parent in engine.data.tree.sections():
        for offer in offers_below(engine, known, parent, None):
            said = f"create {offer.kind}"
            found |= {(f"{said} in {each}", parent) for each in offer.categories}
            if not offer.needs_category:
                found.add((said, parent))
    return found


def manages(engine: Engine, who: str | None, action: str, where: Place) -> bool:
    return engine.may_manage(who if who in engine.data.users else None, action, where)


# Of names and paths that change by renames and moves, others tell.
NOT_RENAMING = [each for each in OPERATIONS if not each.startswith(("rename-", "move-"))]
OPENING = [
    "give", "take-back", "allow", "deny", "remove-rule", "change-role", "change-readership",
    "set-readership", "clear-readership", "stop-from-above", "set-limit", "change-kind", "add-kind",
    "add-category", "remove-category", "change-item", "take-step", "add-members", "change-action",
]  # fmt: skip


@settings(max_examples=max(36, settings.default.max_examples))
@given(in_columns, seeds)
def test_what_may_be_created_and_managed_is_told_as_it_changes(site, rng):
    """Asked of everybody, everywhere, of two engines made anew."""
    some = rng.choice([OPENING, OPENING, NOT_RENAMING])
    proposal = random_proposal(rng, site, "ada", steps=1, some=some)
    if rng.random() < 0.2:
        managing = Allow(rng.sample(MANAGING_ACTIONS, 2), rng.choice(["user:cyd", "group:crew"]))
        proposal = Proposal(site, Made("ada", NOON))
        proposal.do(managing)
    said = [step.said for step in proposal.steps]
    before, after = Engine(site, NOON), Engine(proposal.data, NOON)
    effects = Effects(before, before.after(proposal.data, NOON), proposal.renames)
    found = {tuple(each) for each in effects if each.action not in effects.actions}
    there = {*site.tree.sections()} & {*proposal.data.tree.sections()}
    people = {w for e in (before, after) for w in e.data.users if e.acting(w) is not None}
    wanted = set()
    for who in (None, *people):
        was, now = created(before, who), created(after, who)
        wanted |= {(who, *each, each in now) for each in was ^ now if each[1] in there}
        for action in MANAGING_ACTIONS:
            had, has = (manages(each, who, action, SITE) for each in (before, after))
            if had != has:
                wanted.add((who, action, "site", has))
    creating = {each for each in found if each[1].startswith("create ")}
    there -= {*site.items} ^ {*proposal.data.items}  # below what is new or gone nothing is told
    wanted = {each for each in wanted if each[1] in MANAGING_ACTIONS or each[2] in there}
    assert creating == {each for each in wanted if each[1].startswith("create ")}, said
    managing = {each for each in found if each[1] in MANAGING_ACTIONS}
    assert {each for each in wanted if each[1] in MANAGING_ACTIONS} <= managing, said
    for who, action, where, now in managing:
        both = [manages(each, who, action, place(where)) for each in (before, after)]
        assert both == [not now, now], said


BY_WORDS = [
    "allow",
    "deny",
    "give",
    "take-back",
    "remove-rule",
    "change-role",
    "add-members",
    "remove-members",
]


@given(in_columns, seeds)
def test_who_may_file_what_is_there_is_told_as_it_changes(site, rng):
    """Of whoever may edit it; not where editing alone comes or goes."""
    whom = rng.choice(["group:crew", "role:mate"])
    word = rng.choice([Allow, Deny])(["file-under"], whom, until="2099-01-01")
    if rng.random() < 0.5:
        about = Rule(True, ("file-under",), (Who("group", "crew"),), SITE)
        editing = Rule(True, ("edit",), (rng.choice([SIGNED_IN, Who("group", "crew")]),), SITE)
        site = site.with_parts(rules=(*site.rules, about, editing))
    proposal = Proposal(site, Made("ada", NOON))
    if rng.random() < 0.3:
        proposal.do(word)
    else:
        some = rng.choice([BY_WORDS, BY_WORDS[-2:]])
        proposal = random_proposal(rng, site, "ada", steps=1, some=some)
    before, after = Engine(site, NOON), Engine(proposal.data, NOON)
    effects = Effects(before, before.after(proposal.data, NOON), proposal.renames)
    found = {tuple(each) for each in effects if each.action.startswith("file-under")}
    assert effects.not_counted == ()
    filing, could = set(), set()
    acting = [who for who in (None, *site.users) if who is None or before.acting(who) is not None]
    for who, path, category in product(acting, site.items, site.categories):
        edits = [e.allows(who, "edit", path) for e in (before, after)]
        files = [e.may_file(who, path, category) for e in (before, after)]
        both = [edit and file for edit, file in zip(edits, files, strict=True)]
        if both[0] != both[1]:
            one = (who, f"file-under in {category}", path, both[1])
            could.add(one)
            filing |= {one} if all(edits) else set()
    assert filing <= found <= could, [step.said for step in proposal.steps]


@given(in_columns, seeds)
def test_who_comes_to_look_after_a_group_is_told(site, rng):
    """And who no longer does; not of whoever may manage all people, before or after."""
    steps = [
        "set-stewards",
        "add-members",
        "remove-members",
        "remove-group",
        "rename-group",
        "suspend",
    ]
    proposal = random_proposal(rng, site, "ada", steps=2, some=steps)
    before, after = Engine(site, NOON), Engine(proposal.data, NOON)
    effects = Effects(before, before.after(proposal.data, NOON), proposal.renames)
    found = {tuple(each) for each in effects if each.action == LOOK_AFTER}
    names = {}
    for each in proposal.renames:
        names = {old: each.groups.get(new, new) for old, new in names.items()} | each.groups
    assert found == set(_stewards_otherwise(before, after, names)), [s.said for s in proposal.steps]


def _stewards_otherwise(before, after, names):
    """What is told of stewards by a plain reading; `names` has new names of groups by the old."""
    for login in {*before.data.users, *after.data.users}:
        looks, manages = [], False
        for engine, renamed in ((before, names), (after, {})):
            there = login in engine.data.users and engine.acting(login) is not None
            whos = engine.reference.belonging.whos(login if there else None)
            manages |= there and engine.may_manage(login, "manage-people", SITE)
            groups = engine.data.groups.items()
            looks.append({renamed.get(n, n) for n, g in groups if not whos.isdisjoint(g.stewards)})
        for group in () if manages else looks[0] ^ looks[1]:
            yield login, LOOK_AFTER, f"group:{group}", group in looks[1]


@given(in_columns, seeds)
def test_words_about_whoever_has_a_role_reach_those_to_whom_it_is_given(site, rng):
    """Also where the role itself allows nothing, or something else."""
    rule = rng.choice([*site.rules, Rule(True, ("submit",), (), SITE)])
    role = rng.choice(list(site.roles))
    bare = replace(site.roles[role], capabilities=(), includes=(), all_access=False)
    about = replace(rule, id="about", to=(Who("role", role),), period=ALWAYS)
    roles = {**site.roles, role: rng.choice([bare, site.roles[role]])}
    site = site.with_parts(rules=(*site.rules, about), roles=roles)
    proposal = Proposal(site, Made("ada", NOON))
    given = rng.choice([None, *(each for each in site.given if each.role == role)])
    if given is None:
        whom = (rng.choice(["signed-in", "user:cyd", "group:crew"]),)
        proposal.do(Give(role, whom, ("/",), until="2099-01-01"))
    else:
        proposal.do(TakeBack(role, tuple(map(str, given.to))))
    before = Engine(site, NOON)
    effects = Effects(before, before.after(proposal.data, NOON), ())
    said = [each for each in effects.actions if each in rule.actions]
    effects.actions = ["read", "edit", *said[:2]]
    wanted = expected(site, proposal.data, str, effects.actions)
    assert {tuple(each) for each in effects if each.action in effects.actions} == wanted


@given(in_columns, seeds)
def test_a_change_leads_there_and_back_also_by_its_line_in_the_history(site, rng):
    proposal = random_proposal(rng, site, "ada", steps=3)
    assert not problems_in(proposal.data)
    assert with_pieces(site, differences(site, proposal.data)) == proposal.data
    patches = tuple(step.patch for step in proposal.steps)
    record = Record(1, NOON, "ada", "Why", ("said",), patches=patches)
    line, written = written_line(record, str(State.of(proposal.data)), NO_HASH)
    assert written == text_of(line)
    again = line_from(text_of(line), 1)
    assert again == line
    assert again.record.after(site) == proposal.data
    assert again.record.before(proposal.data) == site
    state = State.of(site)
    for piece in differences(site, proposal.data):
        state.add(piece.part, piece.name, piece.before, -1)
        state.add(piece.part, piece.name, piece.after)
    assert str(state) == str(State.of(proposal.data))


@given(in_columns, seeds)
def test_an_operation_is_the_same_as_its_data(site, rng):
    proposal = random_proposal(rng, site, "ada", steps=3)
    for step in proposal.steps:
        operation = operation_from(step.operation)
        assert operation.to_dict() == step.operation
        assert operation.said() == step.said
        assert OPERATIONS[operation.do] is type(operation)


@given(in_columns, st.sampled_from(["Bea.Holm", "cyd", "dov", "eli"]), seeds)
def test_nobody_can_do_more_after_a_change_of_their_own_words(site, by, rng):
    """Whoever changes rights alone, and is not above them, never comes to more by it."""
    before = Reference(site, NOON)
    proposal = random_proposal(rng, site, by, steps=3)
    parts = {piece.part for step in proposal.steps for piece in step.patch.pieces}
    about = before.all_access(by, before.subject("/")) if "/" in site.items else None
    moved = any(each.paths for each in proposal.renames)
    if (
        before.belonging.acting(by) is None
        or about
        or moved
        or not parts <= {"rules", "given", "roles"}
    ):
        return
    after = Reference(proposal.data, NOON)
    for path in site.items:
        for action in ("edit", "publish", "delete", "comment"):
            if after.may(by, action, path).allowed and before.read_item(by, path).allowed:
                assert before.may(by, action, path).allowed, [s.said for s in proposal.steps]


def test_what_a_line_says_is_found_before_anybody_waits_and_can_be_left_out(
    demo_folder, monkeypatch
):
    site = pl.open_site(demo_folder)
    held, counted = [], []
    changing, counts = site.store.changing, Effects.changed.func

    @contextmanager
    def watched(connection=None):
        with changing() as turn:
            held.append(True)
            yield turn
            held.pop()

    def counting(self):
        counted.append(bool(held))
        return counts(self)

    monkeypatch.setattr(site.store, "changing", watched)
    changed = cached_property(counting)
    changed.__set_name__(Effects, "changed")
    monkeypatch.setattr(Effects, "changed", changed)
    record = (
        site.change(by="hana.okafor").allow("edit", to="user:kit.farrow", where="/visit").make()
    )
    assert record.effects
    assert counted == [False]
    record = site.change(by="hana.okafor").suspend("kit.farrow").make(effects=False)
    assert (record.effects, counted) == ((), [False])
    assert site.history()[-1].effects == ()
    assert site.store.check_history() == 2


BY_ROLE = """
[groups.crew]
members = ["cyd"]
[groups.inner]
[readerships.inner]
readers = ["group:inner"]
[[places]]
where = "/in"
readership = "inner"
[roles.editor]
[[given]]
role = "editor"
to = ["group:crew"]
[[rules]]
allow = ["comment"]
to = ["role:editor"]
[roles.all]
all_access = true
[[given]]
role = "all"
to = ["user:top"]
"""


def test_who_comes_to_read_comes_to_what_their_role_allows_there(make_folder):
    people, content = "cyd,Cyd,,,,,\ntop,Top,,,,,", "/in,page,In,mo,,published,,,,,"
    site = pl.open_site(make_folder(BY_ROLE, people, content))
    effects = site.change(by="mo").add_members("inner", "cyd").effects()
    found = {(each.who, each.action, each.where, each.gained) for each in effects}
    assert found == {("cyd", "read", "/in", True), ("cyd", "comment", "/in", True)}
    # whoever has all access creates where no word is about creating
    assert "/in" in [str(each) for each in site.parents_for("top", "page")]
    assert not list(site.parents_for("cyd", "page"))


@given(in_columns, seeds)
def test_what_places_hold_is_what_stands_below_them_or_is_filed_there(site, rng):
    spots = {
        *(
            ("path", rng.choice(["/", "/a", "/nowhere", *site.items]))
            for _ in range(rng.randrange(3))
        ),
        *(("category", each) for each in site.categories if rng.random() < 0.3),
    }
    filed = {
        path
        for path, item in site.items.items()
        if any(("category", each) in spots for each in with_above(item.categories))
    }
    content = site.content
    parts = {
        content.names[part] for part, page in site.pages.items() if content.names[page] in filed
    }
    below = {
        p for p in site.items for kind, name in spots if kind == "path" and is_at_or_below(p, name)
    }
    held = Held(site).by(spots)
    assert {path for path in site.items if held[content.index[path]]} == filed | parts | below


def is_at_or_below(path, top):
    return path == top or path.startswith(top.rstrip("/") + "/")


@given(in_columns, seeds)
def test_of_whom_words_speak_for_the_first_time_is_told_with_all_others(site, rng):
    """Lists of a changed site, made of those of before, say what lists of that site alone say."""
    before = Engine(site, NOON)
    lists = lists_of(before)
    assert lists.population.size <= len(site.users)
    login = rng.choice([each for each in site.users if each != site.owner])
    rule = Rule(
        True, ("edit",), (Who("user", login),), place(rng.choice(list(site.items))), id="new"
    )
    after = before.after(site.with_parts(rules=(*site.rules, rule)), NOON)
    if after.renewed is None:
        return
    found, alone = lists.after(after), Lists(after)
    for action in ("read", "edit", "publish"):
        who_may = [alone.who_may(action, path) for path in after.data.content.names]
        assert [found.who_may(action, path) for path in after.data.content.names] == who_may
        assert alone.counts(action).tolist() == found.counts(action).tolist()
        assert alone.counts(action).tolist() == list(map(len, who_may))


def test_whoever_changed_a_page_publishes_none_of_its_parts_in_lists_either(make_site):
    site = make_site(
        '[kinds.panel]\npart = true\n[kinds.page]\nfour_eyes = true\n'
        '[[rules]]\nallow = ["publish"]\nto = ["user:ann", "user:ben"]\nwhere = "/a"\n',
        "ann,Ann,,active,,,\nben,Ben,,active,,,",
        "/a,page,A,mo,ann,draft,,,,,\n/a/p,panel,P,,,,,,,,",
    )  # fmt: skip
    lists = Lists(Engine(site.data, NOON))
    paths = site.data.content.names
    who_may = [lists.who_may("publish", path) for path in paths]
    assert dict(zip(paths, who_may, strict=True)) == {"/a": ["ben"], "/a/p": ["ben"]}
    assert lists.counts("publish").tolist() == [1, 1]


@pytest.mark.parametrize("gathers", [False, True])
def test_what_is_found_out_of_a_site_before_does_not_hold_for_whom_words_speak_of_since(gathers):
    """Old engines are asked about everybody after the new ones were made, as threads may do."""
    people = [f"p{number}" for number in range(25)]
    users = {
        "mo": User("mo"),
        **{each: User(each, memberships=(Membership("crew"),)) for each in people},
    }
    items = {"/": Item("/", "page"), "/a": Item("/a", "page")}
    data = SiteData("Harbour", "mo", groups={"crew": Group("crew")}, users=users, items=items)
    allow = Rule(True, ("edit",), (Who("group", "crew"),), Place("path", "/a"))
    engines = [Engine(data.with_parts(rules=(allow,)), NOON)]
    for number, login in enumerate(people):
        before = engines[-1]
        deny = Rule(False, ("edit",), (Who("user", login),), Place("path", "/a"))
        engines.append(before.after(before.data.with_parts(rules=(*before.data.rules, deny)), NOON))
        if gathers and number % 3 == 0:
            engines[-1].crowd.gather()
        if number % 4 == 0:
            assert all(before.allows(each, "edit", "/a") for each in people[number:])
    knowing = (0, 9, 18)  # what these know must not come through to the last
    for number in (*knowing, *range(25, 0, -1)):
        allowed = [engines[number].allows(each, "edit", "/a") for each in people]
        assert allowed == [n >= number for n in range(25)]
    for number in (25, 12, 0):
        assert lists_of(engines[number]).who_may("edit", "/a") == sorted(["mo", *people[number:]])
