"""`import`: people and content from files of other systems."""

from __future__ import annotations

import sys
from collections.abc import Callable, Mapping, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any, NamedTuple, TypeVar

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import opened, print_json, print_lines
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
from prim_lantern.formats.incoming.files import read_incoming
from prim_lantern.formats.incoming.gone import Gone, dropping, items_gone, people_gone
from prim_lantern.formats.incoming.people import LOGIN_FROM, people_rows
from prim_lantern.formats.incoming.table import IncomingTable
from prim_lantern.show.terminal import wrapped
from prim_lantern.site.content import STATES
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import nearest
from prim_lantern.wording import did_you_mean

_Command = TypeVar("_Command", bound=Callable[..., Any])
_KEPT = "imports.json"


@click.group("import", short_help="People and pages from another system's files.")
def import_() -> None:
    """People and content from the files of another system. Run again, it updates, and tells what
    is new, changed and gone.

    Content: CSV, JSON, sitemaps, Atom, RSS. People: CSV, JSON, SCIM, LDIF, vCards. Any of them may
    be packed with gzip. Nothing is fetched.
    """


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
        click.option(
            "--source", metavar="NAME",
            help="What it comes from; else the name of the file.",
        ),
        click.option(
            "--drop-gone", is_flag=True,
            help="Take away what an earlier file brought and this one has not.",
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
    source: str | None,
    drop_gone: bool,
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
    return _bring_in(_From("content", file, source, drop_gone), said, rows, how)


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
    source: str | None,
    drop_gone: bool,
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
    return _bring_in(_From("people", file, source, drop_gone), said, rows, how)


def rows_of_people(file: str, data: SiteData) -> Sequence[Mapping[str, Any]]:
    """The people of a file with columns called as in people.csv ('-': the input)."""
    return people_rows(_table(file), data).rows


def _table(file: str) -> IncomingTable:
    if file == "-":
        return read_incoming(sys.stdin.buffer.read(), "the input")
    return read_incoming(Path(file).read_bytes(), file, Path(file).parent)


class _From(NamedTuple):
    """What comes in, and from where."""

    what: str
    file: str
    named: str | None
    drop_gone: bool

    @property
    def source(self) -> str:
        """What it comes from, as the history keeps it."""
        if self.named is not None:
            return self.named
        return "" if self.file == "-" else Path(self.file).name.removesuffix(".gz")


def _bring_in(
    coming: _From,
    said: Mapped,
    rows: Callable[[IncomingTable, SiteData, Mapped], Incoming],
    how: How,
) -> int:
    what, source = coming.what, coming.source
    table = _table(coming.file)
    check_said(table.header, said)
    keep = _beside(how.where)
    site = opened(how.where)
    known = kept_at(keep, what).and_also(said)
    said = said.and_also(_asked(what, table, site.data, known))
    mapped = known.and_also(said)
    found = rows(table, site.data, mapped)
    find = items_gone if what == "content" else people_gone
    gone = find(site.store.records(), source, found, site.data) if source else Gone()
    if not how.as_json:
        for note in (*found.notes, *gone.notes(dropped=coming.drop_gone)):
            print_lines(wrapped(note, "", "  "))

    def build(change: Change) -> None:
        with suppress(NothingToChange):
            if what == "content":
                change.import_items(found.rows, source)
            else:
                change.import_people(found.rows, source)
        for each in dropping(what, gone) if coming.drop_gone else ():
            change.do(each)
        if not change.said:
            raise NothingToChange("All of it is so already; nothing would change.")

    try:
        code = carry_out(how, build)
    except NothingToChange:
        code = 0
        if how.as_json:
            print_json({"made": False, "said": []})
        else:
            click.echo("All of it is so already; nothing was changed.")
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

    def understood(answer: str) -> str:
        text = answer.strip() or "-"
        if text == "-" or text in ours or (more and text.startswith(ATTRIBUTE)):
            return text
        near = nearest(text, ours)
        raise click.UsageError(f"{text!r} is none of them.{did_you_mean(near)}")

    found = {}
    for name in unknown:
        sample = next((cell for cell in table.column(name) if cell.strip()), "")
        asked = f"  {name} (such as {sample[:40]!r})"
        found[name] = click.prompt(asked, default="-", show_default=False, value_proc=understood)
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
