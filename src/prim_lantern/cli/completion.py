"""`completion`: what a shell needs to complete commands, people, actions and paths."""

from __future__ import annotations

import click
from click.shell_completion import get_completion_class

from prim_lantern.cli.main import main


@click.command(short_help="Let the shell complete commands and names.")
@click.argument("shell", type=click.Choice(["bash", "zsh", "fish"]))
def completion(shell: str) -> None:
    """Print the completion script for SHELL; load it in the shell's start-up file.

    \b
    bash:  eval "$(prim-lantern completion bash)"
    """
    found = get_completion_class(shell)
    if found is not None:
        click.echo(found(main, {}, "prim-lantern", "_PRIM_LANTERN_COMPLETE").source())


COMMANDS = {"completion": completion}
