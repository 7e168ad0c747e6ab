"""What somebody holds, in words."""

from __future__ import annotations

from datetime import datetime

from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.powers import Powers
from prim_lantern.site.data import SiteData


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
    }
