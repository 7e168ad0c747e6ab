"""What must be true of every site, on generated sites."""

from __future__ import annotations

import json
from dataclasses import replace
from datetime import UTC, datetime, timedelta
from random import Random
from tempfile import TemporaryDirectory

from hypothesis import given
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.change.operations.base import Made
from prim_lantern.change.operations.renaming import RenameUser, with_login
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.timeline import Timeline
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.people import User
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.rule_names import rule_called, rule_names
from prim_lantern.site.who import AUDIENCES, Who
from sites import CATEGORIES, ITEM_ACTIONS, KINDS, MOMENTS, NOON, random_site, sites

moments = st.sampled_from(MOMENTS)
seeds = st.integers(0, 2**32).map(Random)
ACTIONS = [*ITEM_ACTIONS, "sell", "stamp"]


def everybody(site: SiteData) -> list[str | None]:
    return [None, *site.users]


def decisions(decider: Reference) -> dict[tuple[str | None, str, str], bool]:
    """Every decision on the items that are there."""
    return {
        (who, action, path): decider.may(who, action, path).allowed
        for who in everybody(decider.data)
        for action in ("read", "edit", "publish", "see-drafts", "sell")
        for path in decider.data.items
    }


@given(sites())
def test_a_written_site_reads_back_equal(site):
    with TemporaryDirectory() as folder:
        write_folder(site, folder)
        assert read_folder(folder) == site


@given(sites(), moments, seeds)
def test_an_allow_never_takes_away_and_a_deny_never_gives(site, at, rng):
    rule = _more_of(rng)
    before = decisions(Reference(site, at))
    more = decisions(Reference(replace(site, rules=(*site.rules, rule)), at))
    changed = {key for key in before if before[key] != more[key]}
    assert all(more[key] is rule.allow for key in changed)


def _more_of(rng: Random) -> Rule:
    """A rule from another generated site; readership words in both go by the same names."""
    while True:
        rules = random_site(rng).rules
        if rules:
            return replace(rng.choice(rules), id=None, to=(rng.choice(rules[0].to),))


@given(sites(), moments)
def test_a_guest_gets_no_more_than_the_guests_part(site, at):
    """Whatever speaks to no audience can be taken away without a guest losing anything."""
    for_audiences = tuple(rule for rule in site.rules if _speaks_to_guests(rule.to))
    given_to_audiences = tuple(each for each in site.given if _speaks_to_guests(each.to))
    plain = replace(site, rules=for_audiences, given=given_to_audiences)
    whole, part = Reference(site, at), Reference(plain, at)
    for path in site.items:
        for action in ACTIONS:
            assert whole.may(None, action, path).allowed == part.may(None, action, path).allowed


def _speaks_to_guests(to):
    return any(who.name in AUDIENCES or who.kind == "role" for who in to)


@given(sites(), moments)
def test_whoever_is_not_active_is_a_guest(site, at):
    decider = Reference(site, at)
    for user in site.users.values():
        if user.status != "active":
            for path in site.items:
                assert decider.may(user.login, "read", path) == decider.may(None, "read", path)


@given(sites(), moments)
def test_the_owner_may_always_but_for_four_eyes(site, at):
    decider = Reference(site, at)
    for path in site.items:
        about = decider.subject(path)
        eyes = any(site.all_kinds[kind].four_eyes for kind in about.kinds)
        for action in ACTIONS:
            barred = action == "publish" and eyes and "ada" in about.authors | about.changed_by
            assert decider.may("ada", action, path).allowed is not barred


@given(sites(), moments)
def test_doing_needs_reading(site, at):
    decider = Reference(site, at)
    for who in everybody(site):
        readable = {path for path in site.items if decider.may(who, "read", path).allowed}
        for action in ACTIONS:
            done = {path for path in site.items if decider.may(who, action, path).allowed}
            assert done <= readable


@given(sites(), moments)
def test_parts_follow_their_page_and_links_their_target(site, at):
    decider = Reference(site, at)
    for who in everybody(site):
        for path, item in site.items.items():
            other = site.page_of(path) if site.is_part(path) else item.links_to
            if other in site.items and decider.may(who, "read", path).allowed:
                assert decider.may(who, "read", other).allowed


@given(sites(), moments)
def test_lists_agree_with_single_questions(site, at):
    live = pl.Site(site)
    for action in ("read", "edit", "publish"):
        lists = {who: set(live.items_for(who, action, at)) for who in everybody(site)}
        for path in site.items:
            found = live.who_may(action, path, at)
            active = [login for login, user in site.users.items() if user.status == "active"]
            assert list(found) == sorted(who for who in active if path in lists[who])
            assert found.guests == (path in lists[None])
            for who in everybody(site):
                assert bool(live.may(who, action, path, at)) == (path in lists[who])
    asked = list(site.items)[::-1]
    readable = live.items_for("cyd", "read", at)
    assert live.filter("cyd", "read", asked, at) == [each for each in asked if each in readable]


@given(sites(), moments)
def test_what_is_offered_may_be_created_and_what_is_seen_may_be_read(site, at):
    live = pl.Site(site)
    for who in (None, "cyd", "dov"):
        view = live.looking_as(who, at)
        assert list(view.paths) == live.items_for(who, "read", at)
        for offer in view.offers:
            unfiled = bool(live.may_create(who, offer.kind, offer.parent, (), at))
            assert unfiled is not offer.needs_category
            for category in offer.categories:
                assert live.may_create(who, offer.kind, offer.parent, [category], at)


@given(sites(), moments)
def test_moving_needs_editing_all_below_and_creating_there(site, at):
    decider = Reference(site, at)
    for who in ("ada", "cyd", "dov"):
        for path, item in site.items.items():
            for parent in list(site.items)[:4]:
                if decider.may_move(who, path, parent).allowed:
                    below = [path, *(each.path for each in site.below(path))]
                    assert all(decider.may(who, "edit", each).allowed for each in below)
                    for category in item.categories:
                        assert site.all_kinds[item.kind].takes(category)


@given(sites())
def test_the_stretches_of_time_hold_still(site):
    """Between two turns nothing changes, so an answer can be kept until the next one."""
    live = pl.Site(site)
    turn = live.next_turn(NOON)
    if turn is not None:
        late = NOON + (turn - NOON) * 0.999
        assert decisions(Reference(site, NOON)) == decisions(Reference(site, late))


@given(sites(), moments)
def test_every_reason_can_be_replayed(site, at):
    """What is named as deciding, taken away, changes the answer or what decides next."""
    live = pl.Site(site)
    for who in ("cyd", "dov", None):
        for path in site.items:
            for action in ("read", "edit", "publish"):
                decision = live.may(who, action, path, at)
                explanation = decision.explanation
                assert explanation.allowed == decision.allowed
                assert explanation.because
                for without in _without_what_decided(site, decision):
                    later = pl.Site(without).may(who, action, path, at)
                    before = (decision.allowed, explanation.decided_by)
                    assert (later.allowed, later.explanation.decided_by) != before


def _without_what_decided(site: SiteData, decision: pl.Decision):
    for source in decision.explanation.decided_by:
        if source.rule is not None:
            yield replace(site, rules=tuple(r for r in site.rules if r != source.rule))
        if source.given is not None:
            yield replace(site, given=tuple(g for g in site.given if g != source.given))


@given(sites(), moments, seeds)
def test_every_sort_of_question_has_its_explanation(site, at, rng):
    """In text and in JSON; a no names what is missing, and a yes nothing."""
    live = pl.Site(site)
    paths, parents = list(site.items), sorted(site.sections)
    for who in (None, "ada", "cyd", "dov"):
        kind, category = rng.choice(KINDS), rng.choice(CATEGORIES)
        parent, path = rng.choice(parents), rng.choice(paths)
        filed = [category] if rng.random() < 0.5 else []
        for decision in (
            live.may(who, "edit", path, at),
            live.may_create(who, kind, parent, filed, at),
            live.may_file(who, path, category, at),
            live.may_move(who, path, parent, at),
            live.may_manage(who, "manage-rights", rng.choice([*parents, "site", category]), at),
        ):
            explanation = decision.explanation
            assert json.loads(json.dumps(explanation.to_dict()))["allowed"] == decision.allowed
            assert str(explanation).startswith("Yes: " if decision else "No: ")
            assert bool(explanation.missing) is not decision.allowed
            assert explanation.because
            assert "\x00" not in str(explanation)


@given(sites(), st.sampled_from(["guests", "signed-in", "everyone", "cyd", "group:crew"]))
def test_the_grid_says_of_an_item_what_a_question_says(site, who):
    live = pl.Site(site)
    leaves = [path for path in site.items if not site.directly_below(path)]
    grid = live.grid_data([who], leaves, ["read", "edit"], NOON)
    if who in ("guests", "cyd"):
        login = None if who == "guests" else who
        for row, marks in zip(grid.rows, grid.marks, strict=True):
            for action, mark in zip(grid.actions, marks[0], strict=True):
                answer = bool(live.may(login, action, row.where, NOON))
                assert (mark in ("yes", "own")) == answer
    records = list(grid.records())
    assert [record["where"] for record in records] == leaves


@given(sites(), moments)
def test_somebody_in_just_one_group_is_like_a_new_member(site, at):
    """Looking as a group is looking as a fresh user whom no condition fits."""
    plain = {name: replace(group, when=(), mapped_from=()) for name, group in site.groups.items()}
    newcomer = User("zed", "Zed", memberships=(pl.Membership("crew"),))
    bare = replace(site, groups=plain)
    grown = replace(bare, users={**site.users, "zed": newcomer})
    assert (
        pl.Site(bare).looking_as(pl.pictured("group:crew"), at).paths
        == pl.Site(grown).looking_as("zed", at).paths
    )


# Names ------------------------------------------------------------------------------------------


@given(sites(), seeds)
def test_what_a_rule_is_called_stays_when_others_go(site, rng):
    names = rule_names(site.rules)
    assert len(set(names)) == len(set(site.rules)) or len(site.rules) > len(set(site.rules))
    for number, name in enumerate(names):
        assert site.rules[rule_called(site.rules, name.upper())] == site.rules[number]
    kept = [number for number in range(len(names)) if rng.random() < 0.6]
    left = tuple(site.rules[number] for number in kept)
    for number in kept:
        found = rule_called(left, names[number])
        assert found is not None and left[found] == site.rules[number]
    for number in set(range(len(names))) - set(kept):
        found = rule_called(left, names[number])
        assert found is None or left[found] == site.rules[number]


@given(sites(), seeds)
def test_under_another_login_somebody_may_do_the_same(site, rng):
    login = rng.choice([*site.users])
    try:
        renamed = RenameUser(login, "somebody-else").apply(site, Made(site.owner, NOON))
    except pl.BadChange:  # a condition asks about logins by a part of them
        return
    was, now = decisions(Reference(site, NOON)), decisions(Reference(renamed, NOON))
    assert now == {("somebody-else" if w == login else w, *r): a for (w, *r), a in was.items()}
    assert with_login(renamed, "somebody-else", login) == site


@given(sites(), moments, seeds)
def test_a_pictured_role_is_decided_as_if_somebody_had_it(site, at, rng):
    role = rng.choice([*site.roles])
    found, new = pl.Site(site, checked=True), User("newcomer")
    given = Given(role, (Who("user", "newcomer"),))
    more = site.with_parts(
        users={**site.users, "newcomer": new},
        groups={name: replace(each, when=()) for name, each in site.groups.items()},
        given=(*site.given, given),
    )
    reference = Reference(more, at)
    for action, path in [("read", p) for p in site.items] + [("edit", p) for p in site.items]:
        allowed = reference.may("newcomer", action, path).allowed
        assert found.allows(pl.pictured(f"role:{role}"), action, path, at) == allowed
        assert (
            bool(found.may(pl.pictured(f"role:{role}"), action, path, at).explanation.allowed)
            == allowed
        )


@given(sites(), seeds)
def test_what_follows_a_change_has_every_moment_at_which_something_turns(site, rng):
    earliest = datetime(1, 1, 2, tzinfo=UTC)
    data = replace(site, items=site.content, users=site.people)
    timeline = Timeline(data)
    for _ in range(3):
        at = NOON + timedelta(hours=rng.randrange(-9_000, 9_000))
        changed = tuple(replace(each, period=Period(at, None)) for each in data.rules[:1])
        until = at + timedelta(hours=1)
        item = replace(rng.choice([*data.items.values()]), public_until=until)
        items = data.content.revised([item])
        data = data.with_parts(rules=changed + data.rules[1:], items=items)
        timeline = Timeline(data, timeline)
        found = timeline.turns_after(earliest)
        assert found == sorted(set(found))
        assert set(Timeline(data).turns_after(earliest)) <= set(found)
