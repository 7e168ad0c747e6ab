"""`demo`: the demo site, and a walk through the work on it."""

from __future__ import annotations

import shlex
import sys
from pathlib import Path

import click

from prim_lantern.cli.main import main
from prim_lantern.demo import DEMO_FOLDER, WALK
from prim_lantern.errors import NotOverwritten, PrimLanternError
from prim_lantern.formats.folder.files import FILES
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.store.folder import FolderStore


@click.command(short_help="A walk through the work on a small site.")
@click.option("--to", "folder", default="lantern-demo", metavar="FOLDER", help="Where to copy it.")
@click.option("--yes", is_flag=True, help="Overwrite what is there; do not pause.")
def demo(folder: str, yes: bool) -> None:
    """Copy the demo site to a folder, and walk through the work on it.

    Each step prints the command that it runs, so that it can be repeated and varied. On
    a terminal it waits for Enter between the steps.
    """
    at_a_terminal = sys.stdin.isatty() and sys.stdout.isatty()
    _copy(Path(folder), yes, at_a_terminal)
    click.echo(f"The demo site is in {folder}: site.toml, people.csv and content.csv.")
    click.echo("It is 10 May 2027 at the Oxlip Sound Lighthouse Trust.\n")
    for number, step in enumerate(WALK):
        if number and at_a_terminal and not yes:
            click.pause("Enter for the next step …")
        click.echo(styled(f"{number + 1}. {step.title}", "strong"))
        for line in wrapped(step.about, "   "):
            click.echo(line)
        for command in step.commands:
            click.echo(styled(f"\n$ prim-lantern {command} --site {shlex.quote(folder)}", "faint"))
            _run([*shlex.split(command), "--site", folder])
        click.echo()
    click.echo("That is all. Change the three files as you like, and ask again; for example:")
    click.echo(f"  prim-lantern why sam publish /log/terns --site {shlex.quote(folder)}")


def _copy(folder: Path, yes: bool, at_a_terminal: bool) -> None:
    there = [name for name in FILES if (folder / name).exists()]
    if there and not yes:
        question = f"{folder} holds {', '.join(there)} already. Overwrite?"
        if not at_a_terminal or not click.confirm(question):
            raise NotOverwritten(str(folder), "Use --to for another folder, or --yes.")
    FolderStore(folder).fill_with_files(DEMO_FOLDER)


def _run(arguments: list[str]) -> None:
    """Run one command as it would run by itself; a no is an answer, not a failure."""
    try:
        main(arguments, standalone_mode=False, prog_name="prim-lantern")
    except PrimLanternError as error:
        click.echo(f"prim-lantern: {error}")


COMMANDS = {"demo": demo}
