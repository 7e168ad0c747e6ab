"""`role` and `readership`: what can be given, and who may view."""

from __future__ import annotations

import click

from prim_lantern.cli.common import json_option, opened, print_json, print_lines, site_option
from prim_lantern.decide.clauses import brought_along, rows_of
from prim_lantern.decide.explain import words
from prim_lantern.errors import UnknownWho
from prim_lantern.show.terminal import console, styled, wrapped
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import BUILT_IN_READERSHIPS, Capability, Readership
from prim_lantern.wording import with_article


@click.group(short_help="List and show roles.")
def role() -> None:
    """Roles: what they can do, and to whom they are given."""


@role.command("list")
@site_option
@json_option
def list_roles(where: str, as_json: bool) -> None:
    """All roles, with to whom they are given."""
    data = opened(where).data
    if as_json:
        print_json([_role(data, name) for name in data.roles])
        return
    from prim_lantern.show.tables import table

    rows = [
        (
            each.name,
            each.called,
            "; ".join(
                words.listed(words.who(data, to) for to in given.to)
                for given in data.given
                if given.role == each.name
            ),
            each.about,
        )
        for each in data.roles.values()
    ]
    console().print(table(["Role", "Called", "Given to", "What it is for"], rows))


@role.command("show")
@click.argument("name")
@site_option
@json_option
def show_role(name: str, where: str, as_json: bool) -> None:
    """One role: what it can do, what that brings with it, and to whom it is given."""
    data = opened(where).data
    wanted = names.folded(name.removeprefix("role:"))
    if wanted not in data.roles:
        raise UnknownWho(name, names.nearest(wanted, data.roles))
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
        for text in _row_texts(row):
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


def _row_texts(row: Capability) -> list[str]:
    kinds = words.listed(row.kinds, "or") if row.kinds else ""
    states = f" while {words.listed(row.in_state, 'or')}" if row.in_state else ""
    texts = []
    if row.can:
        texts.append(f"{words.listed(row.can)}: any{f' {kinds}' if kinds else 'thing'}{states}")
    if row.own:
        whose = f"{with_article(kinds)} of their own" if kinds else "what is their own"
        texts.append(f"{words.listed(row.own)}: {whose}{states}")
    return texts


def _role(data: SiteData, name: str) -> dict[str, object]:
    role = data.roles[name]
    return {
        "name": name,
        "label": role.label,
        "about": role.about,
        "all_access": role.all_access,
        "includes": list(role.includes),
        "can": [text for _, row in rows_of(data, name) for text in _row_texts(row)],
        "brings": brought_along(data, name),
        "given": [
            {"to": [str(who) for who in given.to], "within_any": [str(p) for p in given.within_any]}
            for given in data.given
            if given.role == name
        ],
    }


@click.group(short_help="List readerships.")
def readership() -> None:
    """Readerships: who may view, and where each stands."""


@readership.command("list")
@site_option
@json_option
def list_readerships(where: str, as_json: bool) -> None:
    """All readerships: who is in them, and at which places they stand."""
    data = opened(where).data
    every = [*BUILT_IN_READERSHIPS.values(), *data.readerships.values()]
    if as_json:
        print_json(
            [
                {
                    "name": each.name,
                    "label": each.label,
                    "readers": [str(who) for who in each.readers],
                    "all_of": [str(who) for who in each.all_of],
                    "but_not": [str(who) for who in each.but_not],
                    "no_exceptions": each.no_exceptions,
                    "stands_at": _stands_at(data, each.name),
                }
                for each in every
            ]
        )
        return
    from prim_lantern.show.tables import table

    rows = [
        (each.name, each.called, _readers(data, each), ", ".join(_stands_at(data, each.name)))
        for each in every
    ]
    console().print(table(["Readership", "Called", "Who may view", "Stands at"], rows))


def _readers(data: SiteData, each: Readership) -> str:
    text = words.listed((words.who(data, who) for who in each.readers), "or") or "nobody"
    if each.all_of:
        text += f", who is in all of {words.listed(words.who(data, who) for who in each.all_of)}"
    if each.but_not:
        text += f", but not {words.listed((words.who(data, who) for who in each.but_not), 'or')}"
    return text + (", no exceptions" if each.no_exceptions else "")


def _stands_at(data: SiteData, name: str) -> list[str]:
    site = ["site"] if data.default_readership == name else []
    at = [str(each.place) for each in data.readerships_at.values() if each.readership == name]
    return site + at


COMMANDS = {"role": role, "readership": readership}
