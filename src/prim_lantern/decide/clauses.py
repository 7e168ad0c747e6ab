"""Clauses: every word of a site that gives or takes, in one form."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Set
from dataclasses import dataclass, replace
from typing import NamedTuple

from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import EVERY_ACTION, brought_by
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import Place
from prim_lantern.site.rights import ANY, OWN, Capability, Given, Role, Rule
from prim_lantern.site.who import Who


class Source(NamedTuple):
    """What a clause comes from: a rule, or a given role and the role whose row it is."""

    rule: Rule | None = None
    given: Given | None = None
    row_of: str = ""

    @property
    def origin(self) -> Origin | None:
        """Where it was written."""
        written = self.rule or self.given
        return written.origin if written else None


@dataclass(frozen=True, slots=True, eq=False)
class Clause:
    """One allow or deny. `kinds` and `states` are None where they do not narrow it.

    `brought` says that its actions were not named but come along with `named`.
    """

    allow: bool
    who: Who
    actions: frozenset[str]
    kinds: frozenset[str] | None
    whose: str
    states: frozenset[str] | None
    place: Place
    period: Period
    no_exceptions: bool
    source: Source
    brought: bool
    named: tuple[str, ...]


def clauses_of(data: SiteData) -> tuple[Clause, ...]:
    """All clauses of a site: of its rules first, then of its given roles."""
    of_rules = (clause for rule in data.rules for clause in clauses_of_rule(data, rule))
    of_given = (clause for given in data.given for clause in clauses_of_given(data, given))
    return (*of_rules, *of_given)


def clauses_of_rule(data: SiteData, rule: Rule) -> Iterator[Clause]:
    """The clauses of one rule: one for each who, and those for what it brings."""
    source = Source(rule=rule)
    for who in rule.to:
        yield from _with_what_it_brings(
            data,
            Clause(
                allow=rule.allow,
                who=who,
                actions=actions_named(data, rule.actions),
                kinds=frozenset(rule.kinds) or None,
                whose=rule.whose,
                states=frozenset(rule.in_state) or None,
                place=rule.place,
                period=rule.period,
                no_exceptions=rule.no_exceptions,
                source=source,
                brought=False,
                named=rule.actions,
            ),
        )


def clauses_of_given(data: SiteData, given: Given) -> Iterator[Clause]:
    """The clauses of one given role: for each row of it, each who and each place."""
    for role, row in rows_of(data, given.role):
        source = Source(given=given, row_of=role)
        for who in given.to:
            for place in given.within_any:
                for whose, named in ((ANY, row.can), (OWN, row.own)):
                    if named:
                        yield from _with_what_it_brings(
                            data,
                            Clause(
                                allow=True,
                                who=who,
                                actions=actions_named(data, named),
                                kinds=frozenset(row.kinds) or None,
                                whose=whose,
                                states=frozenset(row.in_state) or None,
                                place=place,
                                period=given.period,
                                no_exceptions=False,
                                source=source,
                                brought=False,
                                named=named,
                            ),
                        )


def actions_named(data: SiteData, actions: tuple[str, ...]) -> frozenset[str]:
    """The actions that a list of them means: "all" is every action on items."""
    named = frozenset(actions)
    return (named - {EVERY_ACTION}) | set(data.item_actions) if EVERY_ACTION in named else named


def rows_of(data: SiteData, role: str) -> Iterator[tuple[str, Capability]]:
    """The capability rows of a role and of all roles that it includes, each role once."""
    return ((each.name, row) for each in roles_in(data, role) for row in each.capabilities)


def roles_in(data: SiteData, role: str) -> Iterator[Role]:
    """A role, and all roles that it includes, each once."""
    waiting, seen = [role], {role}
    while waiting:
        found = data.roles[waiting.pop(0)]
        yield found
        for included in found.includes:
            if included not in seen:
                seen.add(included)
                waiting.append(included)


def beyond(data: SiteData, other: SiteData) -> Iterator[Clause]:
    """The clauses of a site that another one has not, each with one action.

    Where roles and actions are the same, only rules and given roles that differ are looked at.
    """
    same = data.roles == other.roles and data.actions == other.actions
    said = _single(other, set(data.rules) | set(data.given) if same else set())
    had = set(other.rules) | set(other.given) if same else set[Rule | Given]()
    return (clause for key, clause in _single(data, had).items() if key not in said)


def _single(data: SiteData, apart: Set[Rule | Given]) -> Mapping[tuple[object, ...], Clause]:
    """The clauses of a site, one for each action, by all that they say; those of some rules and
    given roles left out."""
    rules = tuple(rule for rule in data.rules if rule not in apart)
    given = tuple(each for each in data.given if each not in apart)
    found: dict[tuple[object, ...], Clause] = {}
    for each in clauses_of(replace(data, rules=rules, given=given)):
        whom = (each.allow, each.who, each.place, each.period, each.no_exceptions)
        what = (each.kinds, each.whose, each.states)
        for action in each.actions:
            found[(*whom, *what, action)] = replace(each, actions=frozenset({action}))
    return found


def brought_along(data: SiteData, role: str) -> dict[str, list[str]]:
    """The actions that a role does not name but brings, each with those named that need it."""
    rows = [row for _, row in rows_of(data, role)]
    named = dict.fromkeys(action for row in rows for action in (*row.can, *row.own))
    found: dict[str, list[str]] = {}
    for action in named:
        for brought in sorted(brought_by(action, data.actions)):
            if brought not in named and EVERY_ACTION not in named:
                found.setdefault(brought, []).append(action)
    return found


def _with_what_it_brings(data: SiteData, clause: Clause) -> Iterator[Clause]:
    """The clause, and those for what its actions cannot be done without."""
    yield clause
    if not clause.allow or clause.who.kind == "audience":
        return
    brings = frozenset[str]().union(*(brought_by(each, data.actions) for each in clause.actions))
    others = brings - clause.actions - {"read"}
    if others:
        yield replace(clause, actions=others, brought=True)
    if "read" in brings and ("read" not in clause.actions or clause.states):
        # Reading comes along in every state.
        yield replace(clause, actions=frozenset({"read"}), states=None, brought=True)


def outweighs(a: Clause, b: Clause, about: Subject) -> bool:
    """Whether clause a outweighs clause b: nearer, or the same place and a higher rank."""
    if a.place.spot == b.place.spot:
        return a.who.rank > b.who.rank
    return about.nearer(a.place, b.place)
