"""`compare`: two people, two moments or two sites side by side."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from datetime import datetime
from typing import NamedTuple

import click

from prim_lantern.change.effects.summary import lines_of
from prim_lantern.cli.common import (
    complete_action,
    complete_place,
    complete_who,
    gathered,
    opened,
    person_or_anybody,
    print_json,
    print_lines,
    print_text,
)
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.cli.spots import lines_of_spots
from prim_lantern.decide.explain import words
from prim_lantern.errors import BadQuestion
from prim_lantern.insight.comparing.compare import Compared, More, Side
from prim_lantern.insight.comparing.difference import Thing
from prim_lantern.live import Site
from prim_lantern.opening import open_site
from prim_lantern.show.changes import effect_lines, effect_rows, effects_dict
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.moments import written
from prim_lantern.state import Whom

_EXPLAINED = 6  # places of one line
_KEYS = ("who", "action", "where", "whole_section", "items")


class Other(NamedTuple):
    """What the second side is, where it is not the same site at the same moment."""

    other_at: str | None
    other_stood: str | None
    other_site: str | None

    @property
    def said(self) -> bool:
        """Whether any of it was asked for."""
        return any(each is not None for each in self)


_OTHER = (
    click.option("--other-at", metavar="WHEN", help="The other side with the clock set to this."),
    click.option("--other-stood", metavar="WHEN", help="The other side as the site stood then."),
    click.option("--other-site", metavar="SITE", help="The other side is this folder or database."),
)


@click.command(short_help="What one may that the other may not.")
@click.argument("one", required=False, shell_complete=complete_who)
@click.argument("other", required=False, shell_complete=complete_who)
@click.argument("action", required=False, shell_complete=complete_action)
@click.argument("place", required=False, shell_complete=complete_place)
@click.option("--why", is_flag=True, help="With each line, what makes the difference.")
@gathered(Other, "second", _OTHER)
@list_at
def compare(
    one: str | None,
    other: str | None,
    action: str | None,
    place: str | None,
    why: bool,
    second: Other,
    where: str,
    at: str | None,
    shown: As,
) -> None:
    """What ONE may that OTHER may not, and the other way round, from broad to narrow.

    Both are people, "guest", group:…, role:… or signed-in. With ACTION and PLACE: the fewest
    memberships, rules and given roles that make the difference there.
    With --other-at, --other-stood or --other-site, ONE on this side and on the other; where
    nobody is named, what everybody gains and loses from the earlier moment to the later, or from
    the other site to this one.

    \b
    prim-lantern compare kit sam
    prim-lantern compare mirela sam edit /visit/prices
    prim-lantern compare sam --other-at 2028-01-01
    prim-lantern compare --other-stood 2027-01-01
    """
    site = opened(where)
    there = _other_site(second, site)
    if one is None:
        _everybody(site, there, second, at, shown)
        return
    if other is None:
        if not second.said:
            raise BadQuestion("Name the other one as well, or another moment: --other-at WHEN.")
        other = one
    first, last = person_or_anybody(site, one), person_or_anybody(there or site, other)
    if action is not None:
        if second.said:
            raise BadQuestion("For one item on two sides ask 'why' on each of them.")
        _one_thing(site, (first, last), action, place or "site", at, shown)
        return
    _two(site, there, (first, last), second, at, shown, why=why)


def _other_site(second: Other, site: Site) -> Site | None:
    if second.other_site is not None and second.other_stood is None:
        return open_site(second.other_site)
    if second.other_stood is not None:
        whole = open_site(second.other_site) if second.other_site is not None else site
        return whole.as_it_stood(second.other_stood)
    return None


# One action at one place ---------------------------------------------------------------------


def _one_thing(
    site: Site,
    whos: tuple[Whom, Whom],
    action: str,
    place: str,
    at: str | None,
    shown: As,
) -> None:
    things = site.what_makes_the_difference(*whos, action, place, at)
    sentences, allowed = [], []
    for who in whos:
        managing = site.data.action(action) in MANAGING_ACTIONS
        ask = site.may_manage if managing else site.may
        decision = ask(who, action, place, at)
        sentences.append(decision.explanation.sentence)
        allowed.append(decision.allowed)
    if shown.as_json:
        told = zip(whos, allowed, sentences, strict=True)
        sides = [{"who": who, "allowed": may, "sentence": text} for who, may, text in told]
        print_json({"sides": sides, "difference": [each.to_dict() for each in things]})
        return
    if shown.to_csv is not None:
        records = [each.to_dict() for each in things]
        show_list(shown, [], records, "", keys=("says", "where"))
        return
    for sentence in sentences:
        print_lines(wrapped(sentence, more="  "))
    if allowed[0] == allowed[1]:
        print_text(f"{'Both may' if allowed[0] else 'Neither may'}: nothing tells them apart here.")
        return
    click.echo(styled("What makes the difference", "strong"))
    print_lines(_thing_lines(things))


def _thing_lines(things: Sequence[Thing], indent: str = "  ") -> Iterator[str]:
    for each in things:
        at = f"  [{each.where}]" if each.where else ""
        yield from wrapped(f"- {each.says}{at}", indent, "  ")


# Everything ------------------------------------------------------------------------------------


def _two(
    site: Site,
    there: Site | None,
    whos: tuple[Whom, Whom],
    second: Other,
    at: str | None,
    shown: As,
    *,
    why: bool,
) -> None:
    moment = second.other_stood or second.other_at
    other = "as the site stood then" if second.other_stood is not None else "on the other site"
    found = site.compare(*whos, at, other_site=there, other_at=moment, other_called=other)
    reasons = _reasons(site, found, whos, at) if why and not second.said else {}
    if shown.as_json:
        told = found.to_dict()
        for each, more in zip(told["more"], found.more, strict=True):
            if more in reasons:
                each["why"] = [
                    {"places": places, "things": [thing.to_dict() for thing in things]}
                    for places, things in reasons[more]
                ]
        print_json(told)
    elif shown.to_csv is not None:
        show_list(shown, [], [*found.records()], "", keys=_KEYS)
    else:
        print_lines(_lines(found, reasons, everything=shown.everything))


_Reasons = dict[More, list[tuple[list[str], list[Thing]]]]
"""For what one may and the other may not: some places, and what makes the difference there."""


def _reasons(site: Site, found: Compared, whos: tuple[Whom, Whom], at: str | None) -> _Reasons:
    """What makes the difference at the first places of each line, where they are items."""
    reasons: _Reasons = {}
    for more in found.more:
        if more.action not in site.data.item_actions and more.action not in MANAGING_ACTIONS:
            continue  # creating, filing, and looking after a group
        for spot in more.spots[:_EXPLAINED]:
            things = site.what_makes_the_difference(*whos, more.action, spot.first, at)
            told = reasons.setdefault(more, [])
            alike = next((places for places, others in told if others == things), None)
            if alike is None:
                told.append(([spot.where], things))
            else:
                alike.append(spot.where)
    return reasons


def _lines(found: Compared, reasons: _Reasons, *, everything: bool) -> Iterator[str]:
    if not found.more:
        all_of = ", as far as it is looked at here" if found.not_looked_at else ""
        alike = f"{found.called[0]} and {_within(found.sides[1])} may do the very same{all_of}."
        yield from wrapped(alike)
    for side in (0, 1):
        some = found.of(side)
        if not some:
            continue
        here, there = found.called[side], _within(found.sides[1 - side])
        yield styled(f"{here} may, and {there} may not", "strong")
        by_action = {each.action: each for each in some}
        spots = ((each.action, each.spots) for each in some)
        for actions, line in lines_of_spots(spots, everything=everything):
            yield from wrapped(f"- {line}", "  ", "  ")
            told = reasons.get(by_action[actions[0]], [])
            for places, things in told:
                if len(told) > 1:
                    yield from wrapped(f"{words.some(places, 3)}:", "      ", "  ")
                yield from _thing_lines(things, "      " if len(told) == 1 else "        ")
        yield ""
    for each in found.not_looked_at:
        yield from wrapped(each)
    both = [f"{action} ({count:,})" for action, count in found.alike.items() if count]
    if found.more and both:
        yield from wrapped(f"Both may alike, with how many items: {words.listed(both)}.", more="  ")


def _within(side: Side) -> str:
    """How a side is called within a sentence: "a guest"."""
    opening = words.opening(side.engine.data, side.login)
    return side.called.replace(opening, words.person(side.engine.data, side.login), 1)


def _everybody(site: Site, there: Site | None, second: Other, at: str | None, shown: As) -> None:
    """What everybody gains and loses from the other side to this one; of one site at two moments,
    from the earlier to the later."""
    if not second.said:
        raise BadQuestion("Name two to compare, or another moment or site: --other-at WHEN.")
    moment = second.other_stood or second.other_at
    first, last = _Part(there or site, moment or at), _Part(site, at)
    if second.other_site is None and first.moment > last.moment:
        first, last = last, first
    effects = last.site.differences(last.moment, other_site=first.site, other_at=first.moment)
    names = (second.other_site or site.data.name, site.data.name)
    lines = lines_of(effects, 40 if shown.everything else 12)
    if shown.as_json:
        sides = [
            {"site": name, "at": str(each)} for name, each in zip(names, (first, last), strict=True)
        ]
        print_json({"from": sides[0], "to": sides[1], **effects_dict(effects, lines)})
    elif shown.to_csv is not None:
        keys = ("who", "action", "where", "effect")
        records = [dict(zip(keys, row, strict=True)) for row in effect_rows(effects)]
        show_list(shown, [], records, "", keys=keys)
    else:
        print_text(f"From {names[0]} on {first} to {names[1]} on {last}:")
        if not lines:
            all_of = ", as far as it is counted here" if effects.not_counted else ""
            print_text(f"Everybody may do just the same{all_of}.")
            print_lines(effects.not_counted)
            return
        print_lines(effect_lines(lines, (), (), effects))
        if any(line.gains is None for line in lines):
            print_text("--csv writes all of it." if shown.everything else "--all shows more of it.")


class _Part(NamedTuple):
    """A site at a moment that is compared."""

    site: Site
    at: str | None

    @property
    def moment(self) -> datetime:
        return self.site.moment(self.at)

    def __str__(self) -> str:
        return written(self.moment.replace(microsecond=0))


COMMANDS = {"compare": compare}
