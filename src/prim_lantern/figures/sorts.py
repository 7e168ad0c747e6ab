"""Which figures there are, and what each is drawn from."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Final

from matplotlib.figure import Figure

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.lists import who_may
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.grid import ACTIONS, every_column
from prim_lantern.errors import BadQuestion
from prim_lantern.figures.grid import grid_figure
from prim_lantern.figures.over_time import Moment, over_time_figure
from prim_lantern.figures.reach import reach_figure, tree_figure
from prim_lantern.figures.roles import roles_figure
from prim_lantern.insight.ladder import ladder
from prim_lantern.sheets.where_page import areas_of
from prim_lantern.site.moments import days_from
from prim_lantern.site.who import GUESTS
from prim_lantern.state import State
from prim_lantern.store.base import Store

SORTS: Final = ("grid", "reach", "roles", "over-time")
_PLACES: Final = 60
_GROUPS: Final = 40
_MOMENTS: Final = 60  # that are looked at on each side of now
_AHEAD: Final = 366  # days
_FIRST: Final = 2
_LAST: Final = 9_997  # beside which an axis has no room


def figure_of(
    state: State, store: Store, sort: str, who: Sequence[str], within: str | None, at: datetime
) -> Figure:
    """The figure of a sort, of a site at a moment."""
    if sort not in SORTS:
        raise BadQuestion(f"There is no figure {sort!r}: draw one of {', '.join(SORTS)}.")
    engine = state.engine(at)
    if sort == "roles":
        return roles_figure(engine.data, ladder(engine))
    if sort == "over-time":
        return _over_time(state, store, within or "/", at)
    areas, more = areas_of(engine.data, within, _PLACES)
    more += len(areas[_PLACES:])
    areas, left_out = areas[:_PLACES], [f"{more:,} more places"] if more else []
    if sort == "grid":
        columns = list(who) or every_column(engine.data)
        shown = columns[: _GROUPS + 2]
        if len(columns) > len(shown):
            left_out.append(f"{len(columns) - len(shown):,} more columns")
        return grid_figure(engine, areas, shown, _left_out(left_out))
    if not who:
        return reach_figure(engine, areas, _left_out(left_out))
    if len(who) > 1:
        raise BadQuestion("The reach of one of them is drawn at a time: name one.")
    found = GUESTS if who[0] == "guests" else state.who(who[0])
    engine = state.picturing(engine, [] if found == GUESTS else [found])
    called = words.person(engine.data, None if found == GUESTS else login_of(found))
    return tree_figure(engine, found, called, areas, _left_out(left_out))


def _left_out(some: Sequence[str]) -> str:
    return f"Left out for want of room: {' and '.join(some)}." if some else ""


def _over_time(state: State, store: Store, where: str, now: datetime) -> Figure:
    """The past as the site stood after each change; the next year as the site is now."""
    if not _FIRST <= now.year <= _LAST:
        said = f"A figure over time shows a year around a moment from the year {_FIRST} to {_LAST}."
        raise BadQuestion(said)
    path = state.data.item(where).path
    past = sorted({record.at for record in store.records() if record.at < now})
    end = days_from(now, _AHEAD)
    turns = [each for each in state.timeline.turns_after(now) if each <= end]
    first = days_from(past[0], -1) if past else days_from(now, -30)
    then = (first, *_thinned(past))
    moments = [_at(Engine(store.as_it_stood(each), each), path, each) for each in then]
    moments += [_at(state.engine(each), path, each) for each in (now, *_thinned(turns))]
    at = max(days_from(now, _AHEAD / 4), days_from(moments[-1].at, 1))
    last = moments[-1]._replace(at=at)
    return over_time_figure(state.data.name, path, now, [*moments, last])


def _thinned(moments: Sequence[datetime]) -> Sequence[datetime]:
    return moments[:: len(moments) // _MOMENTS + 1]


def _at(engine: Engine, path: str, at: datetime) -> Moment:
    there = path in engine.data.items
    counts = {each: len(who_may(engine, each, path)) if there else 0 for each in ACTIONS}
    return Moment(at, counts, there and engine.allows(None, "read", path))
