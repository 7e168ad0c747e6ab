"""A change of several files that is made whole, whenever the process ends.

The new texts wait beside the files (see `beside`). What is to be done with them goes into one file,
and once that is in its place the change is made: whoever reads the folder takes the new texts from
where they wait, and the next who writes puts them into their places.
"""

from __future__ import annotations

import errno
import json
import os
from collections.abc import Mapping
from contextlib import suppress
from hashlib import sha256
from pathlib import Path
from typing import NamedTuple

from prim_lantern.errors import StoreTrouble
from prim_lantern.formats.folder.beside import (
    Beside,
    is_mark,
    opener_like,
    sync_folder,
    waiting,
    write_new,
)
from prim_lantern.formats.folder.files import FILES, HISTORY_FILE, PENDING_FILE, WITH_LAST
from prim_lantern.formats.json_text import read_json


class Pending(NamedTuple):
    """New texts of some files, and a line to add to the history after so many bytes of it.

    `files` has the SHA-256 of each new text, which waits under the `mark`; `was` that of the file
    as it was ("" where there was none).
    """

    mark: str
    files: Mapping[str, str]
    was: Mapping[str, str]
    after: int
    line: bytes


def pending_in(folder: Path) -> Pending | None:
    """The change that has been made in a folder but is not in all files yet, if there is one."""
    file = folder / PENDING_FILE
    if (raw := bytes_of(file)) is None:
        return None
    try:
        found = read_json(raw)
        mark, files, was = found["mark"], dict(found["files"]), dict(found["was"])
        if not is_mark(mark) or not files.keys() == was.keys() <= {*WITH_LAST}:
            raise ValueError(found)
        return Pending(mark, files, was, found["after"] + 0, found["line"].encode())
    except (ValueError, LookupError, TypeError, AttributeError):
        raise _lost(file, "it held a change on its way into the files, and is damaged") from None


def _lost(file: Path, what: str) -> StoreTrouble:
    return StoreTrouble(
        str(file),
        f"{what}. Keep a copy of the folder, and take away its {PENDING_FILE}: the site is then "
        "what the files say, which mostly is what they said before that change.",
    )


def bytes_of(file: Path) -> bytes | None:
    """What a file holds; None where there is none, or cannot be one of that name. Raises
    `StoreTrouble` where there is one that cannot be read."""
    try:
        return file.read_bytes()
    except (FileNotFoundError, NotADirectoryError, ValueError):
        return None
    except OSError as error:
        if error.errno == errno.ENAMETOOLONG:
            return None
        raise StoreTrouble(str(file), f"it cannot be read ({error.strerror}).") from None


def hash_of(path: Path) -> str:
    """The SHA-256 of what a file holds; "" where there is none."""
    try:
        return sha256(path.read_bytes()).hexdigest()
    except FileNotFoundError:
        return ""


def read_waiting(folder: Path, name: str, pending: Pending) -> bytes | None:
    """The new text of a file: where it waits, or in its place already. Raises `StoreTrouble` where
    it is gone, or damaged."""
    raw = bytes_of(waiting(folder / name, pending.mark))
    waits = raw is not None
    raw = raw if waits else bytes_of(folder / name)
    found = sha256(raw).hexdigest() if raw is not None else ""
    unlike = found != pending.files[name] and (waits or found == pending.was[name])
    if unlike and pending_in(folder) == pending:  # else somebody has just put it into its place
        raise _gone(folder, name)
    return raw


def make(folder: Path, new: Beside, was: Mapping[str, str], after: int, line: bytes) -> None:
    """Make a change of a folder's files. It is made, or not, at one moment."""
    if not new.all_there():
        raise StoreTrouble(str(folder), "somebody has tidied it; nothing was changed. Try again.")
    pending = Pending(new.mark, new.hashes, {n: was[n] for n in new.hashes}, after, line)
    text = json.dumps({**pending._asdict(), "line": line.decode()}, ensure_ascii=False).encode()
    file = folder / PENDING_FILE
    beside = file.with_name(f"{file.name}.new")
    beside.unlink(missing_ok=True)
    write_new(beside, text, like=folder / HISTORY_FILE)
    new.stay()
    os.replace(beside, file)  # here it is made
    with suppress(OSError):  # what is not in the files yet, the next who writes puts there
        sync_folder(folder)
        finish(folder, pending)


def check(folder: Path, pending: Pending) -> None:
    """Raise `StoreTrouble` for a change that cannot be put into the files any more: where one of
    them was edited meanwhile, nothing is written over. What `.last` holds nobody edits."""
    for name, new in pending.files.items():
        now = hash_of(folder / name)
        if name in FILES and now not in (new, pending.was[name]):
            raise StoreTrouble(
                str(folder / name),
                "it was edited while a change waited to be put into the files. Keep a copy of it, "
                f"take away {PENDING_FILE} to drop that change, or put back the file to finish it.",
            )
        if now != new and hash_of(waiting(folder / name, pending.mark)) != new:
            raise _gone(folder, name)


def _gone(folder: Path, name: str) -> StoreTrouble:
    return _lost(folder / name, "what a change was to put into it is gone, or damaged")


def finish(folder: Path, pending: Pending) -> None:
    """Put a change that has been made into the files; done twice, it does no harm."""
    paths = [(folder / name).resolve() for name in pending.files]  # a link stays a link
    for path in paths:
        with suppress(FileNotFoundError):  # it is in its place already
            os.replace(waiting(path, pending.mark), path)
    for above in {path.parent for path in paths}:
        sync_folder(above)  # before it is no longer said that this is to be done
    history = folder / HISTORY_FILE
    with open(history, "ab", opener=opener_like(history)) as file:
        file.truncate(pending.after)  # part of the line may be there already
        file.seek(pending.after)
        file.write(pending.line)
        file.flush()
        os.fsync(file.fileno())
    (folder / PENDING_FILE).unlink(missing_ok=True)
    sync_folder(folder)
