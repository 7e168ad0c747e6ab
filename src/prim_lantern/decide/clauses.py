"""Clauses: every word of a site that gives or takes, in one form."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Set
from functools import cache, partial
from typing import NamedTuple

from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import EVERY_ACTION, brought_by
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import Place
from prim_lantern.site.rights import ANY, OWN, Capability, Given, Role, Rule
from prim_lantern.site.who import Who
from prim_lantern.values import replace, value


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


@value(eq=False)
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


class Clauses:
    """All clauses of a site, by the rule or given role that they come from.

    Those of a site that differs little from another are found from that one's: what is still the
    same says the same, as long as roles and actions are what they were.
    """

    def __init__(self, data: SiteData, like: Clauses | None = None) -> None:
        """Take a site, and the clauses of one that differs little."""
        self._data = data
        self._by_source: dict[int, tuple[Clause, ...]]
        known: dict[int, tuple[Clause, ...]] = {}
        if like is not None and _speak_alike(like._data, data):
            known = like._by_source
        of_role = cache(partial(_lines_of, data))
        found: dict[int, tuple[Clause, ...]] = {}
        for rule in data.rules:
            found[id(rule)] = known.get(id(rule)) or tuple(clauses_of_rule(data, rule))
        for given in data.given:
            found[id(given)] = known.get(id(given)) or tuple(_given(given, of_role(given.role)))
        self._by_source = found

    def __iter__(self) -> Iterator[Clause]:
        """Those of rules first, then those of given roles."""
        for source in (*self._data.rules, *self._data.given):
            yield from self._by_source[id(source)]


def _speak_alike(one: SiteData, other: SiteData) -> bool:
    return one.actions is other.actions and one.roles is other.roles


def clauses_of(data: SiteData) -> tuple[Clause, ...]:
    """All clauses of a site: of its rules first, then of its given roles."""
    return tuple(Clauses(data))


def clauses_of_rule(data: SiteData, rule: Rule) -> Iterator[Clause]:
    """The clauses of one rule: one for each who, and those for what it brings."""
    says = _says(data, rule.actions, rule.in_state, allow=rule.allow)
    line = _Line("", frozenset(rule.kinds) or None, rule.whose, rule.actions, says)
    source = Source(rule=rule)
    for who in rule.to:
        yield from _clauses(
            line,
            who,
            rule.place,
            rule.period,
            source,
            allow=rule.allow,
            no_exceptions=rule.no_exceptions,
        )


def clauses_of_given(data: SiteData, given: Given) -> Iterator[Clause]:
    """The clauses of one given role: for each row of it, each who and each place."""
    return _given(given, _lines_of(data, given.role))


class _Said(NamedTuple):
    """What one line says of some actions in some states, or brings along with those that it
    names."""

    actions: frozenset[str]
    states: frozenset[str] | None
    brought: bool


class _Line(NamedTuple):
    """What a rule, or a row of a role, says to whoever it is said to."""

    role: str
    kinds: frozenset[str] | None
    whose: str
    named: tuple[str, ...]
    says: tuple[_Said, ...]


def _lines_of(data: SiteData, role: str) -> list[list[_Line]]:
    """What each row of a role says, and each of the roles that it includes."""
    return [
        [
            _Line(
                name, frozenset(row.kinds) or None, whose, named, _says(data, named, row.in_state)
            )
            for whose, named in ((ANY, row.can), (OWN, row.own))
            if named
        ]
        for name, row in rows_of(data, role)
    ]


def _says(
    data: SiteData, named: tuple[str, ...], in_state: tuple[str, ...], *, allow: bool = True
) -> tuple[_Said, ...]:
    """What is said of the actions named, and of what they cannot be done without."""
    actions, states = actions_named(data, named), frozenset(in_state) or None
    said = [_Said(actions, states, brought=False)]
    if allow:
        brings = frozenset[str]().union(*(brought_by(each, data.actions) for each in actions))
        others = brings - actions - {"read"}
        if others:
            said.append(_Said(others, states, brought=True))
        if "read" in brings and ("read" not in actions or states):
            # Reading comes along in every state.
            said.append(_Said(frozenset({"read"}), None, brought=True))
    return tuple(said)


def _given(given: Given, rows: Iterable[Iterable[_Line]]) -> Iterator[Clause]:
    for lines in rows:
        for who in given.to:
            for place in given.within_any:
                for line in lines:
                    source = Source(given=given, row_of=line.role)
                    yield from _clauses(line, who, place, given.period, source)


def _clauses(
    line: _Line,
    who: Who,
    place: Place,
    period: Period,
    source: Source,
    *,
    allow: bool = True,
    no_exceptions: bool = False,
) -> Iterator[Clause]:
    """What a line says to somebody at a place; to an audience it says no more than it names."""
    for said in line.says[:1] if who.kind == "audience" else line.says:
        yield Clause(
            allow=allow,
            who=who,
            actions=said.actions,
            kinds=line.kinds,
            whose=line.whose,
            states=said.states,
            place=place,
            period=period,
            no_exceptions=no_exceptions,
            source=source,
            brought=said.brought,
            named=line.named,
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


def outweighs(a: Clause, b: Clause, about: Subject) -> bool:
    """Whether clause a outweighs clause b: nearer, or the same place and a higher rank."""
    if a.place.spot == b.place.spot:
        return a.who.rank > b.who.rank
    return about.nearer(a.place, b.place)
