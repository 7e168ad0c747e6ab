"""`could-gain`: what somebody could come to by the powers that they hold."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

import click

from prim_lantern.cli.common import complete_who, opened, person, print_json, print_lines
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.cli.spots import lines_of_spots
from prim_lantern.decide.explain import words
from prim_lantern.errors import BadQuestion
from prim_lantern.insight.gaining.could_gain import Chain, Gains
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped

_KEYS = ("who", "steps", "action", "where", "items", "breaks")


@click.command("could-gain", short_help="What could be come to, step by step.")
@click.argument("who", required=False, shell_complete=complete_who)
@click.option("--with", "others", multiple=True, metavar="WHO", help="Together with this person.")
@click.option(
    "--to", nargs=2, metavar="ACTION PATH", help="Instead: who could come to do this there?"
)
@list_at
def could_gain(
    who: str | None,
    others: tuple[str, ...],
    to: tuple[str, str] | None,
    where: str,
    at: str | None,
    shown: As,
) -> int:
    """What WHO could come to by steps that they may make: looking after groups, managing people,
    filing, moving and submitting what they may change. Each step is a command that would be let
    through. Exit code 1 where anything is found.

    \b
    prim-lantern could-gain anneke
    prim-lantern could-gain beatrix --with callum
    prim-lantern could-gain --to publish /log/seal-count
    """
    site = opened(where)
    if (who is None) == (to is None):
        raise BadQuestion("Name somebody, or what it is about: --to ACTION PATH.")
    found: Gains[tuple[str | None, Chain]]
    if to is not None:
        if others:
            raise BadQuestion("--with belongs to a person, and --to asks about everybody.")
        found = site.who_could_gain(*to, at)
    else:
        login = person(site, who or "")
        more = [each for each in (person(site, text) for text in others) if each is not None]
        chains = site.could_gain(login, more, at)
        found = Gains([(login, chain) for chain in chains], chains.not_looked_at)
    if shown.as_json:
        print_json([{"who": login, **chain.to_dict()} for login, chain in found])
    elif shown.to_csv is not None:
        show_list(shown, [], [*_records(found)], "", keys=_KEYS)
    else:
        print_lines(_lines(site, found, everybody=to is not None, everything=shown.everything))
        for each in found.not_looked_at:
            print_lines(wrapped(each))
    return 1 if found else 0


def _records(found: Sequence[tuple[str | None, Chain]]) -> Iterator[dict[str, object]]:
    for login, chain in found:
        for action, spots in chain.gains:
            for spot in spots:
                yield {
                    "who": login or "guest",
                    "steps": [each.command for each in chain.moves],
                    "action": action,
                    "where": spot.where,
                    "items": spot.items,
                    "breaks": list(chain.breaks),
                }


def _lines(
    site: Site, found: Sequence[tuple[str | None, Chain]], *, everybody: bool, everything: bool
) -> Iterator[str]:
    if not found:
        yield (
            "Nobody else could come to that."
            if everybody
            else ("Nothing that they may not do already.")
        )
        return
    for login, chain in found:
        named = f"{words.opening(site.data, login)}, by" if everybody else "By"
        count = len(chain.moves)
        yield styled(f"{named} {count} step{'s' if count > 1 else ''}", "strong")
        for each in chain.moves:
            yield from wrapped(f"prim-lantern {each.command}", "  ", "  ")
        for _, line in lines_of_spots(chain.gains, everything=everything):
            yield from wrapped(f"+ {line}", "    ", "  ")
        for promise in chain.breaks:
            yield from wrapped(f"! This would break a promise: {promise}", "    ", "  ")
    yield from wrapped(
        "Of items that are alike in this, one is named. What is told for fewer steps is not told "
        "again."
    )


COMMANDS = {"could-gain": could_gain}
