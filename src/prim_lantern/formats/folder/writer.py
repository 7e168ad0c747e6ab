"""Writing a site folder that reads back as an equal site."""

from __future__ import annotations

import csv
import io
import os
from collections.abc import Iterable, Mapping
from datetime import datetime
from pathlib import Path

from prim_lantern.errors import NotOverwritten, PrimLanternError
from prim_lantern.formats.folder.csv_rows import CONTENT_FILE, PEOPLE_FILE
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.folder.plain import plain_tables
from prim_lantern.formats.folder.reader import SITE_FILE, read_folder, read_texts
from prim_lantern.site.content import PUBLISHED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, written
from prim_lantern.site.people import ACTIVE, User


def write_folder(data: SiteData, folder: str | Path, *, overwrite: bool = False) -> None:
    """Write a site as a folder.

    Parameters: the site; the folder, made where it is missing; whether files that are
    there may be replaced. Each file is replaced whole or not at all; comments and
    layout of a site.toml that is there are kept.
    Raises `NotOverwritten` when one of the files is there and `overwrite` was not said.

    >>> import tempfile
    >>> from prim_lantern.demo import DEMO_FOLDER
    >>> from prim_lantern.formats.folder.reader import read_folder
    >>> site = read_folder(DEMO_FOLDER)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     write_folder(site, folder)
    ...     read_folder(folder) == site
    True
    """
    folder = Path(folder)
    texts = {
        SITE_FILE: "",
        PEOPLE_FILE: _csv_text(
            (*PEOPLE_COLUMNS, *data.attributes), map(_person, data.users.values())
        ),
        CONTENT_FILE: _csv_text(CONTENT_COLUMNS, map(_item, data.items.values())),
    }
    there = [name for name in texts if (folder / name).exists()]
    if there and not overwrite:
        raise NotOverwritten(str(folder / there[0]), "Choose another folder, or say to overwrite.")
    texts[SITE_FILE] = _site_toml(data, folder, texts)
    folder.mkdir(parents=True, exist_ok=True)
    for name, text in texts.items():
        beside = folder / f".{name}.new"
        beside.write_text(text, encoding="utf-8", newline="")
        os.replace(beside, folder / name)


def _site_toml(data: SiteData, folder: Path, texts: Mapping[str, str]) -> str:
    """What site.toml says, in the style of the one that is there, if it can be kept."""
    # tomlkit takes long to load, and only writing needs it
    from prim_lantern.formats.folder.toml_text import fresh_text, updated_text

    tables = plain_tables(data)
    try:
        before = read_folder(folder)
        text = (folder / SITE_FILE).read_text(encoding="utf-8")
        updated = updated_text(text, plain_tables(before), tables)
        if read_texts(updated, texts[PEOPLE_FILE], texts[CONTENT_FILE]) == data:
            return updated
    except (PrimLanternError, KeyError, ValueError):
        pass  # nothing there, not in order, or in a form that cannot be changed piece by piece
    return fresh_text(tables)


def _csv_text(header: Iterable[str], rows: Iterable[Mapping[str, str]]) -> str:
    text = io.StringIO(newline="")
    writer = csv.DictWriter(text, list(header), restval="", lineterminator="\n")
    writer.writeheader()
    writer.writerows(rows)
    return text.getvalue()


def _person(user: User) -> dict[str, str]:
    memberships = [
        each.group + (f"@{_ends(each.period)}" if each.period != Period() else "")
        for each in user.memberships
    ]
    enrolments = [f"plan:{each.plan}@{written(each.since)}" for each in user.enrolments]
    return {
        "login": user.login,
        "name": user.name,
        "email": user.email,
        "status": user.status if user.status != ACTIVE else "",
        "groups": ";".join(memberships + enrolments),
        "roles_elsewhere": ";".join(user.roles_elsewhere),
        "joined": _moment(user.joined),
        **user.attributes,
    }


def _ends(period: Period) -> str:
    return f"{_moment(period.since)}..{_moment(period.until)}"


def _item(item: Item) -> dict[str, str]:
    return {
        "path": item.path,
        "kind": item.kind,
        "title": item.title,
        "authors": ";".join(item.authors),
        "changed_by": ";".join(item.changed_by),
        "state": item.state if item.state != PUBLISHED else "",
        "categories": ";".join(item.categories),
        "readership": item.readership or "",
        "public_from": _moment(item.public_from),
        "public_until": _moment(item.public_until),
        "links_to": item.links_to or "",
    }


def _moment(at: datetime | None) -> str:
    return written(at) if at else ""
