"""What an engine was asked before, by whom, and what was said then, makes no difference."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import permutations, product
from random import Random
from unittest.mock import patch

import pytest

from prim_lantern.change.effects.effects import Effects
from prim_lantern.decide.engine import Engine, effects, plan
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.reference import Reference
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.site.places import Place, place
from prim_lantern.site.rights import Given, PlaceSetting, Readership, Role, Rule
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who
from prim_lantern.site.who import who as read_who
from sites import NOON


@pytest.fixture(scope="module", autouse=True)
def _as_on_a_big_site() -> Iterator[None]:
    """Classes are put together after some questions."""
    with patch.multiple(plan, _SMALL=0, _OFTEN=3):
        yield


@pytest.mark.parametrize(
    ("words", "action", "first", "then"),
    [
        ("[[rules]]\nallow = ['read', 'see-drafts']\nto = ['signed-in']\nwhere = '/s'\n[[rules]]\nallow = ['edit']\nto = ['user:ben']\nwhere = '/s'\nin_state = ['draft']\n",
         "edit", "/s/draft", "/s/review"),
        ("[groups.none]\n[readerships.none]\nreaders = ['group:none']\n[[places]]\nwhere = '/s'\nreadership = 'none'\n[[rules]]\nallow = ['read']\nto = ['signed-in']\nwhere = '/s'\nkinds = ['panel']\n[[rules]]\nallow = ['read']\nto = ['user:ben']\nwhere = '/s'\nkinds = ['post']\n",
         "read", "/s/post/panel", "/s/event/panel"),
    ],
    ids=["a state", "the kind of the page of a part"],
)  # fmt: skip
def test_what_one_person_was_told_is_not_told_to_whoever_hears_more(
    make_site, words, action, first, then
):
    """The words that speak to Ben alone name what the items differ in."""
    site = make_site(
        words,
        people="ben,,,,,,\nann,,,,,,\n",
        content="/s,page,,,,,,,,,\n/s/draft,page,,,,draft,,,,,\n/s/review,page,,,,in-review,,,,,\n"
        "/s/post,post,,,,,,,,,\n/s/post/panel,panel,,,,,,,,,\n"
        "/s/event,event,,,,,,,,,\n/s/event/panel,panel,,,,,,,,,\n",
    )
    engine = Engine(site.data, NOON)
    assert not engine.allows("ann", action, first)
    assert not engine.allows("ben", action, then)
    assert engine.allows("ben", action, first)


WHERE = [place(each) for each in ("site", "site", "site", "/", "/s", "/s/a", "/s/b", "/t")]
WHOM = [
    *(Who("user", each) for each in ("ann", "ben")),
    *[Who("role", "mate")] * 4,
    *(Who("role", "hand"), SIGNED_IN, EVERYONE),
]


def dense_site(rng):
    """A few items and words, most about whoever has a role somewhere."""
    actions = ["read", "edit", "see-drafts"]
    return SiteData(
        name="Dense",
        owner="mo",
        users={login: User(login) for login in ("mo", "ann", "ben")},
        roles={name: Role(name) for name in ("mate", "hand")},
        readerships={"mates": Readership("mates", (Who("role", "mate"),))},
        default_readership=rng.choice(["public", "public", "mates"]),
        rules=tuple(
            Rule(
                rng.random() < 0.7,
                tuple(rng.sample(actions, rng.choice([1, 1, 2]))),
                (rng.choice(WHOM),),
                rng.choice(WHERE),
                kinds=rng.choice([(), (), ("page",), ("post",)]),
                in_state=rng.choice([(), (), ("draft",)]),
            )
            for _ in range(rng.randint(1, 4))
        ),
        given=tuple(
            Given(rng.choice(["mate", "hand"]), (rng.choice(WHOM[:2]),), (rng.choice(WHERE),))
            for _ in range(rng.randint(1, 2))
        ),
        places=tuple(
            PlaceSetting(each, rng.choice(["public", "mates"]))
            for each in rng.sample(WHERE[4:], rng.choice([0, 1, 1, 2]))
        ),
        items={
            path: Item(path, rng.choice(["page", "post"]), state=rng.choice(["published", "draft"]))
            for path in ("/s", "/s/a", "/s/b", "/s/a/x", "/t")
        },
    )


@pytest.mark.parametrize("seed", range(0, 160, 40))
def test_on_dense_sites_it_makes_no_difference_who_asked_what_before(seed, monkeypatch):
    monkeypatch.setattr(plan, "_OFTEN", 1_000)  # one answer after the other, as on a big site
    for number in range(seed, seed + 40):
        rng = Random(number)
        site = dense_site(rng)
        engine, reference = Engine(site, NOON), Reference(site, NOON)
        asked = list(product([None, "ann", "ben"], ["edit", "read"], site.items))
        rng.shuffle(asked)
        for who, action, path in asked:
            expected = reference.may(who, action, path).allowed
            assert engine.allows(who, action, path) == expected, (number, who, action, path)


@pytest.mark.parametrize(
    "first_place", ["readership = 'public'", None], ids=["by a readership", "by a word"]
)
def test_a_role_somewhere_is_none_elsewhere_whoever_asked_before(make_site, first_place):
    """Ben is a mate at /s/a alone, where something else speaks to Ann, who asks first."""
    site = make_site(
        "[roles.mate]\n[[given]]\nrole = 'mate'\nto = ['user:ben']\nwithin_any = ['/s/a']\n"
        "[[rules]]\nallow = ['edit']\nto = ['role:mate']\n"
        + (
            f"[[places]]\nwhere = '/s/a'\n{first_place}\n"
            if first_place
            else "[[rules]]\nallow = ['edit']\nto = ['user:ann']\nwhere = '/s/a'\n"
        ),
        people="ben,,,,,,\nann,,,,,,\n",
        content="/s,page,,,,,,,,,\n/s/a,page,,,,,,,,,\n/s/b,page,,,,,,,,,\n",
    )
    engine = Engine(site.data, NOON)
    assert engine.allows("ann", "edit", "/s/a") == (first_place is None)
    assert not engine.allows("ben", "edit", "/s/b")
    assert engine.allows("ben", "edit", "/s/a")
    assert lists_of(engine).items_for("ben", "edit").tolist() == [False, True, False]


def test_a_role_that_goes_to_somebody_else_is_theirs_at_once(make_site, monkeypatch):
    monkeypatch.setattr(plan, "_OFTEN", 1_000)  # what was found for the one is at hand
    site = make_site(
        "[roles.mate]\n[[given]]\nrole = 'mate'\nto = ['user:ann']\nwithin_any = ['/s']\n"
        "[[rules]]\nallow = ['edit']\nto = ['role:mate']\n",
        people="ben,,,,,,\nann,,,,,,\n",
        content="/s,page,,,,,,,,,\n",
    ).data
    engine = Engine(site, NOON)
    for holder, other in (("ann", "ben"), ("ben", "ann"), ("ann", "ben")):
        given = (Given("mate", (Who("user", holder),), (place("/s"),)),)
        engine = engine.after(site.with_parts(given=given), NOON)
        assert engine.allows(holder, "edit", "/s") and not engine.allows(other, "edit", "/s")


def test_what_is_said_of_a_part_is_not_said_of_its_page(make_site):
    """At the page itself stands a word that says nothing to Ben."""
    site = make_site(
        "[groups.none]\n[readerships.none]\nreaders = ['group:none']\n"
        "[[places]]\nwhere = '/s'\nreadership = 'none'\n"
        "[[rules]]\nallow = ['read']\nto = ['user:ben']\nwhere = '/s/post/panel'\n"
        "[[rules]]\nallow = ['read']\nto = ['user:ann']\nwhere = '/s/post'\n",
        people="ben,,,,,,\nann,,,,,,\n",
        content="/s,page,,,,,,,,,\n/s/post,post,,,,,,,,,\n/s/post/panel,panel,,,,,,,,,\n",
    )
    engine = Engine(site.data, NOON)
    assert not engine.allows("ben", "read", "/s/post/panel")
    assert engine.allows("ann", "read", "/s/post/panel")


@pytest.mark.parametrize("often", [0, 3], ids=["put together", "one by one"])
def test_whoever_is_given_a_role_everywhere_hears_what_categories_say_of_its_holders(
    make_site, often, monkeypatch
):
    """The role itself allows nothing, so that nothing else comes with it."""
    monkeypatch.setattr(plan, "_OFTEN", often)
    site = make_site(
        "[category_sets.a]\nx = 'X'\n[roles.mate]\n"
        "[[rules]]\nallow = ['edit']\nto = ['signed-in']\n"
        "[[rules]]\ndeny = ['edit']\nto = ['role:mate']\nwhere = 'a:x'\n",
        people="ben,,,,,,\ncyd,,,,,,\n",
        content="/one,page,,,,,a:x,,,,\n/two,page,,,,,,,,,\n",
    )
    engine = Engine(site.data, NOON)
    assert engine.allows("ben", "edit", "/one")
    first = site.data.with_parts(given=(Given("mate", (Who("user", "cyd"),)),))
    engine = engine.after(first, NOON)
    assert not engine.allows("cyd", "edit", "/one"), "what they were told is at hand for the next"
    given = site.data.with_parts(given=(Given("mate", (Who("user", "ben"),)),))
    engine = engine.after(given, NOON)
    assert not engine.allows("ben", "edit", "/one") and engine.allows("ben", "edit", "/two")
    assert engine.after(site.data, NOON).allows("ben", "edit", "/one")


@pytest.mark.parametrize(
    "where", [Place("site", "site"), Place("path", "/one"), Place("category", "a:x")]
)
def test_engines_that_share_what_they_know_each_say_their_own(make_site, where, monkeypatch):
    """One engine, and three that follow it, each with another word at one place; whoever asks
    first, whatever the others were told."""
    monkeypatch.setattr(plan, "_OFTEN", 1_000)
    site = make_site(
        "[category_sets.a]\nx = 'X'\n[roles.mate]\n"
        "[[rules]]\nallow = ['upload']\nto = ['user:ben']\nwhere = '/one'\n"
        "[[rules]]\nallow = ['upload']\nto = ['user:ben']\nwhere = 'a:x'\n"
        "[[rules]]\nallow = ['comment']\nto = ['role:mate']\nwhere = '/one/more'\n",
        people="ben,,,,,,\ncyd,,,,,,\n",
        content="/one,page,,,,,a:x,,,,\n/one/more,page,,,,,,,,,\n",
    ).data
    who = (Who("user", "cyd"),)
    words = [Rule(allow, ("edit",), who, where) for allow in (True, False)]
    others = [site.with_parts(rules=(*site.rules, word)) for word in words]
    others.append(site.with_parts(given=(Given("mate", who, within_any=(where,)),)))
    for order in permutations(range(4), 4):
        first = Engine(site, NOON)
        engines = [first, *(first.after(each, NOON) for each in others)]
        for at in (*order, *order):
            engine, plain = engines[at], Reference(engines[at].data, NOON)
            for action in ("edit", "comment", "upload"):
                expected = [plain.may("cyd", action, each).allowed for each in site.items]
                assert [engine.allows("cyd", action, each) for each in site.items] == expected
                assert lists_of(engine).items_for("cyd", action).tolist() == expected


@pytest.mark.parametrize("few", [0, 8])
@pytest.mark.parametrize("where", ["site", "/a/b"])
@pytest.mark.parametrize("to", ["everyone", "guests", "group:crew", "user:bo"])
def test_a_word_is_heard_by_an_engine_that_was_asked_before(make_site, monkeypatch, to, where, few):
    """Whoever it speaks to, at the site or below; a link is followed to what it leads to."""
    monkeypatch.setattr(effects, "_ONE_BY_ONE", few)
    people = "ann,Ann,,active,crew,,\nbo,Bo,,active,,,"
    pages = "/a,page,A,mo,,published,,,,,\n/a/b,page,B,mo,,published,,,,,\n/m,link,M,mo,,published,,,,,/a/b"
    data = make_site("[groups.crew]", people, pages).data
    data = data.with_parts(items=data.content, users=data.people)
    for allow, action in ((False, "read"), (True, "edit")):
        before = Engine(data, NOON)
        asked = list(product(["ann", "bo", None], ("read", "edit"), data.items))
        for each in asked * 2:
            before.allows(*each)
        rule = Rule(allow, (action,), (read_who(to),), place(where))
        changed = data.with_parts(rules=(*data.rules, rule))
        after, plain = before.after(changed, NOON), Reference(changed, NOON)
        now = {each: plain.may(*each).allowed for each in asked}
        assert {each: after.allows(*each) for each in asked} == now
        gains = {each: now[each] for each in asked if now[each] != before.allows(*each)}
        told = Effects(before, after).of_each
        found = {
            (somebody, action, path): gained
            for somebody, some in told.items()
            for action, path, gained in some
            if somebody != data.owner and action in ("read", "edit")
        }
        assert gains
        assert found == gains
