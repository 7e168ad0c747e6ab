"""Into which groups anybody can come, by signing up."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from datetime import datetime
from typing import Final

from prim_lantern.decide.belonging import upper_groups
from prim_lantern.decide.explain import words
from prim_lantern.decide.stewards import by_steward, looked_after
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import start_of_day
from prim_lantern.site.names import folded
from prim_lantern.site.people import Test, User
from prim_lantern.site.who import Who

_CHOSEN: Final = ("login", "name", "email")  # by whoever signs up


def open_groups(data: SiteData, at: datetime) -> tuple[str, ...]:
    """The groups into which anybody can come: those for signing up, and where there are any, those
    with a condition that somebody new fits, or can fit by what they say of themselves. The groups
    that these count in are open as well, and not told."""
    if not data.sign_up_groups:
        return ()
    new = User("", "", joined=start_of_day(at))
    tests = (test for group in data.groups.values() for row in group.when for test in row)
    by_login = any(test.attribute == "login" for test in tests)
    taken = {folded(login) for login in data.users} if by_login else set[str]()
    return tuple(
        name
        for name, group in data.groups.items()
        if name in data.sign_up_groups
        or any(all(_can_pass(test, new, taken) for test in row) for row in group.when)
    )


def _can_pass(test: Test, new: User, taken: Collection[str]) -> bool:
    if test.attribute not in _CHOSEN:
        return test.fits_value(new.value_of(test.attribute))
    if test.attribute == "login":
        free = any(folded(value) not in taken for value in test.values)
        wanted = test.operator in ("is", "one_of")
        return free if wanted else (test.operator, test.values) != ("filled", ("false",))
    return True


def anybody(data: SiteData, at: datetime) -> frozenset[Who]:
    """All groups that anybody can come to be in, also by way of others."""
    names = {upper for name in open_groups(data, at) for upper in upper_groups(data, name)}
    return frozenset(Who("group", name) for name in names)


def comes_with(data: SiteData, name: str) -> Iterator[str]:
    """What whoever is in a group has by it, in words: roles, rules, readerships, and the groups
    whose members they look after."""
    whos = {Who("group", each) for each in upper_groups(data, name)}
    for given in data.given:
        if whos & {*given.to}:
            yield f"the role {data.roles[given.role].called}"
    for rule in data.rules:
        if rule.allow and whos & {*rule.to}:
            yield f"{words.listed(rule.actions)} {words.where(rule.place)}"
    for each in data.readerships.values():
        if whos & {*each.readers}:
            yield f"the readership {each.called}"
    for group in sorted(looked_after(by_steward(data), whos)):
        yield f"looking after group:{group}"
