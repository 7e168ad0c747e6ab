"""`import`: people and content from files of other systems."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from pathlib import Path
from typing import Any, TypeVar

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import opened, print_lines
from prim_lantern.errors import NothingToChange
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.incoming.columns import (
    ATTRIBUTE,
    Mapped,
    check_said,
    columns_of,
    keep_at,
    kept_at,
    mapped_from,
)
from prim_lantern.formats.incoming.content import Incoming, Reading, content_rows
from prim_lantern.formats.incoming.people import LOGIN_FROM, people_rows
from prim_lantern.formats.incoming.table import IncomingTable, read_table
from prim_lantern.show.terminal import wrapped
from prim_lantern.site.content import STATES
from prim_lantern.site.data import SiteData

_Command = TypeVar("_Command", bound=Callable[..., Any])
_KEPT = "imports.json"


@click.group("import", short_help="People and pages from another system's files.")
def import_() -> None:
    """People and content from the files of another system: CSV with any columns, separated by
    commas, semicolons or tabs. Run again, it updates."""


def _reading(command: _Command) -> Any:
    for decorate in (
        changing,
        click.option(
            "--month-first", "day_first", flag_value=False, type=bool, default=None,
            help="Read 12/31/2027.",
        ),
        click.option(
            "--day-first", "day_first", flag_value=True, type=bool, default=None,
            help="Read 31/12/2027.",
        ),
        click.option(
            "--value", "values", multiple=True, metavar="COLUMN:THEIRS=OURS",
            help="What a word means: 'state:live=published'.",
        ),
        click.option(
            "--map", "columns", multiple=True, metavar="THEIRS=OURS",
            help="What a column holds: 'URL=path'; '-' leaves it out.",
        ),
        click.argument("file"),
    ):  # fmt: skip
        command = decorate(command)
    return command


@import_.command()
@_reading
@click.option(
    "--state", type=click.Choice(STATES), default="draft", help="What is new; else draft."
)
@click.option("--kind", help="The kind of what is new, where no column says it.")
def content(
    file: str,
    columns: Sequence[str],
    values: Sequence[str],
    day_first: bool | None,
    state: str,
    kind: str | None,
    how: How,
) -> int:
    """Add and change pages, posts and other items from FILE ('-': the input).

    Columns called as in content.csv are known: path (a whole address will do), kind, title,
    authors, state, categories, readership, public_from, public_until, links_to. What was said of
    other columns is kept beside the site for the next time.

    \b
    prim-lantern import content pages.csv --map "URL=path" --map "Headline=title" --kind page
    """

    def rows(table: IncomingTable, data: SiteData, mapped: Mapped) -> Incoming:
        asked = Reading(mapped, day_first, state, data.kind(kind).name if kind else None)
        return content_rows(table, data, asked)

    said = mapped_from(columns, values)
    return _bring_in(
        "content", file, said, rows, lambda change, found: change.import_items(found), how
    )


@import_.command()
@_reading
@click.option(
    "--login-from", type=click.Choice(LOGIN_FROM), help="Make logins, where no column has them."
)
def people(
    file: str,
    columns: Sequence[str],
    values: Sequence[str],
    day_first: bool | None,
    login_from: str | None,
    how: How,
) -> int:
    """Add and change people from FILE ('-': the input).

    Columns called as in people.csv are known: login, name, email, status, groups,
    roles_elsewhere, joined, and the attributes that the site has; '--map "Team=attribute:team"'
    adds one. Groups are joined, never left.

    \b
    prim-lantern import people staff.csv --map "Mail=email" --login-from email
    """

    def rows(table: IncomingTable, data: SiteData, mapped: Mapped) -> Incoming:
        return people_rows(table, data, Reading(mapped, day_first), login_from)

    said = mapped_from(columns, values)
    return _bring_in(
        "people", file, said, rows, lambda change, found: change.import_people(found), how
    )


def rows_of_people(file: str, data: SiteData) -> Sequence[Mapping[str, Any]]:
    """The people of a file with columns called as in people.csv ('-': the input)."""
    return people_rows(_table(file), data).rows


def _table(file: str) -> IncomingTable:
    if file == "-":
        return read_table(sys.stdin.buffer.read(), "the input")
    return read_table(Path(file).read_bytes(), file)


def _bring_in(
    what: str,
    file: str,
    said: Mapped,
    rows: Callable[[IncomingTable, SiteData, Mapped], Incoming],
    add: Callable[[Change, Any], object],
    how: How,
) -> int:
    table = _table(file)
    check_said(table.header, said)
    keep = _beside(how.where)
    data = opened(how.where).data
    known = kept_at(keep, what).and_also(said)
    said = said.and_also(_asked(what, table, data, known))
    mapped = known.and_also(said)
    found = rows(table, data, mapped)
    if not how.as_json:
        for note in found.notes:
            print_lines(wrapped(note, "", "  "))
    try:
        code = carry_out(how, lambda change: add(change, found.rows))
    except NothingToChange:
        click.echo("All of it is so already; nothing was changed.")
        return 0
    if (said.columns or said.values) and not how.trying and keep is not None:
        keep_at(keep, what, kept_at(keep, what).and_also(said))
    return code


def _asked(what: str, table: IncomingTable, data: SiteData, known: Mapped) -> Mapped:
    """What somebody at a terminal says of the columns that are not known."""
    if not (sys.stdin.isatty() and sys.stdout.isatty()):
        return Mapped()
    ours = CONTENT_COLUMNS if what == "content" else PEOPLE_COLUMNS
    attributes = None if what == "content" else data.attributes
    there = columns_of(table.header, ours, attributes, known)
    unknown = [n for n in table.header if n not in there and n not in known.columns]
    if not unknown:
        return Mapped()
    more = f", {ATTRIBUTE}NAME" if what == "people" else ""
    choice = f"What do these columns hold? One of: {', '.join(ours)}{more}; Enter leaves one out."
    print_lines(wrapped(choice, "", "  "))
    found = {}
    for name in unknown:
        sample = next((cell for cell in table.column(name) if cell.strip()), "")
        answer = click.prompt(
            f"  {name} (such as {sample[:40]!r})", default="-", show_default=False
        )
        found[name] = answer.strip() or "-"
    return Mapped(found)


def _beside(where: str) -> Path | None:
    """The file beside the site that keeps what was said of columns; None for a server."""
    if "://" not in where:
        return Path(where) / _KEPT if Path(where).is_dir() else None
    backend, _, file = where.partition(":///")
    if not backend.startswith("sqlite") or not file:
        return None
    return Path(f"{file}.{_KEPT}")


COMMANDS = {"import": import_}
