"""`checkup` and `finding`: what looks wrong with the site, and what is right as it is."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import groupby

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import opened, print_json, print_lines
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.errors import BadQuestion, UnknownName
from prim_lantern.insight.checks import never_decides
from prim_lantern.insight.checkup import CHECKS, check_named
from prim_lantern.insight.finding import MISTAKE, NOTE, SERIOUS, Finding
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.names import Near

_KEYS = ("key", "name", "severity", "says", "where", "touches", "fix", "accepted")
_HEADINGS = {SERIOUS: "Serious", MISTAKE: "Mistakes", NOTE: "Worth knowing"}
_COUNTED = {SERIOUS: "serious", MISTAKE: "mistake", NOTE: "note"}
_PAGE = 30
_WHERE = 4  # places that are named of one finding


@click.command(short_help="What looks wrong with the site?")
@click.argument("name", required=False, shell_complete=lambda *_: list(CHECKS))
@click.option(
    "--each-word",
    is_flag=True,
    help="Try each word without the others, however many there are: this can take many minutes.",
)
@list_at
def checkup(name: str | None, each_word: bool, where: str, at: str | None, shown: As) -> int:
    """What looks wrong with the site: what is serious first (exit code 1 where anything is), each
    with where it is written and with a command that mends it, which was tried.

    With NAME, one sort of finding, and what it means. What is right as it is can be accepted:
    'finding accept'.
    """
    means = check_named(name).means if name is not None else ""
    found = opened(where).checkup(at, name, each_word=each_word)
    still = [each for each in found if not each.accepted]
    if shown.as_json:
        print_json([each.to_dict() for each in found])
    elif shown.to_csv is not None:
        records = [{**each.to_dict(), "touches": _touches(each)} for each in found]
        show_list(shown, [], records, "", keys=_KEYS)
    else:
        if means:
            print_lines(line for part in means.split("\n\n") for line in (*wrapped(part), ""))
        print_lines(_lines(still, len(still) if shown.everything else _PAGE, one=name is not None))
        print_lines(_accepted([each for each in found if each.accepted]))
    return 1 if any(each.severity == SERIOUS for each in still) else 0


def _touches(each: Finding) -> list[str]:
    return [f"{what}: {count}" for what, count in each.touches.items()]


def _lines(found: Sequence[Finding], most: int, *, one: bool) -> Iterator[str]:
    if not found:
        yield "Nothing of the kind is left." if one else "Nothing is left that looks wrong."
        return
    for severity, some in groupby(found[:most], lambda each: each.severity):
        yield styled(_HEADINGS[severity], "strong")
        for each in some:
            lines = f"  [{_where(each.where)}]" if each.where else ""
            first, *more = wrapped(f"- {each.says} ({each.key}){lines}", "  ", "  ")
            yield from (first, *more)
            for command in each.fix:
                yield from wrapped(f"mend: prim-lantern {command}", "    ", "  ")
        yield ""
    if len(found) > most:
        yield from wrapped(f"{len(found) - most:,} more; --all shows them, --csv writes them.")
    counts = [
        f"{count} {_COUNTED[severity]}{'s' if count != 1 and severity != SERIOUS else ''}"
        for severity in _HEADINGS
        if (count := sum(each.severity == severity for each in found))
    ]
    means = "" if one else " 'checkup NAME' says what a sort means."
    yield from wrapped(f"{', '.join(counts)}.{means}")


def _where(written: Sequence[str]) -> str:
    more = len(written) - _WHERE
    return "; ".join(written[:_WHERE]) + (f"; and {more} more" if more > 0 else "")


def _accepted(found: Sequence[Finding]) -> Iterator[str]:
    if not found:
        return
    yield styled("Accepted as they are", "strong")
    for each in found:
        yield from wrapped(f"- {each.says} ({each.key}): {each.accepted}", "  ", "  ")


# Accepting -----------------------------------------------------------------------------------


@click.group(short_help="Findings that are right as they are.")
def finding() -> None:
    """Findings of the checkup that are right as they are."""


@finding.command()
@click.argument("key")
@click.option("--until", metavar="WHEN", help="Accepted until then, and told again.")
@changing
def accept(key: str, until: str | None, how: How) -> int:
    """Accept the finding KEY, as the checkup calls it; --because says why it is right as it is.
    The checkup shows it apart from then on."""
    if not how.because.strip():
        raise BadQuestion("Say why it is right as it is: --because TEXT.")
    said = _finding(opened(how.where), key).says

    def build(change: Change) -> None:
        change.accept_finding(key, how.because, said, until)

    return carry_out(how, build, reasons=False)


def _finding(site: Site, key: str) -> Finding:
    """A finding by its key, as the checkup finds it now."""
    name = key.rpartition("-")[0]
    only = name if name in CHECKS else None
    found = {each.key: each for each in site.checkup(only=only)}
    if key not in found and only == never_decides.NAME:  # it may be of more words than are tried
        found |= {each.key: each for each in site.checkup(only=only, each_word=True)}
    if key not in found:
        raise UnknownName("The finding", key, Near(key, found))
    return found[key]


@finding.command()
@click.argument("key")
@changing
def reopen(key: str, how: How) -> int:
    """Accept the finding KEY no longer: the checkup shows it again."""
    return carry_out(how, lambda change: change.reopen_finding(key), reasons=False)


COMMANDS = {"checkup": checkup, "finding": finding}
