"""Items from a CSV file with some of the columns of content.csv."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from prim_lantern.errors import BadSite
from prim_lantern.formats.folder.csv_rows import content_of
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS
from prim_lantern.formats.folder.source import CsvFile, Problems
from prim_lantern.formats.folder.table import Logins

_FILE = "the file"


def item_rows(raw: bytes, logins: Iterable[str]) -> tuple[Mapping[str, Any], ...]:
    """The rows of a CSV file as values for `ImportItems`: just the columns that it has.

    Raises `BadSite` with everything that cannot be read.

    >>> item_rows(b"path,kind,title\\n/news/fair,page,The fair\\n", [])[0]["title"]
    'The fair'
    """
    problems = Problems()
    try:
        raw.decode("utf-8-sig")
    except UnicodeDecodeError:
        raise BadSite([_not_utf8()], _FILE) from None
    file = CsvFile(_FILE, raw, CONTENT_COLUMNS, ("path",), problems, more=False)
    columns = [name for name in file.header if name in CONTENT_COLUMNS]
    found = content_of(file, Logins(logins), problems, _FILE)
    if problems.found:
        raise BadSite(problems.found, _FILE)
    return tuple({name: found.value(name, row) for name in columns} for row in range(len(found)))


def _not_utf8() -> Any:
    from prim_lantern.site.origin import Problem

    return Problem(None, None, _FILE, "is not UTF-8; save it as UTF-8.")
