"""`queue`: what waits for somebody."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import click

from prim_lantern.cli.common import (
    complete_who,
    opened,
    person,
    print_json,
    print_lines,
)
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.explain import words
from prim_lantern.decide.views.queue import Own, Queue, Step, Waiting
from prim_lantern.errors import BadQuestion
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.moments import written


@click.command(short_help="What waits for somebody.")
@click.argument("who", envvar="PRIM_LANTERN_BY", required=False, shell_complete=complete_who)
@click.option(
    "--coming",
    "days",
    type=click.IntRange(1, 3660),
    default=30,
    show_default=True,
    help="Also what becomes public or ends within so many days.",
)
@list_at
def queue(who: str | None, days: int, where: str, at: str | None, shown: As) -> None:
    """What waits for WHO (PRIM_LANTERN_BY, when left out) to publish or send back, the oldest
    first; what of their own waits, and for whom; what becomes public or ends soon."""
    if who is None:
        raise BadQuestion("Say whose queue: a login or name, or the variable PRIM_LANTERN_BY.")
    site = opened(where)
    login = person(site, who)
    if login is None:
        raise BadQuestion("Nothing waits for a guest.")
    found = site.queue(login, at, days=days)
    if shown.as_json:
        print_json(found.to_dict())
    elif shown.to_csv is not None:
        show_list(shown, [], list(_records(found)), "", keys=_KEYS)
    else:
        print_lines(_lines(site, found, days))


_KEYS = ("list", "path", "title", "state", "when", "who", "may", "why")


def _records(found: Queue) -> Iterator[dict[str, object]]:
    """A row for each that waits: to decide, of their own, and what comes."""
    for each in found.to_decide:
        row = {**each._asdict(), "state": "in-review", "who": each.authors}
        yield {**row, "list": "to decide", "when": each.submitted and written(each.submitted.at)}
    for mine in found.own:
        why = mine.sent_back and mine.sent_back.reason
        when = mine.sent_back and written(mine.sent_back.at)
        row = {**mine._asdict(), "who": mine.waits_for, "why": why, "when": when}
        yield {**row, "list": "own"}
    for soon in found.coming:
        yield {**soon._asdict(), "list": "coming", "when": written(soon.at), "why": soon.what}


def _lines(site: Site, found: Queue, days: int) -> Iterator[str]:
    name = words.opening(site.data, found.who)
    yield styled(f"Waits for {name} to decide", "strong")
    for each in found.to_decide:
        yield from _waiting(site, each)
    if not found.to_decide:
        yield "  nothing"
    if found.own:
        yield ""
        yield styled("Of their own", "strong")
    for mine in found.own:
        yield from _own(site, mine)
    if found.coming:
        yield ""
        yield styled(f"Within {days} days", "strong")
    for soon in found.coming:
        yield from wrapped(
            f"{written(soon.at)}: {soon.path}  “{soon.title}” {soon.what}", "  ", "  "
        )


def _waiting(site: Site, each: Waiting) -> Iterator[str]:
    kind = site.data.all_kinds[each.kind].called
    yield from wrapped(f"{each.path}  “{each.title}” ({kind})", "  ", "  ")
    who = words.listed(_called(site, each.authors)) or "nobody named"
    sent = f", submitted {_step(site, each.submitted)}" if each.submitted else ""
    yield from wrapped(f"by {who}{sent}", "    ")
    readers = f"{each.readers} people" if each.readers != 1 else "1 person"
    world = "everybody in the world" if each.guests else readers
    yield from wrapped(f"once published, {world} may read it", "    ")
    yield from wrapped(f"may {words.listed(each.may)}: {each.why}", "    ")


def _own(site: Site, each: Own) -> Iterator[str]:
    yield from wrapped(f"{each.path}  “{each.title}” ({each.state})", "  ", "  ")
    if each.state == "in-review":
        who = words.some(_called(site, each.waits_for), 5) or "nobody: no one may publish it"
        yield from wrapped(f"waits for {who}", "    ")
    if each.sent_back is not None:
        because = f": {each.sent_back.reason}" if each.sent_back.reason else ""
        yield from wrapped(f"sent back {_step(site, each.sent_back)}{because}", "    ")


def _step(site: Site, step: Step) -> str:
    by = site.data.users[step.by].called if step.by in site.data.users else step.by
    return f"on {step.at:%Y-%m-%d} by {by or 'hand'}"


def _called(site: Site, logins: Sequence[str]) -> list[str]:
    users = site.data.users
    return [users[each].called if each in users else each for each in logins]


COMMANDS = {"queue": queue}
