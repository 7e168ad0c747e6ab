"""Compare, suggest, tidy and the ladder: held against the plain reading on generated
sites, and against trying everything on small ones."""

from __future__ import annotations

from dataclasses import replace
from itertools import combinations, product
from random import Random

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

import prim_lantern as pl
from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.operations.base import Made
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.abilities import abilities
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Without
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.powers import powers_of
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.comparing.compare import Compared, Side
from prim_lantern.insight.comparing.difference import TwoPeople, what_differs
from prim_lantern.insight.comparing.frozen import frozen
from prim_lantern.insight.folding import Folding
from prim_lantern.insight.ladder import ladder
from prim_lantern.insight.tidying.tidy import tidy
from prim_lantern.insight.wishes.candidates import candidates
from prim_lantern.insight.wishes.suggest import suggest
from prim_lantern.insight.wishes.wish import Wish, is_true
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, place
from prim_lantern.site.who import SIGNED_IN, Who
from sites import MOMENTS, NOON, sites

AT = "2027-05-10"
FILING = (
    '[category_sets.topic]\nsea = "Sea"\n[groups.crew]\n[groups.desk]\nstewards = ["group:crew"]\n'
    '[[rules]]\nallow = ["edit"]\nto = ["signed-in"]\nwhere = "site"\n'
    '[[rules]]\nallow = ["file-under"]\nto = ["group:crew"]\nwhere = "topic:sea"\n'
)
NOW = {"PRIM_LANTERN_NOW": AT}
in_columns = sites().map(lambda site: replace(site, items=site.content, users=site.people))
seeds = st.integers(0, 2**32).map(Random)
GENERATE = [
    Phase.explicit,
    Phase.reuse,
    Phase.generate,
]  # making a site smaller takes for ever here
few = settings(max_examples=max(6, settings.default.max_examples // 8), phases=GENERATE)
fewest = settings(max_examples=max(2, settings.default.max_examples // 20), phases=GENERATE)


@pytest.fixture(autouse=True, scope="module")
def noon():
    """The clock stands at the moment that the generated sites are about."""
    with pytest.MonkeyPatch.context() as patch:
        patch.setenv("PRIM_LANTERN_NOW", NOON.isoformat())
        yield


def actions_of(site):
    return [each for each in site.item_actions if each not in NEED_MORE]


def spot_paths(site, spots):
    """The items that some told places stand for."""
    found = set()
    for spot in spots:
        if not spot.whole:
            found.add(spot.where)
        elif spot.where == "site":
            found |= set(site.items)
        else:
            found |= {p for p in site.items if p == spot.where or p.startswith(f"{spot.where}/")}
    return found


# Compare ---------------------------------------------------------------------------------------


@few
@given(in_columns, seeds)
def test_what_one_may_and_another_may_not_is_what_the_plain_reading_says(site, rng):
    engine, reference = Engine(site, NOON), Reference(site, NOON)
    one, other = rng.choice([None, *site.users]), rng.choice([None, *site.users])
    compared = Compared(Side(engine, one, "One"), Side(engine, other, "Other"))
    may = [
        {a: {p for p in site.items if reference.may(who, a, p).allowed} for a in actions_of(site)}
        for who in (one, other)
    ]
    told = {(each.side, each.action): each for each in compared.more}
    for action in actions_of(site):
        for side in (0, 1):
            apart = may[side][action] - may[1 - side][action]
            found = told.get((side, action))
            assert spot_paths(site, found.spots if found else ()) == apart
            assert (found.number if found else 0) == len(apart)
        assert compared.alike[action] == len(may[0][action] & may[1][action])
    others = {
        (side, each.action): spot_paths(site, each.spots)
        for (side, action), each in told.items()
        if action not in site.item_actions
    }
    assert others == {**_filed_apart(engine, (one, other)), **_created_apart(engine, (one, other)),
                      **_managed_apart(engine, (one, other))}  # fmt: skip


def _apart(found):
    """What only one side has, by side and action."""
    apart = {}
    for side in (0, 1):
        for action, where in found[side] - found[1 - side]:
            apart.setdefault((side, action), set()).add(where)
    return apart


def _filed_apart(engine, both):
    """Filing of what both may edit."""
    site = engine.data
    paths = [p for p in site.items if all(engine.allows(who, "edit", p) for who in both)]
    asked = list(product(paths, site.categories))
    return _apart(
        [
            {(f"file-under in {c}", p) for p, c in asked if engine.may_file(who, p, c)}
            for who in both
        ]
    )


def _created_apart(engine, both):
    """Creating: anyhow, and where both may create something of a kind, filed so or not at all."""
    site = engine.data
    filed = [((), " unfiled"), *(((each,), f" in {each}") for each in site.categories)]
    found = [set(), set()]
    for kind, parent in product(site.all_kinds, site.tree.sections()):
        may = [
            {said for some, said in filed if engine.may_create(who, kind, parent, some)}
            for who in both
        ]
        for side in (0, 1):
            if may[side] and not may[1 - side]:
                found[side].add((f"create {kind}", parent))
            elif may[side]:
                found[side] |= {(f"create {kind}{said}", parent) for said in may[side]}
    return _apart(found)


def _managed_apart(engine, both):
    site = engine.data
    spots = [SITE, *{each.place for each in site.rules if each.place.kind != "site"},
             *{each for given in site.given for each in given.within_any if each.kind != "site"}]  # fmt: skip
    found = [set(), set()]
    for side, who in enumerate(both):
        for action in MANAGING_ACTIONS:
            some = [SITE] if action in SITE_WIDE_ACTIONS else spots
            found[side] |= {(action, str(s)) for s in some if engine.may_manage(who, action, s)}
    apart = _apart(found)
    apart = {key: {"site"} if "site" in where else where for key, where in apart.items()}
    if any(engine.may_manage(who, "manage-people", SITE) for who in both):
        return apart
    whos = [engine.reference.belonging.whos(who and engine.acting(who)) for who in both]
    groups = site.groups.items()
    after = [{("look after", f"group:{n}") for n, g in groups if w & {*g.stewards}} for w in whos]
    return apart | _apart(after)


@few
@given(in_columns, seeds)
def test_what_somebody_may_file_is_what_single_questions_say(site, rng):
    engine, anybody = Engine(site, NOON), login_of(SIGNED_IN)
    who = rng.choice([None, *site.users])
    powers = powers_of(engine, who, anybody)

    def filed(login):
        paths = [path for path in site.items if engine.allows(login, "edit", path)]
        return {(p, c) for p, c in product(paths, site.categories) if engine.may_file(login, p, c)}

    def told(files):
        return {(p, c) for categories, paths in files.items() for p in paths for c in categories}

    assert told(powers.files) == filed(who)
    assert told(powers.files_beyond) == filed(who) - filed(anybody)


def test_what_is_filed_counts_among_what_was_wished_for(make_site):
    """By the category too: what comes beside it is all the rest."""
    site = make_site(
        FILING,
        "ann,Ann,,active,,,\nbo,Bo,,active,crew,,\n",
        "/a,page,A,mo,,,,,,,\n/b,page,B,mo,,,,,,,\n",
    )
    found = site.suggest(site.wish("ann", "file-under", "/a", categories=["topic:sea"]))
    joined = next(e for e in found.options if e.commands[0].startswith("group add-members"))
    assert (joined.effects.size, joined.beyond) == (3, 2)  # /b, and looking after a group
    beyond = site.compare("bo", "ann").more
    assert [(each.action, str(each.spots[0])) for each in beyond if "create" not in each.action] == [
        ("file-under in topic:sea", "the whole site (2 items)"), ("look after", "group:desk")]  # fmt: skip


def test_what_somebody_wrote_is_filed_by_other_words_than_the_rest(make_site):
    said = [("allow", "sea", "own"), ("allow", "fog", "any"), ("deny", "fog", "own")]
    words = "".join(
        f'[[rules]]\n{verb} = ["file-under"]\nto = ["user:ann"]\nwhere = "topic:{topic}"\nwhose = "{whose}"\n'
        for verb, topic, whose in said
    )
    topics = FILING.partition('[[rules]]\nallow = ["file-under"]')[0].replace(
        "sea =", 'fog = "Fog"\nsea ='
    )
    site = make_site(
        topics + words, "ann,Ann,,active,,,\n", "/a,page,A,mo,,,,,,,\n/b,page,B,ann,,,,,,,\n"
    )
    powers = site.powers_of("ann")
    assert powers.files == powers.files_beyond == {("topic:fog",): ("/a",), ("topic:sea",): ("/b",)}


def test_lists_without_others_are_told_apart_by_both():
    without, some = Without(), ["topic:sea", "topic:fog"]
    assert without.of(some, ["topic:sea"]) == ["topic:fog"]
    assert without.of(some, ["topic:fog"]) == ["topic:sea"]
    assert without.of(some, ()) is without.of(some, ())


def test_places_can_be_counted_cut_and_compared_before_each_is_made(demo):
    folding = Folding(demo.data)
    paths = [*demo.data.tree.below("/log"), "/log", "/visit", "/about"]
    spots = folding.of_paths(paths)
    assert len(spots) == 3
    assert [str(each) for each in spots[:1]] == [f"/log and below ({spots[0].items} items)"]
    assert [each.where for each in spots[1:]] == ["/about", "/visit"]
    assert (spots[1].where, spots[-1].where) == ("/about", "/visit")
    with pytest.raises(IndexError):
        spots[3]
    again = folding.of_paths(paths)
    assert spots == again == tuple(spots)
    assert hash(spots) == hash(again)
    assert spots != folding.of_paths(["/visit"])
    assert repr(folding.of_paths([])) == "<Spots: none>"


@few
@given(in_columns, seeds)
def test_places_are_told_as_few_and_cover_just_what_is_meant(site, rng):
    paths = {path for path in site.items if rng.random() < rng.choice([0.2, 0.9])}
    spots = Folding(site).of_paths(paths)
    assert spot_paths(site, spots) == paths
    assert sum(spot.items for spot in spots) == len(paths)
    assert [spot.items for spot in spots] == sorted((s.items for s in spots), reverse=True)
    assert all(spot.first in paths for spot in spots)
    assert all((spot.items > 1) == spot.whole for spot in spots)


@few
@given(in_columns, seeds)
def test_what_makes_the_difference_does_and_none_of_it_can_be_left_out(site, rng):
    engine, reference = Engine(site, NOON), Reference(site, NOON)
    people = [None, *site.users]
    pairs = [
        (one, other, action, path)
        for one in people for other in people for path in list(site.items)[:6]
        for action in ("read", "edit", "publish")
        if one != other
    ]  # fmt: skip
    for one, other, action, path in rng.sample(pairs, min(40, len(pairs))):
        asked = Question(None, action, NOON, path)
        may = [trace_of(reference, asked._replace(who=who)).allowed for who in (one, other)]
        if may != [True, False]:
            continue
        things = what_differs(engine, one, other, asked)
        assert things, (one, other, action, path)
        two = TwoPeople(engine, one, other, asked)
        assert two.may(things)
        for thing in things:
            assert not two.may([each for each in things if each is not thing])


def test_what_makes_the_difference_is_one_thing_where_one_is_enough(demo):
    asked = ("mirela.kos", "sam.whitlock", "edit", "/visit/prices", AT)
    (only,) = demo.what_makes_the_difference(*asked)
    assert only.says == "The rule mirela-prices: Mirela Kos may edit at /visit/prices only"
    assert only.where.startswith("site.toml, line ")
    turned = demo.what_makes_the_difference("sam.whitlock", "mirela.kos", *asked[2:])
    assert turned == [only]
    both = demo.what_makes_the_difference(
        "kit.farrow", "sam.whitlock", "edit", "/events/painting-week", AT
    )
    assert [each.says.split(" ")[2] for each in both] == ["is", "wrote"]
    (owner,) = demo.what_makes_the_difference("hana.okafor", None, "read", "/trustees", AT)
    assert owner.says == "Hana Okafor is the owner of the site"
    (gone,) = demo.what_makes_the_difference(
        "sam.whitlock", "theo.marsh", "comment", "/log/barometer", AT
    )
    assert gone.says == "Theo Marsh is suspended, and so counts as a guest"
    assert demo.what_makes_the_difference("sam.whitlock", "kit.farrow", "read", "/visit", AT) == []


@few
@given(in_columns, st.sampled_from(MOMENTS))
def test_a_frozen_site_decides_at_any_moment_as_the_site_did_then(site, at):
    still = frozen(site, at)
    assert problems(still) == []
    was = Reference(site, at)
    for moment in (at, NOON):
        now = Engine(still, moment)
        for login in (None, *site.users):
            for path in site.items:
                for action in ("read", "edit", "publish"):
                    assert now.allows(login, action, path) == was.may(login, action, path).allowed


def problems(site: SiteData):
    from prim_lantern.site.check import problems_in

    return [each for each in problems_in(site) if "public_from" not in str(each)]


def test_two_moments_and_two_sites_are_compared(demo, demo_folder):
    site = pl.open_site(demo_folder)
    with site.change(by="hana.okafor") as change:
        change.allow("edit", "user:gwen.tarrow", "/visit/prices", reach="only-here")
    found = site.compare("gwen.tarrow", "gwen.tarrow", AT, other_site=demo)
    assert [(each.side, each.action) for each in found.more] == [(0, "see-drafts"), (0, "edit")]
    assert found.called == ("Gwen Tarrow", "Gwen Tarrow on the other site")
    later = demo.compare("sam.whitlock", "sam.whitlock", AT, other_at="2028-01-01")
    assert later.called == ("Sam Whitlock on 2027-05-10", "Sam Whitlock on 2028-01-01")
    effects = site.differences(AT, other_site=demo)
    assert [str(each)[:5] for each in [effects.size]] == ["2"]
    assert not demo.differences(AT, other_at="2027-05-11") or demo.next_turn() is not None


# Suggest ---------------------------------------------------------------------------------------


def least_by_trying_all(engine, wish, most=30):
    """The fewest effects of all candidates, and of all pairs of them, each made on the site."""
    reference = engine.reference
    paths = [wish.place.name] if wish.place.name in engine.data.items else []
    traces = [
        trace_of(reference, Question(wish.who.name, wish.action, engine.at, p)) for p in paths
    ]
    some = list(candidates(engine, engine.data, wish, traces))
    best = None
    for chosen in [*((each,) for each in some), *combinations(some[:most], 2)]:
        proposal = Proposal(engine.data, Made(engine.data.owner, engine.at))
        try:
            for each in chosen:
                for operation in each.operations:
                    proposal.do(operation)
        except PrimLanternError:
            continue
        after = engine.after(proposal.data, engine.at)
        if is_true(after, wish):
            size = Effects(engine, after, proposal.renames).size
            best = size if best is None else min(best, size)
    return best


@fewest
@given(in_columns, seeds)
def test_no_step_and_no_pair_of_steps_does_less_than_what_is_suggested(site, rng):
    site = replace(site, promises=())
    engine = Engine(site, NOON)
    logins = [e for e in site.users if e != site.owner]
    wish = Wish(
        Who("user", rng.choice(logins)),
        rng.choice(["read", "edit", "publish", "comment"]),
        place(rng.choice(list(site.items))),
        rng.random() < 0.7,
    )
    if is_true(engine, wish):
        assert suggest(engine, [wish]).already
        return
    found = suggest(engine, [wish])
    least = least_by_trying_all(engine, wish)
    assert (least is None) == (not found.options), (wish, found.options[:1], least)
    if least is not None:
        assert found.options[0].effects.size <= least, (wish, found.options[0].commands)
    for option in found.options:
        assert option.beyond <= option.effects.size
        change = pl.Site(site, checked=True).change(by=site.owner)
        for operation in option.operations:
            change.do(operation)
        reference = Reference(change.data, NOON)
        asked = reference.may(wish.who.name, wish.action, wish.place.name).allowed
        assert asked == wish.may  # by the plain reading, too
        assert change.effects().size == option.effects.size


def test_suggestions_say_what_stands_in_the_way(demo):
    none = demo.suggest(demo.wish("sam.whitlock", "publish", "/log/seal-count"), at=AT)
    assert not none.options
    assert "four eyes" in none.in_the_way[0]
    broken = demo.suggest(demo.wish(None, "read", "/trustees"), at=AT)
    assert not broken.options
    assert broken.in_the_way[0].startswith("It would break the promise: Guests and group Friends")
    assert broken.breaking > 0
    filed = demo.suggest(demo.wish("sam.whitlock", "create", "/news", kind="post"), at=AT)
    assert "must be filed" in filed.in_the_way[0]
    assert demo.suggest(demo.wish("mirela.kos", "edit", "/visit/prices"), at=AT).already


@pytest.mark.parametrize(
    ("wish", "first"),
    [
        (("gwen.tarrow", "edit", "/visit/prices"), {"give timetable-desk user:gwen.tarrow --within /visit/prices"}),
        (("sam.whitlock", "read", "/patrons"), {"allow user:sam.whitlock read /patrons --reach only-here"}),
        (("sam.whitlock", "manage-rights", "/log"), {"allow user:sam.whitlock manage-rights /log --reach only-here"}),
        (("group:volunteers", "comment", "/visit/prices"), {"give commenter group:volunteers --within /visit/prices"}),
        (("role:commenter", "edit", "/visit/prices"), {"allow role:commenter edit /visit/prices --reach only-here"}),
        (("sam.whitlock", "comment", "topic:press"), {"allow user:sam.whitlock see-drafts topic:press"}),
    ],
)  # fmt: skip
def test_the_first_suggestion_is_the_one_with_the_fewest_effects(demo, wish, first):
    found = demo.suggest(demo.wish(*wish), at=AT)
    assert found.least
    assert first & set(found.options[0].commands)
    sizes = [each.beyond for each in found.options]
    assert sizes == sorted(sizes) or wish[1] == "manage-rights"  # there it counts how much it holds


def test_wishes_may_be_several_and_to_take_away(demo):
    both = demo.suggest(
        [
            demo.wish("gwen.tarrow", "edit", "/visit/prices"),
            demo.wish("gwen.tarrow", "read", "/patrons"),
        ],
        at=AT,
    )
    assert len(both.options[0].commands) == 2
    never = demo.suggest(demo.wish("mirela.kos", "edit", "/visit/prices", may=False), at=AT)
    assert never.options[0].beyond == 0
    assert "deny user:mirela.kos edit /visit/prices --reach only-here" in never.options[0].commands
    group = demo.suggest(demo.wish("group:friends", "read", "/friends", may=False), at=AT)
    assert group.options[0].effects.size >= 7


def test_who_may_not_make_it_is_told_whom_to_ask(demo):
    wish = demo.wish("sam.whitlock", "edit", "/stations/fennick")
    found = demo.suggest(wish, by="anneke.sorley", at=AT)
    assert all(each.refused for each in found.options)
    assert "hana.okafor" in found.options[0].ask
    owner = demo.suggest(wish, by="hana.okafor", at=AT)
    assert not any(each.refused for each in owner.options)


@pytest.mark.parametrize(
    ("asked", "error"),
    [
        (("hana.okafor", "read", "/log"), "The owner may do everything"),
        (("sam.whitlock", "create", "/log"), "create needs one"),
        (("sam.whitlock", "edit", "/nowhere"), "/nowhere"),
        (("sam.whitlock", "shout", "/log"), "shout"),
        (("sam.whitlock", "move", "/log"), "To move is to edit"),
        (("sam.whitlock", "read", "topic:nothing"), "topic:nothing"),
        (("sam.whitlock", "manage-people", "/log"), "whole site"),
        (("sam.whitlock", "file-under", "/log"), "one category"),
    ],
)
def test_a_wish_that_makes_no_sense_says_so(demo, asked, error):
    with pytest.raises(PrimLanternError, match=error):
        demo.wish(*asked)


# Tidy and the ladder ---------------------------------------------------------------------------


@fewest
@given(in_columns, seeds)
def test_a_tidied_site_decides_as_before(site, rng):
    engine = Engine(site, NOON)
    found = tidy(engine)
    assert found.after.words <= found.before.words
    data = site
    for operation in found.operations:
        data = operation.apply(data, Made(site.owner, NOON))
    assert data == found.data
    for moment in MOMENTS[2:]:
        was, now = Reference(site, moment), Reference(data, moment)
        for _ in range(150):
            login, path = rng.choice([None, *site.users]), rng.choice(list(site.items))
            asked = login, rng.choice(actions_of(site)), path
            assert was.may(*asked).allowed == now.may(*asked).allowed, asked


GROUPS = "[groups.crew]\n[groups.desk]\n[groups.yard]\n"
NAMED = 'to = ["user:ann", "user:ben", "user:cy"]'
PEOPLE = "ann,Ann,,active,,,\nben,Ben,,active,,,\ncy,Cy,,active,,,"
ITEMS = "/a,page,A,mo,,published,,,,,\n/b,page,B,mo,,published,,,,,\n/c,page,C,mo,,published,,,,,"


def test_tidy_joins_drops_and_proposes(make_site):
    joined = make_site(
        GROUPS + '[[rules]]\nallow = ["edit"]\nto = ["group:crew"]\nwhere = "/a"\n'
        '[[rules]]\nallow = ["publish"]\nto = ["group:crew"]\nwhere = "/a"\n',
        PEOPLE, ITEMS,
    ).tidy(AT)  # fmt: skip
    assert joined.after.rules == 1
    assert joined.data.rules[0].actions == ("edit", "publish")
    together = make_site(
        f'[[rules]]\nallow = ["edit"]\n{NAMED}\nwhere = "/a"\n[[rules]]\nallow = ["publish"]\n{NAMED}\nwhere = "/b"\n',
        PEOPLE, ITEMS,
    ).tidy(AT)  # fmt: skip
    assert [str(who) for rule in together.data.rules for who in rule.to] == ["group:together-1"] * 2
    assert together.data.people.at(1).memberships[0].group == "together-1"
    alike = make_site(
        GROUPS + "".join(
            f'[[rules]]\nallow = ["{action}"]\nto = ["group:{group}"]\nwhere = "{path}"\n{more}'
            for group, path in zip(("crew", "desk", "yard"), ("/a", "/b", "/c"), strict=True)
            for action, more in (("edit", 'in_state = ["draft"]\n'), ("comment", ""))
        ),
        PEOPLE, ITEMS,
    ).tidy(AT)  # fmt: skip
    assert alike.after.rules == 0
    assert alike.after.given == 3
    assert "alike-1" in alike.data.roles
    guarded = make_site(
        '[[rules]]\ndeny = ["comment"]\nto = ["guests"]\nno_exceptions = true\n', "", ITEMS
    )
    assert guarded.tidy(AT).steps == ()  # it stops nobody so far, and stands guard
    noted = make_site(
        '[[rules]]\nallow = ["edit"]\nto = ["user:ann"]\nwhere = "/a"\nnote = "x"\n'
        '[[rules]]\nallow = ["publish"]\nto = ["user:ann"]\nwhere = "/a"\nnote = "y"\n',
        PEOPLE, ITEMS,
    )  # fmt: skip
    assert noted.tidy(AT).steps == ()  # each says why it is there


@few
@given(in_columns)
def test_a_role_stands_above_those_of_which_it_can_do_all(site):
    rungs = {each.role: each for each in ladder(Engine(site, NOON))}
    assert rungs.keys() == site.roles.keys()
    for name, rung in rungs.items():
        for other in rung.contains:
            assert abilities(site, other) <= abilities(site, name)
        inside = [o for o in rungs if o != name and abilities(site, o) < abilities(site, name)]
        assert bool(inside) <= bool(rung.contains)
