"""What a site is on paper: sheets to plan with."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from os import PathLike
from pathlib import Path
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.insights import Insights
from prim_lantern.state import Moment

if TYPE_CHECKING:
    from prim_lantern.sheets.book import Edited


@explains_its_arguments()
class Papers(Insights):
    """What is written of a site for people to read and to plan with; `Site` is one."""

    def write_sheets(
        self,
        file: str | PathLike[str],
        who: Iterable[str] = (),
        within: str | None = None,
        at: Moment = None,
    ) -> list[str]:
        """Write the site to a workbook to plan with: an .xlsx file, or a folder of CSV files.

        `who` are the columns (`group:…`, "guests", "signed-in"; else all), `within` is a path: only
        places there are shown. What had no room is returned, a sentence each.

        >>> import prim_lantern as pl, tempfile
        >>> pl.open_demo().write_sheets(f"{tempfile.mkdtemp()}/site.xlsx", at="2027-05-10")
        []
        """
        from prim_lantern.sheets.book import write_sheets

        state = self._state
        whos = ["guests" if each == "guests" else str(state.who(each)) for each in who]
        section = state.section(within) if within is not None else None
        return write_sheets(state.engine(self.moment(at)), Path(file), whos, section)

    def read_sheets(
        self,
        file: str | PathLike[str],
        by: str,
        progress: Callable[[int, int], None] | None = None,
    ) -> Edited:
        """What an edited workbook comes to, for a change by somebody: steps, each with its cell and
        its operations. Nothing is changed by reading.

        `progress` is told how many cells of the grid are done, of how many.
        Raises `BadSite` with all cells that cannot be understood, or cannot come true.

        >>> import prim_lantern as pl, tempfile
        >>> site, file = pl.open_demo(), f"{tempfile.mkdtemp()}/site.xlsx"
        >>> _ = site.write_sheets(file)
        >>> site.read_sheets(file, by="hana.okafor").steps
        ()
        """
        from prim_lantern.change.operations.base import Made
        from prim_lantern.sheets.book import read_sheets

        state, moment = self._state, self.moment(None)
        made = Made(state.data.login(by), moment)
        return read_sheets(state.engine(moment), Path(file), made, progress)
