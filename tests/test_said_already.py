"""Words that say what others at the same place say: seen in the words alone, and held against what
the plain reading decides with and without them."""

from __future__ import annotations

from dataclasses import replace
from datetime import timedelta
from random import Random

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
