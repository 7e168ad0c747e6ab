"""`history` and `undo`: what was changed, and taking it back."""

from __future__ import annotations

from collections.abc import Sequence

import click

from prim_lantern.change.record import Record
from prim_lantern.cli.about import about
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import (
    json_option,
    opened,
    person,
    print_json,
    print_lines,
    site_option,
)
from prim_lantern.errors import BrokenHistory
from prim_lantern.live import Site
from prim_lantern.show.changes import record_dict, record_lines, record_rows
from prim_lantern.show.terminal import console, wrapped
from prim_lantern.site.names import folded


@click.group(short_help="What was changed, by whom, when and why.", invoke_without_command=True)
@click.option("--by", "who", metavar="WHO", help="Only what somebody did, or 'by hand'.")
@click.option("--about", "text", metavar="WHAT", help="Only about a path, group, role, person …")
@click.option("--since", metavar="WHEN", help="Only from this moment on.")
@click.option("--until", metavar="WHEN", help="Only before this moment.")
@click.option("--last", type=int, default=20, show_default=True, help="How many at most.")
@site_option
@json_option
@click.pass_context
def history(
    ctx: click.Context,
    who: str | None,
    text: str | None,
    since: str | None,
    until: str | None,
    last: int,
    where: str,
    as_json: bool,
) -> None:
    """The changes of the site, the newest first; 'history show' tells one whole."""
    if ctx.invoked_subcommand is not None:
        return
    site = opened(where)
    all_fit = who is text is since is until is None
    first = max(site.seen.number - max(last, 0), 0) if all_fit else 0  # a page costs as a page
    found = site.store.records(first)
    wanted = about(site, text, found) if text is not None else None
    maker = _maker(site, who, found) if who is not None else None
    records = [
        each
        for each in reversed(found)
        if (maker is None or each.by == maker)
        and (wanted is None or wanted.is_of(each))
        and (since is None or each.at >= site.moment(since))
        and (until is None or each.at < site.moment(until))
    ]
    shown = records[:last]
    if as_json:
        print_json([record_dict(each) for each in shown])
        return
    if not records:
        click.echo("No change fits." if site.seen.number else "Nothing has been changed yet.")
        return
    from prim_lantern.show.tables import table

    console().print(table(["No.", "When (UTC)", "By", "What"], record_rows(shown)))
    count = first + len(records)
    if count > len(shown):
        older = count - len(shown)
        ones = "1 older one" if older == 1 else f"{older} older ones"
        click.echo(f"{ones}; --last {count} shows all.")


def _maker(site: Site, text: str, past: Sequence[Record]) -> str:
    """Who made changes: somebody who is there, or was, or "by hand" (no login)."""
    if folded(text) in ("by hand", "hand"):
        return ""
    makers = {folded(each.by): each.by for each in past}
    if folded(text) in makers:
        return makers[folded(text)]
    return person(site, text) or text


@history.command()
@click.argument("number", type=int)
@site_option
@json_option
def show(number: int, where: str, as_json: bool) -> None:
    """One change whole: who, when, why, its effects, and what was before and after."""
    record = _one(opened(where), number)
    if as_json:
        print_json(record_dict(record))
    else:
        print_lines(record_lines(record))


def _one(site: Site, number: int) -> Record:
    return site.store.record(number)


@history.command()
@click.option("--against", metavar="HASH", help="A hash that 'history seal' has printed before.")
@site_option
@json_option
def check(against: str | None, where: str, as_json: bool) -> None:
    """Is the history whole? Each change is held against the one before, and the last against the
    site; with --against, nothing up to what was sealed may be altered or dropped (exit code 1
    where it does not fit)."""
    try:
        store = opened(where).store
        count = store.check_history(against)
    except BrokenHistory as error:
        error.exit_code = 1  # as an answer; elsewhere it is in the way of one
        raise
    by_hand = store.by_hand()
    if as_json:
        print_json({"whole": True, "changes": count, "edited_by_hand": by_hand})
        return
    changes = "1 change" if count == 1 else f"{count} changes"
    left = (
        "the site was edited by hand since; the next change puts that into the history"
        if by_hand
        else "the site is as the last left it"
    )
    sealed = " Nothing up to the seal was altered or dropped." if against is not None else ""
    print_lines(wrapped(f"The history is whole: {changes}, and {left}.{sealed}"))


@history.command()
@site_option
@json_option
def seal(where: str, as_json: bool) -> None:
    """The hash of the last change, to be kept elsewhere: it proves later, with 'history check
    --against', that nothing up to now was altered or dropped."""
    number, found = opened(where).store.seal()
    if as_json:
        print_json({"number": number, "hash": found})
    else:
        print_lines([f"After change {number} the history ends with", found])


@click.command(short_help="Take a change back.")
@click.argument("number", type=int)
@changing
def undo(number: int, how: How) -> int:
    """Take change NUMBER back, if no later one rests on it (it says which do)."""
    return carry_out(how, lambda change: change.undo(number))


COMMANDS = {"history": history, "undo": undo}
