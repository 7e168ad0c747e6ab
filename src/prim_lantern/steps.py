"""The steps of a change as calls: one for each operation, with its parameters and its text."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from inspect import Parameter, signature
from typing import Any, Concatenate, ParamSpec, Self, TypeVar

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.change.operations import (
    clock,
    content,
    findings,
    groups,
    invitations,
    kinds,
    people,
    plans,
    readerships,
    renaming,
    rights,
    roles,
)
from prim_lantern.change.operations.base import Operation
from prim_lantern.step_examples import described

_P = ParamSpec("_P")
_Change = TypeVar("_Change", bound="Steps")


def _adding(make: Callable[_P, Operation]) -> Callable[Concatenate[_Change, _P], _Change]:
    """A method that adds an operation."""

    def add(self: _Change, /, *args: _P.args, **values: _P.kwargs) -> _Change:
        return self.do(make(*args, **values))

    name = getattr(make, "do", "add").replace("-", "_")
    add.__doc__ = described(name, make.__doc__)
    own = signature(make)
    this = Parameter("self", Parameter.POSITIONAL_ONLY)
    add.__signature__ = own.replace(  # type: ignore[attr-defined]  # what help() shows
        parameters=[this, *own.parameters.values()], return_annotation="Change"
    )
    add.__name__ = name
    return add


@explains_its_arguments()
class Steps:
    """What can be added to a change."""

    def do(self, operation: Operation | Mapping[str, Any]) -> Self:
        """Add a step: an operation, or one as plain data (`{"do": "give", …}`)."""
        raise NotImplementedError

    add_role = _adding(roles.AddRole)
    copy_role = _adding(roles.CopyRole)
    change_role = _adding(roles.ChangeRole)
    remove_role = _adding(roles.RemoveRole)
    add_user = _adding(people.AddUser)
    import_people = _adding(people.ImportPeople)
    change_user = _adding(people.ChangeUser)
    cancel_invitation = _adding(invitations.CancelInvitation)
    suspend = _adding(people.Suspend)
    bring_back = _adding(people.BringBack)
    remove_user = _adding(people.RemoveUser)
    release_user = _adding(people.ReleaseUser)
    hand_over = _adding(people.HandOver)
    set_timezone = _adding(clock.SetTimezone)
    add_group = _adding(groups.AddGroup)
    change_group = _adding(groups.ChangeGroup)
    rename_group = _adding(groups.RenameGroup)
    remove_group = _adding(groups.RemoveGroup)
    add_members = _adding(groups.AddMembers)
    remove_members = _adding(groups.RemoveMembers)
    set_stewards = _adding(groups.SetStewards)
    set_sign_up = _adding(groups.SetSignUp)
    set_condition = _adding(groups.SetCondition)
    map_group = _adding(groups.MapGroup)
    add_plan = _adding(plans.AddPlan)
    change_plan = _adding(plans.ChangePlan)
    remove_plan = _adding(plans.RemovePlan)
    enrol = _adding(plans.Enrol)
    renew_enrolment = _adding(plans.RenewEnrolment)
    end_enrolment = _adding(plans.EndEnrolment)
    add_readership = _adding(readerships.AddReadership)
    change_readership = _adding(readerships.ChangeReadership)
    remove_readership = _adding(readerships.RemoveReadership)
    set_readership = _adding(readerships.SetReadership)
    clear_readership = _adding(readerships.ClearReadership)
    hide = _adding(readerships.Hide)
    show = _adding(readerships.Show)
    give = _adding(rights.Give)
    take_back = _adding(rights.TakeBack)
    allow = _adding(rights.Allow)
    deny = _adding(rights.Deny)
    remove_rule = _adding(rights.RemoveRule)
    add_promise = _adding(rights.AddPromise)
    remove_promise = _adding(rights.RemovePromise)
    accept_finding = _adding(findings.AcceptFinding)
    reopen_finding = _adding(findings.ReopenFinding)
    stop_from_above = _adding(rights.StopFromAbove)
    set_limit = _adding(rights.SetLimit)
    add_item = _adding(content.AddItem)
    import_items = _adding(content.ImportItems)
    remove_item = _adding(content.RemoveItem)
    move_item = _adding(content.MoveItem)
    change_item = _adding(content.ChangeItem)
    take_step = _adding(content.TakeStep)
    add_category = _adding(content.AddCategory)
    remove_category = _adding(content.RemoveCategory)
    rename_role = _adding(renaming.RenameRole)
    rename_readership = _adding(renaming.RenameReadership)
    rename_user = _adding(renaming.RenameUser)
    rename_category = _adding(renaming.RenameCategory)
    add_kind = _adding(kinds.AddKind)
    change_kind = _adding(kinds.ChangeKind)
    remove_kind = _adding(kinds.RemoveKind)
    add_action = _adding(kinds.AddAction)
    change_action = _adding(kinds.ChangeAction)
    remove_action = _adding(kinds.RemoveAction)
