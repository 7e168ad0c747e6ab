"""`readership`: who may view; listed, defined, and set where they hold."""

from __future__ import annotations

from typing import Any

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, whos
from prim_lantern.cli.common import (
    answering,
    complete_place,
    opened,
    print_json,
    print_lines,
)
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.decide.explain import words
from prim_lantern.show.terminal import wrapped
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import REACHES
from prim_lantern.site.rights import BUILT_IN_READERSHIPS, Readership
from prim_lantern.site.who import AUTHORS

_NAMED = 8  # people at most who are named one by one


@click.group(short_help="Readerships: list, define, set where they hold.")
def readership() -> None:
    """Readerships: who may view, and where each stands."""


@readership.command("list")
@list_of_site
def list_readerships(where: str, shown: As) -> None:
    """All readerships: who is in them, and at which places they stand."""
    from prim_lantern.show.records import Column

    data = opened(where).data
    every = [*BUILT_IN_READERSHIPS.values(), *data.readerships.values()]
    records = [_record(data, each) for each in every]
    columns = [
        Column("name", "Readership", whole=True),
        Column("called", "Called", shed=1),
        Column("view", "Who may view"),
        Column("stands_at", "Stands at"),
    ]
    show_list(shown, columns, records, "", keys=list(records[0]))


def _record(data: SiteData, each: Readership) -> dict[str, Any]:
    return {
        "name": each.name,
        "label": each.label,
        "readers": [str(who) for who in each.readers],
        "all_of": [str(who) for who in each.all_of],
        "but_not": [str(who) for who in each.but_not],
        "no_exceptions": each.no_exceptions,
        "stands_at": _stands_at(data, each.name),
        "called": each.called,
        "view": words.readers(data, each),
    }


def _stands_at(data: SiteData, name: str) -> list[str]:
    site = ["site"] if data.default_readership == name else []
    at = [str(each.place) for each in data.readerships_at.values() if each.readership == name]
    return site + at


@readership.command("show")
@click.argument("name")
@answering
def show_readership(name: str, where: str, at: str | None, as_json: bool) -> None:
    """One readership: who is in it now, where it stands, and how much that decides."""
    site = opened(where)
    found = site.data.readership(name)
    view = site.readership_view(found.name, at)
    if as_json:
        print_json({**_record(site.data, found), **view.to_dict()})
        return
    said = words.readers(site.data, found)
    print_lines(wrapped(f"{found.called} ({found.name}): {said}.", more="  "))
    active = sum(1 for each in site.data.people.values_of("status") if each == ACTIVE)
    guests = "guests too" if view.guests else "no guests"
    people = [site.data.users[each].called for each in view.people]
    some = words.listed(people) if len(people) <= _NAMED else f"{len(people)} of {active} people"
    authors = ", and of each item its authors" if AUTHORS in found.readers else ""
    called = "all the active people" if len(people) == active else some or "nobody by name"
    print_lines(wrapped(f"In it now: {called}; {guests}{authors}.", more="  "))
    if not view.stands_at:
        click.echo("It stands nowhere, so that it decides nothing.")
    for each in view.stands_at:
        alone = ", alone" if each.alone else ""
        count = "1 item" if each.items == 1 else f"{each.items:,} items"
        print_lines(wrapped(f"- {each.place}{alone}: {count}", "  ", "    "))


# Defining ------------------------------------------------------------------------------------


@readership.command()
@click.argument("name")
@click.argument("readers")
@click.option("--label", default="", help="The name that people see.")
@click.option("--all-of", default="", metavar="WHO", help="Who must be each of these as well.")
@click.option("--but-not", default="", metavar="WHO", help="Who must be none of these.")
@click.option("--no-exceptions", is_flag=True, help="No yes lets anybody past it.")
@changing
def add(
    name: str,
    readers: str,
    label: str,
    all_of: str,
    but_not: str,
    no_exceptions: bool,
    how: How,
) -> int:
    """Define who may view: READERS are people, group:…, role:…, audiences or authors.

    \b
    prim-lantern readership add crew group:keepers,group:staff --but-not group:relief
    """

    def build(change: Change) -> None:
        site = change.site
        each = (whos(site, text) for text in (readers, all_of, but_not))
        read, every, none = each
        change.add_readership(name, read, label, every, none, no_exceptions)

    return carry_out(how, build)


@readership.command()
@click.argument("name")
@click.option("--label", help="The name that people see.")
@click.option("--add", "more", default="", metavar="WHO", help="May view as well.")
@click.option("--drop", "fewer", default="", metavar="WHO", help="May view no longer.")
@click.option("--all-of", default="", metavar="WHO", help="Must be these as well.")
@click.option("--not-all-of", default="", metavar="WHO", help="Need not be these any more.")
@click.option("--but-not", default="", metavar="WHO", help="Must be none of these.")
@click.option("--but-again", default="", metavar="WHO", help="May be these again.")
@click.option("--no-exceptions/--with-exceptions", default=None, help="Whether a yes lets past.")
@changing
def change(
    name: str,
    label: str | None,
    more: str,
    fewer: str,
    all_of: str,
    not_all_of: str,
    but_not: str,
    but_again: str,
    no_exceptions: bool | None,
    how: How,
) -> int:
    """Change a readership wherever it stands."""

    def build(change: Change) -> None:
        site = change.site
        change.change_readership(
            name,
            label,
            add=whos(site, more),
            drop=whos(site, fewer),
            also_all_of=whos(site, all_of),
            no_longer_all_of=whos(site, not_all_of),
            also_but_not=whos(site, but_not),
            no_longer_but_not=whos(site, but_again),
            no_exceptions=no_exceptions,
        )

    return carry_out(how, build)


@readership.command()
@click.argument("name")
@changing
def remove(name: str, how: How) -> int:
    """Remove a readership that stands nowhere any more."""
    return carry_out(how, lambda change: change.remove_readership(name))


@readership.command("set")
@click.argument("place", shell_complete=complete_place)
@click.argument("name")
@click.option("--reach", type=click.Choice(REACHES), help="For a path: what it covers.")
@click.option("--alone", is_flag=True, help="Readerships from above do not count here.")
@changing
def set_readership(place: str, name: str, reach: str | None, alone: bool, how: How) -> int:
    """Say who may view at PLACE: "site", a category, a path with what is below it."""
    return carry_out(how, lambda change: change.set_readership(place, name, reach, alone))


@readership.command()
@click.argument("place", shell_complete=complete_place)
@changing
def clear(place: str, how: How) -> int:
    """Take away the readership at PLACE; what is above holds there again."""
    return carry_out(how, lambda change: change.clear_readership(place))


@readership.command()
@click.argument("name")
@click.argument("new_name")
@changing
def rename(name: str, new_name: str, how: How) -> int:
    """Give a readership another name; everything that speaks of it goes along."""
    return carry_out(how, lambda change: change.rename_readership(name, new_name))


COMMANDS = {"readership": readership}
