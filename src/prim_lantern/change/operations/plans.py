"""Plans, and the people enrolled in them."""

from __future__ import annotations

from dataclasses import dataclass
from datetime import datetime
from typing import ClassVar

from prim_lantern.change.operations.base import Made, Operation, Texts, When, only_said, row
from prim_lantern.change.operations.entries import (
    added,
    list_changed,
    named,
    put,
    users_of,
    with_users,
    without,
)
from prim_lantern.errors import BadChange
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Duration, moment, start_of_day
from prim_lantern.site.names import folded
from prim_lantern.site.people import Enrolment, Plan, User
from prim_lantern.values import replace


@dataclass(frozen=True)
class AddPlan(Operation):
    """Define a plan that people enrol in: for how long ("1 year"; no end when left out), and
    which groups it gives."""

    do: ClassVar[str] = "add-plan"
    name: str
    groups: Texts
    lasts: str | None = None
    label: str = ""

    def apply(self, data: SiteData, made: Made) -> SiteData:
        groups = tuple(named(data, "groups", each).name for each in self.groups)
        lasts = Duration.read(self.lasts) if self.lasts else None
        return added(data, "plans", Plan(folded(self.name), self.label, groups, lasts))

    def said(self) -> str:
        return f"add the plan {self.name}"


@dataclass(frozen=True)
class ChangePlan(Operation):
    """Change what a plan is called, how long it lasts (also for those enrolled; "no end" takes
    the end away) and which groups it gives."""

    do: ClassVar[str] = "change-plan"
    name: str
    label: str | None = None
    lasts: str | None = None
    add: Texts = ()
    drop: Texts = ()

    def apply(self, data: SiteData, made: Made) -> SiteData:
        plan: Plan = named(data, "plans", self.name)
        groups = None
        if self.add or self.drop:
            add = [named(data, "groups", each).name for each in self.add]
            drop = map(folded, self.drop)
            groups = list_changed(plan.groups, add, drop, f"the groups of {plan.name}")
        said = only_said(label=self.label, groups=groups, lasts=self.lasts)
        if self.lasts is not None:
            lasts = None if self.lasts == "no end" else Duration.read(self.lasts)
            said = {**said, "lasts": lasts}
        return put(data, "plans", replace(plan, **said))

    def said(self) -> str:
        return f"change the plan {self.name}"


@dataclass(frozen=True)
class RemovePlan(Operation):
    """Remove a plan, with all enrolments in it."""

    do: ClassVar[str] = "remove-plan"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        plan: Plan = named(data, "plans", self.name)
        enrolled = [
            replace(user, enrolments=tuple(e for e in user.enrolments if e.plan != plan.name))
            for user in data.users.values()
            if any(each.plan == plan.name for each in user.enrolments)
        ]
        data = with_users(data, enrolled) if enrolled else data
        return without(data, "plans", plan.name)

    def said(self) -> str:
        return f"remove the plan {self.name}"


@dataclass(frozen=True)
class Enrol(Operation):
    """Enrol people in a plan from a moment on (now when left out)."""

    do: ClassVar[str] = "enrol"
    plan: str
    logins: Texts
    since: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        plan: Plan = named(data, "plans", self.plan)
        enrolment = Enrolment(plan.name, _beginning(self.since, data, made))
        new = [
            replace(user, enrolments=(*user.enrolments, enrolment))
            for user in users_of(data, self.logins)
            if enrolment not in user.enrolments
        ]
        if not new:
            raise BadChange(f"All of them are enrolled in {plan.name} from then on already.")
        return with_users(data, new)

    def said(self) -> str:
        return f"enrol {row(self.logins)} in {self.plan}"


@dataclass(frozen=True)
class RenewEnrolment(Operation):
    """Enrol people in a plan once more: from the end of what they have, or from now on where that
    has ended."""

    do: ClassVar[str] = "renew-enrolment"
    plan: str
    logins: Texts

    def apply(self, data: SiteData, made: Made) -> SiteData:
        plan: Plan = named(data, "plans", self.plan)
        return with_users(
            data, [_renewed(user, plan, made) for user in users_of(data, self.logins)]
        )

    def said(self) -> str:
        return f"renew the enrolment of {row(self.logins)} in {self.plan}"


def _beginning(since: When, data: SiteData, made: Made) -> datetime:
    return moment(since, data.zone) if since else start_of_day(made.at)


def _renewed(user: User, plan: Plan, made: Made) -> User:
    ends = [plan.period_of(each).until for each in user.enrolments if each.plan == plan.name]
    if not ends:
        raise BadChange(f"{user.called} was never enrolled in {plan.name}: 'plan enrol' does that.")
    last = max((each for each in ends if each is not None), default=None)
    if last is None or None in ends:
        raise BadChange(f"{user.called} is enrolled in {plan.name} without an end.")
    enrolment = Enrolment(plan.name, max(last, start_of_day(made.at)))
    return replace(user, enrolments=(*user.enrolments, enrolment))


@dataclass(frozen=True)
class EndEnrolment(Operation):
    """End every enrolment of somebody in a plan at once. What was stays on record; one that has not
    begun yet goes."""

    do: ClassVar[str] = "end-enrolment"
    plan: str
    logins: Texts

    def apply(self, data: SiteData, made: Made) -> SiteData:
        plan: Plan = named(data, "plans", self.plan)
        users = users_of(data, self.logins)
        for user in users:
            if not any(_lasts(each, plan, made.at) for each in user.enrolments):
                raise BadChange(f"{user.called} is not enrolled in {plan.name}, now or later.")
        return with_users(data, [_ended(user, plan, made.at) for user in users])

    def said(self) -> str:
        return f"end the enrolment of {row(self.logins)} in {self.plan}"


def _lasts(enrolment: Enrolment, plan: Plan, at: datetime) -> bool:
    """Whether it is an enrolment in this plan that is not over."""
    if enrolment.plan != plan.name:
        return False
    until = plan.period_of(enrolment).until
    return until is None or until > at


def _ended(user: User, plan: Plan, at: datetime) -> User:
    now = at.replace(microsecond=0)
    left = [
        each._replace(until=now) if _lasts(each, plan, at) else each
        for each in user.enrolments
        if each.since < now or not _lasts(each, plan, at)
    ]
    return replace(user, enrolments=tuple(left))
