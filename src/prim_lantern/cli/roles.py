"""`role`: what can be given; listed, shown, defined, compared."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

import click

from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import (
    json_option,
    opened,
    print_json,
    print_lines,
    role_argument,
    site_option,
    stood_option,
    texts,
)
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.decide.abilities import beyond, from_least_to_most
from prim_lantern.decide.clauses import brought_along, rows_of
from prim_lantern.decide.explain import words
from prim_lantern.errors import UnknownWho
from prim_lantern.live import Site
from prim_lantern.show.terminal import console, styled, wrapped
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Capability

_NONE = "There is no role yet: 'role add' makes one."


@click.group(short_help="Roles: list, show, define, compare …")
def role() -> None:
    """Roles: what they can do, and to whom they are given."""


@role.command("list")
@click.option("--tree", is_flag=True, help="Which role contains which.")
@list_of_site
def list_roles(tree: bool, where: str, shown: As) -> None:
    """All roles from the least able to the most, with to whom they are given; or which contains
    which, by what they can do and by what that comes to here."""
    from prim_lantern.show.records import Column

    if tree:
        _ladder(opened(where), shown)
        return
    data = opened(where).data
    ordered = from_least_to_most(data)
    short = [
        {
            "name": each.name,
            "label": each.called,
            "given": "; ".join(
                words.listed(words.who(data, to) for to in given.to)
                for given in data.given
                if given.role == each.name
            ),
            "about": each.about,
        }
        for each in map(data.roles.__getitem__, ordered)
    ]
    columns = [
        Column("name", "Role", whole=True),
        Column("label", "Called", shed=2),
        Column("given", "Given to"),
        Column("about", "What it is for", shed=1),
    ]
    records = [_role(data, name) for name in ordered] if shown.as_json else short
    show_list(shown, columns, records, _NONE, short=short)


def _ladder(site: Site, shown: As) -> None:
    """Which role contains which."""
    rungs = site.ladder()
    if not rungs and not shown.as_json and shown.to_csv is None:
        click.echo(_NONE)
        return
    if shown.as_json:
        print_json([each.to_dict() for each in rungs])
        return
    if shown.to_csv is not None:
        records = [each.to_dict() for each in rungs]
        keys = ("role", "contains", "contains_by_effect")
        show_list(shown, [], records, "", keys=keys)
        return
    from prim_lantern.show.tables import ladder_tree

    contains = {each.role: each.contains for each in rungs}
    counts = {each.role: each.counts for each in rungs}
    console().print(ladder_tree(site.data, contains, counts))
    print_lines(
        wrapped(
            "Each role stands above those of which it can do all. The numbers are the items that "
            "somebody could act on who had just this role on the whole site."
        )
    )
    for each in rungs:
        by_effect_alone = [x for x in each.contains_by_effect if x not in each.contains]
        if by_effect_alone:
            names = words.listed(site.data.roles[other].called for other in by_effect_alone)
            called = site.data.roles[each.role].called
            print_lines(wrapped(f"As the site is now, {called} does all that {names} does."))


@role.command("show")
@role_argument
@site_option
@stood_option
@json_option
def show_role(name: str, where: str, as_json: bool) -> None:
    """One role: what it can do, what that brings with it, and to whom it is given."""
    data = opened(where).data
    wanted = _known(data, name)
    if as_json:
        print_json(_role(data, wanted))
        return
    found = data.roles[wanted]
    click.echo(f"{found.called} (role:{found.name})")
    print_lines(wrapped(found.about))
    if found.all_access:
        click.echo("It has all access: everything, where it is given, and nothing elsewhere.")
    for included, row in rows_of(data, wanted):
        of = f" (from {data.roles[included].called})" if included != wanted else ""
        for text in words.capability(row):
            print_lines(wrapped(f"- {text}{of}", "  ", "  "))
    brought = brought_along(data, wanted)
    if brought:
        click.echo(styled("Brings along", "strong"))
        for action, named in brought.items():
            why = f"{words.listed(named)} cannot be done without"
            print_lines(wrapped(f"- {action}: {why}", "  ", "  "))
    for given in data.given:
        if given.role == wanted:
            text = words.given_name(data, given).removeprefix(f"The role {found.called}, ")
            origin = f"  [{given.origin}]" if given.origin else ""
            print_lines(wrapped(f"{text[:1].upper()}{text[1:].rstrip(',')}{origin}"))


def _role(data: SiteData, name: str) -> dict[str, object]:
    role = data.roles[name]
    return {
        "name": name,
        "label": role.label,
        "about": role.about,
        "all_access": role.all_access,
        "includes": list(role.includes),
        "can": [text for _, row in rows_of(data, name) for text in words.capability(row)],
        "brings": brought_along(data, name),
        "given": [
            {"to": [str(who) for who in given.to], "within_any": [str(p) for p in given.within_any]}
            for given in data.given
            if given.role == name
        ],
    }


# Defining ------------------------------------------------------------------------------------


def _capability_options(command: Callable[..., Any]) -> Callable[..., Any]:
    for decorate in (
        click.option("--can", metavar="ACTIONS", help="May do to anybody's items; with commas."),
        click.option("--own", metavar="ACTIONS", help="May do to their own items; with commas."),
        click.option("--kind", "kinds", metavar="KINDS", help="Just on these kinds; with commas."),
        click.option("--in-state", metavar="STATES", help="Just in these states; with commas."),
    ):
        command = decorate(command)
    return command


def _rows(
    can: str | None, own: str | None, kinds: str | None, in_state: str | None
) -> tuple[Capability, ...]:
    """One capability row from the options, or none."""
    if not (can or own):
        if kinds or in_state:
            raise click.UsageError("--kind and --in-state go with --can or --own.")
        return ()
    return (Capability(texts(kinds), texts(can), texts(own), texts(in_state)),)


def _brought(change: Change, name: str) -> Iterator[str]:
    """What a role brings along now beside what was named, and did not before."""
    role, before = names.folded(name), change.site.data
    had = brought_along(before, role) if role in before.roles else {}
    for action, named in brought_along(change.data, role).items():
        if action in had:
            continue
        why = f"{words.listed(named)} cannot be done without"
        yield from wrapped(f"Brings along {action}: {why}.", more="  ")


@role.command()
@role_argument
@click.option("--label", default="", help="The name that people see.")
@click.option("--about", default="", help="What it can do, in a sentence.")
@click.option("--on", "includes", multiple=True, metavar="ROLE", help="A role it is built on.")
@_capability_options
@click.option("--all-access", is_flag=True, help="May do everything where it is given.")
@changing
def add(
    name: str,
    label: str,
    about: str,
    includes: tuple[str, ...],
    can: str | None,
    own: str | None,
    kinds: str | None,
    in_state: str | None,
    all_access: bool,
    how: How,
) -> int:
    """Define a role; 'role change' adds further rows of what it can do.

    \b
    prim-lantern role add helper --on commenter --can create,upload --kind post
    """
    rows = _rows(can, own, kinds, in_state)
    return carry_out(
        how,
        lambda change: change.add_role(name, label, about, includes, rows, all_access),
        before=lambda change: _brought(change, name),
    )


@role.command()
@role_argument
@click.argument("new_name")
@click.option("--label", default="", help="The name that people see.")
@click.option("--about", default="", help="What it can do, in a sentence.")
@changing
def copy(name: str, new_name: str, label: str, about: str, how: How) -> int:
    """Define NEW_NAME as a copy of the role NAME, to be changed from there."""
    return carry_out(how, lambda change: change.copy_role(name, new_name, label, about))


@role.command()
@role_argument
@click.option("--label", help="The name that people see.")
@click.option("--about", help="What it can do, in a sentence.")
@click.option("--on", "build_on", multiple=True, metavar="ROLE", help="Build it on this as well.")
@click.option("--not-on", multiple=True, metavar="ROLE", help="Build it on this no longer.")
@_capability_options
@click.option("--drop", metavar="ACTIONS", help="May no longer do this (of --kind, if said).")
@click.option("--instead", is_flag=True, help="In place of what its rows say of the same kinds.")
@changing
def change(
    name: str,
    label: str | None,
    about: str | None,
    build_on: tuple[str, ...],
    not_on: tuple[str, ...],
    can: str | None,
    own: str | None,
    kinds: str | None,
    in_state: str | None,
    drop: str | None,
    instead: bool,
    how: How,
) -> int:
    """Change a role: a further row of what it can do (or one --instead of another), or --drop
    actions from its rows.

    \b
    prim-lantern role change helper --kind post --can edit --instead
    """
    if instead and not (can or own):
        raise click.UsageError("--instead needs what the role can do instead: --can or --own.")
    if drop and (can or own or in_state):
        raise click.UsageError("--drop goes with --kind alone; add in a change of its own.")
    rows = () if drop else _rows(can, own, kinds, in_state)
    drop_kinds = texts(kinds) if drop else ()
    return carry_out(
        how,
        lambda change: change.change_role(
            name, label, about, build_on, not_on, rows, texts(drop), drop_kinds, instead
        ),
        before=lambda change: _brought(change, name) if rows else (),
    )


@role.command()
@role_argument
@changing
def remove(name: str, how: How) -> int:
    """Remove a role, taking it back from everybody."""
    return carry_out(how, lambda change: change.remove_role(name))


@role.command()
@role_argument
@click.argument("other")
@site_option
@stood_option
@json_option
def compare(name: str, other: str, where: str, as_json: bool) -> None:
    """What each of two roles can do that the other cannot."""
    data = opened(where).data
    one, two = (_known(data, each) for each in (name, other))
    more, less = beyond(data, one, two), beyond(data, two, one)
    if as_json:
        print_json({one: more, two: less})
        return
    for here, there, lines in ((one, two, more), (two, one, less)):
        called, than = data.roles[here].called, data.roles[there].called
        click.echo(styled(f"{called} can, and {than} cannot", "strong"))
        for line in lines or ["nothing more"]:
            print_lines(wrapped(f"- {line}", "  ", "  "))


def _known(data: SiteData, name: str) -> str:
    wanted = names.folded(name.removeprefix("role:"))
    if wanted not in data.roles:
        raise UnknownWho(name, names.nearest(wanted, data.roles), "role")
    return wanted


@role.command()
@role_argument
@click.argument("new_name")
@changing
def rename(name: str, new_name: str, how: How) -> int:
    """Give a role another name; everything that speaks of it goes along."""
    return carry_out(how, lambda change: change.rename_role(name, new_name))


COMMANDS = {"role": role}
