"""Reading a site folder: the whole site, or everything that is wrong with it."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from datetime import datetime
from functools import partial
from io import BytesIO
from pathlib import Path
from typing import Any

from prim_lantern.errors import BadSite, BadValue, NoSite
from prim_lantern.formats.disk import of_files
from prim_lantern.formats.folder.csv_rows import read_content, read_people
from prim_lantern.formats.folder.files import FILES, SITE_FILE
from prim_lantern.formats.folder.found import found_in
from prim_lantern.formats.folder.lines import TomlLines
from prim_lantern.formats.folder.plain import ENTRIES
from prim_lantern.formats.folder.source import (
    Problems,
    Progress,
    bytes_of,
    toml_of,
    without_collecting,
)
from prim_lantern.formats.folder.table import Logins
from prim_lantern.formats.folder.tables import SiteTables
from prim_lantern.site.check import problems_in
from prim_lantern.site.columns import Columns
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment, zone_of
from prim_lantern.site.origin import Problem
from prim_lantern.site.people import User
from prim_lantern.values import replace


def read_folder(folder: str | Path, progress: Progress | None = None) -> SiteData:
    """Read a site folder.

    Parameters: the path of a folder that holds site.toml, people.csv and content.csv; maybe
    what is told how far the reading of the two long files has come.
    Returns the site, with the file and line of every piece as its `origin`.
    Raises `NoSite` when there is no such folder, `StoreTrouble` when it cannot be read, and
    `BadSite` with every mistake in it, in the order of the files and lines; nothing is loaded
    then. A change that was being written when its process ended counts as made.

    >>> from prim_lantern.demo import DEMO_FOLDER
    >>> read_folder(DEMO_FOLDER).owner
    'hana.okafor'
    """
    folder = Path(folder)
    with of_files(str(folder), reading=True):
        return read_found(folder, found_in(folder).files, progress)


def read_found(
    folder: Path, found: Mapping[str, bytes | None], progress: Progress | None = None
) -> SiteData:
    """Read the site that the three files of a folder hold; raises `NoSite` and `BadSite` as
    well."""
    if not folder.is_dir():
        what = "it is a file, not a folder" if folder.exists() else "no such folder"
        raise NoSite(str(folder), f"{what}. 'prim-lantern new' makes one.")
    problems = Problems()
    files = [bytes_of(folder, name, problems, found[name]) for name in FILES]
    with without_collecting():
        return _read(files, problems, str(folder), progress)


def read_packed(packed: bytes, where: str) -> SiteData:
    """Read the site that a packed folder holds, see `packed`; its lines are of no file, so nothing
    has an origin. Raises `BadSite` as well, and `ValueError`, `KeyError` or `OSError` for what is
    no such folder."""
    from zipfile import BadZipFile, ZipFile  # few have packed ones

    try:
        with ZipFile(BytesIO(packed)) as archive:
            files = [archive.read(name) for name in FILES]
    except BadZipFile as error:
        raise ValueError(str(error)) from None
    with without_collecting():
        return _of_nowhere(_read(files, Problems(), where))


def _of_nowhere(data: SiteData) -> SiteData:
    """A site that does not say in which file and line anything stands."""
    parts: dict[str, Any] = {}
    for part in ENTRIES:
        found = getattr(data, part)
        if isinstance(found, Mapping):
            parts[part] = {name: replace(each, origin=None) for name, each in found.items()}
        else:
            parts[part] = tuple(replace(each, origin=None) for each in found)
    return data.with_parts(
        **parts,
        users=Columns(User, data.people.columns),
        items=Columns(Item, data.content.columns),
    )


def parts_of(site_toml: str, logins: Iterable[str]) -> dict[str, Any]:
    """What the text of a site.toml says, by the fields of `SiteData`; raises `BadSite` as well."""
    problems = Problems()
    values = toml_of(SITE_FILE, site_toml, problems)
    problems.moment = _clock_of(values)
    tables = SiteTables(values or {}, TomlLines(site_toml), Logins(logins), problems)
    parts = tables.parts() if values is not None else {}
    if problems.found:
        raise BadSite(problems.found)
    return parts


def _read(
    files: Sequence[bytes | None],
    problems: Problems,
    where: str,
    progress: Progress | None = None,
) -> SiteData:
    raw_site, raw_people, raw_content = files
    toml_text = raw_site.decode("utf-8-sig") if raw_site is not None else None
    values = toml_of(SITE_FILE, toml_text, problems) if toml_text is not None else None
    problems.moment = _clock_of(values)
    users: Columns[User] = _NOBODY
    attributes: tuple[str, ...] = ()
    if raw_people is not None:
        users, attributes = read_people(raw_people, problems, progress)
    logins = Logins(users)
    items = _NO_ITEMS
    if raw_content is not None:
        items = read_content(raw_content, logins, problems, progress)
    data = None
    if toml_text is not None and values is not None:
        tables = SiteTables(values, TomlLines(toml_text), logins, problems)
        data = SiteData(**tables.parts(), attributes=attributes, users=users, items=items)
        if None not in files:  # else all would seem unknown
            problems.found.extend(
                each for each in problems_in(data, typed=True) if each.value != ""
            )
    if problems.found or data is None:
        once = {str(problem): problem for problem in problems.found}
        raise BadSite(sorted(once.values(), key=_in_file_order), where)
    return data


def _clock_of(values: Mapping[str, Any] | None) -> Callable[[Any], datetime]:
    """How moments are read in a folder whose site.toml says this."""
    site = (values or {}).get("site")
    name = site.get("timezone") if isinstance(site, Mapping) else None
    try:
        zone = zone_of(name) if isinstance(name, str) else None
    except BadValue:
        zone = None  # the checks tell of it
    return partial(moment, zone=zone)


_NOBODY: Columns[User] = Columns.of(User, ())
_NO_ITEMS: Columns[Item] = Columns.of(Item, ())


def _in_file_order(problem: Problem) -> tuple[int, int]:
    origin = problem.origin
    return (FILES.index(origin.file), origin.line) if origin else (-1, 0)
