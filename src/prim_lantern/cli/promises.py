"""`promises` and `promise`: what must stay true."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import Any
from xml.etree import ElementTree

import click

from prim_lantern.cli.changing import How, carry_out, changing, whos
from prim_lantern.cli.common import (
    complete_place,
    opened,
    print_json,
    print_lines,
    texts,
)
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.decision import Decision
from prim_lantern.decide.views.promises import PromiseCheck
from prim_lantern.errors import BadQuestion
from prim_lantern.formats.whole import written_whole
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.moments import written


@click.command(short_help="Does what was promised hold?")
@click.option("--ever", is_flag=True, help="At every moment from now on as well.")
@click.option(
    "--junit", metavar="FILE", help="Write JUnit XML, for a build server ('-': to the output)."
)
@list_at
def promises(ever: bool, junit: str | None, where: str, at: str | None, shown: As) -> int:
    """Every promise of the site, and whether it holds: for all of whom it speaks, at every item
    there and below (exit code 1 where one does not)."""
    site = opened(where)
    found = site.check_promises(at, ever=ever)
    code = 0 if all(each.kept for each in found) else 1
    if junit == "-":
        click.echo(_junit(site, found))
        return code
    if junit is not None:
        xml = _junit(site, found)
        written_whole(Path(junit), lambda beside: beside.write_bytes(xml))
    records = [_record(site, each) for each in found]
    if shown.as_json:
        print_json(records)
    elif shown.to_csv is not None or not found:
        show_list(shown, [], records, "Nothing was promised yet: 'promise add' does.", keys=_KEYS)
    else:
        for each in found:
            print_lines(_lines(site, each))
        kept = sum(each.kept for each in found)
        click.echo(f"{kept} of {len(found)} hold{' at every moment from now on' if ever else ''}.")
    return code


_KEYS = (
    "number",
    "promise",
    "who",
    "may",
    "actions",
    "where",
    "note",
    "kept",
    "broken",
    "example",
    "example_who",
    "example_action",
    "example_path",
    "moment",
    "since_change",
    "written",
)


def _record(site: Site, check: PromiseCheck) -> dict[str, Any]:
    return {
        "number": check.number,
        "promise": check.says,
        "who": list(map(str, check.promise.who)),
        "may": check.promise.may,
        "actions": list(check.promise.actions),
        "where": str(check.promise.where),
        "note": check.promise.note,
        "kept": check.kept,
        "broken": check.broken,
        "example": _why(site, check),
        "example_who": (check.example.who or "guest") if check.example else None,
        "example_action": check.example.action if check.example else None,
        "example_path": check.example.path if check.example else None,
        "moment": written(check.at) if not check.kept else None,
        "since_change": check.since,
        "written": str(check.promise.origin or ""),
    }


def _why(site: Site, check: PromiseCheck) -> str | None:
    """The shortest example of what breaks a promise, with why."""
    if check.example is None:
        return None
    engine = site.engine_for(site.data, check.at)
    decision = Decision(not check.promise.may, engine, check.example)
    return decision.explanation.sentence


def _lines(site: Site, check: PromiseCheck) -> Iterator[str]:
    origin = f"  [{check.promise.origin}]" if check.promise.origin else ""
    mark, style = ("holds", "yes") if check.kept else ("broken", "no")
    note = f" ({check.promise.note})" if check.promise.note else ""
    first, *more = wrapped(f"{check.number}. {mark}: {check.says}{note}{origin}", "", "   ")
    yield first.replace(mark, styled(mark, style), 1)  # only now: colours take no room
    yield from more
    if check.kept:
        return
    times = "once" if check.broken == 1 else f"{check.broken:,} times"
    later = f", from {written(check.at)}" if check.at > site.moment() else ""
    yield f"   {times}{later}; for example:"
    yield from wrapped(_why(site, check) or "", "   ", "  ")
    if check.since is not None:
        broke = (
            f"Change {check.since} broke it: 'prim-lantern history show {check.since}' tells how."
        )
        yield from wrapped(broke, "   ", "  ")


def _junit(site: Site, found: Sequence[PromiseCheck]) -> bytes:
    """The result as JUnit XML: one suite, a test case for each promise."""
    failures = str(sum(not each.kept for each in found))
    counts = {"tests": str(len(found)), "failures": failures, "errors": "0", "skipped": "0"}
    suites = ElementTree.Element("testsuites", counts)
    suite = ElementTree.SubElement(suites, "testsuite", {"name": "promises", **counts})
    for each in found:
        case = ElementTree.SubElement(
            suite, "testcase", {"classname": "promises", "name": f"{each.number}. {each.says}"}
        )
        if not each.kept:
            message = f"does not hold {each.broken} times"
            told = ElementTree.SubElement(case, "failure", {"message": message})
            told.text = _why(site, each)
    text: bytes = ElementTree.tostring(suites, encoding="utf-8", xml_declaration=True)
    return text


@click.group(short_help="Add and remove promises.")
def promise() -> None:
    """Promises: what must stay true. A promise gives and takes nothing; every change tells where it
    would break one, and 'promises' checks them all."""


@promise.command()
@click.argument("who")
@click.argument("word", metavar="may|may-not", type=click.Choice(["may", "may-not"]))
@click.argument("actions")
@click.argument("place", default="site", shell_complete=complete_place)
@click.option("--note", default="", help="What it is for.")
@changing
def add(who: str, word: str, actions: str, place: str, note: str, how: How) -> int:
    """Promise that WHO may, or may-not, do ACTIONS at PLACE and below.

    \b
    prim-lantern promise add guests may-not read /trustees
    """
    return carry_out(
        how,
        lambda change: change.add_promise(
            whos(change.site, who), texts(actions), place, word == "may", note
        ),
    )


@promise.command()
@click.argument("number", type=int)
@changing
def remove(number: int, how: How) -> int:
    """Remove the promise with this NUMBER in 'promises'."""
    there = opened(how.where).data.promises
    if not 1 <= number <= len(there):
        has = f"there are the promises 1 to {len(there)}" if there else "there is none"
        raise BadQuestion(f"There is no promise {number}: {has}.")
    gone = there[number - 1]
    return carry_out(
        how,
        lambda change: change.remove_promise(
            tuple(map(str, gone.who)), gone.actions, str(gone.where), gone.may
        ),
    )


COMMANDS = {"promises": promises, "promise": promise}
