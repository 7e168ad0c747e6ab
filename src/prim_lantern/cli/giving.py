"""Rights: give and take back roles, allow and deny, stop what comes from above, limits."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import click

from prim_lantern.changing import Change
from prim_lantern.cli.about import about
from prim_lantern.cli.changing import How, carry_out, changing, whos
from prim_lantern.cli.common import (
    complete_action,
    complete_place,
    opened,
    print_json,
    print_lines,
    texts,
)
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.decide.abilities import beyond, next_lower
from prim_lantern.decide.explain import words
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.names import folded
from prim_lantern.site.places import REACHES, way_to
from prim_lantern.site.rights import WHOSE
from prim_lantern.site.rule_names import rule_names

_times = (
    click.option("--since", metavar="WHEN", help="In force from then on."),
    click.option("--until", metavar="WHEN", help="In force until then."),
)


def _with_times(command: Callable[..., Any]) -> Callable[..., Any]:
    for option in reversed(_times):
        command = option(command)
    return command


@click.command(short_help="Give a role to people, within places.")
@click.argument("role")
@click.argument("to")
@click.option(
    "--within",
    multiple=True,
    metavar="PLACE",
    shell_complete=complete_place,
    help="Only within this path or category; more than once: any of them.",
)
@_with_times
@changing
def give(
    role: str, to: str, within: tuple[str, ...], since: str | None, until: str | None, how: How
) -> int:
    """Give ROLE to TO: a person, group:…, or an audience; several with commas.

    \b
    prim-lantern give field-writer group:volunteers --within topic:wildlife
    prim-lantern give timetable-desk bo.lind --within /visit/sailings --until 2027-10-01
    """

    def build(change: Change) -> None:
        change.give(role, whos(change.site, to), within, since, until)

    def compared(change: Change) -> Iterator[str]:
        name, data = folded(role), change.data
        lower = next_lower(data, name)
        if lower is not None:
            called = data.roles[lower].called
            yield styled(f"What it opens beyond the next lower role, {called}", "strong")
            for line in _in_lines(beyond(data, name, lower)):
                yield from wrapped(f"- {line}", "  ", "  ")

    return carry_out(how, build, before=compared)


def _in_lines(lines: list[str]) -> list[str]:
    """Actions with the same ending in one line."""
    by_end: dict[str, list[str]] = {}
    for line in lines:
        action, _, end = line.partition(": ")
        by_end.setdefault(end, []).append(action)
    return [f"{words.listed(actions)}: {end}" for end, actions in by_end.items()]


@click.command("take-back", short_help="Take a role back from people.")
@click.argument("role")
@click.argument("whom")
@click.option(
    "--within",
    multiple=True,
    metavar="PLACE",
    shell_complete=complete_place,
    help="Only within this place ('site': only what is given for all of it); left out: everywhere.",
)
@click.option("--since", metavar="WHEN", help="Only what was given from then on.")
@click.option("--until", metavar="WHEN", help="Only what was given until then.")
@changing
def take_back(
    role: str, whom: str, within: tuple[str, ...], since: str | None, until: str | None, how: How
) -> int:
    """Take ROLE back from those to whom it was given."""
    return carry_out(
        how,
        lambda change: change.take_back(role, whos(change.site, whom), within, since, until),
    )


def _word(command: Callable[..., Any]) -> Callable[..., Any]:
    """The arguments and options of allow and deny."""
    for decorate in (
        click.option("--reach", type=click.Choice(REACHES), help="For a path: what it covers."),
        click.option("--kind", "kinds", multiple=True, help="Only this kind; more than once."),
        click.option(
            "--whose",
            type=click.Choice(WHOSE),
            default="any",
            show_default=True,
            help="Of anybody's, of their own, or of others'.",
        ),
        click.option("--in-state", multiple=True, metavar="STATE", help="Only in this state."),
        *_times,
        click.option("--id", "name", metavar="NAME", help="A name for the rule."),
        click.option("--note", default="", help="Why it is there; explanations show it."),
        click.argument("place", default="site", shell_complete=complete_place),
        click.argument("actions", shell_complete=complete_action),
        click.argument("who"),
    ):
        command = decorate(command)
    return command


@click.command(short_help="Let people do something at a place.")
@_word
@changing
def allow(how: How, **said: Any) -> int:
    """Let WHO do ACTIONS at PLACE (the site, when left out); several with commas.

    \b
    prim-lantern allow mirela edit /visit/prices --reach only-here
    prim-lantern allow group:friends comment topic:wildlife
    """
    return carry_out(how, lambda change: change.allow(**_arguments(change, said)))


@click.command(short_help="Keep people from something at a place.")
@_word
@click.option("--no-exceptions", is_flag=True, help="Nothing nearer lifts it.")
@changing
def deny(how: How, no_exceptions: bool, **said: Any) -> int:
    """Keep WHO from ACTIONS at PLACE (the site, when left out); several with commas."""
    return carry_out(
        how,
        lambda change: change.deny(**_arguments(change, said), no_exceptions=no_exceptions),
    )


def _arguments(change: Change, said: dict[str, Any]) -> dict[str, Any]:
    return {
        "actions": texts(said["actions"]),
        "to": whos(change.site, said["who"]),
        "where": said["place"],
        "id": said["name"],
        **{name: said[name] for name in ("reach", "kinds", "whose", "in_state")},
        **{name: said[name] for name in ("since", "until", "note")},
    }


@click.group(short_help="List and remove single rules.")
def rule() -> None:
    """Single rules: each lets people do something at a place, or keeps them from it."""


@rule.command("list")
@click.option("--about", "text", metavar="WHAT", help="Only about a path, group, role, person …")
@list_of_site
def list_rules(text: str | None, where: str, shown: As) -> None:
    """All rules, each by its name: its id, or where it has none what it says in a word. That never
    changes when others come and go."""
    from prim_lantern.show.records import Column

    site = opened(where)
    data, wanted = site.data, about(site, text) if text is not None else None
    records = [
        {
            "name": name,
            "id": each.id,
            "allow": each.allow,
            "actions": list(each.actions),
            "to": list(map(str, each.to)),
            "where": each.place.name if each.place.kind != "site" else "site",
            "reach": each.place.reach,
            "kinds": list(each.kinds),
            "whose": each.whose,
            "in_state": list(each.in_state),
            "from": each.period.since and written(each.period.since),
            "until": each.period.until and written(each.period.until),
            "no_exceptions": each.no_exceptions,
            "note": each.note,
            "says": words.rule(data, each).partition(": ")[2],
            "written": str(each.origin or ""),
        }
        for name, each in zip(rule_names(data.rules), data.rules, strict=True)
        if wanted is None or wanted.is_named_by(each)
    ]
    columns = [
        Column("name", "Name", whole=True),
        Column("says", "Says"),
        Column("written", "Written at", shed=1),
    ]
    empty = "There is no rule yet." if text is None else f"No rule names {text} itself."
    show_list(shown, columns, records, empty, keys=list(records[0]) if records else ["name"])


@rule.command("remove")
@click.argument("name")
@changing
def remove_rule(name: str, how: How) -> int:
    """Remove the rule NAME: its id, or what 'rule list' calls it."""
    return carry_out(how, lambda change: change.remove_rule(name))


@click.command("from-above", short_help="Stop what is allowed above from reaching in.")
@click.argument("path", shell_complete=complete_place)
@click.option("--stop", "stopping", flag_value=True, type=bool, default=None, help="Stop it.")
@click.option(
    "--let-in", "stopping", flag_value=False, type=bool, default=None, help="Let it in again."
)
@changing
def from_above(path: str, stopping: bool | None, how: How) -> int:
    """Stop at PATH what is allowed above it (--stop), or let it in again (--let-in); without
    either, say how it is. All-access still reaches in, and denies hold."""
    if stopping is None:
        site = opened(how.where)
        _show_how_it_is(site.data, site.section(path), as_json=how.as_json)
        return 0
    return carry_out(how, lambda change: change.stop_from_above(path, off=not stopping))


def _show_how_it_is(data: SiteData, path: str, *, as_json: bool) -> None:
    """Whether what is allowed above a path reaches in, and where it is stopped."""
    stopped_at = next((e for e in reversed(way_to(path)) if e in data.rights_cut_at), None)
    origin = data.rights_cut_at[stopped_at].origin if stopped_at is not None else None
    written = str(origin.of("rights_from_above")) if origin else None
    if as_json:
        told = {"place": path, "reaches_in": stopped_at is None, "stopped_at": stopped_at}
        print_json({**told, "written": written})
    elif stopped_at is None:
        print_lines(wrapped(f"What is allowed above {path} reaches in; --stop stops it there."))
    else:
        back = "; --let-in lets it in again" if stopped_at == path else ""
        where = f"  [{written}]" if written else ""
        print_lines(wrapped(f"What is allowed above {stopped_at} does not reach in{back}.{where}"))


COMMANDS = {
    "give": give,
    "take-back": take_back,
    "allow": allow,
    "deny": deny,
    "rule": rule,
    "from-above": from_above,
}
