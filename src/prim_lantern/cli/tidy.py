"""`tidy`: the same decisions with fewer words."""

from __future__ import annotations

from collections.abc import Iterator

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import opened, print_json, print_lines
from prim_lantern.cli.listing import As, show_list
from prim_lantern.insight.tidying.tidy import Tidied
from prim_lantern.insight.useless import MOST_WORDS
from prim_lantern.show.terminal import styled, wrapped

_COUNTED = ("rules", "given", "readerships", "names")
_CALLED = {
    "rules": "rules",
    "given": "given roles",
    "readerships": "readerships at places",
    "names": "people and places named in them",
}

_TO_COME = (
    ", at every later moment, and so may anybody new in the groups with anything new in the places"
)


@click.command(short_help="The same said with fewer words.")
@click.option("--make", is_flag=True, help="Make it, as one change.")
@click.option(
    "--today-only",
    is_flag=True,
    help="Do not ask what would be for people and items to come.",
)
@click.option(
    "--each-word",
    is_flag=True,
    help="Try each word without the others, however many there are: this can take many minutes.",
)
@changing
def tidy(make: bool, today_only: bool, each_word: bool, how: How) -> int:
    """Fewer rules and given roles by which everybody may do the very same: what decides nothing
    goes, what differs in one part is joined, a group or a role is proposed for what many have
    alike. Only shown, unless --make says otherwise; what has no effect on anybody is proved.

    A deny that stops nobody so far stays: it may stand guard.
    """
    found = opened(how.where).tidy(today_only=today_only, each_word=each_word)
    if make and found.steps:

        def build(change: Change) -> None:
            for each in found.operations:
                change.do(each)

        return carry_out(how, build, before=lambda _: _counts(found), reasons=False)
    if how.as_json:
        print_json(found.to_dict())
    elif how.to_csv is not None:
        records = [
            {"step": number, "says": each.says, "command": command}
            for number, each in enumerate(found.steps, 1)
            for command in each.commands
        ]
        show_list(As(False, how.to_csv, True), [], records, "", keys=("step", "says", "command"))
    else:
        print_lines(_lines(found, each_word=each_word))
    return 0


def _lines(found: Tidied, *, each_word: bool) -> Iterator[str]:
    if not found.tried_each:
        many = "Some words speak to too many people about too much, or at too many later moments,"
        more = ""
        if found.before.words > MOST_WORDS and not each_word:
            many = f"There are more than {MOST_WORDS} words: too many"
            more = "; --each-word tries all"
        told = "So this is only what is over, or said twice at one place; more may decide nothing."
        yield from wrapped(f"{many} to try each without the others{more}. {told}")
    if not found.steps:
        yield "Nothing can be said with fewer words." if found.tried_each else "Nothing is."
        return
    for step in found.steps:
        yield from wrapped(f"- {step.says}", "", "  ")
        for command in step.commands:
            yield from wrapped(f"prim-lantern {command}", "    ", "  ")
    yield ""
    yield from _counts(found)
    yield from wrapped("--make makes all of it, as one change that can be taken back.")


def _counts(found: Tidied) -> Iterator[str]:
    yield styled("Before and after", "strong")
    for field in _COUNTED:
        was, now = getattr(found.before, field), getattr(found.after, field)
        yield f"  {was:>5,} {now:>5,}  {_CALLED[field]}"
    asked = "" if found.today_only else _TO_COME
    yield from wrapped(f"Proved: everybody may do the same to everything that is there{asked}.")


COMMANDS = {"tidy": tidy}
