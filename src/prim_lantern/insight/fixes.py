"""Commands that mend what was found."""

from __future__ import annotations

import shlex

from prim_lantern.decide.clauses import Source
from prim_lantern.insight.finding import Fix
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.rule_names import rule_names


def remove_rule(data: SiteData, rule: Rule) -> Fix:
    """Take a rule away."""
    names = rule_names(data.rules)
    name = next(n for n, each in zip(names, data.rules, strict=True) if each is rule)
    return Fix(f"rule remove {shlex.quote(name)}", {"do": "remove-rule", "rule": name})


def take_back(given: Given) -> Fix:
    """Take back a given role, from all to whom it is given so."""
    whos = ",".join(map(str, given.to))
    within = [each.name for each in given.within_any if each.kind != "site"]
    operation = {"do": "take-back", "role": given.role, "to": [*map(str, given.to)]}
    if not within:
        return Fix(f"take-back {given.role} {shlex.quote(whos)}", operation)
    options = " ".join(f"--within {shlex.quote(each)}" for each in within)
    command = f"take-back {given.role} {shlex.quote(whos)} {options}"
    return Fix(command, {**operation, "within_any": within})


def remove_word(data: SiteData, source: Source) -> Fix:
    """Take away what a clause comes from."""
    if source.given is not None:
        return take_back(source.given)
    return remove_rule(data, next(each for each in data.rules if each is source.rule))


def remove_members(group: str, *logins: str) -> Fix:
    """Take people out of a group that they are in by hand."""
    return Fix(
        f"group remove-members {group} {shlex.join(logins)}",
        {"do": "remove-members", "group": group, "logins": list(logins)},
    )


def clear_readership(place: str) -> Fix:
    """Take away the readership at a place."""
    return Fix(f"readership clear {shlex.quote(place)}", {"do": "clear-readership", "where": place})
