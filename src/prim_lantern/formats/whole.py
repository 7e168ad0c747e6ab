"""Files that are written whole, or not at all."""

from __future__ import annotations

import os
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path
from threading import get_ident
from typing import Final

from prim_lantern.errors import BadValue
from prim_lantern.formats.disk import file_named
from prim_lantern.formats.folder.files import (
    FILES,
    HISTORY_FILE,
    LAST,
    PAST,
    PENDING_FILE,
    SITE_FILE,
)

_OF_A_SITE: Final = (*FILES, HISTORY_FILE, PENDING_FILE)
_SQLITE: Final = b"SQLite format 3\x00"


def written_whole(file: Path, write: Callable[[Path], object]) -> None:
    """Let `write` put a new file beside one, and then put it in its place: whoever reads it, or
    whatever happens meanwhile, there is the old one or the new one, which is no more open to
    others than the old one. Raises `BadValue` where the folder of the file is not there, and for a
    file that a site is kept in."""
    file = file_named(file)
    if not file.parent.is_dir():
        raise BadValue(
            str(file), f"cannot be written: there is no folder {file.parent}; make it first."
        )
    if file.exists() and not file.is_file():
        write(file)  # as to a pipe or a device, which nothing can take the place of
        return
    if because := _kept_in(file.resolve()):
        raise BadValue(str(file), f"{because}, and was left as it is. Name another file.")
    file = file.resolve()  # a link stays one
    ours = f"{os.getpid()}-{get_ident()}"  # somebody else may be writing the same just now
    beside = file.with_name(f".{file.stem}.new-{ours}{file.suffix}")
    try:
        write(beside)
        with suppress(FileNotFoundError):
            beside.chmod(beside.stat().st_mode & file.stat().st_mode)
        os.replace(beside, file)
    finally:
        beside.unlink(missing_ok=True)


def write_whole(file: Path, text: str) -> None:
    """Write a text (UTF-8) to a file, whole or not at all."""
    written_whole(file, lambda beside: beside.write_text(text, encoding="utf-8", newline=""))


def _kept_in(file: Path) -> str:
    """How a file is what a site is kept in, if it is: a list that is written to `people.csv` must
    not take the place of the people."""
    folder = file.parent
    if folder.name in (LAST, PAST) and (folder.parent / SITE_FILE).exists():
        return f"is part of the history of the site in {folder.parent}"
    if (folder / SITE_FILE).exists() and any(_same(file, folder / each) for each in _OF_A_SITE):
        return f"is part of the site in {folder}"
    with suppress(OSError), file.open("rb") as there:
        if there.read(len(_SQLITE)) == _SQLITE:
            return "is a database"
    return ""


def _same(one: Path, two: Path) -> bool:
    """Whether two names in a folder mean the same file, on disks where upper case is no other name
    too."""
    return one == two or (one.exists() and two.exists() and one.samefile(two))
