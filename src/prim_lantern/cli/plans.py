"""`plan`: what people enrol in for a time."""

from __future__ import annotations

import click

from prim_lantern.cli.changing import How, carry_out, changing, logins_of
from prim_lantern.cli.common import opened, print_lines, texts
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.explain import words
from prim_lantern.live import Site
from prim_lantern.show.terminal import wrapped
from prim_lantern.site.moments import Duration, written


@click.group(short_help="Plans: list, define, enrol people for a time.")
def plan() -> None:
    """Plans that people enrol in: groups for a time, which end by themselves."""


@plan.command("list")
@click.option("--ending", metavar="TIME", help="Only who ends within that time, as '30 days'.")
@list_at
def list_plans(ending: str | None, where: str, at: str | None, shown: As) -> None:
    """All plans, and who is enrolled in each at the moment; with --ending those who are not for
    much longer, and will not be once more."""
    from prim_lantern.show.records import Column

    site = opened(where)
    enrolled = _enrolled_now(site, at, Duration.read(ending) if ending is not None else None)
    records = [
        {
            "name": each.name,
            "label": each.label,
            "groups": list(each.groups),
            "lasts": str(each.lasts) if each.lasts else None,
            "enrolled": [{"login": w, "until": u or None} for w, u in enrolled[each.name]],
        }
        for each in site.data.plans.values()
    ]
    short = [
        {
            **record,
            "lasts": record["lasts"] or "no end",
            "enrolled": [f"{w} until {u}" if u else w for w, u in enrolled[str(record["name"])]],
        }
        for record in records
    ]
    columns = [
        Column("name", "Plan", whole=True),
        Column("label", "Called", shed=2),
        Column("groups", "Groups", shed=1),
        Column("lasts", "Lasts"),
        Column("enrolled", "Enrolled now"),
    ]
    empty = "There is no plan yet: 'plan add' makes one."
    show_list(shown, columns, records if shown.as_json else short, empty, short=short)


def _enrolled_now(
    site: Site, at: str | None, ending: Duration | None
) -> dict[str, list[tuple[str, str]]]:
    """By plan, who is enrolled at a moment, and until when."""
    found: dict[str, list[tuple[str, str]]] = {name: [] for name in site.data.plans}
    last = None if ending is None else ending.after(site.moment(at))
    every = site.enrolments(at)
    renewed = {(each.plan, each.login) for each in every if each.state == "later"}
    for each in every:
        ends = each.period.until
        soon = ends is not None and last is not None and ends <= last
        again = (each.plan, each.login) in renewed
        if each.state == "now" and (last is None or (soon and not again)):
            found[each.plan].append((each.login, written(ends) if ends else ""))
    return found


@plan.command("show")
@click.argument("name")
@list_at
def show_plan(name: str, where: str, at: str | None, shown: As) -> None:
    """One plan: what it gives, and everybody who is, was or will be enrolled."""
    from prim_lantern.show.records import Column

    site = opened(where)
    found = site.data.plan(name)
    records = [
        {**each.to_dict(), "name": site.data.users[each.login].name}
        for each in site.enrolments(at)
        if each.plan == found.name
    ]
    if not (shown.as_json or shown.to_csv):
        groups = words.listed([site.data.groups[each].called for each in found.groups])
        lasts = f"for {found.lasts}" if found.lasts else "without an end"
        print_lines(
            wrapped(f"{found.called} ({found.name}) gives {groups or 'no group'}, {lasts}.")
        )
    columns = [
        Column("login", "Login", whole=True),
        Column("name", "Name", shed=1),
        Column("since", "From"),
        Column("until", "Until"),
        Column("state", "State"),
    ]
    short = [{**each, "until": each["until"] or "no end"} for each in records]
    show_list(shown, columns, records, "Nobody was ever enrolled.", short=short)


@plan.command()
@click.argument("name")
@click.argument("groups")
@click.option("--lasts", metavar="TIME", help="As '1 year' or '30 days'; left out: no end.")
@click.option("--label", default="", help="The name that people see.")
@changing
def add(name: str, groups: str, lasts: str | None, label: str, how: How) -> int:
    """Define a plan that gives GROUPS (with commas) to those enrolled."""
    return carry_out(how, lambda change: change.add_plan(name, texts(groups), lasts, label))


@plan.command()
@click.argument("name")
@click.option("--lasts", metavar="TIME", help="As '1 year'; 'no end' takes the end away.")
@click.option("--label", help="The name that people see.")
@click.option("--add", "more", metavar="GROUPS", help="Groups it gives as well.")
@click.option("--drop", "fewer", metavar="GROUPS", help="Groups it gives no longer.")
@changing
def change(
    name: str, lasts: str | None, label: str | None, more: str | None, fewer: str | None, how: How
) -> int:
    """Change a plan, for those enrolled as well."""
    return carry_out(
        how, lambda change: change.change_plan(name, label, lasts, texts(more), texts(fewer))
    )


@plan.command()
@click.argument("name")
@changing
def remove(name: str, how: How) -> int:
    """Remove a plan, with all enrolments in it."""
    return carry_out(how, lambda change: change.remove_plan(name))


@plan.command()
@click.argument("name")
@click.argument("people", nargs=-1)
@click.option("--from", "file", metavar="FILE", help="People from a file of logins, or CSV.")
@click.option("--since", metavar="WHEN", help="From then on; left out: today.")
@changing
def enrol(name: str, people: tuple[str, ...], file: str | None, since: str | None, how: How) -> int:
    """Enrol PEOPLE in a plan."""
    return carry_out(
        how, lambda change: change.enrol(name, logins_of(change.site, people, file), since)
    )


@plan.command()
@click.argument("name")
@click.argument("people", nargs=-1)
@click.option("--from", "file", metavar="FILE", help="People from a file of logins, or CSV.")
@changing
def renew(name: str, people: tuple[str, ...], file: str | None, how: How) -> int:
    """Enrol PEOPLE once more: from the end of what they have; where that has ended, from today."""
    return carry_out(
        how, lambda change: change.renew_enrolment(name, logins_of(change.site, people, file))
    )


@plan.command()
@click.argument("name")
@click.argument("people", nargs=-1, required=True)
@changing
def end(name: str, people: tuple[str, ...], how: How) -> int:
    """End the enrolments of PEOPLE in a plan at once. What was stays on record: 'plan show' has
    it."""
    return carry_out(how, lambda change: change.end_enrolment(name, logins_of(change.site, people)))


COMMANDS = {"plan": plan}
