"""`readership`: who may view; listed, defined, and set where they hold."""

from __future__ import annotations

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, whos
from prim_lantern.cli.common import (
    complete_place,
    opened,
)
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.decide.explain import words
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import REACHES
from prim_lantern.site.rights import BUILT_IN_READERSHIPS


@click.group(short_help="Readerships: list, define, set where they hold.")
def readership() -> None:
    """Readerships: who may view, and where each stands."""


@readership.command("list")
@list_of_site
def list_readerships(where: str, shown: As) -> None:
    """All readerships: who is in them, and at which places they stand."""
    from prim_lantern.show.records import Column

    data = opened(where).data
    records = [
        {
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
        for each in [*BUILT_IN_READERSHIPS.values(), *data.readerships.values()]
    ]
    columns = [
        Column("name", "Readership", whole=True),
        Column("called", "Called", shed=1),
        Column("view", "Who may view"),
        Column("stands_at", "Stands at"),
    ]
    show_list(shown, columns, records, "", keys=list(records[0]))


def _stands_at(data: SiteData, name: str) -> list[str]:
    site = ["site"] if data.default_readership == name else []
    at = [str(each.place) for each in data.readerships_at.values() if each.readership == name]
    return site + at


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
