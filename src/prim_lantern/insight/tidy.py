"""The same decisions with fewer words: what decides nothing goes, what is said twice is joined."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import replace
from itertools import combinations
from typing import Any, Final, NamedTuple

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.groups import AddGroup, AddMembers
from prim_lantern.change.operations.rights import Give
from prim_lantern.change.operations.roles import AddRole, ChangeRole
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.commands import command_of
from prim_lantern.insight.fixes import remove_rule, say_again, take_back
from prim_lantern.insight.look import Look
from prim_lantern.insight.useless import useless_words
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import Place
from prim_lantern.site.rights import ANY, OTHERS, OWN, Capability, Given, Rule
from prim_lantern.site.who import Who

_ALIKE: Final = 3  # people, or pairs of a group and a place, before something is proposed for them
_ACROSS: Final = ["user", "group", "audience"]  # to whom a role can be given


class Step(NamedTuple):
    """One thing that is made simpler: what it is, and the operations that do it."""

    says: str
    operations: tuple[Operation, ...]

    @property
    def commands(self) -> tuple[str, ...]:
        """The commands that do it."""
        return tuple(map(command_of, self.operations))


class Count(NamedTuple):
    """How many words there are: rules, given roles and readerships that stand somewhere; and how
    many names of people and places they hold."""

    rules: int
    given: int
    readerships: int
    names: int

    @property
    def words(self) -> int:
        """All of them together."""
        return self.rules + self.given + self.readerships


class Tidied(NamedTuple):
    """A site said with fewer words: the steps to it, and how many words there are `before` and
    `after`. Everybody may do the same to everything: `today_only` says whether that was asked of
    what is there alone, and not of people and items to come. `looks_ahead` is False where there are
    too many later moments to look at: then nothing can be proved, and there are no steps."""

    steps: tuple[Step, ...]
    before: Count
    after: Count
    today_only: bool
    data: SiteData
    looks_ahead: bool = True

    @property
    def operations(self) -> tuple[Operation, ...]:
        """All operations, in order: one change."""
        return tuple(each for step in self.steps for each in step.operations)

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            "steps": [
                {
                    "says": each.says,
                    "operations": [one.to_dict() for one in each.operations],
                    "commands": list(each.commands),
                }
                for each in self.steps
            ],
            "before": self.before._asdict(),
            "after": self.after._asdict(),
            "today_only": self.today_only,
            "looks_ahead": self.looks_ahead,
        }


def tidy(engine: Engine, *, today_only: bool = False) -> Tidied:
    """Fewer words by which everybody may do the very same to everything, at every moment: also
    anybody new in the groups, and anything new in the places, unless `today_only`."""
    work = _Work(engine, today_only=today_only)
    if not work.look.looks_ahead:
        count = _count(engine.data)
        return Tidied((), count, count, today_only, engine.data, looks_ahead=False)
    for find in (_useless, _over):
        work.each_of(find)
    for find in (_joined_rules, _joined_given, _groups, _roles):
        work.all_of(find)
    after = _count(work.data)
    return Tidied(tuple(work.steps), _count(engine.data), after, today_only, work.data)


class _Draft:
    """Operations that are put together one after the other, each on the site as those before left
    it: what a rule without an id is called depends on the others."""

    def __init__(self, data: SiteData, made: Made) -> None:
        self._data = data
        self._made = made
        self.operations: list[Operation] = []

    def add(self, operation: Operation) -> None:
        """Add an operation that can be made."""
        self._data = operation.apply(self._data, self._made)
        self.operations.append(operation)

    def remove(self, word: Rule | Given) -> None:
        """Add the operation that takes a word away."""
        self.add(remove_rule(self._data, word) if isinstance(word, Rule) else take_back(word))


class _Work:
    """A site as it is made simpler, step by step; what would change an answer is left out."""

    def __init__(self, engine: Engine, *, today_only: bool) -> None:
        self.start = engine
        self.data = engine.data
        self._look_at_start = Look(engine)
        self.steps: list[Step] = []
        self._today_only = today_only

    def each_of(self, find: _Find) -> None:
        """Make the steps of one sort that were found on the site as it was."""
        for step in list(find(self)):
            self._make(step)

    def all_of(self, find: _Find) -> None:
        """Make all steps of one sort, each found on the site as those before left it."""
        tried: set[str] = set()
        found = True
        while found:
            fresh = (step for step in find(self) if str(step.operations) not in tried)
            found = False
            for step in fresh:
                tried.add(str(step.operations))
                if self._make(step):
                    found = True
                    break

    def _make(self, step: Step) -> bool:
        """Make a step, where everything is decided as before with it."""
        after = self._made(step)
        if after is None or not self._same(after):
            return False
        self.data = after
        self.steps.append(step)
        return True

    def draft(self) -> _Draft:
        """Operations to put together, on the site as it is so far."""
        return _Draft(self.data, Made(self.data.owner, self.start.at))

    @property
    def look(self) -> Look:
        """The site as it is so far."""
        return Look(self.start.after(self.data, self.start.at))

    def _made(self, step: Step) -> SiteData | None:
        proposal = Proposal(self.data, Made(self.data.owner, self.start.at))
        try:
            for each in step.operations:
                proposal.do(each)
        except PrimLanternError:
            return None
        return proposal.data

    def _same(self, after: SiteData) -> bool:
        """Whether everything is decided as on the site that was there first."""
        look = self._look_at_start
        if not look.stays_the_same(after) or look.files_otherwise(after):
            return False
        if self._today_only:
            return True
        both = {
            part: getattr(after, part)
            for part in ("rules", "given", "roles", "places", "groups", "users")
            if getattr(after, part) is not getattr(self.start.data, part)
        }
        whos = [Who("group", name) for name in self.start.data.groups]
        places = list(dict.fromkeys((*_places(self.start.data), *_places(after))))
        return look.changes_nothing(both, whos, places)


def _places(data: SiteData) -> Iterator[Place]:
    yield from (each.place for each in data.rules)
    yield from (each for given in data.given for each in given.within_any)


def _count(data: SiteData) -> Count:
    names = sum(len(each.to) for each in data.rules)
    names += sum(len(each.to) + len(each.within_any) for each in data.given)
    standing = sum(1 for each in data.places if each.readership is not None)
    return Count(len(data.rules), len(data.given), standing, names)


# What goes -------------------------------------------------------------------------------------


def _useless(work: _Work) -> Iterator[Step]:
    """What decides nothing; a deny that stops nobody so far stands guard, and stays."""
    for each in useless_words(work.look):
        if not each.guard and each.removal:
            yield Step(f"Decides nothing: {each.says}", each.removal)


def _over(work: _Work) -> Iterator[Step]:
    """What is over."""
    data, at = work.data, work.start.at
    for rule in data.rules:
        if rule.period.until is not None and rule.period.until <= at:
            yield Step(f"Is over: {words.rule(data, rule)}", (remove_rule(data, rule),))
    for given in data.given:
        if given.period.until is not None and given.period.until <= at:
            named = words.given_name(data, given).rstrip(",")
            yield Step(f"Is over: {named}", (take_back(given),))


# What is joined --------------------------------------------------------------------------------


def _joined_rules(work: _Work) -> Iterator[Step]:
    """Two rules that differ in one part alone."""
    for one, other in combinations(work.data.rules, 2):
        joined = _as_one(one, other)
        if joined is not None:
            draft = work.draft()
            draft.remove(one)
            draft.remove(other)
            draft.add(say_again(joined))
            says = f"One rule for two: {words.rule(work.data, joined)}"
            yield Step(says, tuple(draft.operations))


def _as_one(one: Rule, other: Rule) -> Rule | None:
    """One rule that says what two say; None where no one rule does."""
    same = ("allow", "place", "whose", "period", "no_exceptions")
    if any(getattr(one, part) != getattr(other, part) for part in same):
        return None
    if one.note and other.note and one.note != other.note:
        return None  # each says why it is there
    parts = ("actions", "to", "kinds", "in_state")
    differ = [part for part in parts if set(getattr(one, part)) != set(getattr(other, part))]
    if len(differ) > 1:
        return None
    joined = replace(one, id=one.id or other.id, note=one.note or other.note)
    if not differ:
        return joined
    both = getattr(one, differ[0]), getattr(other, differ[0])
    all_kinds = differ[0] in ("kinds", "in_state") and not all(both)
    union = () if all_kinds else tuple(dict.fromkeys((*both[0], *both[1])))
    change: dict[str, Any] = {differ[0]: union}
    return replace(joined, **change)


def _joined_given(work: _Work) -> Iterator[Step]:
    """A role given twice, to others or within another place."""
    data = work.data
    for one, other in combinations(data.given, 2):
        if (one.role, one.period) != (other.role, other.period):
            continue
        if set(one.to) == set(other.to):
            spots = tuple(dict.fromkeys((*one.within_any, *other.within_any)))
            joined = replace(one, within_any=spots)
        elif set(one.within_any) == set(other.within_any):
            joined = replace(one, to=tuple(dict.fromkeys((*one.to, *other.to))))
        else:
            continue
        says = f"Given once for twice: {words.given_name(data, joined).rstrip(',')}"
        yield Step(says, (take_back(one), take_back(other), _given(joined)))


def _given(given: Given, to: Sequence[str] | None = None) -> Operation:
    within = tuple(each.name for each in given.within_any if each.kind != "site")
    whos = tuple(map(str, given.to)) if to is None else tuple(to)
    return Give(given.role, whos, within, given.period.since, given.period.until)


# What is proposed ------------------------------------------------------------------------------


def _groups(work: _Work) -> Iterator[Step]:
    """A group for people who are named together in two words or more."""
    data = work.data
    together: dict[frozenset[Who], list[Rule | Given]] = {}
    named: list[Rule | Given] = [*data.rules, *data.given]
    for word in named:
        people = frozenset(who for who in word.to if who.kind == "user")
        if len(people) >= _ALIKE:
            together.setdefault(people, []).append(word)
    for people, some in together.items():
        if len(some) < 2:
            continue
        name = _free("together", data.groups)
        logins = tuple(sorted(who.name for who in people))
        called = words.listed(data.users[login].called for login in logins)
        draft = work.draft()
        draft.add(AddGroup(name))
        draft.add(AddMembers(name, logins))
        for word in some:
            to = (*(str(who) for who in word.to if who not in people), f"group:{name}")
            draft.remove(word)
            draft.add(say_again(word, to) if isinstance(word, Rule) else _given(word, to))
        says = f"A group for {called}, who are named together {len(some)} times"
        yield Step(says, tuple(draft.operations))


def _roles(work: _Work) -> Iterator[Step]:
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
        if len(some) < _ALIKE:
            continue
        name = _free("alike", data.roles)
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


_Find = Callable[[_Work], Iterator[Step]]
