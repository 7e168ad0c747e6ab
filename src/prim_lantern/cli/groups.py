"""`group`: groups listed and shown, defined, nested, and who is in them by which way."""

from __future__ import annotations

from collections.abc import Iterator

import click

from prim_lantern.change.operations.groups import condition
from prim_lantern.changing import Change
from prim_lantern.cli.changing import How, carry_out, changing, logins_of, whos
from prim_lantern.cli.common import group_argument, opened, print_json, print_lines, texts
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.explain import words
from prim_lantern.errors import BadQuestion, UnknownWho
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site import names
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, TESTABLE_COLUMNS, Group, Test


@click.group(short_help="Groups: list, show, define, members, conditions …")
def group() -> None:
    """The groups of people."""


@group.command("list")
@list_at
def list_groups(where: str, at: str | None, shown: As) -> None:
    """All groups, with how many active members each has."""
    from prim_lantern.show.records import Column

    site = opened(where)
    records = [
        {
            "name": each.name,
            "label": each.label,
            "about": each.about,
            "members": len(site.members(each.name, at)),
            "joined": words.how_joined(each),
            "counts_in": list(each.counts_in),
            "stewards": [str(who) for who in each.stewards],
            "external_id": each.external_id,
        }
        for each in site.data.groups.values()
    ]
    columns = [
        Column("name", "Group", whole=True),
        Column("label", "Called", shed=1),
        Column("members", "Members"),
        Column("joined", "How one joins"),
    ]
    keys = list(records[0]) if records else None
    show_list(shown, columns, records, "There is no group yet: 'group add' makes one.", keys=keys)


@group.command("show")
@group_argument
@list_at
def show_group(name: str, where: str, at: str | None, shown: As) -> None:
    """One group: its members, and by which way each is one."""
    from prim_lantern.show.records import PAGE

    site = opened(where)
    wanted = names.folded(name)
    found = site.data.groups.get(wanted)
    if found is None:
        raise UnknownWho(name, names.nearest(wanted, site.data.groups), "group")
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
    if shown.as_json:
        print_json({"name": found.name, "label": found.label, "members": ways})
        return
    if shown.to_csv is not None:
        users = site.data.users
        records = [{"login": each, "name": users[each].name, "by": ways[each]} for each in members]
        show_list(shown, [], records, "", keys=("login", "name", "by"))
        return
    count = words.counts({"active members": len(members)})
    click.echo(f"{found.called} (group:{found.name}): {count}.")
    for text in _told_of(site.data, found):
        print_lines(wrapped(text))
    page = len(members) if shown.everything else PAGE
    for login in members[:page]:
        for text in ways[login]:
            print_lines(wrapped(f"- {text}", "  ", "  "))
    if len(members) > page:
        click.echo(f"{len(members) - page:,} more; --all shows them, --csv writes them.")


def _told_of(data: SiteData, group: Group) -> Iterator[str]:
    """What is to be said of a group, beside its members."""
    if group.about:
        yield group.about
    if group.stewards:
        yield f"Looked after by {words.listed(words.who(data, each) for each in group.stewards)}."
    if group.counts_in:
        called = words.listed(data.groups[each].called for each in group.counts_in)
        yield f"Its members count in {called}."
    if group.external_id:
        yield f"A directory knows it by {group.external_id}."


# Defining ------------------------------------------------------------------------------------


@group.command()
@group_argument
@click.option("--label", default="", help="The name that people see.")
@click.option("--about", default="", help="What it is for.")
@click.option("--counts-in", multiple=True, metavar="GROUP", help="Its members count there too.")
@click.option("--steward", "stewards", multiple=True, metavar="WHO", help="Who looks after it.")
@changing
def add(
    name: str,
    label: str,
    about: str,
    counts_in: tuple[str, ...],
    stewards: tuple[str, ...],
    how: How,
) -> int:
    """Define a group."""

    def build(change: Change) -> None:
        change.add_group(name, label, about, counts_in, whos(change.site, ",".join(stewards)))

    return carry_out(how, build)


@group.command()
@group_argument
@click.option("--label", help="The name that people see.")
@click.option("--about", help="What it is for.")
@click.option("--counts-in", multiple=True, metavar="GROUP", help="Its members count there too.")
@click.option("--not-in", multiple=True, metavar="GROUP", help="They count there no longer.")
@click.option("--external-id", metavar="ID", help="What a directory knows it by.")
@changing
def change(
    name: str,
    label: str | None,
    about: str | None,
    counts_in: tuple[str, ...],
    not_in: tuple[str, ...],
    external_id: str | None,
    how: How,
) -> int:
    """Change what a group is called, and in which others it counts."""
    return carry_out(
        how,
        lambda change: change.change_group(name, label, about, counts_in, not_in, external_id),
    )


@group.command()
@group_argument
@click.argument("new_name")
@changing
def rename(name: str, new_name: str, how: How) -> int:
    """Give a group another name; everything that speaks of it goes along."""
    return carry_out(how, lambda change: change.rename_group(name, new_name))


@group.command()
@group_argument
@changing
def remove(name: str, how: How) -> int:
    """Remove a group, with its memberships and every word that speaks of it."""
    return carry_out(how, lambda change: change.remove_group(name))


# Members ---------------------------------------------------------------------------------------


def _some_people(
    change: Change, people: tuple[str, ...], file: str | None, where: tuple[str, ...]
) -> tuple[str, ...]:
    found = logins_of(change.site, people, file)
    if where:
        rows = condition(where)
        fitting = [e.login for e in change.site.data.users.values() if _fits(rows, e)]
        if not fitting:
            data = change.site.data
            near = " ".join(_nearest(data, test) for row in rows for test in row)
            raise BadQuestion(f"Nobody fits {' or '.join(where)}. {near}")
        found = tuple(dict.fromkeys((*found, *fitting)))
    if not found:
        raise BadQuestion("Name people, a file of them (--from) or a condition (--where).")
    return found


def _fits(rows: tuple[tuple[Test, ...], ...], user: object) -> bool:
    return any(all(test.fits(user) for test in row) for row in rows)  # type: ignore[arg-type]


_from_option = click.option(
    "--from", "file", metavar="FILE", help="People from a file: logins, or CSV with a login column."
)
_where_option = click.option(
    "--where",
    "condition_",
    multiple=True,
    metavar="TESTS",
    help="Everybody who fits now, as 'position is keeper'.",
)


@group.command("add-members")
@group_argument
@click.argument("people", nargs=-1)
@_from_option
@_where_option
@click.option("--since", metavar="WHEN", help="Members from then on.")
@click.option("--until", metavar="WHEN", help="Members until then.")
@changing
def add_members(
    name: str,
    people: tuple[str, ...],
    file: str | None,
    condition_: tuple[str, ...],
    since: str | None,
    until: str | None,
    how: How,
) -> int:
    """Put people into a group by hand, one or many at once."""
    return carry_out(
        how,
        lambda change: change.add_members(
            name, _some_people(change, people, file, condition_), since, until
        ),
    )


@group.command("remove-members")
@group_argument
@click.argument("people", nargs=-1)
@_from_option
@_where_option
@changing
def remove_members(
    name: str, people: tuple[str, ...], file: str | None, condition_: tuple[str, ...], how: How
) -> int:
    """Take people out of a group that they are in by hand."""
    return carry_out(
        how,
        lambda change: change.remove_members(name, _some_people(change, people, file, condition_)),
    )


@group.command()
@group_argument
@click.option("--add", "more", multiple=True, metavar="WHO", help="A person or group:…")
@click.option("--drop", "fewer", multiple=True, metavar="WHO", help="No longer a steward.")
@changing
def stewards(name: str, more: tuple[str, ...], fewer: tuple[str, ...], how: How) -> int:
    """Say who looks after the members of a group."""

    def build(change: Change) -> None:
        site = change.site
        change.set_stewards(name, whos(site, ",".join(more)), whos(site, ",".join(fewer)))

    return carry_out(how, build)


@group.command("sign-up")
@click.argument("names", nargs=-1, required=True, metavar="GROUPS...")
@changing
def sign_up(names: tuple[str, ...], how: How) -> int:
    """Let people sign up by themselves into GROUPS; "none": nobody signs up any more."""
    groups = () if names == ("none",) else tuple(",".join(names).split(","))
    return carry_out(how, lambda change: change.set_sign_up(groups))


@group.command("condition")
@group_argument
@click.argument("rows", nargs=-1, metavar="[TESTS]...")
@changing
def set_condition(name: str, rows: tuple[str, ...], how: How) -> int:
    """Let a group take in everybody who fits one of the rows of TESTS; none: nobody.

    \b
    prim-lantern group condition keepers-fennick "position is keeper and station is fennick"

    Tests: is, is_not, one_of, none_of, contains, before, after, filled. Letters' case and outer
    spaces do not matter. Shows who fits, and warns when nobody does.
    """
    return carry_out(
        how, lambda change: change.set_condition(name, rows), before=lambda c: _fitting(c, rows)
    )


def _fitting(change: Change, rows: tuple[str, ...]) -> Iterator[str]:
    """Who fits a condition; for rows that nobody fits, the nearest values that occur."""
    data = change.data
    for text, row in zip(rows, condition(rows), strict=True):
        fitting = [each for each in data.users.values() if _fits((row,), each)]
        if fitting:
            people = words.some([each.called for each in fitting], 8)
            inactive = sum(each.status != ACTIVE for each in fitting)
            still = f", of whom {inactive} not active" if inactive else ""
            fit = "1 fits" if len(fitting) == 1 else f"{len(fitting)} fit"
            yield from wrapped(f"{fit} “{text}”{still}: {people}.", more="  ")
            continue
        yield styled(f"Nobody fits “{text}”.", "no")
        for test in row:
            yield from wrapped(_nearest(data, test), "  ", "  ")


def _nearest(data: SiteData, test: Test) -> str:
    """The values that occur of what a test is about, those nearest to what it asks first."""
    counts: dict[str, int] = {}
    for user in data.users.values():
        for value in filter(None, map(str.strip, user.value_of(test.attribute).split(";"))):
            counts[value] = counts.get(value, 0) + 1
    if not counts:
        known = {*TESTABLE_COLUMNS, *(e for u in data.users.values() for e in u.attributes)}
        like = names.nearest(test.attribute, known - {test.attribute}, 1)
        return f"Nobody has any {test.attribute}{f'; did you mean {like[0]}?' if like else '.'}"
    near = [each for value in test.values for each in names.nearest(value, counts)]
    common = sorted(counts, key=lambda each: -counts[each])
    shown = list(dict.fromkeys([*near, *common]))[:5]
    values = ", ".join(f"{each!r} ({counts[each]})" for each in shown)
    return f"Of {test.attribute} there are these values: {values}."


@group.command("map")
@group_argument
@click.option("--add", "more", multiple=True, metavar="ROLE", help="As directory:teacher.")
@click.option("--drop", "fewer", multiple=True, metavar="ROLE", help="No longer.")
@changing
def map_group(name: str, more: tuple[str, ...], fewer: tuple[str, ...], how: How) -> int:
    """Make those members of a group who have a role in another system."""
    return carry_out(
        how,
        lambda change: change.map_group(
            name, [e for t in more for e in texts(t)], [e for t in fewer for e in texts(t)]
        ),
    )


COMMANDS = {"group": group}
