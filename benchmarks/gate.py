"""Measure how long it takes to find out whether somebody may make a change, beside its effects.

    python benchmarks/gate.py                             2,000 people, 20,000 items
    python benchmarks/gate.py --users 100000 --items 1000000

Three people who are not the top make changes of one section: one who has all access there, one
who has some roles there, and one who manages people. Each figure is of one run, on a site that
has decided things before.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Iterator, Mapping, Sequence
from typing import Any, NamedTuple

from shape import NOON, site_of

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.gate import Judged, missing_for
from prim_lantern.change.operations import operation_from
from prim_lantern.change.operations.base import Made
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import Capability, Given, PlaceSetting, Role
from prim_lantern.site.who import Who

SECTION = "/s3"
HELD = {
    "all access there": ("all",),
    "some roles there": ("edits", "publishes", "reads", "writes"),
    "manages people": (),
}
GROUP = "group:g7"
CHANGES: Mapping[str, dict[str, Any]] = {
    "a rule for a group": {"do": "allow", "actions": "edit", "to": GROUP, "where": SECTION},
    "a rule for all signed in": {
        "do": "allow", "actions": "edit", "to": "signed-in", "where": SECTION,
    },
    "a deny": {"do": "deny", "actions": "edit", "to": GROUP, "where": SECTION},
    "a role given": {"do": "give", "role": "edits", "to": GROUP, "within_any": SECTION},
    "another readership": {"do": "set-readership", "where": SECTION, "readership": "r2"},
}  # fmt: skip
OF_PEOPLE: Mapping[str, dict[str, Any]] = {
    "a member added": {"do": "add-members", "group": "g7"},
    "a member removed": {"do": "remove-members"},
}


class Took(NamedTuple):
    """Seconds for the effects and for the gate, and what it said."""

    effects: float
    gate: float
    refused: bool


def with_managers(data: SiteData) -> tuple[SiteData, list[str]]:
    """A site with three more who may change something."""
    active = [login for login in data.users if data.users[login].status == ACTIVE]
    makers = active[1 : 1 + len(HELD)]
    there = (Place("path", SECTION),)
    manages = {"rights": ("manage-rights",), "people": ("manage-people",)}
    roles = {
        f"manages-{name}": Role(f"manages-{name}", capabilities=(Capability(can=can),))
        for name, can in manages.items()
    }
    given = []
    for login, held in zip(makers, HELD.values(), strict=True):
        who = (Who("user", login),)
        given += [Given(role, who, there) for role in held]
        given.append(
            Given("manages-rights", who, there) if held else Given("manages-people", who, (SITE,))
        )
    closed = PlaceSetting(there[0], readership="r1")
    return data.with_parts(
        roles={**data.roles, **roles},
        given=(*data.given, *given),
        places=(*data.places, closed),
    ), makers


def measured(engine: Engine, by: str, operation: dict[str, Any]) -> Took:
    """One change, tried by somebody."""
    proposal = Proposal(engine.data, Made(by, NOON, brings_in=False))
    proposal.do(operation_from(operation))
    start = time.perf_counter()
    _ = Effects(engine, engine.after(proposal.data, NOON), proposal.renames).changed
    between = time.perf_counter()
    missing = missing_for(Judged(engine, proposal.data, proposal.renames, proposal.made))
    return Took(between - start, time.perf_counter() - between, bool(missing))


def every_row(users: int, items: int) -> Iterator[tuple[str, str, Took]]:
    """All changes by all who may try them."""
    data, makers = with_managers(site_of(users, items))
    engine = Engine(data, NOON)
    engine.settle_all()
    for (name, held), by in zip(HELD.items(), makers, strict=True):
        below = {"where": next(data.tree.steps_below(SECTION))}
        narrowed = {"a readership put below": {**CHANGES["another readership"], **below}}
        changes = {**CHANGES, **narrowed} if held else _of_people(data)
        for change, operation in changes.items():
            yield name, change, measured(engine, by, operation)


def _of_people(data: SiteData) -> Mapping[str, dict[str, Any]]:
    login = next(each for each in reversed(list(data.users)) if data.users[each].memberships)
    group = data.users[login].memberships[-1].group
    return {
        name: {**each, "logins": login, **({} if "group" in each else {"group": group})}
        for name, each in OF_PEOPLE.items()
    }


def main(arguments: Sequence[str] | None = None) -> None:
    """Measure and print."""
    parser = argparse.ArgumentParser(description=__doc__.split("\n")[0] if __doc__ else "")
    parser.add_argument("--users", type=int, default=2_000)
    parser.add_argument("--items", type=int, default=20_000)
    asked = parser.parse_args(arguments)
    for who, change, took in every_row(asked.users, asked.items):
        says = "refused" if took.refused else "may"
        effects = f"effects {took.effects:6.2f}"
        print(f"{who:18s} {change:26s} {effects}  gate {took.gate:6.2f}  {says}", flush=True)


if __name__ == "__main__":
    main()
