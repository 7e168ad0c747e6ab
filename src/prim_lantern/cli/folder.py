"""`folder`: the site folder as text files."""

from __future__ import annotations

import click

from prim_lantern.cli.common import json_option, print_json, print_lines, site_option
from prim_lantern.errors import BadSite
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.formats.folder.schema import site_schema
from prim_lantern.show.reading import ReadingProgress
from prim_lantern.show.terminal import styled, wrapped


@click.group(short_help="Check a site folder; help editors with it.")
def folder() -> None:
    """The site folder: check it, and help editors with it."""


@folder.command()
@click.argument("path", required=False)
@site_option
@json_option
def check(path: str | None, where: str, as_json: bool) -> int:
    """Is the folder at PATH in order? Names every mistake at once (exit code 2)."""
    try:
        data = read_folder(path or where, ReadingProgress())
    except BadSite as error:
        if as_json:
            problems = [problem.to_dict() for problem in error.problems]
            print_json({"folder": path or where, "in_order": False, "problems": problems})
            return 2
        count = len(error.problems)
        click.echo(f"{path or where}: {count} mistake{'s' if count > 1 else ''}.")
        for problem in error.problems:
            print_lines(wrapped(str(problem), "  ", "  "))
        return 2
    counts = {
        "people": len(data.users),
        "groups": len(data.groups),
        "roles": len(data.roles),
        "readerships": len(data.readerships),
        "rules": len(data.rules),
        "items": len(data.items),
    }
    if as_json:
        print_json({"folder": path or where, "in_order": True, **counts})
    else:
        click.echo(f"{path or where}: {styled('in order', 'yes')}.")
        click.echo(f"  {', '.join(f'{count} {what}' for what, count in counts.items())}")
    return 0


@folder.command()
def schema() -> None:
    """Print a JSON Schema for site.toml, so that editors complete and check it."""
    print_json(site_schema())


COMMANDS = {"folder": folder}
