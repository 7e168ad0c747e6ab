"""Steps that may make a wish come true: every form that an administrator would think of."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import Final, NamedTuple, TypeVar

from prim_lantern.change.operations import content, groups, people, plans, readerships, rights
from prim_lantern.change.operations.base import Operation
from prim_lantern.decide.abilities import from_least_to_most
from prim_lantern.decide.belonging import upper_groups
from prim_lantern.decide.clauses import Clause, actions_named, rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.trace import Met, Trace
from prim_lantern.insight.fixes import say_again
from prim_lantern.insight.wishes.wish import Wish
from prim_lantern.site.actions import MANAGING_ACTIONS, brought_by
from prim_lantern.site.content import ARCHIVED, DRAFT, IN_REVIEW, SCHEDULED
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.people import SUSPENDED
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, category_and_above, way_to
from prim_lantern.site.rights import BUILT_IN_READERSHIPS, Rule
from prim_lantern.site.rule_names import rule_names
from prim_lantern.site.who import AUTHORS, Who

# The forms, the one that is easier to keep before the other.
GROUP, READERSHIP, ROLE, WORD_AWAY, WORD, OTHER = range(6)
_ROLES: Final = 20  # that are tried, the least able first
_READING: Final = ("read", "see-drafts")


class Candidate(NamedTuple):
    """One step that may help: its operations, the form that it has, and whether it is sure that
    nobody loses anything by it (gains anything, where something is to be taken away)."""

    operations: tuple[Operation, ...]
    form: int
    one_way: bool = True


_Sort = TypeVar("_Sort")


def found_in(trace: object, sort: type[_Sort]) -> Iterator[_Sort]:
    """All things of one sort (clauses, readerships met) that counted in coming to an answer, or
    would have."""
    if isinstance(trace, sort):
        yield trace
    elif isinstance(trace, tuple):
        for each in trace:
            yield from found_in(each, sort)


class _About(NamedTuple):
    """What the steps for one wish are made from: the site as it is, as little of it as the wish
    needs, and how the answers to the wish are come to."""

    engine: Engine
    small: SiteData
    wish: Wish
    traces: tuple[Trace, ...]

    @property
    def data(self) -> SiteData:
        return self.engine.data

    @property
    def who(self) -> str:
        return str(self.wish.who)

    @property
    def login(self) -> str | None:
        return self.wish.who.name if self.wish.who.kind == "user" else None

    @property
    def actions(self) -> tuple[str, ...]:
        """The action, and what else may be missing for it."""
        if self.wish.action in MANAGING_ACTIONS:
            return (self.wish.action,)
        filing = ("file-under",) if self.wish.categories else ()
        return tuple(dict.fromkeys((self.wish.action, *filing, *_READING)))

    def rules(self, *, allow: bool) -> list[Rule]:
        """The rules that counted."""
        found = {
            each.source.rule.id
            for trace in self.traces
            for each in found_in(trace, Clause)
            if each.allow == allow and each.source.rule is not None
        }
        names = rule_names(self.data.rules)
        return [rule for rule, n in zip(self.data.rules, names, strict=True) if n in found]

    def met(self) -> list[Met]:
        """The readerships on the way, each once."""
        found = {
            (each.readership.name, each.place): each
            for trace in self.traces
            for each in found_in(trace, Met)
        }
        return list(found.values())

    def spots(self) -> list[str]:
        """The places at which a word would reach all that is wished for, the nearest first."""
        where = self.wish.place
        filed: list[str] = list(self.wish.categories)
        if where.kind == "site":
            return ["site"]
        if where.kind == "category":
            return [*reversed(category_and_above(where.name)), "site"]
        if where.name in self.data.items and not self.wish.below:
            filed += self.data.items[self.data.page_of(where.name)].categories
        over = [each for each in reversed(way_to(where.name)) if each == where.name or each != "/"]
        named = [upper for each in filed for upper in reversed(category_and_above(each))]
        return list(dict.fromkeys([*over, *named, "site"]))

    def reaches(self, spot: str) -> Iterator[str | None]:
        """The reaches that a word at a place may have, so as to reach it all."""
        if spot == self.wish.place.name and spot.startswith("/") and spot != "/":
            if self.wish.action == "create":
                yield ONLY_BELOW
            elif not self.wish.below:
                yield ONLY_HERE
            elif spot not in self.data.items:
                yield ONLY_BELOW
        yield None


def candidates(
    engine: Engine, small: SiteData, wish: Wish, traces: Iterable[Trace]
) -> Iterator[Candidate]:
    """All steps that are tried for a wish; `small` is as little of the site as it needs."""
    about = _About(engine, small, wish, tuple(traces))
    if wish.may:
        for open_by in (_join, _let_read, _give, _lift, _allow, _open_content):
            yield from open_by(about)
    else:
        for close_by in (_leave, _keep_out, _take_back, _drop_words, _deny, _close_content):
            yield from close_by(about)


# To let somebody -------------------------------------------------------------------------------


def _join(about: _About) -> Iterator[Candidate]:
    """Coming into a group by hand; for a group, counting in another."""
    data, who = about.data, about.wish.who
    if about.login is not None:
        if data.users[about.login].status == SUSPENDED:
            yield Candidate((people.BringBack(about.login),), OTHER, one_way=False)
        there = about.engine.crowd.belonging.ways(about.login)
        for name in _groups_that_matter(about.small):
            if name not in there:
                yield Candidate((groups.AddMembers(name, (about.login,)),), GROUP, one_way=False)
    elif who.kind == "group":
        for name in _groups_that_matter(about.small):
            if name != who.name and name not in data.groups[who.name].counts_in:
                yield Candidate(
                    (groups.ChangeGroup(who.name, count_in=(name,)),), GROUP, one_way=False
                )


def _groups_that_matter(data: SiteData) -> list[str]:
    """The groups of which any word speaks, or that count in one of which it does."""
    whos = {who for some in (data.rules, data.given) for word in some for who in word.to}
    for each in data.readerships.values():
        whos |= {*each.readers, *each.all_of, *each.but_not}
    named = {who.name for who in whos if who.kind == "group"}
    return [name for name in data.groups if named & upper_groups(data, name)]


def _let_read(about: _About) -> Iterator[Candidate]:
    """Coming into the readers; dropping what keeps them out of those; clearing the readership."""
    for met in about.met():
        if met.passed and met.is_in:
            continue
        readership = met.readership
        if readership.name not in BUILT_IN_READERSHIPS:
            change = readerships.ChangeReadership
            yield Candidate((change(readership.name, add=(about.who,)),), READERSHIP)
            for who in readership.but_not:
                yield Candidate(
                    (change(readership.name, no_longer_but_not=(str(who),)),), READERSHIP
                )
            for who in readership.all_of:
                yield Candidate(
                    (change(readership.name, no_longer_all_of=(str(who),)),), READERSHIP
                )
        if met.place.kind == "site":
            yield Candidate((readerships.SetReadership("site", "public"),), READERSHIP)
        else:
            yield Candidate((readerships.ClearReadership(met.place.name),), READERSHIP)


def _give(about: _About) -> Iterator[Candidate]:
    """Giving a role that is able to, at each place: the least able roles, where there are many."""
    data, wanted = about.data, set(about.actions)
    heeded = _roles_spoken_against(data)
    able = [
        name
        for name in from_least_to_most(data)
        if data.roles[name].all_access or wanted & _able(data, name)
    ]
    for name in able[:_ROLES]:
        for spot in about.spots():
            within = () if spot == "site" else (spot,)
            step = rights.Give(name, (about.who,), within)
            yield Candidate((step,), ROLE, one_way=name not in heeded)


def _able(data: SiteData, role: str) -> set[str]:
    """The actions that a role is able to do, what they bring among them."""
    named = {
        action
        for _, row in rows_of(data, role)
        for action in actions_named(data, (*row.can, *row.own))
    }
    return named | {each for action in named for each in brought_by(action, data.actions)}


def _roles_spoken_against(data: SiteData) -> set[str]:
    """Roles to whose holders something is denied, or who are kept out somewhere."""
    whos: list[Who] = [who for rule in data.rules if not rule.allow for who in rule.to]
    whos += [who for each in data.readerships.values() for who in each.but_not]
    return {who.name for who in whos if who.kind == "role"}


def _lift(about: _About) -> Iterator[Candidate]:
    """Removing a deny, or this one from those of whom it speaks; leaving the group it names."""
    yield from _without(about, about.rules(allow=False))
    for path in way_to(about.wish.place.name) if about.wish.place.kind == "path" else ():
        if path in about.data.rights_cut_at:
            yield Candidate((rights.StopFromAbove(path, off=True),), OTHER)
    denied = {who for rule in about.rules(allow=False) for who in rule.to}
    yield from _leaving(about, {who.name for who in denied if who.kind == "group"})


def _allow(about: _About) -> Iterator[Candidate]:
    """A rule of their own."""
    for action in about.actions:
        for spot in about.spots():
            for reach in about.reaches(spot):
                rule = rights.Allow((action,), (about.who,), spot, reach)
                yield Candidate((rule,), WORD)


def _open_content(about: _About) -> Iterator[Candidate]:
    """What opens the item itself: publishing it, or being one of its authors."""
    data, where = about.data, about.wish.place
    if where.name not in data.items or about.wish.below or about.wish.action in MANAGING_ACTIONS:
        return
    page = data.page_of(where.name)
    state = data.items[page].state_at(about.engine.at)
    if state in (DRAFT, IN_REVIEW, ARCHIVED):
        yield Candidate((content.TakeStep(page, "publish"),), OTHER, one_way=False)
    elif state == SCHEDULED:
        at_once = content.ChangeItem(page, public_from=written(about.engine.at))
        yield Candidate((at_once,), OTHER, one_way=False)
    if about.login is not None and about.login not in data.items[page].authors:
        step = content.ChangeItem(page, add_authors=(about.login,))
        yield Candidate((step,), OTHER, one_way=False)


# To let somebody no longer ---------------------------------------------------------------------


def _leave(about: _About) -> Iterator[Candidate]:
    """Leaving a group, or the plan that leads into it; being suspended."""
    data, who = about.data, about.wish.who
    if about.login is not None:
        yield from _leaving(about, set(data.groups))
        user = data.users[about.login]
        for plan in dict.fromkeys(each.plan for each in user.enrolments):
            yield Candidate((plans.EndEnrolment(plan, (about.login,)),), GROUP, one_way=False)
        yield Candidate((people.Suspend(about.login),), OTHER, one_way=False)
    elif who.kind == "group":
        for name in data.groups[who.name].counts_in:
            step = groups.ChangeGroup(who.name, no_longer_in=(name,))
            yield Candidate((step,), GROUP, one_way=False)


def _leaving(about: _About, names: Iterable[str]) -> Iterator[Candidate]:
    if about.login is None:
        return
    data = about.data
    by_hand = {each.group for each in data.users[about.login].memberships}
    by_hand |= {name for name, each in data.groups.items() if about.login in each.members}
    for name in sorted(by_hand & set(names)):
        yield Candidate((groups.RemoveMembers(name, (about.login,)),), GROUP, one_way=False)


def _keep_out(about: _About) -> Iterator[Candidate]:
    """Out of the readers of what is met on the way; another readership here."""
    data = about.data
    for met in about.met():
        if met.readership.name in BUILT_IN_READERSHIPS:
            continue
        change = readerships.ChangeReadership
        if about.wish.who in met.readership.readers:
            yield Candidate((change(met.readership.name, drop=(about.who,)),), READERSHIP)
        yield Candidate((change(met.readership.name, also_but_not=(about.who,)),), READERSHIP)
    where = about.wish.place
    if about.wish.action not in ("read", "create", "file-under") or where.kind == "site":
        return
    known = {**BUILT_IN_READERSHIPS, **data.readerships}.values()
    fresh = where.spot not in data.readerships_at
    for readership in known:
        if readership.name != "public" and AUTHORS not in readership.readers:
            for reach in about.reaches(where.name):
                step = readerships.SetReadership(where.name, readership.name, reach)
                yield Candidate((step,), READERSHIP, one_way=fresh)


def _take_back(about: _About) -> Iterator[Candidate]:
    """Taking back a role that was given to just these, everywhere or at one place."""
    for given in about.data.given:
        if about.wish.who not in given.to:
            continue
        spots = [place.name for place in given.within_any]
        yield Candidate((rights.TakeBack(given.role, (about.who,)),), ROLE)
        if len(spots) > 1 or spots != ["site"]:
            for spot in spots:
                yield Candidate((rights.TakeBack(given.role, (about.who,), (spot,)),), ROLE)


def _drop_words(about: _About) -> Iterator[Candidate]:
    yield from _without(about, about.rules(allow=True))


def _deny(about: _About) -> Iterator[Candidate]:
    """A deny of their own; one without exceptions where nothing else would hold."""
    action = about.wish.action
    for spot in about.spots():
        for reach in about.reaches(spot):
            for final in (False, True):
                rule = rights.Deny((action,), (about.who,), spot, reach, no_exceptions=final)
                yield Candidate((rule,), WORD if not final else OTHER)


def _close_content(about: _About) -> Iterator[Candidate]:
    """What closes the item itself: being an author of it no longer, or what is above stopped."""
    data, where = about.data, about.wish.place
    if where.kind == "path" and where.name != "/" and where.name not in data.rights_cut_at:
        yield Candidate((rights.StopFromAbove(where.name),), OTHER)
    if where.name in data.items and not about.wish.below and about.login is not None:
        page = data.page_of(where.name)
        if about.login in data.items[page].authors:
            step = content.ChangeItem(page, drop_authors=(about.login,))
            yield Candidate((step,), OTHER, one_way=False)


# Both --------------------------------------------------------------------------------------------


def _without(about: _About, rules: Iterable[Rule]) -> Iterator[Candidate]:
    """A rule taken away; or said again for the others of whom it speaks."""
    data = about.data
    names = dict(zip(map(id, data.rules), rule_names(data.rules), strict=True))
    for rule in rules:
        remove = rights.RemoveRule(names[id(rule)])
        yield Candidate((remove,), WORD_AWAY)
        others = tuple(str(who) for who in rule.to if who != about.wish.who)
        if others and len(others) < len(rule.to):
            yield Candidate((remove, say_again(rule, others)), WORD_AWAY)
