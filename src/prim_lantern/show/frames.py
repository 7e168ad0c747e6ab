"""Answers as pandas data frames."""

from __future__ import annotations

from typing import TYPE_CHECKING

from prim_lantern.decide.views.grid import Grid

if TYPE_CHECKING:
    from pandas import DataFrame


def grid_frame(grid: Grid) -> DataFrame:
    """The grid as a frame: rows are places, columns are pairs of who and action."""
    import pandas as pd  # takes long to load, and few need it

    columns = pd.MultiIndex.from_product([grid.whos, grid.actions], names=["who", "action"])
    cells = [[mark for cells in marks for mark in cells] for marks in grid.marks]
    index = pd.Index([row.where for row in grid.rows], name="where")
    return pd.DataFrame(cells, index=index, columns=columns)
