"""What somebody holds, in words."""

from __future__ import annotations

from datetime import datetime

from prim_lantern.decide.belonging import Way
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.views.powers import Powers
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Given, Rule


def holdings(data: SiteData, powers: Powers, at: datetime) -> dict[str, list[Point]]:
    """The groups, roles and rules that reach somebody at a moment, each as a point."""
    return {
        "groups": [
            Point("membership", words.way(data, powers.login, way, at), way.origin, way.group)
            for way in powers.ways
        ],
        "roles": [
            Point("given-role", words.given_name(data, given).rstrip(","), given.origin, given.role)
            for given in powers.given
        ],
        "rules": [
            Point("rule", words.rule(data, rule), rule.origin, rule.id) for rule in powers.rules
        ],
        "later": [_point(data, powers.login, each, at) for each in powers.later],
    }


def _point(data: SiteData, login: str | None, each: Way | Given | Rule, at: datetime) -> Point:
    if isinstance(each, Given):
        name = words.given_name(data, each).rstrip(",")
        return Point("given-role", name, each.origin, each.role)
    if isinstance(each, Rule):
        return Point("rule", words.rule(data, each), each.origin, each.id)
    return Point("membership", words.way(data, login or "", each, at), each.origin, each.group)
