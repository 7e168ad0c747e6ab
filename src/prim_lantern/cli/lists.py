"""`who` and `what`: lists of people, and of what one of them may do."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import click

from prim_lantern.cli.common import (
    complete_action,
    complete_place,
    complete_who,
    opened,
    person_or_anybody,
    print_json,
    print_lines,
    print_text,
    texts,
)
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.explain.holdings import holdings
from prim_lantern.decide.views.access import Access, changing_actions
from prim_lantern.decide.views.looking import LookingAs
from prim_lantern.decide.views.powers import Powers
from prim_lantern.errors import BadQuestion
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.actions import MANAGING_ACTIONS, STEPS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import is_above
from prim_lantern.state import Whom


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
            each._replace(places=tuple(p for p in each.places if _is_at(p, place, below)))
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


def _is_at(path: str, place: str, below: bool) -> bool:
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


@click.command(short_help="What may somebody do?")
@click.argument("who", shell_complete=complete_who)
@click.argument("action", required=False, shell_complete=complete_action)
@click.option("--in", "within", metavar="PATH", shell_complete=complete_place, help="At or below.")
@list_at
def what(
    who: str, action: str | None, within: str | None, where: str, at: str | None, shown: As
) -> None:
    """What may WHO do? With ACTION: the items to which they may do that, and why; for create, what
    they may add where.

    WHO is a person, "guest", or anybody of whom just that is known: group:…, role:…, signed-in.
    Without an action: the groups, roles and rules that reach them, and what that lets them do
    beyond everybody who is signed in; --csv then has every action with every place.

    \b
    prim-lantern what mirela edit
    prim-lantern what group:volunteers create --in /log
    """
    site = opened(where)
    whom = person_or_anybody(site, who)
    if within is not None:
        site.section(within)
    if action == "create":
        _creating(site, whom, within, at, shown)
    elif action is not None:
        _items(site, whom, action, within, at, shown)
    elif shown.to_csv is not None:
        _every_right(site.powers_of(whom, at), within, shown)
    elif within is not None:
        raise BadQuestion("--in belongs to an action, or to --csv: say which action.")
    else:
        _powers(site, whom, at, shown.as_json)


def _items(
    site: Site, who: Whom, action: str, within: str | None, at: str | None, shown: As
) -> None:
    from prim_lantern.show.records import PAGE, Column

    every = site.items_for(who, action, at)
    paths = [path for path in every if within is None or _is_at(path, within, below=True)]
    told = paths if shown.everything or shown.as_json or shown.to_csv else paths[:PAGE]
    records = [
        {
            "path": path,
            "title": site.data.items[path].title,
            "by": site.why(who, action, path, at).short,
        }
        for path in told
    ]
    if not (shown.as_json or shown.to_csv):
        at_place = f", {len(paths):,} of them at {within} or below" if within is not None else ""
        open_now = sum(site.is_possible(who, action, path, at) for path in paths)
        state = f"; {open_now:,} of them are in a state for it now" if action in STEPS else ""
        called, doing = (
            words.opening(site.data, site.login_of(who)),
            words.doing(site.data, action),
        )
        of_all = f"{len(every):,} of {len(site.data.items):,} items"
        print_text(f"{called} may {doing} {of_all}{at_place}{state}.")
    columns = [
        Column("path", "Item", whole=True),
        Column("title", "Title", shed=1),
        Column("by", "Because"),
    ]
    show_list(shown, columns, records, "", count=len(paths))


def _creating(site: Site, who: Whom, within: str | None, at: str | None, shown: As) -> None:
    from prim_lantern.show.records import Column

    view = site.looking_as(who, at)
    records = [
        {
            "parent": each.parent,
            "kind": each.kind,
            "categories": list(each.categories),
            "needs_category": each.needs_category,
        }
        for each in view.offers
        if within is None or _is_at(each.parent, within, below=True)
    ]
    short = [
        {**each, "needs_category": _filing(bool(each["categories"]), bool(each["needs_category"]))}
        for each in records
    ]
    if not (shown.as_json or shown.to_csv):
        parents = len({each["parent"] for each in records})
        below = f"below {parents} place{'s' if parents != 1 else ''}" if parents else "nowhere"
        print_text(f"{view.called[:1].upper()}{view.called[1:]} may create something {below}.")
    columns = [
        Column("parent", "Below", whole=True),
        Column("kind", "Kind", whole=True),
        Column("needs_category", "Filed"),
        Column("categories", "Under", shed=1),
    ]
    show_list(shown, columns, records, "", short=short)


def _filing(categories: bool, needed: bool) -> str:
    return "needed" if needed else "if wanted" if categories else "no"


def _every_right(powers: Powers, within: str | None, shown: As) -> None:
    """Every action with every place where they may do it, as CSV."""
    beyond = {action: set(paths) for action, paths in powers.beyond.items()}
    records = [
        {"action": action, "where": path, "beyond": path in beyond.get(action, ())}
        for action, paths in powers.may.items()
        for path in paths
        if within is None or _is_at(path, within, below=True)
    ]
    records += [
        {"action": action, "where": place, "beyond": True}
        for action, places in powers.manages.items()
        for place in places
        if within is None or _is_at(place, within, below=True)
    ]
    show_list(shown, [], records, "", keys=["action", "where", "beyond"])


def _powers(site: Site, who: Whom, at: str | None, as_json: bool) -> None:
    data, powers = site.data, site.powers_of(who, at)
    view = site.looking_as(who, at)
    held = holdings(data, powers, site.moment(at))
    if as_json:
        print_json(
            {
                "who": None if who is None else str(who),
                "owner": powers.owner,
                **{name: [point.to_dict() for point in points] for name, points in held.items()},
                "may": {action: list(paths) for action, paths in powers.may.items()},
                "beyond": {action: list(paths) for action, paths in powers.beyond.items()},
                "manages": {action: list(at) for action, at in powers.manages.items()},
                "offers": view.to_dict()["offers"],
            }
        )
        return
    print_lines(who_it_is(site, who))
    print_holdings(held, powers)
    click.echo(f"\n{styled('Beyond everybody who is signed in', 'strong')}")
    _print_beyond(data, powers, view)


def print_holdings(held: Mapping[str, Sequence[Point]], powers: Powers) -> None:
    """The groups, roles and rules that reach somebody, and the rights over rights they have."""
    for heading, points in held.items():
        if points:
            click.echo(f"\n{styled(heading.capitalize(), 'strong')}")
        for point in points:
            for line in point.lines(""):
                print_lines(wrapped(line, "  ", "  "))
    _print_managing(powers)


def _print_managing(powers: Powers) -> None:
    if powers.manages:
        click.echo(f"\n{styled('Rights over rights and people', 'strong')}")
    for managing, places in powers.manages.items():
        at = "the whole site" if places == ("site",) else words.listed(places)
        print_lines(wrapped(f"- {managing}: {at}", "  ", "  "))


def _print_beyond(data: SiteData, powers: Powers, view: LookingAs) -> None:
    together: dict[tuple[str, ...], list[str]] = {}
    for action, paths in powers.beyond.items():
        together.setdefault(paths, []).append(action)
    for paths, actions in together.items():
        print_lines(wrapped(f"- {words.listed(actions)}: {_some(data, paths)}", "  ", "  "))
    from prim_lantern.show.tables import offer_lines

    for line in offer_lines(data, view.offers, most=6):
        print_lines(wrapped(f"- create: {line}", "  ", "  "))
    if not powers.beyond and not view.offers:
        click.echo("  - nothing")


def _some(data: SiteData, paths: Sequence[str]) -> str:
    """How many items, and the first few of them."""
    if len(paths) == len(data.items):
        return f"all {len(paths)} items"
    count = f"{len(paths)} item{'s' if len(paths) != 1 else ''}"
    return f"{count}: {', '.join(paths[:4])}{' …' if len(paths) > 4 else ''}"


def who_it_is(site: Site, who: Whom) -> list[str]:
    """Whom it is about, in a line."""
    if who is None:
        return ["A guest: somebody who is not signed in."]
    login = site.login_of(who)
    user = site.data.users.get(login or "")
    if user is None:
        return [*wrapped(f"{words.opening(site.data, login)}, of whom nothing else is known.")]
    owner = ", the owner" if login == site.data.owner else ""
    return [f"{user.called} ({login}), {user.status}{owner}."]


COMMANDS = {"who": who, "what": what}
