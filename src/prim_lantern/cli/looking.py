"""`look-as` and `grid`: the site as somebody sees it, and the whole at a glance."""

from __future__ import annotations

import click

from prim_lantern.cli.changing import by_option, maker
from prim_lantern.cli.common import (
    answering,
    asked,
    complete_place,
    complete_who,
    opened,
    print_json,
    print_lines,
    whom,
)
from prim_lantern.cli.listing import As, show_list
from prim_lantern.errors import BadQuestion
from prim_lantern.live import Site
from prim_lantern.show.terminal import console, styled, wrapped
from prim_lantern.site.places import is_above


@click.command("look-as", short_help="The site as somebody sees it.")
@click.argument("who", shell_complete=complete_who)
@by_option
@answering
def look_as(who: str, by: str | None, where: str, at: str | None, as_json: bool) -> None:
    """The site as WHO sees it: a person, "guest", or anybody in just group:… or with just role:….

    The one who looks (--by) needs the right to look-as; the history notes that they looked.

    The tree shows what they can read, and beside each item what else they may do; below
    it the menu, the parts of the home page, and what they may create where.
    """
    site = opened(where)
    as_whom = whom(site, who)
    looking = maker(site, by)
    view = site.looking_as(asked(as_whom), at, by=looking)
    if as_json:
        print_json(view.to_dict())
        return
    from prim_lantern.show.tables import looking_tree, offer_lines

    console().print(looking_tree(site.data, view))
    unseen = len(site.data.items) - len(view.items)
    click.echo(f"\n{len(view.items)} items; {unseen} more are not there for {view.called}.")
    for heading, items in (("Menu", view.menu), ("Parts of the home page", view.home_parts)):
        titles = ", ".join(item.called for item in items) or "none"
        print_lines(wrapped(f"{styled(heading, 'strong')}: {titles}", more="  "))
    click.echo(f"{styled('May create', 'strong')}:{'' if view.offers else ' nothing'}")
    for line in offer_lines(site.data, view.offers):
        print_lines(wrapped(f"- {line}", "  ", "  "))


@click.command(short_help="The whole at a glance, as a table or CSV.")
@click.option("--who", "whos", multiple=True, help="A person, group or audience; more than once.")
@click.option("--action", "actions", multiple=True, help="An action; more than once.")
@click.option(
    "--rows",
    type=click.Choice(["sections", "items", "categories"]),
    default="sections",
    help="What each row is of.",
)
@click.option("--in", "within", metavar="PATH", shell_complete=complete_place, help="Only below.")
@click.option("--all", "everything", is_flag=True, help="Every row, also those that say the same.")
@click.option("--csv", "to_csv", metavar="FILE", help="Write CSV to a file ('-': to the output).")
@answering
def grid(
    whos: tuple[str, ...],
    actions: tuple[str, ...],
    rows: str,
    within: str | None,
    everything: bool,
    to_csv: str | None,
    where: str,
    at: str | None,
    as_json: bool,
) -> None:
    """People, groups and audiences across; sections, items or categories down.

    Left out: guests, the signed-in and every group across; read and edit. The marks are
    yes, no, own (only what they wrote), below (not here, but further in) and an empty cell where
    nobody has spoken. A mark speaks of the item itself; * and + tell where words of their own
    stand.
    """
    site = opened(where)
    columns = [*dict.fromkeys(whom(site, each) for each in whos)] or [
        "guests",
        "signed-in",
        *(f"group:{name}" for name in site.data.groups),
    ]
    found = site.grid_data(
        columns, _rows(site, rows, within), tuple(dict.fromkeys(actions)) or ("read", "edit"), at
    )
    if as_json or to_csv:
        records = list(found.records())
        show_list(As(as_json, to_csv, everything), [], records, "", keys=found.keys())
    else:
        from prim_lantern.show.tables import grid_tables

        console().print(grid_tables(found, folded=not everything))


def _rows(site: Site, rows: str, within: str | None) -> list[str]:
    if rows == "categories":
        if within:
            raise BadQuestion("--in belongs to sections and items, not to categories.")
        return list(site.data.categories)
    if within is not None:
        site.section(within)
    if rows == "items":
        paths = list(site.data.paths)
        return paths if within is None else [p for p in paths if p == within or is_above(within, p)]
    if within is None:
        return site.top_sections()
    return [within, *(p.path for p in site.data.directly_below(within))]


COMMANDS = {"look-as": look_as, "grid": grid}
