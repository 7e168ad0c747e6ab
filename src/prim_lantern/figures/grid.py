"""The grid as a heat map: the most that each kind of people may do at each place."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence
from typing import Final, NamedTuple

from matplotlib.axes import Axes
from matplotlib.figure import Figure
from matplotlib.patches import Rectangle

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.views.grid import ACTIONS, BELOW, OWN, YES, Grid, grid_of, heading
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
from prim_lantern.site.who import who as read_who

_CELL: Final = (0.78, 0.27)  # inches
_MOST: Final = 30  # letters of a name
_NOTE: Final = 110  # letters in a line of notes


def grid_figure(
    engine: Engine, areas: Sequence[str], whos: Sequence[str], left_out: str = ""
) -> Figure:
    """Places down, people across. Each cell says in a word, and by how dark it is, the most that
    they may: some (not here, but further in), read, own (edit what they wrote), edit, publish.
    Those who may the same everywhere share a column, and are named below; `left_out` says what had
    no room."""
    found = grid_of(engine, [read_who(each) for each in whos], areas, ACTIONS)
    columns = _columns(found)
    names = [shortened(f"{row.where}  {row.title}".rstrip(), 2 * _MOST) for row in found.rows]
    heads = [_heading(each.called) for each in columns]
    notes = [line for each in columns for line in _note(each.called)]
    notes += [left_out] if left_out else []
    probe, _ = new_figure(4, 4, "", "")
    left = max((width_of(probe, each) for each in names), default=1.0) + 0.4
    slant = max((width_of(probe, each) for each in heads), default=1.0)
    top, bottom = 1.05 + slant * 0.87, 0.35 + 0.18 * len(notes)
    wide = max(left + len(columns) * _CELL[0] + slant * 0.6 + 0.3, 8.5)
    high = top + len(names) * _CELL[1] + bottom
    about = (
        "The most that they may at each place. some: not here, but further in; +: more further in."
    )
    figure, axes = new_figure(wide, high, f"{engine.data.name}: who may do what where", about)
    span = len(columns) * _CELL[0]
    place_axes(axes, wide, high, left=left, right=wide - left - span, top=top, bottom=bottom)
    axes.set_xlim(0, max(1, len(columns)))
    axes.set_ylim(max(1, len(names)), 0)
    for x, column in enumerate(columns):
        for y, (word, level) in enumerate(column.cells):
            _draw_cell(axes, x, y, word, level)
    axes.set_yticks([n + 0.5 for n in range(len(names))], names)
    axes.set_xticks(
        [n + 0.5 for n in range(len(columns))], heads, rotation=60, ha="left", va="bottom",
        rotation_mode="anchor",
    )  # fmt: skip
    axes.xaxis.tick_top()
    axes.tick_params(length=0)
    for spine in axes.spines.values():
        spine.set_visible(False)
    for number, line in enumerate(reversed(notes)):
        figure.text(0.25 / wide, (0.15 + 0.18 * number) / high, line, fontsize=8, color=FAINT)
    return figure


def _draw_cell(axes: Axes, x: int, y: int, word: str, level: int) -> None:
    axes.add_patch(Rectangle((x, y), 1, 1, facecolor=SHADES[level], edgecolor=LINE, linewidth=0.6))
    if word:
        ink = "white" if level >= len(SHADES) - 2 else INK
        axes.text(x + 0.5, y + 0.52, word, ha="center", va="center", fontsize=8, color=ink)


class _Column(NamedTuple):
    """Those who share a column, and the word and the level of each row."""

    called: tuple[str, ...]
    cells: tuple[tuple[str, int], ...]


def _heading(called: Sequence[str]) -> str:
    more = f" and {len(called) - 1} more" if len(called) > 1 else ""
    return f"{shortened(called[0], _MOST)}{more}"


def _note(called: Sequence[str]) -> list[str]:
    """Who shares a column, in lines of a length."""
    if len(called) == 1:
        return []
    return textwrap.wrap(f"{_heading(called)}: {', '.join(called[1:])}", _NOTE)


def _columns(found: Grid) -> list[_Column]:
    alike: dict[tuple[tuple[str, int], ...], list[str]] = {}
    for at, who in enumerate(found.whos):
        cells = tuple(_word(marks[at]) for marks in found.marks)
        alike.setdefault(cells, []).append(heading(who, found.called[at]))
    return [_Column(tuple(called), cells) for cells, called in alike.items()]


def _word(marks: Sequence[str]) -> tuple[str, int]:
    """The most that marks come to, in a word, and how much that is."""
    read, edit, publish = marks
    if publish == YES:
        return "publish", 5
    more = " +" if BELOW in (edit, publish) else ""
    if edit == YES:
        return f"edit{more}", 4
    if OWN in (edit, publish):
        return f"own{more}", 3
    if read == YES:
        return f"read{more}", 2
    return ("some", 1) if BELOW in marks else ("", 0)
