"""Opening a site, wherever it is kept."""

from __future__ import annotations

from functools import cache
from pathlib import Path

from prim_lantern.content import Source
from prim_lantern.demo import DEMO_FOLDER
from prim_lantern.errors import BadSite, BadValue
from prim_lantern.formats.disk import of_files
from prim_lantern.formats.folder.reader import read_folder
from prim_lantern.formats.folder.source import Progress
from prim_lantern.formats.folder.writer import write_folder
from prim_lantern.live import Site
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.texts import written_whole
from prim_lantern.store.opening import store_at


def open_site(
    where: str | Path, progress: Progress | None = None, *, content: Source | None = None
) -> Site:
    """Open a site.

    Parameters: the path of a site folder, or the URL of a database (`sqlite:///site.db`,
    `postgresql+psycopg://…`); maybe where its content comes from, which is then taken over as it is
    now (see `Site.content`), such as a `prim_lantern.sql.ContentTable`; maybe what is called, while
    long files are read, with the name of the file, how many bytes are read, and how many there are.
    Returns the site, ready to be asked and changed.
    Raises `NoSite` where there is none, `BadSite` with all that is wrong in it, and
    `StoreTrouble` where a database does not answer.

    >>> import prim_lantern as pl
    >>> pl.open_site(pl.DEMO_FOLDER).data.name
    'Oxlip Sound Lighthouse Trust'
    """
    if content is not None and not callable(getattr(content, "rows", None)):
        raise BadValue(
            content, "has no rows: give a ContentTable, or something else that has them."
        )
    store = store_at(where)
    with of_files(store.where, reading=True):
        seen = store.read(progress)
    site = Site(seen.data, checked=True, store=store, seen=seen)
    if content is not None:
        site.content.sync(content.rows())
    return site


def put_site(data: SiteData, where: str | Path) -> Site:
    """Put a site where there is none yet, and open it there.

    Parameters: the site's data; the path of a folder, or the URL of a database (see `open_site`).
    Raises `NotOverwritten` and `StoreTrouble` where something is there already, and `BadSite` when
    the site does not make sense as a whole, `BadValue` for a text that cannot be kept; nothing is
    written then.

    >>> import prim_lantern as pl, tempfile
    >>> pl.put_site(pl.open_demo().data, f"sqlite:///{tempfile.mkdtemp()}/site.db").version
    0
    """
    if "://" in str(where):
        from prim_lantern.store.database import DatabaseStore  # takes long to load

        if problems := problems_in(data):
            raise BadSite(problems)
        with written_whole():
            DatabaseStore(str(where), make=True).fill(data)
    else:
        write_folder(data, where)
    return open_site(where)


def open_demo() -> Site:
    """The demo site, which comes with the package; what is changed is kept in memory alone.

    >>> open_demo().data.name
    'Oxlip Sound Lighthouse Trust'
    """
    return Site(_data_of_demo(), checked=True)


@cache
def _data_of_demo() -> SiteData:
    return read_folder(DEMO_FOLDER)
