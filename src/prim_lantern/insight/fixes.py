"""Operations that mend what was found."""

from __future__ import annotations

from typing import Any

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.rights import Allow, Deny, RemoveRule, TakeBack
from prim_lantern.decide.clauses import Source
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.rule_names import rule_names


def remove_rule(data: SiteData, rule: Rule) -> Operation:
    """Take a rule away."""
    names = rule_names(data.rules)
    return RemoveRule(next(n for n, e in zip(names, data.rules, strict=True) if e is rule))


def take_back(given: Given) -> Operation:
    """Take back a given role, from all to whom it is given so."""
    within = tuple(each.name for each in given.within_any if each.kind != "site")
    return TakeBack(given.role, tuple(map(str, given.to)), within)


def remove_word(data: SiteData, source: Source) -> Operation:
    """Take away what a clause comes from."""
    if source.given is not None:
        return take_back(source.given)
    return remove_rule(data, next(each for each in data.rules if each is source.rule))


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
