"""What a site is on paper and for other systems: sheets to plan with, tables, sitemaps, feeds."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from os import PathLike
from typing import TYPE_CHECKING

from prim_lantern.arguments import explains_its_arguments
from prim_lantern.errors import BadQuestion, BadValue
from prim_lantern.formats.disk import file_named, of_files
from prim_lantern.insights import Insights
from prim_lantern.state import Moment, Whom

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
        where = file_named(file)
        with of_files(str(where)):
            return write_sheets(state.engine(self.moment(at)), where, whos, section)

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
        where = file_named(file)
        with of_files(str(where), reading=True):
            return read_sheets(state.engine(moment), where, made, progress)

    def export(self, what: str, form: str = "csv", at: Moment = None) -> str:
        """Content or people as text for other systems: "content" or "people", each as "csv" or
        "json" with the columns of the site folder; people as "scim" as well (RFC 7643).

        Raises `BadQuestion` for anything else.

        >>> import prim_lantern as pl
        >>> pl.open_demo().export("content").splitlines()[0]
        'path,kind,title,authors,changed_by,state,categories,readership,public_from,public_until,\
links_to'
        """
        from prim_lantern.formats.outgoing import scim, tables

        state = self._state
        if what not in ("content", "people") or form not in ("csv", "json", "scim"):
            raise BadQuestion("There are 'content' and 'people', as 'csv' and as 'json'.")
        if form == "scim":
            if what != "people":
                raise BadQuestion("SCIM is for people: content goes out as 'csv' or 'json'.")
            return scim.as_scim(state.engine(self.moment(at)))
        return (tables.as_csv if form == "csv" else tables.as_json)(
            state.data, what, self.moment(at)
        )

    def sitemaps(self, base: str, name: str = "sitemap.xml", at: Moment = None) -> dict[str, str]:
        """What guests may read as sitemaps (sitemaps.org), by the name of each file: one, or an
        index and what it lists. `base` is the address of the site.

        >>> import prim_lantern as pl
        >>> maps = pl.open_demo().sitemaps("https://trust.example", at="2027-05-10")
        >>> "https://trust.example/visit/prices" in maps["sitemap.xml"]
        True
        """
        from prim_lantern.formats.outgoing.addresses import base_of
        from prim_lantern.formats.outgoing.sitemap import as_sitemaps

        return as_sitemaps(self._state.engine(self.moment(at)), base_of(base), name)

    def feed(self, who: Whom, base: str, at: Moment = None, most: int = 50) -> str:
        """An Atom feed (RFC 4287) of the newest items that somebody may read, `most` of them.
        `base` is the address of the site. Raises `BadValue` for what is no address, or no number of
        entries.

        >>> import prim_lantern as pl
        >>> feed = pl.open_demo().feed(None, "https://trust.example", "2027-05-10")
        >>> feed.count("<entry>")
        46
        """
        from prim_lantern.formats.outgoing.addresses import base_of
        from prim_lantern.formats.outgoing.atom import as_atom

        if most < 1:
            raise BadValue(str(most), "is no number of entries: say 1 or more.")
        login, engine, _ = self._state.asked(who, at)
        changed = {
            piece.name: record.at
            for record in self.store.records()
            for patch in record.patches
            for piece in patch.pieces
            if piece.part == "items"
        }
        return as_atom(engine, login, base_of(base), changed, most)

    def report(self, at: Moment = None, since: Moment = None, *, checkup: bool = True) -> str:
        """The whole site as one page of HTML, for a board or an auditor: in numbers, its promises,
        findings, the grid with why, groups, roles, places with words of their own.

        `since` adds the changes from a moment on. Without `checkup` there are no findings, which
        take long to find on a big site.

        >>> import prim_lantern as pl
        >>> page = pl.open_demo().report("2027-05-10", checkup=False)
        >>> page.startswith("<!doctype html>")
        True
        """
        from prim_lantern.insight.checkup import checkup as look_over
        from prim_lantern.report.contents import contents
        from prim_lantern.report.page import page

        engine = self._state.engine(self.moment(at))
        found = look_over(engine) if checkup else None
        then = self.moment(since) if since is not None else None
        return page(contents(engine, found, self.store.records(), then))

    def draw(
        self,
        sort: str,
        file: str | PathLike[str],
        who: Iterable[str] = (),
        within: str | None = None,
        at: Moment = None,
    ) -> None:
        """Draw a figure into an .svg or .png file: "grid", "reach", "roles" or "over-time". It
        needs Matplotlib (`pip install prim-lantern[figures]`).

        `who` are the columns of the grid, or the one whose reach is drawn as a tree; `within` is a
        path: only places there, or the place of "over-time" (else the home page).
        Raises `BadQuestion` for another sort of figure, or of file.

        >>> import prim_lantern as pl, tempfile
        >>> pl.open_demo().draw("roles", f"{tempfile.mkdtemp()}/roles.svg", at="2027-05-10")
        """
        from prim_lantern.figures.canvas import save, settings
        from prim_lantern.figures.sorts import figure_of

        state, moment = self._state, self.moment(at)
        section = state.section(within) if within is not None else None
        where = file_named(file)
        with settings(), of_files(str(where)):
            save(figure_of(state, self.store, sort, [*who], section, moment), where)
