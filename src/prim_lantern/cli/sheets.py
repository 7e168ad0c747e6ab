"""`sheet`: the site as a workbook to plan with, and an edited one as a change."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from pathlib import Path

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, maker
from prim_lantern.cli.common import (
    complete_place,
    complete_who,
    opened,
    print_lines,
    site_option,
    whom,
)
from prim_lantern.errors import NothingToChange, NotOverwritten
from prim_lantern.sheets.book import Edited
from prim_lantern.show.terminal import busy, styled, wrapped


@click.group(short_help="The site as a workbook to plan with, and back.")
def sheet() -> None:
    """The site as a workbook that colleagues plan with, and what they wrote as one change.

    FILE ends with .xlsx; any other name is that of a folder of CSV files.
    """


@sheet.command("out")
@click.argument("file")
@click.option(
    "--who", "whos", multiple=True, shell_complete=complete_who, metavar="WHO",
    help="A column of the grid: a group or an audience; more than once.",
)  # fmt: skip
@click.option(
    "--in", "within", metavar="PATH", shell_complete=complete_place, help="Places there alone."
)
@click.option("--overwrite", is_flag=True, help="Take the place of a file that is there.")
@site_option
def out(file: str, whos: tuple[str, ...], within: str | None, overwrite: bool, where: str) -> None:
    """Write the site to FILE: who there is, which areas, what each may do in each, roles, people
    and their groups, readerships.

    \b
    prim-lantern sheet out site.xlsx
    prim-lantern sheet out site.xlsx --in /visit --who group:volunteers
    """
    if Path(file).exists() and not overwrite:
        raise NotOverwritten(file, "Say --overwrite, or name another file.")
    site = opened(where)
    columns = [whom(site, each) for each in whos]
    with busy("Working out the grid"):
        notes = site.write_sheets(file, columns, within)
    for note in notes:
        print_lines(wrapped(note, "", "  "))
    click.echo(f"Wrote {file}. Edit it, then: prim-lantern sheet in {file} --try")


@sheet.command("in")
@click.argument("file")
@changing
def in_(file: str, how: How) -> int:
    """Make true what was edited in FILE, a workbook that 'sheet out' wrote: as one change, which
    'undo' takes back as one.

    Only cells that were edited count. Where a cell could come true in several ways, the one that
    does least is taken. Nothing is made where a cell cannot be understood.

    \b
    prim-lantern sheet in site.xlsx --try
    """
    site = opened(how.where)
    found = site.read_sheets(file, maker(site, how.by), _progress if _watched() else None)

    def build(change: Change) -> None:
        for each in found.operations:
            change.do(each)

    if not found.steps:
        raise NothingToChange(
            f"Nothing would change: all that the cells of {file} say is so already."
        )
    return carry_out(how, build, before=lambda _: _lines(found), steps=False)


def _lines(found: Edited) -> Iterator[str]:
    """What each cell comes to, above the effects."""
    for note in found.notes:
        yield from wrapped(f"! {note}", "", "  ")
    yield styled("From the cells", "strong")
    for step in found.steps:
        least = " (no single step and no pair does less)" if step.least else ""
        said = f": {step.says}{least}" if step.says else ""
        yield from wrapped(f"{step.spot}{said}", "  ", "  ")
        for command in step.commands:
            yield from wrapped(f"prim-lantern {command}", "    ", "  ")


def _watched() -> bool:
    return sys.stderr.isatty()


def _progress(done: int, total: int) -> None:
    end = "\n" if done == total else ""
    click.echo(
        f"\rLooking for the least that is enough: cell {done} of {total}{end}", err=True, nl=False
    )


COMMANDS = {"sheet": sheet}
