"""A risky capability is given to an audience, or to a group that anybody can join.

Risky are publishing code, managing rights, people and roles, and what the site marks so. Given to
everybody, to whoever is signed in or to a group that one comes into by signing up, they belong to
strangers. So does a group whose members are looked after by such a group.
"""

from __future__ import annotations

from collections.abc import Collection, Iterator

from prim_lantern.change.operations.groups import SetStewards
from prim_lantern.decide.clauses import clauses_of
from prim_lantern.decide.explain import words
from prim_lantern.decide.joining import anybody, comes_with
from prim_lantern.insight.finding import NOTE, SERIOUS, Finding
from prim_lantern.insight.fixes import remove_word
from prim_lantern.insight.look import Look, written
from prim_lantern.site.actions import RISKY_ACTIONS
from prim_lantern.site.rights import OWN
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who

NAME = "risky-for-many"


def find(look: Look) -> Iterator[Finding]:
    """Each rule or given role by which a risky action comes to many."""
    data = look.data
    risky = {*RISKY_ACTIONS, *(each.name for each in data.actions.values() if each.risky)}
    strangers = anybody(data, look.at)
    broad = {EVERYONE, GUESTS, SIGNED_IN, *strangers}
    told = set[object]()
    for clause in clauses_of(data):
        some = sorted(clause.actions & risky)
        over = clause.period.until is not None and clause.period.until <= look.at
        word = clause.source.rule or clause.source.given
        if not clause.allow or clause.who not in broad or not some or over or id(word) in told:
            continue
        told.add(id(word))
        yield Finding(
            NAME,
            NOTE if clause.whose == OWN else SERIOUS,
            f"{words.clause(data, clause, some[0])}. That is risky ({words.listed(some)}), and "
            f"{words.who(data, clause.who)} are many.",
            written([clause.source.origin]),
            fix=look.tried(*remove_word(data, look.at, clause)),
        )
    yield from _stewards(look, strangers)


def _stewards(look: Look, strangers: Collection[Who]) -> Iterator[Finding]:
    """Each group that means something, with a steward group that anybody can join."""
    for group in look.data.groups.values():
        open_to_all = [who for who in group.stewards if who in strangers]
        comes_to = list(comes_with(look.data, group.name)) if open_to_all else []
        if comes_to:
            called = words.listed(words.who(look.data, who) for who in open_to_all)
            yield Finding(
                NAME,
                SERIOUS,
                f"{called[:1].upper()}{called[1:]} look after the members of group {group.called}, "
                f"and anybody can join: whoever does comes to {words.some(comes_to)}.",
                written([group.origin.of("stewards") if group.origin else None]),
                fix=look.tried(SetStewards(group.name, drop=tuple(map(str, open_to_all)))),
            )
