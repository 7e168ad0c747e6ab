"""`who`: a list of people, and by what they may do something."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import click

from prim_lantern.cli.common import (
    complete_action,
    complete_place,
    opened,
    print_text,
    texts,
)
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.explain import words
from prim_lantern.decide.views.access import Access, changing_actions
from prim_lantern.errors import BadQuestion
from prim_lantern.live import Site
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.places import is_above


@click.command(short_help="Who may do this here?")
@click.argument("actions", shell_complete=complete_action)
@click.argument("place", shell_complete=complete_place)
@click.option("--below", is_flag=True, help="To anything at PLACE or below it, and to how much.")
@click.option("--kind", help="For create: only what is of this kind.")
@click.option("--filed", metavar="CATEGORY", help="For file-under: the category.")
@list_at
def who(
    actions: str,
    place: str,
    below: bool,
    kind: str | None,
    filed: str | None,
    where: str,
    at: str | None,
    shown: As,
) -> None:
    """Who may do ACTIONS at PLACE, and by which way?

    ACTIONS are some with commas, or "any": all by which something is changed. PLACE is the path
    of an item (for create, of the parent), a category, or "site".

    \b
    prim-lantern who edit,publish /visit/prices
    prim-lantern who create /log --kind post
    prim-lantern who any /stations --below --csv audit.csv
    """
    site = opened(where)
    wanted = [] if actions == "any" else list(texts(actions))
    _only_with("--filed", filed, "file-under", wanted)
    _only_with("--kind", kind, "create", wanted)
    managing = bool(wanted) and set(wanted) <= {*MANAGING_ACTIONS}
    below = below or not (place.startswith("/") or managing)  # what is on the site, or filed there
    if wanted and not (below or managing or wanted == ["create"]):
        site.data.item(place)
    found = site.access_to(filed or place, wanted, at, kind=kind, below=below or filed is not None)
    if filed is not None:
        site.section(place)
        found = [
            each._replace(places=tuple(p for p in each.places if is_at(p, place, below=below)))
            for each in found
        ]
    found = [each for each in found if each.places]
    if not (shown.as_json or shown.to_csv):
        doing = words.doings(site.data, wanted, kind) if wanted else "change"
        under = f" under {filed}" if filed else ""
        called = _called(place, below=below, something="something" if wanted else "anything")
        at = "anything at " if place.startswith("/") and not wanted else ""
        _say_how_many(site, found, f"{doing} {at}{called}{under}")
    _show_access(site, found, wanted, below=below, shown=shown)


def _only_with(option: str, value: object, action: str, wanted: Sequence[str]) -> None:
    if value and wanted and action not in wanted:
        raise BadQuestion(f"{option} belongs to {action}.")


def _called(place: str, *, below: bool, something: str) -> str:
    if place == "site":
        return f"{something} on the site" if below else "the whole site"
    if place.startswith("/"):
        return f"{place} or below it" if below else place
    return f"{something} filed under {place}" if below else place


def is_at(path: str, place: str, *, below: bool) -> bool:
    """Whether a path is a place, or below it where that counts."""
    return path == place or (below and is_above(place, path))


def _show_access(
    site: Site,
    found: Sequence[Access],
    wanted: Sequence[str],
    *,
    below: bool,
    shown: As,
) -> None:
    from prim_lantern.show.records import Column

    users = site.data.users
    records = [
        {
            "login": each.who,
            "name": users[each.who].name if each.who else "any guest",
            "action": each.action,
            "count": len(each.places),
            "first": each.places[0],
            "by": each.why,
            "written": list(each.written),
        }
        for each in found
    ]
    columns = [
        Column("login", "Login", whole=True),
        Column("name", "Name", shed=2),
        *([Column("may", "May")] if len(wanted) != 1 else []),
        *([Column("where", "Where")] if below else []),
        Column("by", "By"),
        Column("written", "Written at", shed=1),
    ]
    keys = ["login", "name", "action", "count", "first", "by", "written"]
    show_list(shown, columns, records, "", short=_joined(site, records), keys=keys)


def _say_how_many(site: Site, found: Sequence[Access], doing: str) -> None:
    people = {each.who for each in found} - {None}
    active = sum(1 for user in site.data.users.values() if user.status == "active")
    print_text(f"{len(people)} of {active} active people may {doing}.")
    guests = {each.action for each in found if each.who is None}
    click.echo(
        f"Guests may {words.listed(sorted(guests))} as well." if guests else "Guests may not."
    )


def _joined(site: Site, records: Sequence[dict[str, Any]]) -> list[dict[str, Any]]:
    """The rows of the table: what somebody may do by the same way with the same, joined. What
    guests may as well has its reason once, with them."""
    every = [each for each in changing_actions(site.data) if each not in MANAGING_ACTIONS]
    rows: dict[tuple[object, ...], list[dict[str, Any]]] = {}
    of_guests = {_way(each) for each in records if each["login"] is None}
    for each in records:
        as_guests = each["login"] is not None and _way(each) in of_guests
        key = (each["login"], each["count"], each["first"], each["by"], as_guests)
        rows.setdefault(key, []).append(each)
    return [
        {
            **some[0],
            **({"by": "as guests may", "written": []} if as_guests else {}),
            "login": some[0]["login"] or "(guests)",
            "may": words.listed(words.in_short([each["action"] for each in some], every)),
            "where": _counted(some[0]["count"], some[0]["first"]),
        }
        for (*_, as_guests), some in rows.items()
    ]


def _way(each: Mapping[str, Any]) -> tuple[object, ...]:
    return each["action"], each["count"], each["first"], each["by"]


def _counted(count: int, first: str) -> str:
    return first if count == 1 else f"{first} and {count - 1} more"


COMMANDS = {"who": who}
