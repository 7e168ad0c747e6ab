"""`what`: a list of what somebody may do, and by what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import click

from prim_lantern.cli.common import (
    complete_action,
    complete_place,
    complete_who,
    opened,
    person_or_anybody,
    print_json,
    print_lines,
    print_text,
)
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.cli.spots import in_categories
from prim_lantern.cli.who import is_at
from prim_lantern.decide.engine.filings import together as filed_together
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.explain.holdings import holdings
from prim_lantern.decide.views.looking import LookingAs
from prim_lantern.decide.views.powers import Powers, managing_spots
from prim_lantern.errors import BadQuestion
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS, STEPS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, place, tree_order
from prim_lantern.state import Whom

Files = Mapping[tuple[str, ...], tuple[str, ...]]


@click.command(short_help="What may somebody do?")
@click.argument("who", shell_complete=complete_who)
@click.argument("action", required=False, shell_complete=complete_action)
@click.option("--in", "within", metavar="PATH", shell_complete=complete_place, help="At or below.")
@list_at
def what(
    who: str, action: str | None, within: str | None, where: str, at: str | None, shown: As
) -> None:
    """What may WHO do? With ACTION: the items to which they may do that, and why; for create, what
    they may add where; for file-under, in which categories.

    WHO is a person, "guest", or anybody of whom just that is known: group:…, role:…, signed-in.
    Without an action: the groups, roles and rules that reach them, and what that lets them do
    beyond everybody who is signed in; --csv then has every action with every place.

    \b
    prim-lantern what mirela edit
    prim-lantern what group:volunteers create --in /log
    """
    site = opened(where)
    whom = person_or_anybody(site, who)
    if within is not None:
        site.section(within)
    if action == "create":
        _creating(site, whom, within, at, shown)
    elif action == "file-under":
        _filing_what_is_there(site, whom, within, at, shown)
    elif action is not None and site.data.action(action) in MANAGING_ACTIONS:
        _managing(site, whom, action, within, at, shown)
    elif action is not None:
        _items(site, whom, action, within, at, shown)
    elif shown.to_csv is not None:
        _every_right(site.powers_of(whom, at), within, shown)
    elif within is not None:
        raise BadQuestion("--in belongs to an action, or to --csv: say which action.")
    else:
        _powers(site, whom, at, shown.as_json)


def _items(
    site: Site, who: Whom, action: str, within: str | None, at: str | None, shown: As
) -> None:
    from prim_lantern.show.records import PAGE, Column

    every = site.items_for(who, action, at)
    paths = [path for path in every if within is None or is_at(path, within, below=True)]
    told = paths if shown.everything or shown.as_json or shown.to_csv else paths[:PAGE]
    records = [
        {
            "path": path,
            "title": site.data.items[path].title,
            "by": site.why(who, action, path, at).short,
        }
        for path in told
    ]
    if not (shown.as_json or shown.to_csv):
        at_place = f", {len(paths):,} of them at {within} or below" if within is not None else ""
        open_now = sum(site.is_possible(who, action, path, at) for path in paths)
        state = f"; {open_now:,} of them are in a state for it now" if action in STEPS else ""
        called, doing = (
            words.opening(site.data, site.login_of(who)),
            words.doing(site.data, action),
        )
        of_all = f"{len(every):,} of {len(site.data.items):,} items"
        print_text(f"{called} may {doing} {of_all}{at_place}{state}.")
    columns = [
        Column("path", "Item", whole=True),
        Column("title", "Title", shed=1),
        Column("by", "Because"),
    ]
    show_list(shown, columns, records, "", count=len(paths))


def _managing(
    site: Site, who: Whom, action: str, within: str | None, at: str | None, shown: As
) -> None:
    from prim_lantern.show.records import Column

    whole = action in SITE_WIDE_ACTIONS
    if whole and within is not None:
        raise BadQuestion(f"{action!r} is asked of the whole site: leave --in out.")
    below = place(within) if within is not None else SITE
    spots = [SITE] if whole else managing_spots(site.data, below)
    decisions = [(str(each), site.may_manage(who, action, str(each), at)) for each in spots]
    records = [{"place": name, "by": each.explanation.short} for name, each in decisions if each]
    if not (shown.as_json or shown.to_csv):
        called = words.opening(site.data, site.login_of(who))
        doing = words.doing(site.data, action)
        if not records:
            print_text(f"{called} may {action} nowhere{f' in {within}' if within else ''}.")
        elif whole:
            print_text(f"{called} may {doing} the whole site.")
        else:
            print_text(
                f"{called} may {doing} {len(records)} of {len(spots)} places; what lies between "
                "them, where no words stand, is as the place above it."
            )
    show_list(shown, [Column("place", "Place", whole=True), Column("by", "Because")], records, "")


def _creating(site: Site, who: Whom, within: str | None, at: str | None, shown: As) -> None:
    from prim_lantern.show.records import Column

    view = site.looking_as(who, at)
    records = [
        {
            "parent": each.parent,
            "kind": each.kind,
            "categories": list(each.categories),
            "needs_category": each.needs_category,
        }
        for each in view.offers
        if within is None or is_at(each.parent, within, below=True)
    ]
    short = [
        {**each, "needs_category": _filing(bool(each["categories"]), bool(each["needs_category"]))}
        for each in records
    ]
    if not (shown.as_json or shown.to_csv):
        parents = len({each["parent"] for each in records})
        below = f"below {parents} place{'s' if parents != 1 else ''}" if parents else "nowhere"
        print_text(f"{view.called[:1].upper()}{view.called[1:]} may create something {below}.")
    columns = [
        Column("parent", "Below", whole=True),
        Column("kind", "Kind", whole=True),
        Column("needs_category", "Filed"),
        Column("categories", "Under", shed=1),
    ]
    show_list(shown, columns, records, "", short=short)


def _filing(categories: bool, needed: bool) -> str:
    return "needed" if needed else "if wanted" if categories else "no"


def _filing_what_is_there(
    site: Site, who: Whom, within: str | None, at: str | None, shown: As
) -> None:
    from prim_lantern.show.records import Column

    files = site.powers_of(who, at).files
    found = {path: categories for categories, paths in files.items() for path in paths}
    records = [
        {"path": path, "categories": [*found[path]]}
        for path in sorted(found, key=tree_order)
        if within is None or is_at(path, within, below=True)
    ]
    if not (shown.as_json or shown.to_csv):
        called = words.opening(site.data, site.login_of(who))
        at_place = f" at {within} or below" if within is not None else ""
        items = f"{len(records):,} of {len(site.data.items):,} items{at_place}"
        of_all = f"edit {items} and file them under some category"
        nothing = f"file nothing that is there{at_place}"
        print_text(f"{called} may {of_all if records else nothing}.")
    columns = [Column("path", "Item", whole=True), Column("categories", "Under", shed=1)]
    show_list(shown, columns, records, "")


def _every_right(powers: Powers, within: str | None, shown: As) -> None:
    """Every action with every place where they may do it, as CSV."""
    beyond = {action: set(paths) for action, paths in powers.beyond.items()}
    records = [
        {"action": action, "where": path, "beyond": path in beyond.get(action, ())}
        for action, paths in powers.may.items()
        for path in paths
        if within is None or is_at(path, within, below=True)
    ]
    records += [
        {"action": action, "where": place, "beyond": True}
        for action, places in powers.manages.items()
        for place in places
        if within is None or place == "site" or is_at(place, within, below=True)
    ]
    more = {path for items in powers.files_beyond.values() for path in items}
    records += [
        {"action": f"file-under in {';'.join(some)}", "where": path, "beyond": path in more}
        for some, items in powers.files.items()
        for path in items
        if within is None or is_at(path, within, below=True)
    ]
    show_list(shown, [], records, "", keys=["action", "where", "beyond"])


def _powers(site: Site, who: Whom, at: str | None, as_json: bool) -> None:
    data, powers = site.data, site.powers_of(who, at)
    view = site.looking_as(who, at)
    held = holdings(data, powers, site.moment(at))
    if as_json:
        print_json(
            {
                "who": None if who is None else str(who),
                "owner": powers.owner,
                **{name: [point.to_dict() for point in points] for name, points in held.items()},
                "may": {action: list(paths) for action, paths in powers.may.items()},
                "beyond": {action: list(paths) for action, paths in powers.beyond.items()},
                "files": _filed(powers.files),
                "files_beyond": _filed(powers.files_beyond),
                "manages": {action: list(at) for action, at in powers.manages.items()},
                "offers": view.to_dict()["offers"],
            }
        )
        return
    print_lines(who_it_is(site, who))
    print_holdings(held, powers)
    click.echo(f"\n{styled('Beyond everybody who is signed in', 'strong')}")
    _print_beyond(data, powers, view)


def print_holdings(held: Mapping[str, Sequence[Point]], powers: Powers) -> None:
    """The groups, roles and rules that reach somebody, and the rights over rights they have."""
    for heading, points in held.items():
        if points:
            click.echo(f"\n{styled(heading.capitalize(), 'strong')}")
        for point in points:
            for line in point.lines(""):
                print_lines(wrapped(line, "  ", "  "))
    _print_managing(powers)


def _print_managing(powers: Powers) -> None:
    if powers.manages:
        click.echo(f"\n{styled('Rights over rights and people', 'strong')}")
    for managing, places in powers.manages.items():
        at = "the whole site" if places == ("site",) else words.listed(places)
        print_lines(wrapped(f"- {managing}: {at}", "  ", "  "))


def _print_beyond(data: SiteData, powers: Powers, view: LookingAs) -> None:
    together: dict[tuple[str, ...], list[str]] = {}
    for action, paths in powers.beyond.items():
        together.setdefault(paths, []).append(action)
    for paths, actions in together.items():
        print_lines(wrapped(f"- {words.listed(actions)}: {_some(data, paths)}", "  ", "  "))
    for categories, items in filed_together(data.categories, powers.files_beyond.items()):
        told = _some(data, sorted(items, key=tree_order))
        print_lines(wrapped(f"- file-under{in_categories(categories)}: {told}", "  ", "  "))
    from prim_lantern.show.tables import offer_lines

    for line in offer_lines(data, view.offers, most=6):
        print_lines(wrapped(f"- create: {line}", "  ", "  "))
    if not (powers.beyond or powers.files_beyond or view.offers):
        click.echo("  - nothing")


def _filed(files: Files) -> list[dict[str, list[str]]]:
    """What may be filed where, for programs."""
    return [{"categories": [*some], "items": [*items]} for some, items in files.items()]


def _some(data: SiteData, paths: Sequence[str]) -> str:
    """How many items, and the first few of them."""
    if len(paths) == len(data.items):
        return f"all {len(paths)} items"
    count = f"{len(paths)} item{'s' if len(paths) != 1 else ''}"
    return f"{count}: {', '.join(paths[:4])}{' …' if len(paths) > 4 else ''}"


def who_it_is(site: Site, who: Whom) -> list[str]:
    """Whom it is about, in a line."""
    if who is None:
        return ["A guest: somebody who is not signed in."]
    login = site.login_of(who)
    user = site.data.users.get(login or "")
    if user is None:
        return [*wrapped(f"{words.opening(site.data, login)}, of whom nothing else is known.")]
    owner = ", the owner" if login == site.data.owner else ""
    return [f"{user.called} ({login}), {user.status}{owner}."]


COMMANDS = {"what": what}
