"""`timezone`: where the days and times of a site are meant."""

from __future__ import annotations

import click

from prim_lantern.cli.changing import How, carry_out, changing
from prim_lantern.cli.common import json_option, opened, print_json, site_option


@click.group(short_help="Where days and times are meant.")
def timezone() -> None:
    """The time zone of a site: where days and times are meant that say no zone."""


@timezone.command("show")
@site_option
@json_option
def show(where: str, as_json: bool) -> None:
    """The time zone, and what its clocks show now."""
    site = opened(where)
    name, now = site.data.timezone or "UTC", site.moment()
    if as_json:
        print_json({"timezone": name, "now": now.isoformat(timespec="seconds")})
    else:
        click.echo(f"{name}; it is {now:%Y-%m-%d %H:%M} there.")


@timezone.command("set")
@click.argument("name")
@changing
def set_zone(name: str, how: How) -> int:
    """Mean days and times in the zone NAME, such as Europe/Oslo, from now on. Those that are there
    already stay what the clock shows."""
    return carry_out(how, lambda change: change.set_timezone(name))


COMMANDS = {"timezone": timezone}
