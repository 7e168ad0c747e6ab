"""What a text on the command line names, so that changes and rules about it can be found."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import NamedTuple

from prim_lantern.change.record import Record
from prim_lantern.change.touches import touches
from prim_lantern.cli.common import person
from prim_lantern.errors import UnknownUser, UnknownWho
from prim_lantern.live import Site
from prim_lantern.site import names
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.places import is_above
from prim_lantern.site.rights import Rule

_PARTS = ("groups", "roles", "readerships", "plans", "kinds", "actions")


class About(NamedTuple):
    """Somebody or something: the keys by which a change touches it (`groups:keepers`, `users:…`),
    and its path where it has one."""

    keys: frozenset[str]
    path: str | None = None

    def is_of(self, record: Record) -> bool:
        """Whether a change touched it, or anything at or below its path."""
        of_it = touches(record)
        if self.path is not None:
            return self.path in of_it.stands or self.path in of_it.moved
        return not self.keys.isdisjoint(of_it.keys)

    def is_named_by(self, rule: Rule) -> bool:
        """Whether a rule speaks of it, or stands at or below its path."""
        if self.path is not None:
            return rule.place.name == self.path or is_above(self.path, rule.place.name)
        return not self.keys.isdisjoint(_keys_of(rule))


def _keys_of(rule: Rule) -> Iterator[str]:
    yield from (f"{who.kind}s:{who.name}" for who in rule.to)
    yield from (f"actions:{action}" for action in rule.actions)
    yield from (f"kinds:{kind}" for kind in rule.kinds)
    yield f"rule:{rule.id}"
    if rule.place.kind == "category":
        yield f"category:{rule.place.name}"


def about(site: Site, text: str, past: Sequence[Record] = ()) -> About:
    """What a text names: a path, a category, `group:…` and the like, the bare name of one, an
    action, a kind, the id of a rule, or a person, as in a question.

    `past` are the changes in which it may have been, where it is there no longer.
    Raises `UnknownWho` where there is and was no such thing.
    """
    data, name = site.data, names.folded(text)
    if text.startswith("/"):
        if data.tree.holds(text) or any(About(frozenset(), text).is_of(each) for each in past):
            return About(frozenset(), text)
        raise UnknownWho(text, names.nearest(text, data.sections))
    before, colon, after = name.partition(":")
    if colon and f"{before}s" in (*_PARTS, "users"):
        wanted, keys = after, [f"{before}s:{after}"]
        known = {f"{before}s:{names.folded(each)}" for each in getattr(data, f"{before}s")}
    else:
        wanted = name
        keys = [*(f"{part}:{name}" for part in _PARTS), f"category:{name}", f"rule:{name}", name]
        known = {f"{part}:{each}" for part in _PARTS for each in getattr(data, part)}
        known |= {f"category:{each}" for each in data.categories}
        known |= {f"actions:{each}" for each in {*data.item_actions, *MANAGING_ACTIONS}}
        known |= {f"kinds:{each}" for each in data.all_kinds}
        known |= {f"rule:{rule.id}" for rule in data.rules if rule.id}
        known |= {f"audiences:{each}" for each in ("everyone", "guests", "signed-in")}
        keys.append(f"audiences:{name}")
    there = [key for key in keys if key in known]
    if there and not (colon and before == "user"):
        return About(frozenset(there))
    if not colon or before == "user":
        try:
            login = person(site, after if before == "user" else text)
        except UnknownUser as error:
            return _in_the_past(text, [*keys, f"users:{wanted}"], past, error.suggestions)
        return About(frozenset({f"users:{login}"} if login else {"audiences:guests"}))
    near = names.nearest(wanted, [key.partition(":")[2] for key in known])
    return _in_the_past(text, keys, past, [f"{before}:{each}" for each in near])


def _in_the_past(
    text: str, keys: Sequence[str], past: Sequence[Record], near: Sequence[str]
) -> About:
    """What was there once; `UnknownWho` where it never was."""
    found = {names.folded(key): key for record in past for key in touches(record).keys}
    were = frozenset(found[key] for key in keys if key in found)
    if not were:
        raise UnknownWho(text, near)
    return About(were)
