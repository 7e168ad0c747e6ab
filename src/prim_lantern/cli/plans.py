"""`plan`: what people enrol in for a time."""

from __future__ import annotations

import click

from prim_lantern.cli.changing import How, carry_out, changing, logins_of
from prim_lantern.cli.common import answering, opened, print_json, texts
from prim_lantern.show.terminal import console
from prim_lantern.site.moments import written


@click.group(short_help="Plans: list, define, enrol people for a time.")
def plan() -> None:
    """Plans that people enrol in: groups for a time, which end by themselves."""


@plan.command("list")
@answering
def list_plans(where: str, at: str | None, as_json: bool) -> None:
    """All plans, and who is enrolled in each at the moment."""
    site = opened(where)
    now = site.moment(at)
    enrolled: dict[str, list[tuple[str, str]]] = {name: [] for name in site.data.plans}
    for row in site.data.people.filled("enrolments"):
        user = site.data.people.at(row)
        for each in user.enrolments:
            period = site.data.plans[each.plan].period_from(each.since)
            if period.holds(now):
                until = written(period.until) if period.until else ""
                enrolled[each.plan].append((user.login, until))
    if as_json:
        print_json(
            [
                {
                    "name": each.name,
                    "label": each.label,
                    "groups": list(each.groups),
                    "lasts": str(each.lasts) if each.lasts else None,
                    "enrolled": [{"login": w, "until": u or None} for w, u in enrolled[each.name]],
                }
                for each in site.data.plans.values()
            ]
        )
        return
    from prim_lantern.show.tables import table

    rows = [
        (
            each.name,
            each.label,
            ", ".join(each.groups),
            str(each.lasts or "no end"),
            "\n".join(f"{w} until {u}" if u else w for w, u in enrolled[each.name]) or "nobody",
        )
        for each in site.data.plans.values()
    ]
    console().print(table(["Plan", "Called", "Groups", "Lasts", "Enrolled now"], rows))


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
