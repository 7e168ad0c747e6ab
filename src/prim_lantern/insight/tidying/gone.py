"""What goes: words that decide nothing, and those that are over."""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import words
from prim_lantern.insight.fixes import remove_rule, take_back
from prim_lantern.insight.tidying.work import Step, Work
from prim_lantern.insight.useless import Tried


def useless(work: Work) -> Iterator[Step]:
    """What decides nothing; a deny that stops nobody so far stands guard, and stays."""
    tried = Tried(work.look, guards=False)
    for each in tried:
        if each.removal:
            yield Step(f"Decides nothing: {each.says}", each.removal)
    work.tried_each = work.tried_each and not tried.left


def over(work: Work) -> Iterator[Step]:
    """What is over."""
    data, at = work.data, work.start.at
    for rule in data.rules:
        if rule.period.until is not None and rule.period.until <= at:
            yield Step(f"Is over: {words.rule(data, rule)}", (remove_rule(data, rule),))
    for given in data.given:
        if given.period.until is not None and given.period.until <= at:
            named = words.given_name(data, given).rstrip(",")
            yield Step(f"Is over: {named}", (take_back(given),))
