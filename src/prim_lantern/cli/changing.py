"""What all commands share that change something: trying, confirming, making."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterable, Sequence
from pathlib import Path
from typing import Any, NamedTuple

import click

from prim_lantern.change.effects.effects import Effects
from prim_lantern.changeable import Changeable
from prim_lantern.changing import Change
from prim_lantern.cli.common import (
    gathered,
    json_option,
    opened,
    person_exactly,
    print_json,
    print_lines,
    print_text,
    site_option,
    texts,
)
from prim_lantern.errors import BadQuestion, BadSite, NotConfirmed, UnknownUser
from prim_lantern.formats.incoming.table import read_table
from prim_lantern.formats.whole import write_whole
from prim_lantern.live import Site
from prim_lantern.show.changes import (
    caution_lines,
    effect_lines,
    effect_rows,
    effects_csv,
    effects_dict,
)
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.names import folded
from prim_lantern.site.origin import Origin, Problem
from prim_lantern.site.who import AUDIENCES

by_option = click.option(
    "--by",
    envvar="PRIM_LANTERN_BY",
    metavar="WHO",
    help="Who does it: a login, name or e-mail (PRIM_LANTERN_BY).",
)


class How(NamedTuple):
    """How a change is to be made: on which site, by whom, why, and what is to be shown."""

    where: str
    by: str | None
    because: str
    trying: bool
    yes: bool
    as_json: bool
    listing: bool
    to_csv: str | None


_OPTIONS = (
    by_option,
    click.option("--because", default="", metavar="TEXT", help="Why; the history keeps it."),
    click.option("--try", "trying", is_flag=True, help="Show the effects; change nothing."),
    click.option("--yes", is_flag=True, help="Make it without asking, whatever it touches."),
    click.option("--list", "listing", is_flag=True, help="Show every effect by itself."),
    click.option(
        "--csv", "to_csv", metavar="FILE", help="Every effect as CSV ('-': to the output)."
    ),
    site_option,
    json_option,
)

changing = gathered(How, "how", _OPTIONS)
"""The options that every command has which changes something; it gets them as `how`."""


def maker(site: Changeable, by: str | None) -> str:
    """The login of the one who does it; `BadQuestion` where nobody was named."""
    if by is None:
        raise BadQuestion(
            "Say who does it: --by LOGIN, or the environment variable PRIM_LANTERN_BY. "
            f"The owner of this site is {site.data.owner}."
        )
    login = person_exactly(site, by)
    if login is None:
        raise BadQuestion("A guest changes nothing: say who does it with --by LOGIN.")
    return login


def carry_out(
    how: How,
    build: Callable[[Change], object],
    before: Callable[[Change], Iterable[str]] | None = None,
    after: Callable[[Site], None] | None = None,
    *,
    reasons: bool = True,
    steps: bool = True,
) -> int:
    """Put a change together, show what it does, ask where it is worth it, and make it.

    `before` says more that belongs on top of the effects; `after` does what follows the making;
    `reasons` are told where nothing changes for anybody, unless just that is meant, and the `steps`
    unless `before` tells them.
    """
    site = opened(how.where)
    change = site.change(maker(site, how.by), how.because)
    build(change)
    effects, cautions = change.effects(), change.cautions()
    printed = how.to_csv == "-" and not how.as_json  # what is said besides is not among it
    if how.to_csv and how.to_csv != "-":
        write_whole(Path(how.to_csv), effects_csv(effects))
    told: dict[str, Any] = {"said": list(change.said), "cautions": cautions}
    if how.as_json:
        told["effects"] = _for_programs(change, listing=how.listing)
    elif printed:
        click.echo(effects_csv(effects), nl=False)
        _say_besides(effects, cautions)
    else:
        on_top = before(change) if before else ()
        _show(change, on_top, cautions, listing=how.listing, reasons=reasons, steps=steps)
    if how.trying:
        if how.as_json:
            print_json({"made": False, **told})
        else:
            click.echo(styled("Only tried; nothing was changed.", "faint"), err=printed)
        return 0
    _confirm(how, cautions, told)
    record = change.make()
    if how.as_json:
        print_json({"made": True, "number": record.number, **told})
    else:
        click.echo(
            f"Made: change {record.number}. 'prim-lantern undo {record.number}' takes it back.",
            err=printed,
        )
    if after is not None:
        after(site)
    return 0


def _say_besides(effects: Effects, cautions: Iterable[str]) -> None:
    """What CSV has no room for."""
    for each in effects.not_counted:
        click.echo(each, err=True)
    for each in cautions:
        click.echo(f"Worth a second thought: {each}", err=True)


def _for_programs(change: Change, *, listing: bool) -> dict[str, Any]:
    """The effects of a change as plain data."""
    effects = change.effects()
    told = effects_dict(effects, change.lines())
    told["later"] = [
        {"when": when, "in_short": list(map(str, lines))} for when, lines in change.later()
    ]
    told["nothing_because"] = change.why_nothing()
    if listing and effects:
        told["all"] = [
            dict(zip(("who", "action", "where", "effect"), row, strict=True))
            for row in effect_rows(effects)
        ]
    return told


def _show(
    change: Change,
    on_top: Iterable[str],
    cautions: Sequence[str],
    *,
    listing: bool,
    reasons: bool,
    steps: bool,
) -> None:
    """What a change does, and what is worth a second thought."""
    for step in dict.fromkeys(change.said) if steps else ():
        print_lines(wrapped(f"{step[:1].upper()}{step[1:]}.", more="  "))
    print_lines(on_top)
    effects = change.effects()
    lines, later = change.lines(), change.later()
    because = change.why_nothing() if reasons else []
    print_lines(effect_lines(lines, later, because, effects))
    if listing and effects:
        _print_list(effect_rows(effects))
    elif any(line.gains is None for line in lines):
        print_text("--list shows all of it, --csv writes it.")
    print_lines(caution_lines(cautions))


def _confirm(how: How, cautions: list[str], told: dict[str, Any]) -> None:
    if not cautions or how.yes:
        return
    if how.as_json or not (sys.stdin.isatty() and sys.stdout.isatty()):
        if how.as_json:
            print_json({"made": False, **told})
        raise NotConfirmed(cautions)
    click.confirm("Make this change?", abort=True)


def _print_list(rows: Iterable[tuple[str, str, str, str]]) -> None:
    from prim_lantern.show.tables import table
    from prim_lantern.show.terminal import console

    console().print(
        table(["Who", "Effect", "Action", "Where"], [(a, d, b, c) for a, b, c, d in rows])
    )


# Reading what was written on the command line ----------------------------------------------


def whos(site: Changeable, text: str) -> tuple[str, ...]:
    """Whos as operations take them: `group:…`, `role:…`, an audience, a group by its bare name, or
    people by login, name or e-mail address."""
    return tuple(_who(site, each) for each in texts(text))


def _who(site: Changeable, text: str) -> str:
    if text in (*AUDIENCES, "authors") or text.startswith(("group:", "role:")):
        return text
    if folded(text) in site.data.groups:
        return f"group:{folded(text)}"
    return f"user:{login_of(site, text)}"


def login_of(site: Changeable, text: str) -> str:
    """The login of the one person whom a text names."""
    found = person_exactly(site, text)
    if found is None:
        raise BadQuestion(f"{text!r} is no person; name somebody by login or name.")
    return found


def logins_of(site: Changeable, some: Iterable[str], file: str | None = None) -> tuple[str, ...]:
    """The logins of people named, and of those in a file: its first column, or `login`."""
    found = [login_of(site, each) for text in some for each in texts(text)]
    if file is not None:
        found += _listed(site, file)
    return tuple(dict.fromkeys(found))


def _listed(site: Changeable, file: str) -> list[str]:
    """The logins in a file; `BadSite` with all that are nobody's."""
    raw = sys.stdin.buffer.read() if file == "-" else Path(file).read_bytes()
    table = read_table(raw, "the input" if file == "-" else file)
    head = [folded(each) for each in table.header]
    at = head.index("login") if "login" in head else 0
    rows = table.rows if "login" in head else [(1, table.header), *table.rows]
    found, problems = [], []
    for line, cells in rows:
        try:
            found += [site.data.login(cells[at].strip())] if cells[at].strip() else []
        except UnknownUser as error:
            origin = Origin(table.file, line)
            told = "is no user of this site."
            problems.append(Problem(origin, "login", cells[at], told, tuple(error.suggestions)))
    if problems:
        raise BadSite(problems, table.file)
    if not found:
        raise BadQuestion(f"Nobody is named in {table.file}.")
    return found


def settings(some: Iterable[str]) -> dict[str, str]:
    """Attributes from texts such as `station=marrow`."""
    found = {}
    for each in some:
        name, equals, value = each.partition("=")
        if not equals or not name.strip():
            raise BadQuestion(f"{each!r} sets nothing: write NAME=VALUE, as in station=marrow.")
        found[name.strip()] = value.strip()
    return found
