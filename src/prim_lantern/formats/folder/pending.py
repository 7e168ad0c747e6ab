"""A change of several files that is made whole, whenever the process ends.

Everything that is to be written goes into one file first. Once that is in its place the change
is made: whoever reads the folder takes the new texts from there, and the next who writes puts
them into the files.
"""

from __future__ import annotations

import errno
import json
import os
import stat
from collections.abc import Callable, Mapping
from contextlib import suppress
from hashlib import sha256
from pathlib import Path
from typing import NamedTuple

from prim_lantern.errors import StoreTrouble
from prim_lantern.formats.folder.files import PENDING_FILE
from prim_lantern.formats.json_text import read_json


class Pending(NamedTuple):
    """The new texts of some files, and a line to add to another after so many bytes of it.

    `was` has the SHA-256 of each file as it was ("" where there was none). `copies` are files that
    shall hold what others do, which nobody edits.
    """

    files: Mapping[str, bytes]
    add_to: str
    after: int
    line: bytes
    was: Mapping[str, str] = {}
    copies: Mapping[str, str] = {}

    def text_of(self, name: str) -> bytes | None:
        """What a file shall hold; None where it stays as it is."""
        return self.files.get(self.copies.get(name, name))


def pending_in(folder: Path) -> Pending | None:
    """The change that has been made in a folder but is not in all files yet, if there is one."""
    file = folder / PENDING_FILE
    if (raw := bytes_of(file)) is None:
        return None
    try:
        found = read_json(raw)
        files = {name: text.encode() for name, text in found["files"].items()}
        was, copies = dict(found.get("was", {})), dict(found.get("copies", {}))
        if not files.keys() >= {*copies.values()}:
            raise ValueError(copies)
        line = found["line"].encode()
        return Pending(files, found["add_to"], found["after"], line, was, copies)
    except (ValueError, LookupError, TypeError, AttributeError):
        raise StoreTrouble(
            str(file),
            "it held a change on its way into the files, and is damaged. Keep a copy of it and "
            "take it away: the files then say what they said before that change.",
        ) from None


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


def make(folder: Path, pending: Pending) -> None:
    """Make a change of a folder's files. It is made, or not, at one moment."""
    whole = {
        "files": {name: text.decode() for name, text in pending.files.items()},
        "add_to": pending.add_to,
        "after": pending.after,
        "line": pending.line.decode(),
        "was": {name: hash_of(folder / name) for name in pending.files},
        "copies": pending.copies,
    }
    beside = _written_beside(folder / PENDING_FILE, json.dumps(whole, ensure_ascii=False).encode())
    os.replace(beside, folder / PENDING_FILE)  # here it is made
    with suppress(OSError):  # what is not in the files yet, the next who writes puts there
        _sync_folder(folder)
        finish(folder, pending)


def finish(folder: Path, pending: Pending) -> None:
    """Put a change that has been made into the files; done twice, it does no harm.

    A file that is neither as it was nor as it shall be was edited meanwhile: `StoreTrouble`, and
    nothing is written over.
    """
    for name, text in pending.files.items():
        now = hash_of(folder / name)
        expected = (pending.was.get(name, now), sha256(text).hexdigest())
        if now not in expected:
            raise StoreTrouble(
                str(folder / name),
                "it was edited while a change waited to be put into the files. Keep a copy of it, "
                f"take away {PENDING_FILE} to drop that change, or put back the file to finish it.",
            )
    texts = {**pending.files, **{name: pending.files[of] for name, of in pending.copies.items()}}
    for above in {_replace(folder / name, text) for name, text in texts.items()}:
        _sync_folder(above)  # before it is no longer said that this is to be done
    with open(folder / pending.add_to, "ab", opener=_opener(folder / pending.add_to)) as file:
        file.truncate(pending.after)  # part of the line may be there already
        file.seek(pending.after)
        file.write(pending.line)
        file.flush()
        os.fsync(file.fileno())
    (folder / PENDING_FILE).unlink(missing_ok=True)
    _sync_folder(folder)


def _replace(path: Path, text: bytes) -> Path:
    """Replace a file, whole or not at all; the folder it is in."""
    path = path.resolve()  # a link stays a link
    os.replace(_written_beside(path, text), path)
    return path.parent


def _written_beside(path: Path, text: bytes) -> Path:
    """A new file beside another, with a text that is surely on the disk."""
    beside = path.with_name(f"{path.name}.new")
    try:
        beside.unlink(missing_ok=True)
        with open(beside, "xb", opener=_opener(path)) as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
    except OSError:
        beside.unlink(missing_ok=True)
        raise
    return beside


def _opener(path: Path) -> Callable[[str, int], int]:
    """Opens a new file that is as open as the one it takes the place of, and keeps its owner; one
    that is new is no more open than the site itself."""
    like = path if path.exists() else path.with_name("site.toml")
    try:
        found = os.stat(like)
    except OSError:
        return lambda name, flags: os.open(name, flags, 0o666)

    def open_alike(name: str, flags: int) -> int:
        handle = os.open(name, flags, 0o600)
        with suppress(OSError):
            if os.name == "posix":
                os.fchown(handle, found.st_uid, found.st_gid)
            os.chmod(name, stat.S_IMODE(found.st_mode))
        return handle

    return open_alike


def _sync_folder(folder: Path) -> None:
    if os.name == "posix":
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
