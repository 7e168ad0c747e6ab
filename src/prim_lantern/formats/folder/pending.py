"""A change of several files that is made whole, whenever the process ends.

Everything that is to be written goes into one file first. Once that is in its place the change
is made: whoever reads the folder takes the new texts from there, and the next who writes puts
them into the files.
"""

from __future__ import annotations

import json
import os
from collections.abc import Mapping
from contextlib import suppress
from pathlib import Path
from typing import NamedTuple

PENDING_FILE = ".pending.json"


class Pending(NamedTuple):
    """The new texts of some files, and a line to add to another after so many bytes of it."""

    files: Mapping[str, bytes]
    add_to: str
    after: int
    line: bytes


def pending_in(folder: Path) -> Pending | None:
    """The change that has been made in a folder but is not in all files yet, if there is one."""
    try:
        found = json.loads((folder / PENDING_FILE).read_bytes())
    except (FileNotFoundError, NotADirectoryError):
        return None
    files = {name: text.encode() for name, text in found["files"].items()}
    return Pending(files, found["add_to"], found["after"], found["line"].encode())


def make(folder: Path, pending: Pending) -> None:
    """Make a change of a folder's files. It is made, or not, at one moment."""
    whole = {
        "files": {name: text.decode() for name, text in pending.files.items()},
        "add_to": pending.add_to,
        "after": pending.after,
        "line": pending.line.decode(),
    }
    beside = _written_beside(folder / PENDING_FILE, json.dumps(whole, ensure_ascii=False).encode())
    os.replace(beside, folder / PENDING_FILE)  # here it is made
    with suppress(OSError):  # what is not in the files yet, the next who writes puts there
        _sync_folder(folder)
        finish(folder, pending)


def finish(folder: Path, pending: Pending) -> None:
    """Put a change that has been made into the files; done twice, it does no harm."""
    for name, text in pending.files.items():
        _replace(folder / name, text)
    with (folder / pending.add_to).open("ab") as file:
        file.truncate(pending.after)  # part of the line may be there already
        file.seek(pending.after)
        file.write(pending.line)
        file.flush()
        os.fsync(file.fileno())
    (folder / PENDING_FILE).unlink(missing_ok=True)
    _sync_folder(folder)


def _replace(path: Path, text: bytes) -> None:
    """Replace a file, whole or not at all, so that a crash of the machine keeps that too."""
    os.replace(_written_beside(path, text), path)
    _sync_folder(path.parent)


def _written_beside(path: Path, text: bytes) -> Path:
    """A new file beside another, with a text that is surely on the disk."""
    beside = path.with_name(f"{path.name}.new")
    try:
        with beside.open("wb") as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
    except OSError:
        beside.unlink(missing_ok=True)
        raise
    return beside


def _sync_folder(folder: Path) -> None:
    if os.name == "posix":
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
