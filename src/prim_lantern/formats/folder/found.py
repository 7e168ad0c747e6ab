"""What the files of a site folder hold at one moment, also while somebody writes to them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from pathlib import Path
from typing import NamedTuple

from prim_lantern.formats.folder.files import FILES, HISTORY_FILE
from prim_lantern.formats.folder.pending import Pending, bytes_of, pending_in, read_waiting


class Found(NamedTuple):
    """What files hold by their names, None for one that is missing or cannot be read, and the
    history."""

    files: Mapping[str, bytes | None]
    history: bytes


def found_in(folder: Path, names: Iterable[str] = FILES) -> Found:
    """What the files hold, all at one moment; a change that waits to be put into them counts as
    made.

    It is read again until the same was read twice in a row. The history is part of it, which grows
    with each change, so nothing can have come and gone between.
    """
    names = tuple(names)
    found = read_once(folder, names)
    while (again := read_once(folder, names)) != found:
        found = again
    return found


def history_in(folder: Path) -> bytes:
    """The history alone. Where it ends within a line, which may be just being written, it is read
    again."""
    found = read_once(folder, ()).history
    while found and not found.endswith(b"\n"):
        again = read_once(folder, ()).history
        if again == found:
            break  # somebody has cut it
        found = again
    return found


def read_once(folder: Path, names: Iterable[str] = FILES) -> Found:
    """What the files hold, each as it was when it came to its turn."""
    waits = pending_in(folder)  # first: whoever puts it into the files takes it away last
    files = {name: _bytes(folder, name, waits) for name in names}
    history = bytes_of(folder / HISTORY_FILE) or b""
    return Found(files, history if waits is None else history[: waits.after] + waits.line)


def _bytes(folder: Path, name: str, waits: Pending | None) -> bytes | None:
    if waits is not None and name in waits.files:
        return read_waiting(folder, name, waits)
    try:
        return (folder / name).read_bytes()
    except (OSError, ValueError):
        return None  # whoever needs it says what is wrong
