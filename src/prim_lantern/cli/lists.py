"""`who` and `what`: lists of people, and of what one of them may do."""

from __future__ import annotations

from collections.abc import Sequence

import click

from prim_lantern.cli.common import (
    answering,
    complete_action,
    complete_place,
    complete_who,
    opened,
    person,
    print_json,
    print_lines,
)
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.holdings import holdings
from prim_lantern.live import Site
from prim_lantern.show.terminal import console, styled, wrapped
from prim_lantern.site.data import SiteData


@click.command(short_help="Who may do this with an item?")
@click.argument("action", shell_complete=complete_action)
@click.argument("path", shell_complete=complete_place)
@answering
def who(action: str, path: str, where: str, at: str | None, as_json: bool) -> None:
    """Who may do ACTION with the item at PATH, and by which way?"""
    site = opened(where)
    found = site.who_may(action, path, at)
    reasons = {login: site.why(login, action, path, at).short for login in found}
    if as_json:
        people = [
            {"login": login, "name": site.data.users[login].name, "by": reasons[login]}
            for login in found
        ]
        print_json({"action": action, "path": path, "guests": found.guests, "people": people})
        return
    from prim_lantern.show.tables import table

    doing = words.doing(site.data, action)
    active = sum(1 for user in site.data.users.values() if user.status == "active")
    click.echo(f"{len(found)} of {active} active people may {doing} {path}.")
    click.echo(f"Guests {'may as well' if found.guests else 'may not'}.")
    if found.logins:
        rows = [(login, site.data.users[login].name, reasons[login]) for login in found]
        console().print(table(["Login", "Name", "Because"], rows))


@click.command(short_help="What may somebody do?")
@click.argument("who", shell_complete=complete_who)
@click.argument("action", required=False, shell_complete=complete_action)
@answering
def what(who: str, action: str | None, where: str, at: str | None, as_json: bool) -> None:
    """What may WHO do? With ACTION: the items to which they may do that, and why.

    Without an action: the groups, roles and rules that reach them, and what that lets
    them do beyond everybody who is signed in.
    """
    site = opened(where)
    login = person(site, who)
    if action is None:
        _powers(site, login, at, as_json)
        return
    paths = site.items_for(login, action, at)
    reasons = [site.why(login, action, path, at).short for path in paths]
    if as_json:
        items = [{"path": p, "by": by} for p, by in zip(paths, reasons, strict=True)]
        print_json({"who": login, "action": action, "items": items})
        return
    from prim_lantern.show.tables import table

    called = words.opening(site.data, login)
    doing = words.doing(site.data, action)
    click.echo(f"{called} may {doing} {len(paths)} of {len(site.data.items)} items.")
    if paths:
        rows = [
            (path, site.data.items[path].title, by) for path, by in zip(paths, reasons, strict=True)
        ]
        console().print(table(["Item", "Title", "Because"], rows))


def _powers(site: Site, login: str | None, at: str | None, as_json: bool) -> None:
    data, powers = site.data, site.powers_of(login, at)
    view = site.looking_as(login, at)
    held = holdings(data, powers, site.moment(at))
    if as_json:
        print_json(
            {
                "who": login,
                "owner": powers.owner,
                **{name: [point.to_dict() for point in points] for name, points in held.items()},
                "may": {action: list(paths) for action, paths in powers.may.items()},
                "beyond": {action: list(paths) for action, paths in powers.beyond.items()},
                "offers": view.to_dict()["offers"],
            }
        )
        return
    print_lines(_who_it_is(site, login))
    for heading, points in held.items():
        if points:
            click.echo(f"\n{styled(heading.capitalize(), 'strong')}")
        for point in points:
            for line in point.lines(""):
                print_lines(wrapped(line, "  ", "  "))
    click.echo(f"\n{styled('Beyond everybody who is signed in', 'strong')}")
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


def _who_it_is(site: Site, login: str | None) -> list[str]:
    if login is None:
        return ["A guest: somebody who is not signed in."]
    user = site.data.users[login]
    owner = ", the owner" if login == site.data.owner else ""
    return [f"{user.called} ({login}), {user.status}{owner}."]


COMMANDS = {"who": who, "what": what}
