"""Plans, and the people enrolled in them."""

from __future__ import annotations

from dataclasses import dataclass, replace
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
from prim_lantern.site.moments import Duration, moment
from prim_lantern.site.names import folded
from prim_lantern.site.people import Enrolment, Plan


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
        today = made.at.replace(hour=0, minute=0, second=0, microsecond=0)
        enrolment = Enrolment(plan.name, moment(self.since) if self.since else today)
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
class EndEnrolment(Operation):
    """End every enrolment of somebody in a plan at once."""

    do: ClassVar[str] = "end-enrolment"
    plan: str
    logins: Texts

    def apply(self, data: SiteData, made: Made) -> SiteData:
        plan: Plan = named(data, "plans", self.plan)
        users = users_of(data, self.logins)
        for user in users:
            if all(each.plan != plan.name for each in user.enrolments):
                raise BadChange(f"{user.called} is not enrolled in {plan.name}.")
        return with_users(
            data,
            [
                replace(u, enrolments=tuple(e for e in u.enrolments if e.plan != plan.name))
                for u in users
            ],
        )

    def said(self) -> str:
        return f"end the enrolment of {row(self.logins)} in {self.plan}"
