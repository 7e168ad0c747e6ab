"""Who may make which change: the classes of the gate against the plain reading, on generated sites."""

from __future__ import annotations

from dataclasses import replace
from random import Random

from hypothesis import given, settings
from hypothesis import strategies as st

from operations import random_proposal
from prim_lantern.change.gate import Judged
from prim_lantern.change.gate.gains import Gains
from prim_lantern.change.gate.pictures import Pictures, go_together
from prim_lantern.change.gate.plain import Plain, filed, may
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import Place, place
from prim_lantern.site.who import SIGNED_IN, Who
from sites import NOON, sites

seeds = st.integers(0, 2**32).map(Random)
in_columns = sites().map(lambda site: replace(site, items=site.content, users=site.people))


def judged_at_random(site, rng):
    active = [login for login, user in site.users.items() if user.status == ACTIVE]
    by = rng.choice([login for login in active if login != site.owner] or active)
    proposal = random_proposal(rng, site, by, steps=rng.choice([1, 1, 2]))
    return Judged(Engine(site, NOON), proposal.data, proposal.renames, proposal.made), proposal


def pictured(rng, picture, whos) -> Subject:
    """Any item that could stand there, of somebody or nobody."""
    sort = rng.choice(picture.sorts)
    about = rng.choice(picture.ways(sort)).about
    one, other = rng.choice(picture.entries(())), rng.choice(picture.entries(()))
    some = (*one, *other) if go_together(one, other) else one
    return filed(about, *some)._replace(authors=frozenset(whos))


@settings(max_examples=max(6, settings.default.max_examples // 6))
@given(in_columns, seeds)
def test_what_a_change_opens_is_found_by_classes_as_pair_by_pair(site, rng):
    judged, proposal = judged_at_random(site, rng)
    said = [step.said for step in proposal.steps]
    if judged.is_owner:
        return
    gains = Gains(judged)
    words = "words" in judged.sorts
    found = [gain for gain in [next(gains.by_words(), None)] if gain] if words else []
    freed = (
        [g for g in [next(gains.freed(), None)] if g] if judged.sorts & {"words", "people"} else []
    )
    if any(gain.unsure for gain in found):  # an odd site: it asks the top, to be safe
        return
    narrows = judged.only_narrows and "people" not in judged.sorts and not judged.new_authors
    assert not (words and narrows and found), (found, said)
    for gain in found:  # whatever is found is one
        assert_opens(judged, gain, said)
    for gain in freed:
        about = gain.about._replace(authors=frozenset({gain.who} if gain.own else ()))
        frees = Plain(judged, gain.at).frees(gain.who, gain.action, about)
        assert frees or _later(gain, judged), (gain, said)
    engines = [judged.engine.after(data, NOON) for data in (judged.base, judged.after)]
    pictures = Pictures(engines, [-1, -1], None).of("edit", "publish", "create", "read")
    people = [None, *judged.base.users, login_of(SIGNED_IN)]
    people += [login_of(Who("group", name)) for name in judged.after.groups]
    owners = {judged.base.owner, judged.after.owner}
    whos = [who for who in people if _in_both(judged, who) and who not in owners]
    if not found and words:
        assert_nothing_opens(judged, rng, pictures, whos, said)
    finals = (final_words(data) for data in (judged.base, judged.after))  # those are the top's
    if not freed and judged.sorts & {"words", "people"} and len(set(finals)) == 1:
        plain = Plain(judged, NOON)
        for _ in range(30):
            who = rng.choice(whos)
            about = pictured(rng, pictures, rng.choice([(), (who,)]) if who else ())
            action = rng.choice(["read", "edit", "publish", "see-drafts", "comment"])
            assert not plain.frees(who, action, about), (who, action, about, said)


def final_words(data):
    rules = frozenset(rule for rule in data.rules if rule.no_exceptions)
    standing = {**data.readerships_at, "site": None}.items()
    named = (
        (
            str(spot),
            data.readership(each.readership if each else data.default_readership),
            each and each.place,
        )
        for spot, each in standing
    )
    return rules, frozenset(each for each in named if each[1].no_exceptions)


def assert_opens(judged, gain, said):
    plain, about = Plain(judged, gain.at), gain.about
    if gain.own and about.authors and gain.who not in about.authors:  # made an author
        theirs = about._replace(authors=about.authors | {gain.who})
        assert may(plain.after, gain.who, gain.action, theirs), (gain, said)
        was_there = gain.who in judged.base.users
        assert not (was_there and may(plain.before, gain.who, gain.action, about)), (gain, said)
        assert not plain.holds(gain.action, about, gain.category), (gain, said)
        return
    own = isinstance(about, Subject) and gain.own and not about.authors
    theirs = about._replace(authors=frozenset({judged.by})) if own else about
    about = about._replace(authors=frozenset({gain.who})) if own else about
    gains = plain.gains(gain.who, gain.action, about, gain.category)
    assert gains or _later(gain, judged), (gain, said)
    holds = plain.holds(gain.action, theirs, gain.category)
    assert gain.who == judged.by or not holds, (gain, said)


def assert_nothing_opens(judged, rng, pictures, whos, said):
    plain = Plain(judged, NOON)
    for _ in range(40):
        who = rng.choice(whos)
        about = pictured(rng, pictures, rng.choice([(), (who,)]) if who else ())
        action = rng.choice(["read", "edit", "publish", "see-drafts", "create", "sell", "comment"])
        if action == "create":
            about = about._replace(authors=frozenset({who} if who else ()), state="draft")
        assert not plain.opens(who, action, about), (who, action, about, said)
        action, where = rng.choice(MANAGING_ACTIONS), Place("site", "site")
        if action == "manage-rights":
            where = place(rng.choice(pictures.paths))
        assert not plain.opens(who, action, where), (who, action, where, said)


def _in_both(judged, who) -> bool:
    """Whether somebody is there before and after, in the same state."""
    if who is None or who not in judged.before.users:
        return True
    after = judged.after.users.get(who)
    return after is not None and after.status == judged.before.users[who].status


def _later(gain, judged) -> bool:
    """Whether somebody comes into a group within the time that begins then."""
    found = judged.base.users.get(gain.who or "")
    timed = found is not None and (
        found.enrolments
        or any(m.period != m.period._replace(since=None, until=None) for m in found.memberships)
    )
    return bool(timed) or not _in_both(judged, gain.who)
