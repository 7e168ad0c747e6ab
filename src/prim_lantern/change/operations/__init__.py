"""The operations: everything that can be done to a site, one file a subject."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import MISSING, fields
from typing import Any, Final

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
from prim_lantern.errors import BadChange
from prim_lantern.site.names import nearest
from prim_lantern.wording import did_you_mean

OPERATIONS: Final[Mapping[str, type[Operation]]] = {
    each.do: each
    for module in (
        clock,
        roles,
        people,
        invitations,
        groups,
        plans,
        readerships,
        rights,
        content,
        kinds,
        renaming,
        findings,
    )
    for each in vars(module).values()
    if isinstance(each, type) and issubclass(each, Operation) and hasattr(each, "do")
    if each not in invitations.NOBODYS  # those are made by a link, or for oneself
}


def operation_from(values: Mapping[str, Any]) -> Operation:
    """An operation from plain data, as `Operation.to_dict` gives it.

    Raises `BadChange` for an unknown operation or field, and for one that is missing.

    >>> operation_from({"do": "give", "role": "field-writer", "to": "group:volunteers"}).said()
    'give field-writer to group:volunteers'
    """
    rest = dict(values)
    if not all(isinstance(each, str) for each in rest):
        raise BadChange("The fields of an operation are named by texts.")
    name = rest.pop("do", None)
    make = OPERATIONS.get(name) if isinstance(name, str) else None
    if make is None:
        hint = did_you_mean(nearest(name, OPERATIONS)) if isinstance(name, str) else ""
        raise BadChange(f"{name!r} is no operation.{hint}")
    known = [each.name for each in fields(make)]
    for each in rest:
        if each not in known:
            raise BadChange(f"{name} has no {each!r}.{did_you_mean(nearest(each, known))}")
    needed = [
        each.name
        for each in fields(make)
        if each.default is MISSING and each.default_factory is MISSING and each.name not in rest
    ]
    if needed:
        raise BadChange(f"{name} needs {' and '.join(needed)} as well.")
    return make(**rest)


__all__ = ["OPERATIONS", "Operation", "operation_from"]
