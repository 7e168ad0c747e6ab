"""Which role contains which: by what they can do, and by what that comes to on this site."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import NamedTuple

from prim_lantern.decide.abilities import abilities, from_least_to_most
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stand_ins import login_of, pictured_roles
from prim_lantern.decide.stewards import LOOK_AFTER
from prim_lantern.insight.holdings import Holdings, beyond, holdings_of
from prim_lantern.site.who import Who


class Rung(NamedTuple):
    """One role: which other roles it contains directly (all that they can do it can, and there is
    none in between), by its capabilities and by its effect: that is by what somebody who has just
    this role on the whole site may do. `counts` is by action how many items that are."""

    role: str
    contains: tuple[str, ...]
    contains_by_effect: tuple[str, ...]
    counts: Mapping[str, int]

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "role": self.role,
            "contains": list(self.contains),
            "contains_by_effect": list(self.contains_by_effect),
            "counts": dict(self.counts),
        }


def ladder(engine: Engine) -> list[Rung]:
    """All roles, from the most able to the least."""
    data = engine.data
    names = from_least_to_most(data)
    whos = [Who("role", name) for name in names]
    given = (*data.given, *pictured_roles(whos))
    pictured = engine.after(data.with_parts(given=given), engine.at)
    able = {name: abilities(data, name) for name in names}
    holds = {
        name: holdings_of(pictured, [login_of(who)]) for name, who in zip(names, whos, strict=True)
    }

    def by_ability(one: str, other: str) -> bool:
        return able[other] <= able[one] and not (able[one] <= able[other] and one > other)

    def by_effect(one: str, other: str) -> bool:
        same = not beyond(holds[one], holds[other]) and one > other
        return not beyond(holds[other], holds[one]) and not same

    return [
        Rung(name, _below(name, names, by_ability), _below(name, names, by_effect),
             _counts(holds[name]))
        for name in reversed(names)
    ]  # fmt: skip


def _counts(holds: Holdings) -> dict[str, int]:
    found: dict[str, set[str]] = {}
    for action, where in holds.items():
        if action != LOOK_AFTER:  # whatever it may be filed under, it is one action
            found.setdefault(action.partition(" in ")[0], set()).update(where)
    return {action: len(where) for action, where in found.items()}


def _below(name: str, names: list[str], contains: Callable[[str, str], bool]) -> tuple[str, ...]:
    """The roles that one contains with none in between."""
    inside = [each for each in names if each != name and contains(name, each)]
    return tuple(
        each
        for each in reversed(inside)
        if not any(other != each and contains(other, each) for other in inside)
    )
