"""Words that say what others at the same place say: seen in the words alone, and held against what
the plain reading decides with and without them."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from random import Random

import pytest
from hypothesis import given
from hypothesis import strategies as st

from prim_lantern.decide.reference import Reference
from prim_lantern.insight.said_already import Words
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.content import STATES
from prim_lantern.site.moments import Period
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, REACHES
from prim_lantern.site.rights import Given
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who
from sites import ITEM_ACTIONS, KINDS, MOMENTS, NOON, sites

seeds = st.integers(0, 2**32).map(Random)
LATER = MOMENTS[2:]


def narrowed(rng, site, word):
    """The same word, said to fewer, of less, at less of its place or for less of its time."""
    since, until = word.period
    begins = max(since or NOON, NOON) + timedelta(days=rng.randrange(3))
    if until is None or begins < until:
        word = replace(word, period=rng.choice([word.period, Period(begins, until)]))
    fewer = {
        EVERYONE: [EVERYONE, GUESTS, SIGNED_IN],
        **{
            Who("group", each.name): [
                Who("group", each.name),
                *(
                    Who("group", low.name)
                    for low in site.groups.values()
                    if each.name in low.counts_in
                ),
            ]
            for each in site.groups.values()
        },
    }
    word = replace(word, to=tuple(rng.choice(fewer.get(who, [who])) for who in word.to))
    if isinstance(word, Given):
        return replace(word, within_any=word.within_any[:1], to=word.to[:1])
    if word.place.kind == "path" and word.place.reach not in (ONLY_HERE, ONLY_BELOW):
        word = replace(word, place=word.place._replace(reach=rng.choice(REACHES)))
    if word.whose == "any":
        word = replace(word, whose=rng.choice(["any", "own", "others"]))
    if set(word.actions).isdisjoint({*MANAGING_ACTIONS, "all"}):
        kinds, states = word.kinds or KINDS, word.in_state or STATES
        word = replace(
            word,
            kinds=rng.choice([word.kinds, (rng.choice(list(kinds)),)]),
            in_state=rng.choice([word.in_state, (rng.choice(list(states)),)]),
        )
    return word


def varied(rng, site, word):
    """A word like another, with anything in it otherwise."""
    fresh = rng.choice(site.rules if not isinstance(word, Given) else site.given)
    parts = ["to", "period"]
    parts += ["within_any"] if isinstance(word, Given) else ["place", "kinds", "whose", "in_state"]
    for part in rng.sample(parts, rng.randrange(1, 3)):
        word = replace(word, **{part: getattr(fresh, part)})
    return narrowed(rng, site, word)


def with_word(site, word, number=None):
    part = "given" if isinstance(word, Given) else "rules"
    words = list(getattr(site, part))
    words.insert(len(words) if number is None else number, word)
    return replace(site, **{part: tuple(words)})


def decided(site, rng):
    """Answers of every sort, at moments from now on."""
    actions = [*ITEM_ACTIONS, "sell", "stamp"]
    asked = [
        (rng.choice([None, *site.users]), rng.choice(actions), rng.choice(list(site.items)))
        for _ in range(40)
    ]
    places = [each.place for each in (*site.rules, *site.places)]

    def answers(data):
        for at in LATER:
            plain = Reference(data, at)
            for login, action, path in asked:
                yield plain.may(login, action, path).allowed
                yield plain.may_file(login, path, "topic:sea/gulls").allowed
                yield plain.may_create(login, "post", path, ("topic:land",)).allowed
            for (login, _, _), place in zip(asked, places, strict=False):
                yield plain.may_manage(login, "manage-rights", place).allowed

    return lambda data: list(answers(data))


def word_of(site, rng):
    some = [
        each
        for each in (*site.rules, *site.given)
        if each.period.until is None or each.period.until > NOON
    ]
    return rng.choice(some) if some else None


@given(sites(), seeds)
def test_a_narrower_word_beside_a_word_says_nothing_more(site, rng):
    word = word_of(site, rng)
    if word is None:
        return
    less = narrowed(rng, site, word)
    both = with_word(site, less)
    assert Words(both, NOON).say_without(less)
    assert Words(site, NOON).say_the_same(Words(both, NOON))
    answers = decided(both, rng)
    assert answers(both) == answers(site)


@given(sites(), seeds)
def test_what_the_others_say_already_decides_nothing(site, rng):
    for _ in range(6):
        word = word_of(site, rng)
        if word is None:
            return
        other = varied(rng, site, word)
        both = with_word(site, other)
        if Words(both, NOON).say_without(other):
            answers = decided(both, rng)
            assert answers(both) == answers(site)
        without, words = Words(site, NOON), Words(both, NOON)
        assert without.say_the_same(Words(both, NOON, like=without)) == words.say_without(other)


# One part at a time ----------------------------------------------------------------------------

GROUPS = """
[groups.desk]
[groups.crew]
counts_in = ["desk"]
[groups.yard]
[roles.editor]
capabilities = [{ can = ["edit"] }]
[roles.chief]
includes = ["editor"]
[roles.all]
all_access = true
"""


def rule(says="allow", actions="edit", to="group:crew", where="/a", **more):
    lines = [f"{key} = {value}" for key, value in more.items()]
    named = [f'{says} = ["{actions}"]', f'to = ["{to}"]', f'where = "{where}"']
    return "\n".join(["[[rules]]", *named, *lines, ""])


def gives(role, to="group:crew", within="/a", **more):
    lines = [f"{key} = {value}" for key, value in more.items()]
    named = [f'role = "{role}"', f'to = ["{to}"]', f'within_any = ["{within}"]']
    return "\n".join(["[[given]]", *named, *lines, ""])


SPEAKS = rule(actions="comment", to="role:editor", where="/b")
SAID = [
    (rule(), rule()),
    (rule(to="group:desk"), rule()),
    (rule(to="everyone"), rule(to="guests")),
    (rule(), rule(until="2028-01-01")),
    (rule(until="2029-01-01"), rule(since="2027-06-01", until="2028-01-01")),
    (rule(), rule(kinds='["page"]')),
    (rule(kinds='["page", "post"]'), rule(kinds='["post"]')),
    (rule(), rule(in_state='["draft"]')),
    (rule(), rule(whose='"own"')),
    (rule(), rule(reach='"only-below"')),
    (rule(), rule(actions="read")),
    (rule("deny", no_exceptions="true"), rule("deny", no_exceptions="true")),
    (rule(), gives("editor")),
    (gives("editor"), rule()),
    (gives("chief"), gives("editor")),
    (gives("all"), gives("all")),
    (SPEAKS + gives("editor", "group:desk"), gives("editor")),
    (rule(kinds='["page"]') + rule(kinds='["post"]'), rule(kinds='["post", "page"]')),
    (rule(whose='"own"') + rule(whose='"others"'), rule()),
]
NOT_SAID = [
    (rule(), rule(to="group:desk")),
    (rule(to="group:yard"), rule()),
    (rule(), rule(to="user:ann")),
    (rule(to="user:ann"), rule()),
    (rule(to="signed-in"), rule(to="guests")),
    (rule(to="signed-in"), rule(to="group:crew")),
    (rule(until="2028-01-01"), rule()),
    (rule(since="2027-06-01"), rule()),
    (rule(until="2028-01-01"), rule(until="2028-01-02")),
    (rule(kinds='["page"]'), rule()),
    (rule(kinds='["page"]'), rule(kinds='["post"]')),
    (rule(in_state='["draft"]'), rule()),
    (rule(whose='"own"'), rule()),
    (rule(whose='"own"'), rule(whose='"others"')),
    (rule(reach='"only-below"'), rule()),
    (rule(reach='"only-here"'), rule(reach='"only-below"')),
    (rule(where="site"), rule()),
    (rule(where="/a"), rule(where="/a/b")),
    (rule(actions="read"), rule()),
    (rule("deny"), rule()),
    (rule(), rule("deny")),
    (rule("deny"), rule("deny", no_exceptions="true")),
    (rule("deny", no_exceptions="true"), rule("deny")),
    (gives("editor"), gives("chief") + SPEAKS.replace("editor", "chief")),
    (SPEAKS + gives("chief"), gives("editor")),
    (SPEAKS + gives("editor", until="2028-01-01"), gives("editor")),
    (SPEAKS + gives("editor", to="group:yard") + rule(), gives("editor")),
    (rule(), gives("all")),
    (gives("all", within="/a/b"), gives("all")),
]


@pytest.mark.parametrize(
    ("others", "last", "said"),
    [(*each, True) for each in SAID] + [(*each, False) for each in NOT_SAID],
)
def test_each_part_of_a_word_counts(make_site, others, last, said):
    items = "/a,page,A,mo,,published,,,,,\n/b,page,B,mo,,published,,,,,"
    data = make_site(GROUPS + others + last, "ann,Ann,,active,crew,,", items).data
    word = (data.rules if "[[rules]]" in last.split("[[given]]")[-1] else data.given)[-1]
    if "[[given]]" in last:
        word = data.given[-1]
    part = "given" if isinstance(word, Given) else "rules"
    without = replace(data, **{part: getattr(data, part)[:-1]})
    with_it, without_it = Words(data, NOON), Words(without, NOON)
    assert with_it.say_without(word) is said
    for one, other in ((with_it, without_it), (without_it, with_it)):
        assert one.say_the_same(other) is said
        assert Words(one.data, NOON, like=other).say_the_same(other) is said


def test_what_is_over_says_nothing(make_site):
    data = make_site(GROUPS + rule(until="2027-01-01"), "ann,Ann,,active,crew,,").data
    assert Words(data, NOON).say_the_same(Words(replace(data, rules=()), NOON))
    assert not Words(data, MOMENTS[0]).say_the_same(Words(replace(data, rules=()), MOMENTS[0]))


def test_other_people_groups_or_places_are_never_the_same(make_site):
    data = make_site(GROUPS + rule(), "ann,Ann,,active,crew,,").data
    for other in (
        replace(data, groups={**data.groups, "crew": replace(data.groups["crew"], counts_in=())}),
        replace(data, users=dict(data.users)),
        replace(data, default_readership="nobody"),
        replace(
            data, roles={**data.roles, "editor": replace(data.roles["editor"], capabilities=())}
        ),
    ):
        assert not Words(data, NOON).say_the_same(Words(other, NOON))
    fewer = {name: each for name, each in data.roles.items() if name != "chief"}
    assert Words(data, NOON).say_the_same(Words(replace(data, roles=fewer), NOON))
