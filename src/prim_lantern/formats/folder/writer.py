"""Writing a site folder that reads back as an equal site."""

from __future__ import annotations

import io
import os
from codecs import BOM_UTF8
from collections.abc import Iterable, Mapping
from functools import partial
from pathlib import Path
from typing import Any

from prim_lantern.change.pieces import Piece
from prim_lantern.errors import BadSite, NotOverwritten, PrimLanternError
from prim_lantern.formats.disk import file_named, of_files
from prim_lantern.formats.folder.cells import item_cells, person_cells
from prim_lantern.formats.folder.csv_rows import (
    read_content,
    read_people,
)
from prim_lantern.formats.folder.csv_text import CsvTable, csv_text
from prim_lantern.formats.folder.files import CONTENT_FILE, FILES, PEOPLE_FILE, SITE_FILE
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS, PEOPLE_COLUMNS
from prim_lantern.formats.folder.plain import plain_tables
from prim_lantern.formats.folder.reader import parts_of, read_folder
from prim_lantern.formats.folder.source import Problems
from prim_lantern.formats.folder.table import Logins
from prim_lantern.site.check import problems_in
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import all_told_in, moment
from prim_lantern.site.people import User
from prim_lantern.site.texts import written_whole

Tables = Mapping[str, Any]


def write_folder(data: SiteData, folder: str | Path, *, overwrite: bool = False) -> None:
    """Write a site as a folder, without a history.

    Parameters: the site; the folder, made where it is missing; whether files that are
    there may be replaced. Each file is replaced whole or not at all; comments and
    layout of a site.toml that is there are kept.
    Raises `NotOverwritten` when one of the files is there and `overwrite` was not said, and
    `BadSite` when the site does not make sense as a whole; `BadValue` for a text that cannot be
    kept, and for what is no name of a folder; `StoreTrouble` where it cannot be written.

    >>> import tempfile
    >>> from prim_lantern.demo import DEMO_FOLDER
    >>> from prim_lantern.formats.folder.reader import read_folder
    >>> site = read_folder(DEMO_FOLDER)
    >>> with tempfile.TemporaryDirectory() as folder:
    ...     write_folder(site, folder)
    ...     read_folder(folder) == site
    True
    """
    folder = file_named(folder)
    if problems := problems_in(data):
        raise BadSite(problems)
    with of_files(str(folder)):
        there = [name for name in FILES if (folder / name).exists()]
        if there and not overwrite:
            said = "Choose another folder, or say to overwrite."
            raise NotOverwritten(str(folder / there[0]), said)
        with written_whole():
            found = new_files(data, folder)
        folder.mkdir(parents=True, exist_ok=True)
        for name, raw in found.items():
            beside = folder / f".{name}.new"
            beside.write_bytes(raw)
            os.replace(beside, folder / name)


def new_files(data: SiteData, folder: Path) -> dict[str, bytes]:
    """What has to be written into a folder so that it says just `data`, whatever it says now."""
    texts: dict[str, str] = {}
    before = None
    there = {name: folder / name for name in FILES if (folder / name).is_file()}
    try:
        texts = {name: path.read_text(encoding="utf-8-sig") for name, path in there.items()}
        before = read_folder(folder) if len(there) == len(FILES) else None
    except (PrimLanternError, ValueError):
        pass  # not in order: written anew
    found, _ = folder_texts(data, before, texts)
    return {
        name: in_form_of(there[name].read_bytes() if name in there else b"", name, text)
        for name, text in found.items()
    }


def packed(data: SiteData) -> bytes:
    """The three files of a site, put into a zip file."""
    from zipfile import ZIP_DEFLATED, ZipFile  # every now and then

    whole = io.BytesIO()
    with ZipFile(whole, "w", ZIP_DEFLATED) as archive:
        for name, text in folder_texts(data, None, {})[0].items():
            archive.writestr(name, text.encode())
    return whole.getvalue()


def in_form_of(before: bytes, name: str, text: str) -> bytes:
    """The new text of a file with the byte-order mark and the line ends of what it held before."""
    if before.partition(b"\n")[0].endswith(b"\r"):
        if name != SITE_FILE:
            outside = text.split('"')  # every second one stands in quotes, and stays as it is
            outside[::2] = [each.replace("\n", "\r\n") for each in outside[::2]]
            text = '"'.join(outside)
        else:
            text = text.replace("\n", "\r\n")
    return (BOM_UTF8 if before.startswith(BOM_UTF8) else b"") + text.encode()


def folder_texts(
    data: SiteData, before: SiteData | None, texts: Mapping[str, str]
) -> tuple[dict[str, str], Mapping[str, Any] | None]:
    """The texts of the files that have to be written, so that the folder says just `data`; and what
    a new site.toml says with its lines, where that was looked at.

    `before` is what it says now, by its `texts`: comments, layout and the order of columns stay,
    and a file with nothing to change is left alone. None: all is written anew.
    """
    found, parts = dict[str, str](), None

    def person(user: User) -> dict[str, str]:
        return person_cells(all_told_in(user, data.zone))

    def item(item: Item) -> dict[str, str]:
        return item_cells(all_told_in(item, data.zone))

    people = before and (before.people, before.attributes)
    if before is None or people != (data.people, data.attributes):
        table = CsvTable("login", (*PEOPLE_COLUMNS, *data.attributes), person)
        same = before is not None and before.attributes == data.attributes
        text = texts.get(PEOPLE_FILE)
        found[PEOPLE_FILE] = table.text(
            data.people, before.people if same and before else None, text
        )
    if before is None or (before.items is not data.items and before.items != data.items):
        table = CsvTable("path", CONTENT_COLUMNS, item)
        text = texts.get(CONTENT_FILE)
        found[CONTENT_FILE] = table.text(data.content, before.content if before else None, text)
    tables = plain_tables(data)
    tables_before = plain_tables(before) if before is not None else None
    if tables != tables_before:
        text = texts.get(SITE_FILE, "")
        found[SITE_FILE], parts = _site_toml(data, tables, tables_before, text)
    return found, parts


def rows_read_back(pieces: Iterable[Piece], data: SiteData) -> bool:
    """Whether the people and items among the differences that led to a site, written as rows, read
    back equal."""
    some: dict[str, list[Any]] = {"users": [], "items": []}
    for piece in pieces:
        if piece.part in some and piece.after is not None:
            some[piece.part].append(all_told_in(piece.after, data.zone))
    problems = Problems(partial(moment, zone=data.zone))
    people = csv_text((*PEOPLE_COLUMNS, *data.attributes), map(person_cells, some["users"]))
    items = csv_text(CONTENT_COLUMNS, map(item_cells, some["items"]))
    found = (
        *read_people(people.encode(), problems)[0].values(),
        *read_content(items.encode(), Logins(()), problems).values(),
    )
    return not problems.found and found == (*some["users"], *some["items"])


def _site_toml(
    data: SiteData, tables: Tables, before: Tables | None, text: str
) -> tuple[str, Mapping[str, Any] | None]:
    """The text of site.toml, in the style of the one that is there, if it can be kept; and what
    that says, read back."""
    # tomlkit takes long to load, and only writing needs it
    from prim_lantern.formats.folder.toml_text import fresh_text, updated_text

    if before is not None:
        try:
            updated = updated_text(text, before, tables)
            parts = parts_of(updated, data.users)
            if all(getattr(data, name) == part for name, part in parts.items()):
                return updated, parts
        except (PrimLanternError, KeyError, ValueError):
            pass  # in a form that cannot be changed piece by piece
    return fresh_text(tables), None
