"""Operations that mend what was found."""

from __future__ import annotations

from collections.abc import Iterable
from datetime import datetime
from typing import Any

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.rights import Allow, Deny, RemoveRule, TakeBack
from prim_lantern.decide.clauses import Clause
from prim_lantern.errors import PrimLanternError
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.rule_names import rule_names
from prim_lantern.site.who import Who
from prim_lantern.values import replace


def remove_rule(data: SiteData, rule: Rule) -> Operation:
    """Take a rule away."""
    names = rule_names(data.rules)
    return RemoveRule(next(n for n, e in zip(names, data.rules, strict=True) if e is rule))


def take_back(given: Given) -> Operation:
    """Take back a given role, from all to whom it is given so."""
    within = tuple(each.name if each.kind != "site" else "site" for each in given.within_any)
    return TakeBack(given.role, tuple(map(str, given.to)), within, *given.period)


def take_back_only(
    data: SiteData, at: datetime, given: Given, whos: Iterable[Who] | None = None
) -> tuple[Operation, ...]:
    """The operation that takes back a role as it is given there, from all or from some; none where
    that would take more, as much the same is given to them twice."""
    some = given.to if whos is None else tuple(whos)
    others = tuple(who for who in given.to if who not in some)
    left = [replace(given, to=others)] if others else []
    wanted = [each for one in data.given for each in (left if one is given else [one])]
    operation = take_back(replace(given, to=some))
    try:
        after = operation.apply(data, Made(data.owner, at))
    except PrimLanternError:  # as where its place is gone
        return ()
    return (operation,) if after.given == tuple(wanted) else ()


def remove_word(data: SiteData, at: datetime, clause: Clause) -> tuple[Operation, ...]:
    """Take away what a clause comes from: a rule, or a role from those of whom it speaks."""
    source = clause.source
    if source.given is not None:
        return take_back_only(data, at, source.given, [clause.who])
    return (remove_rule(data, next(each for each in data.rules if each is source.rule)),)


def say_again(rule: Rule, to: tuple[str, ...] | None = None) -> Operation:
    """Say a rule, to those of whom it speaks or to others."""
    parts: dict[str, Any] = {
        "actions": rule.actions,
        "to": tuple(map(str, rule.to)) if to is None else to,
        "where": rule.place.name,
        "reach": rule.place.reach if rule.place.kind == "path" and rule.place.name != "/" else None,
        "kinds": rule.kinds,
        "whose": rule.whose,
        "in_state": rule.in_state,
        "since": rule.period.since,
        "until": rule.period.until,
        "id": rule.id,
        "note": rule.note,
    }
    if rule.allow:
        return Allow(**parts)
    return Deny(**parts, no_exceptions=rule.no_exceptions)
