"""`show`: what a place is, and all that holds there."""

from __future__ import annotations

from collections.abc import Iterator

import click

from prim_lantern.cli.common import complete_place, opened, print_json, print_lines
from prim_lantern.cli.listing import As, list_at, show_list
from prim_lantern.decide.views.place_view import PlaceView
from prim_lantern.live import Site
from prim_lantern.show.terminal import styled, wrapped

_HEADINGS = {
    "readerships": "Who may view",
    "rights": "Rules and given roles",
    "limits": "Limits",
    "promises": "Promises",
}


@click.command(short_help="What a place is, and what holds there.")
@click.argument("place", default="site", shell_complete=complete_place)
@list_at
def show(place: str, where: str, at: str | None, shown: As) -> None:
    """What PLACE is (a path, a category or "site"), who may view it, and every rule, given role,
    limit and promise that holds there: its own first, then what reaches it from elsewhere, the
    nearest first."""
    site = opened(where)
    view = site.place_view(place, at)
    if shown.as_json:
        print_json(view.to_dict())
    elif shown.to_csv is not None:
        show_list(shown, [], list(_records(view)), "", keys=_KEYS)
    else:
        print_lines(_lines(site, view, at))


_KEYS = ("place", "about", "from", "what", "text", "file", "line")


def _records(view: PlaceView) -> Iterator[dict[str, object]]:
    """A row for each fact, and for each word that holds there."""
    for fact in view.facts:
        yield {"place": view.where, "about": "facts", "what": fact.what, "text": fact.text}
    for source, found in (("here", view.here), ("elsewhere", view.from_elsewhere)):
        for about, points in found.items():
            for point in points:
                yield {"place": view.where, "about": about, "from": source, **point.to_dict()}


def _lines(site: Site, view: PlaceView, at: str | None) -> Iterator[str]:
    yield styled(f"{view.where}  {view.title}".rstrip(), "strong")
    for fact in view.facts:
        yield from wrapped(f"{fact.what}: {fact.text}", "  ", "  ")
    if view.where in site.data.items:
        readers = site.who_may("read", view.where, at)
        active = sum(1 for user in site.data.users.values() if user.status == "active")
        guests = "guests and " if readers.guests else ""
        yield f"  read by: {guests}{len(readers)} of {active} active people"
    for name, heading in _HEADINGS.items():
        own, rest = view.here.get(name, ()), view.from_elsewhere.get(name, ())
        if not own and not rest:
            continue
        yield ""
        yield styled(heading, "strong")
        if own:
            yield "  set right here"
        for point in own:
            yield from wrapped(next(iter(point.lines(""))), "    ", "  ")
        if rest:
            yield "  from elsewhere, the nearest first"
        for point in rest:
            yield from wrapped(next(iter(point.lines(""))), "    ", "  ")


COMMANDS = {"show": show}
