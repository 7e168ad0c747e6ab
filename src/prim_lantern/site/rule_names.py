"""What single rules are called: by their id, or by what they say where they have none."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from hashlib import sha256

from prim_lantern.site.names import folded
from prim_lantern.site.rights import Rule


def rule_names(rules: Sequence[Rule]) -> list[str]:
    """The name of every rule. It never depends on where a rule stands among the others, so that it
    stays when others come and go; rules that would be called alike have a few letters more."""
    short = [each.id or _says(each) for each in rules]
    often = Counter(short)
    return [
        name if rule.id or often[name] == 1 else _longer(name, rule)
        for name, rule in zip(short, rules, strict=True)
    ]


def rule_called(rules: Sequence[Rule], name: str) -> int | None:
    """Where the rule of this name is among some; the longer name of one is always understood."""
    wanted = folded(name)
    for number, (rule, called) in enumerate(zip(rules, rule_names(rules), strict=True)):
        if wanted == folded(called) or (not rule.id and wanted == _longer(_says(rule), rule)):
            return number
    return None


def _says(rule: Rule) -> str:
    """Who, what and where, in a word: "volunteers-edit-log", "not-guests-comment-site"."""
    where = rule.place.name.rpartition("/")[2].rpartition(":")[2] or "home"
    more = "-and-more" if len(rule.to) > 1 or len(rule.actions) > 1 else ""
    parts = [] if rule.allow else ["not"]
    parts += [rule.to[0].name, rule.actions[0], *where.split()]
    return folded("-".join(parts)) + more


def _longer(name: str, rule: Rule) -> str:
    said = repr((rule.allow, rule.actions, rule.to, rule.place, rule.kinds, rule.whose))
    more = repr((rule.in_state, rule.period, rule.no_exceptions))
    return f"{name}-{sha256((said + more).encode()).hexdigest()[:4]}"
