"""Answers as pandas data frames."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import TYPE_CHECKING, Protocol

from prim_lantern.decide.views.grid import Grid

if TYPE_CHECKING:
    from pandas import DataFrame


class Told(Protocol):
    """What tells itself to programs, as findings, chains, enrolments and found items do."""

    def to_dict(self) -> Mapping[str, object]:
        """All of it as plain values."""


def frame_of(told: Iterable[Told]) -> DataFrame:
    """Findings, chains, differences, found items … as a pandas DataFrame, a row each.

    >>> import prim_lantern as pl
    >>> frame = pl.frame_of(pl.open_demo().checkup("2027-05-10", only="fits-nobody"))
    >>> frame.loc[0, "severity"]
    'mistake'
    """
    import pandas as pd  # takes long to load, and few need it

    return pd.DataFrame([dict(each.to_dict()) for each in told])


def grid_frame(grid: Grid) -> DataFrame:
    """The grid as a frame: rows are places, columns are pairs of who and action."""
    import pandas as pd  # takes long to load, and few need it

    columns = pd.MultiIndex.from_product([grid.whos, grid.actions], names=["who", "action"])
    cells = [[mark for cells in marks for mark in cells] for marks in grid.marks]
    index = pd.Index([row.where for row in grid.rows], name="where")
    return pd.DataFrame(cells, index=index, columns=columns)
