"""`new`: a site folder to start from."""

from __future__ import annotations

import sys

import click

from prim_lantern.starting import start_folder


@click.command(short_help="Make a site folder to start from.")
@click.argument("folder", default="site")
@click.option("--name", help="The name of the site.")
@click.option("--owner", help="The login of the owner.")
@click.option("--empty", is_flag=True, help="Without the ready roles, groups and pages.")
@click.option("--timezone", metavar="NAME", help="Where times are meant; else UTC.")
def new(
    folder: str, name: str | None, owner: str | None, empty: bool, timezone: str | None
) -> None:
    """Write a new site FOLDER (./site when left out) with ready roles to start from.

    Asks for the name and the owner where they are not said and there is a terminal.
    """
    asking = sys.stdin.isatty()
    name = name or (click.prompt("Name of the site", "My site") if asking else "My site")
    owner = owner or (click.prompt("Login of the owner", "owner") if asking else "owner")
    start_folder(folder, name=name, owner=owner, empty=empty, timezone=timezone)
    click.echo(f"Made {folder}: site.toml, people.csv and content.csv, with {owner} as the owner.")
    click.echo("Next: read site.toml, add people, and look at what they may do:")
    option = "" if folder == "site" else f" --site {folder}"
    click.echo(f"  prim-lantern user add LOGIN --name NAME --by {owner}{option}")
    click.echo(f"  prim-lantern role list{option}")
    click.echo(f"  prim-lantern grid{option}")


COMMANDS = {"new": new}
