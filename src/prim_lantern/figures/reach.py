"""How many people may do what at each section; or how far one of them reaches, as a tree."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final

from matplotlib.figure import Figure
from matplotlib.ticker import MaxNLocator

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import who_may
from prim_lantern.decide.views.grid import ACTIONS, grid_of, said_of
from prim_lantern.figures.canvas import (
    FAINT,
    INK,
    LINE,
    SHADES,
    new_figure,
    place_axes,
    shortened,
    width_of,
)
from prim_lantern.site.who import Who

_MARKS: Final = {  # its form, how dark it is, how far above or below its line it stands
    "read": ("o", SHADES[2], 0.0),
    "edit": ("s", SHADES[4], -0.2),
    "publish": ("D", INK, 0.2),
}
_ROW: Final = 0.3


def reach_figure(engine: Engine, areas: Sequence[str], left_out: str = "") -> Figure:
    """How many active people may read, edit and publish the page of each section: a mark of its own
    for each action. Sections where no page stands are left out."""
    data = engine.data
    pages = [each for each in areas if each in data.items]
    counts = {(a, p): len(who_may(engine, a, p)) for a in ACTIONS for p in pages}
    guests = {path for path in pages if engine.allows(None, "read", path)}
    names = [shortened(f"{path}  {data.items[path].title}", 60) for path in pages]
    probe, _ = new_figure(4, 4, "", "")
    left = max((width_of(probe, each) for each in names), default=1.0) + 0.5
    wide, high = left + 6.4, 1.5 + len(pages) * _ROW + 0.6
    active = sum(1 for each in data.users if engine.acting(each) is not None)
    about = f"Of {active:,} active people; + where guests read as well. {left_out}".rstrip()
    title = f"{data.name}: how many may read, edit and publish"
    figure, axes = new_figure(wide, high, title, about)
    place_axes(axes, wide, high, left=left, right=0.6, top=1.35, bottom=0.55)
    for action in ACTIONS:
        marker, shade, off = _MARKS[action]
        axes.plot(
            [counts[action, path] for path in pages], [y + off for y in range(len(pages))],
            linestyle="none", marker=marker, markersize=8 if action == "read" else 5,
            markerfacecolor=shade, markeredgecolor=INK, markeredgewidth=0.7, label=action,
            clip_on=False,
        )  # fmt: skip
    for y, path in enumerate(pages):
        axes.plot([0, counts["read", path]], [y, y], color=LINE, linewidth=1, zorder=0)
        if path in guests:
            axes.annotate(
                "+", (counts["read", path], y), xytext=(8, 0), textcoords="offset points",
                va="center", fontsize=10,
            )  # fmt: skip
    axes.set_yticks(range(len(pages)), names)
    axes.set_ylim(max(1, len(pages)) - 0.4, -0.6)
    axes.set_xlim(0, max(1, active) * 1.02)
    axes.set_xlabel("people")
    axes.xaxis.set_major_locator(MaxNLocator(integer=True))
    axes.grid(axis="x", color="#e4e6e8", linewidth=0.6)
    axes.set_axisbelow(True)
    axes.tick_params(length=0)
    for side in ("top", "right", "left"):
        axes.spines[side].set_visible(False)
    axes.legend(loc="lower left", bbox_to_anchor=(0, 1.0), ncols=3, frameon=False, borderaxespad=0)
    return figure


def tree_figure(
    engine: Engine, who: Who, called: str, areas: Sequence[str], left_out: str = ""
) -> Figure:
    """What somebody may do at each place, as a tree from broad to narrow."""
    data = engine.data
    found = grid_of(engine, [who], areas, ACTIONS)
    said = [said_of(ACTIONS, marks[0]) or "nothing" for marks in found.marks]
    depths = [0 if path == "/" else path.count("/") for path in areas]
    names = [shortened(f"{row.where}  {row.title}", 60) for row in found.rows]
    probe, _ = new_figure(4, 4, "", "")
    indents = [0.35 + 0.3 * depth for depth in depths]
    column = max(
        (at + width_of(probe, name) for at, name in zip(indents, names, strict=True)), default=1.0
    )
    wide = max(column + 0.5 + max(width_of(probe, each) for each in said) + 0.4, 8.5)
    high = 1.05 + len(areas) * _ROW + 0.25
    title = shortened(f"{data.name}: what {called} may do", 70)
    figure, axes = new_figure(
        wide,
        high,
        title,
        f"own: what they wrote; some: not here, but further in. {left_out}".rstrip(),
    )
    place_axes(axes, wide, high, left=0, right=0, top=1.0, bottom=0.2)
    axes.set_xlim(0, wide)
    axes.set_ylim(len(areas) - 0.4, -0.6)
    axes.axis("off")
    last: dict[int, int] = {}
    for y, (at, name, text) in enumerate(zip(indents, names, said, strict=True)):
        depth, nothing = depths[y], text == "nothing"
        above = max((last[d] for d in last if d < depth), default=None)
        if above is not None:
            x = indents[above] + 0.08
            axes.plot([x, x, at - 0.04], [above + 0.3, y, y], color=LINE, linewidth=0.9)
        axes.text(at, y, name, va="center", color=FAINT if nothing else INK)
        axes.text(
            column + 0.4, y, text, va="center", color=FAINT if nothing else INK,
            fontweight="normal" if nothing else "bold",
        )  # fmt: skip
        last = {d: row for d, row in last.items() if d < depth} | {depth: y}
    return figure
