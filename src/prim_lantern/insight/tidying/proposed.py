"""What is proposed: a group or a role for what many have alike."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Final

from prim_lantern.change.operations.groups import AddGroup, AddMembers
from prim_lantern.change.operations.rights import Give
from prim_lantern.change.operations.roles import AddRole, ChangeRole
from prim_lantern.decide.explain import words
from prim_lantern.insight.fixes import say_again
from prim_lantern.insight.tidying.work import Step, Work, given_again
from prim_lantern.site.places import Place
from prim_lantern.site.rights import ANY, OTHERS, OWN, Capability, Given, Rule
from prim_lantern.site.who import Who

_ALIKE: Final = 3  # people, or pairs of a group and a place, before something is proposed for them
_ACROSS: Final = ["user", "group", "audience"]  # to whom a role can be given


def groups(work: Work) -> Iterator[Step]:
    """A group for people who are named together in two words or more."""
    data = work.data
    together: dict[frozenset[Who], list[Rule | Given]] = {}
    named: list[Rule | Given] = [*data.rules, *data.given]
    for word in named:
        people = frozenset(who for who in word.to if who.kind == "user")
        if len(people) >= _ALIKE:
            together.setdefault(people, []).append(word)
    for people, some in together.items():
        if len(some) < 2 or not work.has(some):
            continue
        name = _free("together", work.data.groups)
        logins = tuple(sorted(who.name for who in people))
        called = words.listed(data.users[login].called for login in logins)
        draft = work.draft()
        draft.add(AddGroup(name))
        draft.add(AddMembers(name, logins))
        for word in some:
            to = (*(str(who) for who in word.to if who not in people), f"group:{name}")
            draft.remove(word)
            draft.add(say_again(word, to) if isinstance(word, Rule) else given_again(word, to))
        says = f"A group for {called}, who are named together {len(some)} times"
        yield Step(says, tuple(draft.operations))


def roles(work: Work) -> Iterator[Step]:
    """A role for what several groups or people are allowed alike, each at a place of their own."""
    data = work.data
    allowed: dict[tuple[Who, Place], list[Rule]] = {}
    for rule in data.rules:
        plain = rule.allow and not any(rule.period) and rule.whose != OTHERS
        if plain and len(rule.to) == 1 and rule.to[0].kind in _ACROSS:
            allowed.setdefault((rule.to[0], rule.place), []).append(rule)
    alike: dict[frozenset[Capability], list[tuple[Who, Place, list[Rule]]]] = {}
    for (who, where), rules in allowed.items():
        rows = frozenset(_row(rule) for rule in rules)
        whole = where.kind != "path" or where.reach == "here-and-below"
        if len(rules) > 1 and whole:  # a role is given within a place and all below it
            alike.setdefault(rows, []).append((who, where, rules))
    for rows, some in alike.items():
        if len(some) < _ALIKE or not work.has(rule for *_, rules in some for rule in rules):
            continue
        name = _free("alike", work.data.roles)
        draft = work.draft()
        first, *more = sorted(rows)
        draft.add(AddRole(name, capabilities=(first,)))
        for row in more:
            draft.add(ChangeRole(name, add=(row,)))
        for who, where, rules in some:
            for rule in rules:
                draft.remove(rule)
            within = () if where.kind == "site" else (where.name,)
            draft.add(Give(name, (str(who),), within))
        called = words.listed(words.who(data, who) for who, _, _ in some)
        yield Step(f"A role for what {called} are allowed alike", tuple(draft.operations))


def _row(rule: Rule) -> Capability:
    actions = tuple(sorted(rule.actions))
    states = tuple(sorted(rule.in_state))
    own, can = (actions, ()) if rule.whose == OWN else ((), actions if rule.whose == ANY else ())
    return Capability(tuple(sorted(rule.kinds)), can, own, states)


def _free(name: str, taken: Iterable[str]) -> str:
    """A name that is not taken yet."""
    known = set(taken)
    number = 1
    while f"{name}-{number}" in known:
        number += 1
    return f"{name}-{number}"
