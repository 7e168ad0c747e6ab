"""Roles that contain other roles, as a ladder."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from matplotlib.figure import Figure
from matplotlib.patches import FancyBboxPatch

from prim_lantern.figures.canvas import (
    FAINT,
    INK,
    LINE,
    new_figure,
    place_axes,
    shortened,
    width_of,
)
from prim_lantern.insight.ladder import Rung
from prim_lantern.site.data import SiteData

_HIGH, _STEP, _GAP = 0.46, 1.0, 0.3  # inches


def roles_figure(data: SiteData, rungs: Sequence[Rung]) -> Figure:
    """Each role above those of which it can do all, with a line to each that comes next; the number
    is of the items that somebody could edit who had just this role everywhere."""
    levels = _levels(rungs)
    rows: list[list[Rung]] = []
    for each in rungs:
        while len(rows) <= levels[each.role]:
            rows.append([])
        rows[levels[each.role]].append(each)
    rows = _ordered(rows)
    probe, _ = new_figure(4, 4, "", "")
    labels = {e.role: shortened(data.roles[e.role].called, 28) for e in rungs}
    widths = {name: max(0.9, width_of(probe, text) + 0.3) for name, text in labels.items()}
    spans = [sum(widths[e.role] + _GAP for e in row) - _GAP for row in rows]
    wide = max(7.0, max(spans, default=1.0) + 0.8)
    high = 1.3 + len(rows) * _STEP
    about = "Each stands above those of which it can do all. The number: items that it may edit."
    figure, axes = new_figure(wide, high, f"{data.name}: roles that contain roles", about)
    place_axes(axes, wide, high, left=0, right=0, top=0.85, bottom=0.1)
    axes.set_xlim(0, wide)
    axes.set_ylim(len(rows) * _STEP + 0.3, 0)
    axes.axis("off")
    at: dict[str, tuple[float, float]] = {}
    for level, row in enumerate(rows):
        x = (wide - spans[level]) / 2
        for each in row:
            at[each.role] = (x + widths[each.role] / 2, 0.2 + level * _STEP)
            x += widths[each.role] + _GAP
    for each in rungs:
        for other in each.contains:
            (x1, y1), (x2, y2) = at[each.role], at[other]
            axes.plot([x1, x2], [y1 + _HIGH, y2], color=LINE, linewidth=1.2, zorder=0)
    for each in rungs:
        x, y = at[each.role]
        width = widths[each.role]
        box = FancyBboxPatch(
            (x - width / 2, y), width, _HIGH, boxstyle="round,pad=0,rounding_size=0.06",
            facecolor="white", edgecolor=INK, linewidth=0.9,
        )  # fmt: skip
        axes.add_patch(box)
        axes.text(x, y + 0.15, labels[each.role], ha="center", va="center")
        count = (
            "all access" if data.roles[each.role].all_access else f"{each.counts.get('edit', 0):,}"
        )
        axes.text(x, y + 0.33, count, ha="center", va="center", fontsize=7.5, color=FAINT)
    return figure


def _levels(rungs: Sequence[Rung]) -> Mapping[str, int]:
    """How far down each role stands: one step below the lowest that contains it."""
    levels = {each.role: 0 for each in rungs}
    for each in rungs:  # those above come first
        for other in each.contains:
            levels[other] = max(levels[other], levels[each.role] + 1)
    return levels


def _ordered(rows: list[list[Rung]]) -> list[list[Rung]]:
    """Each row in the order of what stands above, so that few lines cross."""
    place: dict[str, float] = {}
    found: list[list[Rung]] = []
    for row in rows:
        above: dict[str, list[float]] = {each.role: [] for each in row}
        for upper in (e for some in found for e in some):
            for other in upper.contains:
                if other in above:
                    above[other].append(place[upper.role])
        row = sorted(row, key=lambda e: sum(above[e.role]) / max(1, len(above[e.role])))
        place |= {each.role: (n + 0.5) / len(row) for n, each in enumerate(row)}
        found.append(row)
    return found
