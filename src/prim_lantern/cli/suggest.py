"""`suggest`: the smallest change that lets somebody do this and nothing else."""

from __future__ import annotations

import csv
from collections.abc import Iterator, Sequence
from pathlib import Path
from typing import NamedTuple

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, maker, whos
from prim_lantern.cli.common import (
    complete_action,
    complete_place,
    complete_who,
    gathered,
    opened,
    print_json,
    print_lines,
    texts,
    whom,
)
from prim_lantern.cli.listing import As, show_list
from prim_lantern.errors import BadQuestion
from prim_lantern.insight.wishes.suggest import Suggestion, Suggestions
from prim_lantern.insight.wishes.wish import Wish, says
from prim_lantern.live import Site
from prim_lantern.show.changes import effect_lines, effect_rows
from prim_lantern.show.terminal import styled, wrapped

_KEYS = ("suggestion", "commands", "who", "action", "where", "effect", "refused")
_COLUMNS = ("who", "action", "place", "may", "kind", "filed", "below")


class Wished(NamedTuple):
    """What else is wished for, and how."""

    never: bool
    below: bool
    kind: str | None
    filed: tuple[str, ...]
    also: tuple[str, ...]
    file: str | None


_WISHED = (
    click.option("--not", "never", is_flag=True, help="That they may not, any longer."),
    click.option("--below", is_flag=True, help="To all at and below the path."),
    click.option("--kind", help="For create: the kind of item."),
    click.option("--filed", multiple=True, metavar="CATEGORY", help="For create and file-under."),
    click.option("--also", multiple=True, metavar="WISH", help="One more: 'WHO ACTION PLACE'."),
    click.option("--from", "file", metavar="FILE", help="Wishes from CSV: who, action, place …"),
)


@click.command(short_help="The least that is enough.")
@click.argument("who", required=False, shell_complete=complete_who)
@click.argument("action", required=False, shell_complete=complete_action)
@click.argument("place", required=False, shell_complete=complete_place)
@gathered(Wished, "wished", _WISHED)
@click.option("--make", metavar="N", type=int, help="Make suggestion N.")
@changing
def suggest(
    who: str | None,
    action: str | None,
    place: str | None,
    wished: Wished,
    make: int | None,
    how: How,
) -> int:
    """What would let WHO do ACTION at PLACE, and nothing else, or as little as can be: each
    suggestion was tried, and is told with all that it does. --make N makes one.

    With --by, it is said of each whether that person may make it, and else whom to ask.

    \b
    prim-lantern suggest gwen edit /visit/prices
    prim-lantern suggest group:friends read /patrons --not
    prim-lantern suggest sam create /log --kind post --filed topic:press
    prim-lantern suggest gwen.tarrow edit /visit/prices --make 1 --by hana.okafor
    """
    site = opened(how.where)
    wishes = _wishes(site, (who, action, place), wished, exactly=make is not None)
    by = maker(site, how.by) if how.by is not None else None
    found = site.suggest(wishes, by)
    if make is not None:
        chosen = _chosen(found, make)

        def build(change: Change) -> None:
            for each in chosen.operations:
                change.do(each)

        return carry_out(how, build)
    if how.as_json:
        print_json({"wishes": [each.to_dict() for each in wishes], **found.to_dict()})
    elif how.to_csv is not None:
        show_list(As(False, how.to_csv, True), [], [*_records(found)], "", keys=_KEYS)
    else:
        print_lines(_lines(site, wishes, found))
    return 0 if found.options or found.already else 1


def _wishes(
    site: Site, first: tuple[str | None, str | None, str | None], wished: Wished, *, exactly: bool
) -> list[Wish]:
    """All that is wished for; people by their whole names (`exactly`), where it is to be made."""
    never, below, kind, filed, also, file = wished
    who, action, place = first
    wishes = []
    if who is not None:
        options = {"may": not never, "below": below, "kind": kind, "categories": filed}
        wishes.append(_wish(site, who, action, place, exactly=exactly, **options))
    wishes += [_wish(site, *_three(each), exactly=exactly) for each in also]
    wishes += _from_file(site, file) if file is not None else []
    if not wishes:
        raise BadQuestion("Say what is wished for: WHO ACTION PLACE, --also or --from FILE.")
    return wishes


def _wish(
    site: Site,
    who: str,
    action: str | None,
    place: str | None,
    *,
    exactly: bool = True,
    **options: object,
) -> Wish:
    """A wish as it is written."""
    if action is None:
        raise BadQuestion("Say what is wished for: WHO ACTION PLACE.")
    found = whom(site, who)
    if exactly and found != "guests":
        (found,) = whos(site, who)
    return site.wish(None if found == "guests" else found, action, place or "site", **options)  # type: ignore[arg-type]


def _three(text: str) -> tuple[str, str, str]:
    parts = text.split()
    if len(parts) not in (2, 3):
        raise BadQuestion(f"{text!r} is no wish: write --also 'WHO ACTION PLACE'.")
    return parts[0], parts[1], parts[2] if len(parts) == 3 else "site"


def _from_file(site: Site, file: str) -> Iterator[Wish]:
    with Path(file).open(encoding="utf-8-sig", newline="") as lines:
        reader = csv.DictReader(lines)
        missing = {"who", "action", "place"} - set(reader.fieldnames or ())
        unknown = set(reader.fieldnames or ()) - set(_COLUMNS)
        if missing or unknown:
            raise BadQuestion(
                f"{file}: wishes need the columns who, action and place; may, below, kind and "
                f"filed can be there as well{_told(unknown)}."
            )
        for number, row in enumerate(reader, 2):
            may = (row.get("may") or "yes").strip().lower()
            if may not in ("yes", "no"):
                raise BadQuestion(f"{file}, line {number}: may is {may!r}; write yes or no.")
            yield _wish(
                site,
                row["who"],
                row["action"],
                row["place"],
                may=may == "yes",
                below=(row.get("below") or "no").strip().lower() == "yes",
                kind=row.get("kind") or None,
                categories=texts(row.get("filed")),
            )


def _records(found: Suggestions) -> Iterator[dict[str, object]]:
    """Every effect of every suggestion."""
    for number, each in enumerate(found.options, 1):
        for row in effect_rows(each.effects):
            yield dict(zip(_KEYS, (number, each.commands, *row, each.refused), strict=True))


def _told(unknown: set[str]) -> str:
    return f"; {', '.join(sorted(unknown))} cannot" if unknown else ""


def _chosen(found: Suggestions, number: int) -> Suggestion:
    if found.already:
        raise BadQuestion("It is so already; there is nothing to make.")
    if not 1 <= number <= len(found.options):
        count = len(found.options)
        raise BadQuestion(
            f"There is no suggestion {number}: "
            + (f"they are numbered from 1 to {count}." if count else "nothing was found to make.")
        )
    return found.options[number - 1]


def _lines(site: Site, wishes: Sequence[Wish], found: Suggestions) -> Iterator[str]:
    for wish in wishes:
        yield from wrapped(f"Wished for: {says(site.data, wish)}.", more="  ")
    if found.already:
        yield "It is so already."
        return
    if not found.options:
        yield "Nothing that was tried does it."
        for reason in found.in_the_way:
            yield from wrapped(f"- {reason}", "  ", "  ")
        return
    for number, each in enumerate(found.options, 1):
        yield ""
        yield from _of(number, each)
    yield ""
    yield from wrapped(_summary(found))


def _of(number: int, each: Suggestion) -> Iterator[str]:
    more = f"{each.beyond:,} effect{'s' if each.beyond > 1 else ''} more than was wished for"
    nothing = "nothing else that is counted here" if each.effects.not_counted else "nothing else"
    beyond = more if each.beyond else nothing
    yield f"{styled(f'Suggestion {number}', 'strong')}, {beyond}"
    for command in each.commands:
        yield from wrapped(f"prim-lantern {command}", "  ", "  ")
    lines = effect_lines(each.lines(), (), (), each.effects)
    yield from (line for line in lines if line.startswith(" "))
    if each.refused:
        ask = f" Ask {' or '.join(each.ask)}." if each.ask else ""
        yield from wrapped(f"! Not yours to make: {each.refused}.{ask}", "  ", "  ")


def _summary(found: Suggestions) -> str:
    singles, pairs = found.tried
    tried = f"{singles} single step{'s' if singles != 1 else ''}"
    tried += f" and {pairs:,} pairs" if pairs else ""
    said = f"{tried} were looked at"
    if found.least:
        said += ", and none does less than the first" if not pairs else "; none does less"
    if found.breaking:
        said += f"; {found.breaking} more would break a promise"
    return f"{said}. --make N makes one."


COMMANDS = {"suggest": suggest}
