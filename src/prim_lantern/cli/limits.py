"""`limit`: how many items of a kind may stand below a path."""

from __future__ import annotations

import click

from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import complete_place, opened
from prim_lantern.cli.listing import As, list_of_site, show_list


@click.group(short_help="How many items of a kind may stand below a path.")
def limit() -> None:
    """Limits: how many items of exactly one kind may stand directly below a path."""


@limit.command("list")
@list_of_site
def list_limits(where: str, shown: As) -> None:
    """All limits, and how many there are now."""
    from prim_lantern.show.records import Column

    data = opened(where).data
    records = [
        {
            "where": each.where,
            "kind": each.kind,
            "at_most": each.at_most,
            "now": sum(item.kind == each.kind for item in data.directly_below(each.where)),
            "written": str(each.origin or ""),
        }
        for each in data.limits
    ]
    columns = [
        Column("where", "Below", whole=True),
        Column("kind", "Kind"),
        Column("at_most", "At most"),
        Column("now", "Now"),
        Column("written", "Written at", shed=1),
    ]
    show_list(shown, columns, records, "There is no limit yet: 'limit set' makes one.")


@limit.command("set")
@click.argument("kind")
@click.argument("path", shell_complete=complete_place)
@click.argument("at_most")
@changing
def set_limit(kind: str, path: str, at_most: str, how: How) -> int:
    """Let AT_MOST items of KIND stand directly below PATH ("none" takes the limit away)."""
    number = None if at_most == "none" else _whole(at_most)
    return carry_out(how, lambda change: change.set_limit(kind, path, number))


def _whole(text: str) -> int:
    if not text.isdecimal():
        raise click.UsageError(f"{text!r} is no whole number; write 10, or none.")
    return int(text)


COMMANDS = {"limit": limit}
