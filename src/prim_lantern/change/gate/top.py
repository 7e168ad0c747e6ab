"""What belongs to the top alone: all access, and freeing somebody of what has no exceptions."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Set
from datetime import datetime

from prim_lantern.change.gate.content import TOUCHED, differing
from prim_lantern.change.gate.finals import final_actions, has_finals, kept
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.missing import Missing, from_the_top
from prim_lantern.decide import subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.timeline import turns_of_words
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import Place
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who

_Grant = tuple[Who, Place, Period]


# All access --------------------------------------------------------------------------------


def all_access(judged: Judged) -> Iterator[Missing]:
    """Who acts with all access, where and when, differs only by a change of the top."""
    was, now = (_grants(data, judged.made.at) for data in (judged.base, judged.after))
    if was != now:
        who, place, _ = sorted(was ^ now, key=str)[0]
        yield from_the_top(f"it changes who has all access: {who} at {place}")
        return
    if not was or "people" not in judged.sorts:
        return
    whos = {who for who, _, _ in was}
    before, after = _Holders(judged.before, judged, whos), _Holders(judged.after, judged, whos)
    same_groups = judged.base.groups == judged.after.groups and judged.base.plans == (
        judged.after.plans
    )
    if same_groups:
        logins: Iterable[str] = {
            *judged.people_gone,
            *(piece.name for piece in judged.of("users")),
            *(piece.name for piece in judged.of("invitations")),
        }
    else:
        logins = dict.fromkeys((*judged.before.users, *judged.after.users))
        for name in dict.fromkeys((*judged.base.groups, *judged.after.groups)):
            if before.reached(_earlier(judged, name)) != after.reached(name):
                yield from_the_top(f"it changes what all-access role the group {name} leads to")
                return
    invited = {piece.name for piece in judged.of("invitations")}
    for login in logins:
        had, has = before.of(login), after.of(login)
        acted, acts = before.acts(login), after.acts(login)
        if had != has or ((acted != acts or login in invited) and (had or has)):
            yield from_the_top(f"it changes whether {login} has all access")
            return


def _earlier(judged: Judged, name: str) -> str:
    for each in reversed(judged.renames):
        name = each.inverse.group(name)
    return name


def _grants(data: SiteData, at: datetime) -> set[_Grant]:
    """To whom all access is given, where and for how long, unless that has ended."""
    return {
        (who, place, given.period)
        for given in data.given
        if data.roles[given.role].all_access
        and (given.period.until is None or given.period.until > at)
        for who in given.to
        for place in given.within_any
    }


class _Holders:
    """Who reaches, by a group or in person, a who to whom all access is given."""

    def __init__(self, data: SiteData, judged: Judged, whos: set[Who]) -> None:
        self.data = data
        self.at = judged.made.at
        # the grants are called as after
        self.whos = {judged.earlier_who(who) for who in whos} if data is judged.before else whos
        self.belonging = Belonging(data, judged.made.at)
        self._reach: dict[str, frozenset[Who]] = {}
        self._judged = judged

    def reached(self, group: str) -> frozenset[Who]:
        """The groups to which all access is given that the members of a group are in."""
        if group not in self.data.groups:
            return frozenset()
        found = self._reach.get(group)
        if found is None:
            names, waiting = {group}, [group]
            while waiting:
                for upper in self.data.groups[waiting.pop()].counts_in:
                    if upper not in names:
                        names.add(upper)
                        waiting.append(upper)
            found = frozenset(Who("group", name) for name in names) & self.whos
            found = self._reach[group] = frozenset(
                self._judged.later_who(who) if self.data is self._judged.before else who
                for who in found
            )
        return found

    def acts(self, login: str) -> bool:
        """Whether somebody is there and active."""
        return login in self.data.users and self.data.users[login].status == ACTIVE

    def of(self, login: str) -> Mapping[Who, tuple[Period, ...]]:
        """When somebody comes to which of them, from now on, if they are or were active."""
        user = self.data.users.get(login)
        if user is None:
            return {}
        found: dict[Who, list[Period]] = {}
        for who in (Who("user", login), EVERYONE, SIGNED_IN):
            if who in self.whos:
                found.setdefault(who, []).append(Period())
        for way in self.belonging.direct_ways(user):
            if way.period.until is None or way.period.until > self.at:
                for who in self.reached(way.group):
                    found.setdefault(who, []).append(way.period)
        return {who: _joined(periods, self.at) for who, periods in found.items()}


def _joined(periods: Iterable[Period], at: datetime) -> tuple[Period, ...]:
    """Times from a moment on, those that meet joined to one."""
    cut = [(max(each.since or at, at), each.until) for each in periods if not each.empty]
    found: list[Period] = []
    for since, until in sorted(cut, key=lambda each: each[0]):
        last = found[-1] if found else None
        if last is not None and (last.until is None or since <= last.until):
            longer = None if last.until is None or until is None else max(last.until, until)
            found[-1] = Period(last.since, longer)
        else:
            found.append(Period(since, until))
    return tuple(found)


# What has no exceptions ----------------------------------------------------------------------


def freed_people(judged: Judged) -> Iterator[Missing]:
    """Somebody whom a word without exceptions names, and who goes: they could come back anew."""
    for login in sorted(judged.people_gone):
        who = Who("user", login)
        if any(rule.no_exceptions and who in rule.to for rule in judged.before.rules):
            yield from_the_top(f"a rule without exceptions names {login}, who would go")


def freed_by_items(judged: Judged) -> Iterator[Missing]:
    """What becomes of an item frees nobody of something without exceptions."""
    changed = list(_changed_items(judged))
    if not changed:
        return
    at = judged.made.at
    turns = {turn for data in (judged.before, judged.after) for turn in turns_of_words(data)}
    moments = [at, *sorted(turn for turn in turns if turn is not None and turn > at)]
    if not (has_finals(judged.before)):
        return
    for moment in moments:
        was, now = Reference(judged.before, moment), Reference(judged.after, moment)
        for old, new in changed:
            path = _freed(judged, was, now, old, new)
            if path is not None:
                yield from_the_top(
                    f"somebody is kept from {path} without exceptions, and would be no more"
                )
                return


def _changed_items(judged: Judged) -> Iterator[tuple[Item, Item]]:
    """The items that are there before and after, and of which words may ask something else."""
    changed = {
        piece.after.path
        for piece in judged.of("items")
        if piece.before and piece.after and differing(piece.before, piece.after) & TOUCHED
    }
    for each in judged.renames:
        for new in each.paths.values():
            changed |= {new, *judged.after.tree.below(new)} & judged.after.items.keys()
    for path in sorted(changed | _resting_on(judged, changed)):
        old = judged.before.items.get(judged.earlier(path))
        if old is not None:
            yield old, judged.after.items[path]


def _resting_on(judged: Judged, changed: Set[str]) -> set[str]:
    """The links whose target has changed or is gone, and the parts of changed pages."""
    names, found = judged.after.content.names, set()
    for row, target in judged.after.content.filled("links_to").items():
        gone = target not in judged.after.items
        if target in changed or (gone and judged.earlier(target) in judged.before.items):
            found.add(names[row])
    return found | {names[r] for r, page in judged.after.pages.items() if names[page] in changed}


def _freed(judged: Judged, was: Reference, now: Reference, old: Item, new: Item) -> str | None:
    before = subject.of_item(judged.before, old, was.at)
    after = subject.of_item(judged.after, new, now.at)._replace(state=before.state)
    actions = final_actions(judged.before)
    for login in (None, *judged.before.users):
        if login is not None and login not in judged.after.users:
            continue
        for action in actions:
            if kept(was, login, action, before) and not kept(now, login, action, after):
                return old.path
    return None
