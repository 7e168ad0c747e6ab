"""`checkup`: what looks wrong with the site."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

import click

from prim_lantern.cli.common import opened, print_json, print_lines
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.insight.checkup import CHECKS, check_named
from prim_lantern.insight.finding import MISTAKE, NOTE, SERIOUS, Finding
from prim_lantern.show.terminal import styled, wrapped

_KEYS = ("name", "severity", "says", "where", "touches", "fix")
_HEADINGS = {SERIOUS: "Serious", MISTAKE: "Mistakes", NOTE: "Worth knowing"}
_COUNTED = {SERIOUS: "serious", MISTAKE: "mistake", NOTE: "note"}
_PAGE = 30


@click.command(short_help="What looks wrong with the site?")
@click.argument("name", required=False, shell_complete=lambda *_: list(CHECKS))
@list_at
def checkup(name: str | None, where: str, at: str | None, shown: As) -> int:
    """What looks wrong with the site: what is serious first (exit code 1 where anything is), each
    with where it is written and with a command that mends it, which was tried.

    With NAME, one sort of finding, and what it means.
    """
    means = check_named(name).means if name is not None else ""
    found = opened(where).checkup(at, name)
    if shown.as_json:
        print_json([each.to_dict() for each in found])
    elif shown.to_csv is not None:
        records = [{**each.to_dict(), "touches": _touches(each)} for each in found]
        show_list(shown, [], records, "", keys=_KEYS)
    else:
        if means:
            print_lines(line for part in means.split("\n\n") for line in (*wrapped(part), ""))
        print_lines(_lines(found, len(found) if shown.everything else _PAGE, one=name is not None))
    return 1 if any(each.severity == SERIOUS for each in found) else 0


def _touches(each: Finding) -> list[str]:
    return [f"{count} {what}" for what, count in each.touches.items()]


def _lines(found: Sequence[Finding], most: int, *, one: bool) -> Iterator[str]:
    if not found:
        yield "Nothing of the kind was found." if one else "Nothing was found that looks wrong."
        return
    for severity, some in groupby(found[:most], lambda each: each.severity):
        yield styled(_HEADINGS[severity], "strong")
        for each in some:
            called = "" if one else f" ({each.name})"
            lines = f"  [{'; '.join(each.where)}]" if each.where else ""
            first, *more = wrapped(f"- {each.says}{called}{lines}", "  ", "  ")
            yield from (first, *more)
            for command in each.fix:
                yield from wrapped(f"mend: prim-lantern {command}", "    ", "  ")
        yield ""
    if len(found) > most:
        yield f"{len(found) - most:,} more; --all shows them, --csv writes them."
    counts = [
        f"{count} {_COUNTED[severity]}{'s' if count != 1 and severity != SERIOUS else ''}"
        for severity in _HEADINGS
        if (count := sum(each.severity == severity for each in found))
    ]
    yield f"{', '.join(counts)}." + ("" if one else " 'checkup NAME' says what a sort means.")


COMMANDS = {"checkup": checkup}
