"""`report`: the whole site as a page for a board or an auditor."""

from __future__ import annotations

from pathlib import Path

import click

from prim_lantern.cli.common import at_option, opened, site_option
from prim_lantern.errors import NotOverwritten
from prim_lantern.formats.whole import write_whole
from prim_lantern.show.terminal import busy


@click.command(short_help="The whole site as a page for a board.")
@click.argument("file")
@click.option("--since", metavar="WHEN", help="With the changes from this day or time on.")
@click.option("--no-checkup", is_flag=True, help="Without findings, which take a while.")
@click.option("--overwrite", is_flag=True, help="Take the place of a file that is there.")
@at_option
@site_option
def report(
    file: str, since: str | None, no_checkup: bool, overwrite: bool, at: str | None, where: str
) -> None:
    """Write FILE, one page of HTML for a board or an auditor: the site in numbers, who has all
    access, promises, findings, who may do what where and why, groups and roles in words.

    It needs no network and no script, and prints well.

    \b
    prim-lantern report board.html --since 2027-01-01
    """
    if Path(file).exists() and not overwrite:
        raise NotOverwritten(file, "Say --overwrite, or name another file.")
    with busy("Looking through the site"):
        text = opened(where).report(at, since, checkup=not no_checkup)
    write_whole(Path(file), text)
    click.echo(f"Wrote {file} ({max(1, len(text.encode()) // 1000):,} kB).")


COMMANDS = {"report": report}
