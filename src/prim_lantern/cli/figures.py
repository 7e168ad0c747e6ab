"""`figure`: the site as pictures."""

from __future__ import annotations

from pathlib import Path

import click

from prim_lantern.cli.common import (
    at_option,
    complete_place,
    complete_who,
    opened,
    site_option,
    whom,
)
from prim_lantern.errors import NotOverwritten
from prim_lantern.show.terminal import busy

SORTS = ("grid", "reach", "roles", "over-time")


@click.command(short_help="The grid, reach, roles, access over time as pictures.")
@click.argument("sort", type=click.Choice(SORTS))
@click.argument("file")
@click.option(
    "--who", "whos", multiple=True, shell_complete=complete_who, metavar="WHO",
    help="grid: the columns; reach: whose, as a tree.",
)  # fmt: skip
@click.option(
    "--in", "within", metavar="PATH", shell_complete=complete_place,
    help="Only places there; over-time: the place.",
)  # fmt: skip
@click.option("--overwrite", is_flag=True, help="Take the place of a file that is there.")
@at_option
@site_option
def figure(
    sort: str,
    file: str,
    whos: tuple[str, ...],
    within: str | None,
    overwrite: bool,
    at: str | None,
    where: str,
) -> None:
    """Draw a figure into FILE, .svg or .png; it reads in black and white.

    grid: the most that each kind of people may do at each place. reach: how many may read, edit and
    publish each section; with --who, how far somebody reaches. roles: which contains which.
    over-time: how many may at a place, as it was and will be.

    \b
    prim-lantern figure grid grid.svg
    prim-lantern figure reach sam.png --who sam.whitlock
    """
    if Path(file).exists() and not overwrite:
        raise NotOverwritten(file, "Say --overwrite, or name another file.")
    site = opened(where)
    found = [whom(site, each) for each in whos]
    with busy("Drawing"):
        site.draw(sort, file, [each or "guests" for each in found], within, at)
    click.echo(f"Drew {file}.")


COMMANDS = {"figure": figure}
