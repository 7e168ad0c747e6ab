"""`plan`: what people enrol in for a time."""

from __future__ import annotations

from datetime import datetime, timedelta

import click

from prim_lantern.cli.changing import How, carry_out, changing, logins_of
from prim_lantern.cli.common import at_option, opened, texts
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.live import Site
from prim_lantern.site.moments import written


@click.group(short_help="Plans: list, define, enrol people for a time.")
def plan() -> None:
    """Plans that people enrol in: groups for a time, which end by themselves."""


@plan.command("list")
@click.option(
    "--ending", type=click.IntRange(1), metavar="DAYS", help="Only who ends within so many."
)
@at_option
@list_of_site
def list_plans(ending: int | None, where: str, at: str | None, shown: As) -> None:
    """All plans, and who is enrolled in each at the moment; with --ending those who are not for
    much longer."""
    from prim_lantern.show.records import Column

    site = opened(where)
    enrolled = _enrolled(site, site.moment(at), ending)
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


def _enrolled(site: Site, now: datetime, ending: int | None) -> dict[str, list[tuple[str, str]]]:
    """By plan, who is enrolled at a moment, and until when."""
    found: dict[str, list[tuple[str, str]]] = {name: [] for name in site.data.plans}
    last = now + timedelta(days=ending) if ending is not None else None
    for row in site.data.people.filled("enrolments"):
        user = site.data.people.at(row)
        for each in user.enrolments:
            period = site.data.plans[each.plan].period_from(each.since)
            ends = period.until
            soon = last is None or (ends is not None and ends <= last)
            if period.holds(now) and soon:
                found[each.plan].append((user.login, written(ends) if ends else ""))
    return found


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
@click.argument("people", nargs=-1, required=True)
@changing
def end(name: str, people: tuple[str, ...], how: How) -> int:
    """End the enrolments of PEOPLE in a plan at once."""
    return carry_out(how, lambda change: change.end_enrolment(name, logins_of(change.site, people)))


COMMANDS = {"plan": plan}
