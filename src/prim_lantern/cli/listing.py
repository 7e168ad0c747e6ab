"""What all lists share: as a table with a page of it, as CSV, as JSON."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any, NamedTuple, TypeVar

import click

from prim_lantern.cli.common import (
    at_option,
    gathered,
    json_option,
    print_json,
    print_text,
    site_option,
    stood_option,
)
from prim_lantern.formats.whole import write_whole
from prim_lantern.show.terminal import console

if TYPE_CHECKING:
    from prim_lantern.show.records import Column, Record

_Command = TypeVar("_Command", bound=Callable[..., Any])


class As(NamedTuple):
    """How a list is to be shown."""

    as_json: bool
    to_csv: str | None
    everything: bool


listing = gathered(
    As,
    "shown",
    (
        click.option("--csv", "to_csv", metavar="FILE", help="Write CSV ('-': to the output)."),
        click.option("--all", "everything", is_flag=True, help="Every row, however many."),
        json_option,
    ),
)
"""The options that every list has; the command gets them as `shown`."""


def list_at(command: _Command) -> Any:
    """The options of a list that is asked for at a moment."""
    return site_option(at_option(stood_option(listing(command))))


def list_of_site(command: _Command) -> Any:
    """The options of a list of a site's own things."""
    return site_option(stood_option(listing(command)))


def show_list(
    shown: As,
    columns: Sequence[Column],
    records: Sequence[Record],
    empty: str,
    *,
    short: Sequence[Record] | None = None,
    keys: Sequence[str] | None = None,
    count: int | None = None,
) -> None:
    """Show a list as it was asked for. `short` are the rows of the table where they are other ones
    than the records of CSV and JSON, which have all `keys`; `empty` is said where there are none.
    `count` is how many there are, where only a page of them was worked out."""
    from prim_lantern.show.records import PAGE, csv_text, records_table

    if shown.as_json:
        print_json([dict(each) for each in records])
        return
    if shown.to_csv is not None:
        names = keys or [column.key for column in columns]
        text = csv_text(names, records)
        if shown.to_csv == "-":
            click.echo(text, nl=False)
        else:
            write_whole(Path(shown.to_csv), text)
            rows = "1 row" if len(records) == 1 else f"{len(records):,} rows"
            click.echo(f"Wrote {rows} to {shown.to_csv}.")
        return
    rows_shown = records if short is None else short
    if not rows_shown:
        if empty:
            print_text(empty)
        return
    page = rows_shown if shown.everything else rows_shown[:PAGE]
    console().print(records_table(columns, page))
    left = (len(rows_shown) if count is None else count) - len(page)
    if left:
        print_text(f"{left:,} more; --all shows them, --csv writes them.")
