"""One word allows and another denies the same, to the same people, equally near: no beats yes.

Of two words at one place, to people of one rank, the deny wins. Where the yes was meant, it needs
to be said nearer, or the deny to speak of fewer people.
"""

from __future__ import annotations

from collections.abc import Iterator
from itertools import product

from prim_lantern.decide.clauses import Clause, clauses_of
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.rights import ANY

NAME = "equally-near"


def find(look: Look) -> Iterator[Finding]:
    """Each pair of such words, of those in force, that speaks of somebody active."""
    data = look.data
    by_spot: dict[object, tuple[list[Clause], list[Clause]]] = {}
    for clause in clauses_of(data):
        if clause.period.holds(look.at) and not clause.brought and not clause.no_exceptions:
            key = clause.place.spot, clause.who.rank
            by_spot.setdefault(key, ([], []))[0 if clause.allow else 1].append(clause)
    told: set[tuple[int, int]] = set()
    for allows, denies in by_spot.values():
        for yes, no in product(allows, denies):
            both = id(yes.source.rule or yes.source.given), id(no.source.rule)
            if both in told or not _meet(yes, no) or yes.who.kind == "role":
                continue
            among = look.logins_among(yes.who) & look.logins_among(no.who)
            if among:
                some = sorted(among, key=data.people.index.__getitem__)
                told.add(both)
                actions = sorted(yes.actions & no.actions)
                called = words.some([data.users[each].called for each in some])
                first, then = (words.clause(data, each, actions[0]) for each in (yes, no))
                yield Finding(
                    NAME,
                    MISTAKE if yes.who == no.who else NOTE,
                    f"{first}, and {then[:1].lower()}{then[1:]}: equally near, so the no holds for "
                    f"{called}.",
                    written([yes.source.origin, no.source.origin]),
                    {"people": len(some)},
                )


def _meet(yes: Clause, no: Clause) -> bool:
    """Whether two clauses can speak of the same action on the same item."""
    kinds = yes.kinds is None or no.kinds is None or yes.kinds & no.kinds
    states = yes.states is None or no.states is None or yes.states & no.states
    whose = ANY in (yes.whose, no.whose) or yes.whose == no.whose
    return bool(yes.actions & no.actions and kinds and states and whose)
