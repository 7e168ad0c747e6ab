"""Checks of people: the owner, users, groups, conditions, plans."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable

from prim_lantern.errors import BadValue
from prim_lantern.site import names
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Duration, moment
from prim_lantern.site.people import (
    ACTIVE,
    INVITED,
    OPERATORS,
    SCIM_ID,
    STATUSES,
    TESTABLE_COLUMNS,
    Group,
    Test,
    User,
)


def check(notes: Notes, sound: SiteData | None = None) -> None:
    """Note all that is wrong with the people of a site; of one that was `sound` before a change,
    with those whom the change touched."""
    data = notes.data
    _owner(notes)
    notes.groups(data.origin, "sign_up_groups", data.sign_up_groups)
    touched = list(_touched(data, sound))
    for user in touched:
        _user(notes, user)
    if SCIM_ID in data.attributes and touched:
        _ids(notes, touched)
    groups = _touched_groups(data, sound)
    for group in groups:
        _group(notes, group)
    if any(group.counts_in for group in groups):
        notes.circles(
            {group.name: group.counts_in for group in data.groups.values()},
            lambda name: data.groups[name].origin,
            "counts_in",
            "a group cannot count in itself",
        )
    for plan in data.plans.values():
        notes.spelled(plan.origin, plan.name, names.key)
        notes.groups(plan.origin, "groups", plan.groups)
        if plan.lasts is not None:
            notes.spelled(plan.origin, str(plan.lasts), lambda text: str(Duration.read(text)))
    for invitation in data.invitations.values():
        origin, login = invitation.origin, invitation.login
        notes.users(origin, "login", [login])
        if login in data.users and data.users[login].status != INVITED:
            expected = f"is {data.users[login].status}; an invitation is for somebody invited."
            notes.wrong(origin, "login", login, expected)


def _touched(data: SiteData, sound: SiteData | None) -> Iterable[User]:
    """The users with whom something may be wrong: those who differ; all, where a group is gone or
    a plan is another."""
    every = data.users.values()
    if sound is None or sound.groups.keys() - data.groups.keys() or sound.plans != data.plans:
        return every
    rows = data.people.differing(sound.people)
    return every if rows is None else map(data.people.at, sorted(rows))


def _touched_groups(data: SiteData, sound: SiteData | None) -> list[Group]:
    """The groups with which something may be wrong: those that differ; all, where anything may be
    gone that a group could name."""
    every = list(data.groups.values())
    if sound is None or sound.groups.keys() - data.groups.keys():
        return every
    moved = data.people.moved_since(sound.people)
    if data.attributes != sound.attributes or moved is None or moved.gone:
        return every
    return [group for group in every if sound.groups.get(group.name) is not group]


def _owner(notes: Notes) -> None:
    data = notes.data
    owner = data.users.get(data.owner)
    if owner is None:
        expected = "is no user of this site; the owner must be an active one."
        notes.wrong(data.origin, "owner", data.owner, expected, data.users)
    elif owner.status != ACTIVE:
        expected = f"is {owner.status}; the owner must be an active user."
        notes.wrong(data.origin, "owner", data.owner, expected)


def _user(notes: Notes, user: User) -> None:
    notes.spelled(user.origin, user.login, names.login)
    notes.one_of(user.origin, "status", user.status, STATUSES)
    notes.groups(user.origin, "groups", (each.group for each in user.memberships))
    for membership in user.memberships:
        if membership.period.empty:
            expected = f"would never be a member: {membership.period} holds no moment."
            notes.wrong(user.origin, "groups", membership.group, expected)
    for enrolment in user.enrolments:
        plan = notes.data.plans.get(enrolment.plan)
        if plan is None:
            known = [f"plan:{name}" for name in notes.data.plans]
            expected = "is no plan of this site."
            notes.wrong(user.origin, "groups", f"plan:{enrolment.plan}", expected, known)
        else:
            try:
                period = plan.period_of(enrolment)
            except BadValue as error:
                notes.wrong(user.origin, "groups", f"plan:{plan.name}", error.expected)
                continue
            if period.empty:
                expected = f"would never be in force: {period} holds no moment."
                notes.wrong(user.origin, "groups", f"plan:{plan.name}", expected)


def _ids(notes: Notes, touched: Iterable[User]) -> None:
    """A directory must not take one person for another."""
    people = notes.data.people
    kept, named = defaultdict[str, set[str]](set), defaultdict[str, set[str]](set)
    for login, values in zip(people.names, people.values_of("attributes"), strict=True):
        if values.get(SCIM_ID):
            kept[names.folded(values[SCIM_ID])].add(login)
    for user in touched:
        spelled = names.folded(user.login)
        known: dict[str | None, tuple[str, set[str]]]
        known = {None: (user.login, kept.get(spelled, set()))}
        if user.scim_id != user.login:
            notes.spelled(user.origin, user.scim_id, names.login)
            for login in people.names if not named else ():
                named[names.folded(login)].add(login)
            spelled = names.folded(user.scim_id)
            known[SCIM_ID] = user.scim_id, kept[spelled] | named.get(spelled, set())
        for key, (name, others) in known.items():
            others = others - {user.login}
            if others:
                expected = f"is what a directory knows {min(others)} by: choose another."
                notes.wrong(user.origin, key, name, expected)


def _group(notes: Notes, group: Group) -> None:
    notes.spelled(group.origin, group.name, names.who_key)
    notes.groups(group.origin, "counts_in", group.counts_in)
    notes.whos(group.origin, "stewards", group.stewards, "user group")
    notes.users(group.origin, "members", group.members)
    for number, row in enumerate(group.when):
        if not row:
            notes.wrong(group.origin, f"when[{number}]", row, "tests nothing: everybody would fit.")
        for test in row:
            _test(notes, group, f"when[{number}]", test)


def _test(notes: Notes, group: Group, key: str, test: Test) -> None:
    known = (*notes.data.attributes, *TESTABLE_COLUMNS)
    if test.attribute not in known:
        notes.wrong(group.origin, key, test.attribute, "is no column of people.csv.", known)
    notes.one_of(group.origin, key, test.operator, OPERATORS)
    if not test.values:
        notes.wrong(group.origin, key, test.values, f"leaves nothing to test by {test.operator}.")
    elif test.operator == "filled" and test.values not in (("true",), ("false",)):
        notes.wrong(group.origin, key, test.values, "cannot be tested: filled is true or false.")
    elif test.operator in ("before", "after"):
        try:
            moment(test.values[0])
        except BadValue as error:
            notes.wrong(group.origin, key, error.value, error.expected)
