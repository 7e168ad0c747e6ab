"""`user` and `group`: who there is."""

from __future__ import annotations

import click

from prim_lantern.cli.common import answering, complete_who, opened, print_json, print_lines
from prim_lantern.decide.explain import words
from prim_lantern.errors import UnknownWho
from prim_lantern.show.terminal import console, wrapped
from prim_lantern.site import names
from prim_lantern.site.moments import written
from prim_lantern.site.people import Group


@click.group(short_help="List and show people.")
def user() -> None:
    """The people of the site."""


@user.command("list")
@click.argument("text", default="")
@click.option("--newest", is_flag=True, help="Those who joined last come first.")
@answering
def list_users(text: str, newest: bool, where: str, at: str | None, as_json: bool) -> None:
    """The people whom TEXT fits (all, when left out), by name or by when they joined."""
    site = opened(where)
    people = site.find_users(text) if text else list(site.data.users.values())
    people.sort(key=lambda each: names.folded(each.called))
    if newest:
        people.sort(key=lambda each: written(each.joined) if each.joined else "", reverse=True)
    groups = {
        each.login: [way.group for way in site.memberships(each.login, at)] for each in people
    }
    if as_json:
        print_json(
            [
                {
                    "login": each.login,
                    "name": each.name,
                    "status": each.status,
                    "joined": written(each.joined) if each.joined else None,
                    "groups": sorted(set(groups[each.login])),
                }
                for each in people
            ]
        )
        return
    if not people:
        click.echo(f"Nobody fits {text!r}.")
        return
    from prim_lantern.show.tables import table

    rows = [
        (
            each.login,
            each.name,
            each.status + (" (owner)" if each.login == site.data.owner else ""),
            written(each.joined) if each.joined else "",
            ", ".join(dict.fromkeys(groups[each.login])),
        )
        for each in people
    ]
    console().print(table(["Login", "Name", "State", "Joined", "Groups"], rows))


@user.command("show")
@click.argument("who", shell_complete=complete_who)
@answering
@click.pass_context
def show_user(ctx: click.Context, who: str, where: str, at: str | None, as_json: bool) -> None:
    """One person: groups, roles, rules, and what that comes to (as 'what WHO')."""
    from prim_lantern.cli.lists import what

    ctx.invoke(what, who=who, where=where, at=at, as_json=as_json)


@click.group(short_help="List and show groups.")
def group() -> None:
    """The groups of people."""


@group.command("list")
@answering
def list_groups(where: str, at: str | None, as_json: bool) -> None:
    """All groups, with how many active members each has."""
    site = opened(where)
    groups = [(each, len(site.members(each.name, at))) for each in site.data.groups.values()]
    if as_json:
        print_json(
            [
                {"name": each.name, "label": each.label, "about": each.about, "members": count}
                for each, count in groups
            ]
        )
        return
    from prim_lantern.show.tables import table

    rows = [(each.name, each.label, str(count), _joins(each)) for each, count in groups]
    console().print(table(["Group", "Called", "Members", "How one joins"], rows))


def _joins(group: Group) -> str:
    ways = []
    if group.when:
        conditions = [" and ".join(map(str, row)) for row in group.when]
        ways.append(f"whose {' or '.join(conditions)}")
    if group.mapped_from:
        ways.append(f"has {' or '.join(group.mapped_from)} elsewhere")
    return "; ".join(ways) or "by hand, or by a plan"


@group.command("show")
@click.argument("name")
@answering
def show_group(name: str, where: str, at: str | None, as_json: bool) -> None:
    """One group: its members, and by which way each is one."""
    site = opened(where)
    wanted = names.folded(name.removeprefix("group:"))
    found = site.data.groups.get(wanted)
    if found is None:
        raise UnknownWho(name, names.nearest(wanted, site.data.groups))
    members = site.members(found.name, at)
    moment = site.moment(at)
    ways = {
        login: [
            words.way(site.data, login, way, moment)
            for way in site.memberships(login, at)
            if way.group == found.name
        ]
        for login in members
    }
    if as_json:
        print_json({"name": found.name, "label": found.label, "members": ways})
        return
    click.echo(f"{found.called} (group:{found.name}): {len(members)} active members.")
    if found.about:
        print_lines(wrapped(found.about))
    if found.stewards:
        click.echo(
            f"Looked after by {words.listed(words.who(site.data, w) for w in found.stewards)}."
        )
    if found.counts_in:
        called = words.listed(site.data.groups[each].called for each in found.counts_in)
        click.echo(f"Its members count in {called}.")
    for each in ways.values():
        for text in each:
            print_lines(wrapped(f"- {text}", "  ", "  "))


COMMANDS = {"user": user, "group": group}
