"""How many people may do something at a place, over time: as it was, and as it will be."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import datetime
from typing import Final, NamedTuple

from matplotlib.dates import AutoDateLocator, DateFormatter, date2num
from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from prim_lantern.figures.canvas import FAINT, INK, SHADES, new_figure, place_axes

_MONTHS: Final = 200  # days, of which the months alone are written
_STYLES: Final = {
    "read": ("-", SHADES[3], 2.6),
    "edit": ("--", SHADES[5], 2.0),
    "publish": (":", INK, 2.0),
}


class Moment(NamedTuple):
    """How many people may read, edit and publish at a moment, by action; whether guests read."""

    at: datetime
    counts: dict[str, int]
    guests: bool


def over_time_figure(name: str, where: str, now: datetime, moments: Sequence[Moment]) -> Figure:
    """Steps from one change to the next, a kind of line for each action; the past is as the site
    stood, what comes follows from periods and dates."""
    wide, high = 9.6, 4.8
    about = "Active people. Left of today: as the site stood; right: by what ends and begins."
    figure, axes = new_figure(wide, high, f"{name}: who may at {where}, over time", about)
    place_axes(axes, wide, high, left=0.8, right=1.2, top=1.0, bottom=0.6)
    days = [_day(each.at) for each in moments]
    ends: list[tuple[float, str]] = []
    for action, (style, shade, width) in _STYLES.items():
        values = [each.counts[action] for each in moments]
        axes.step(days, values, where="post", linestyle=style, color=shade, linewidth=width)
        ends.append((values[-1] if values else 0, action))
    top = max((v for each in moments for v in each.counts.values()), default=1)
    axes.set_ylim(-0.03 * max(1, top), max(1, top) * 1.12)
    axes.set_xlim(days[0], days[-1] if days[-1] > days[0] else days[0] + 1)
    apart = max(1, top) * 1.15 * 0.055
    lowest = -1e9
    for value, action in sorted(ends):  # names at the ends of the lines, apart from each other
        lowest = max(value, lowest + apart)
        axes.annotate(
            action, (1.01, lowest), xycoords=("axes fraction", "data"), va="center",
            annotation_clip=False,
        )  # fmt: skip
    axes.axvline(_day(now), color=FAINT, linewidth=1)
    axes.annotate(
        "today", (_day(now), 1.0), xycoords=("data", "axes fraction"),
        xytext=(3, -2), textcoords="offset points", va="top", fontsize=8, color=FAINT,
    )  # fmt: skip
    axes.xaxis.set_major_locator(AutoDateLocator(maxticks=7))  # type: ignore[no-untyped-call]
    form = "%b %Y" if days[-1] - days[0] > _MONTHS else "%d %b %Y"
    axes.xaxis.set_major_formatter(DateFormatter(form))  # type: ignore[no-untyped-call]
    axes.set_ylabel("people")
    axes.yaxis.set_major_locator(MaxNLocator(integer=True))
    axes.grid(axis="y", color="#e4e6e8", linewidth=0.6)
    axes.tick_params(length=3)
    for side in ("top", "right"):
        axes.spines[side].set_visible(False)
    return figure


def _day(at: datetime) -> float:
    return float(date2num(at))  # type: ignore[no-untyped-call]
