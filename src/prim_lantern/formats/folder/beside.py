"""New texts of files, written before their turn comes: each waits beside the file whose place it
is to take, so that taking it takes no time, however long the text is."""

from __future__ import annotations

import os
import re
import stat
import time
import weakref
from collections.abc import Callable, Iterable, Mapping
from contextlib import ExitStack, suppress
from hashlib import sha256
from pathlib import Path
from typing import Final

from prim_lantern.formats.folder.files import SITE_FILE

_MARK: Final = re.compile("[0-9a-f]{16}")
_FORGOTTEN: Final = 3600.0  # seconds after which nobody is waiting for their turn any more


class Beside:
    """New texts of some files of a folder, surely on the disk under one `mark`. Those that nobody
    has put in their places go together with this object."""

    def __init__(self, folder: Path, files: Mapping[str, bytes]) -> None:
        self.mark: Final = os.urandom(8).hex()
        self.hashes: Final = {name: sha256(text).hexdigest() for name, text in files.items()}
        self._places: Final = [waiting(folder / name, self.mark) for name in files]
        self._removing: Final = weakref.finalize(self, _remove, self._places, os.getpid())
        for place, (name, text) in zip(self._places, files.items(), strict=True):
            place.parent.mkdir(exist_ok=True)
            write_new(place, text, like=folder / Path(name).name)
        for above in {place.parent for place in self._places}:
            sync_folder(above)

    def all_there(self) -> bool:
        """Whether nobody has taken one away."""
        return all(place.exists() for place in self._places)

    def stay(self) -> None:
        """Leave them where they are: from now on they are part of a change."""
        self._removing.detach()


def is_mark(text: object) -> bool:
    """Whether this can be the mark of texts that wait."""
    return isinstance(text, str) and _MARK.fullmatch(text) is not None


def waiting(path: Path, mark: str) -> Path:
    """Where a new text of a file waits. A link stays a link."""
    path = path.resolve()
    return path.with_name(f".{path.name}.{mark}.new")


def keep_open(files: Iterable[Path], until: ExitStack) -> None:
    """Keep files open until the end of something. A big one takes its time to be given back to the
    disk, which is not when another takes its place but when nobody has it open any more."""
    if os.name == "posix":
        for file in files:
            with suppress(OSError):
                until.enter_context(file.open("rb"))


def remove_forgotten(paths: Iterable[Path]) -> None:
    """Remove what processes that were killed have left beside these files."""
    for path in {each.resolve() for each in paths}:
        for place in path.parent.glob(f".{path.name}.*.new"):
            with suppress(OSError):
                mark = place.name.removeprefix(f".{path.name}.").removesuffix(".new")
                if is_mark(mark) and place.stat().st_mtime < time.time() - _FORGOTTEN:
                    place.unlink()


def _remove(places: Iterable[Path], process: int) -> None:
    if os.getpid() != process:
        return  # one that was forked off meanwhile, and has nothing to do with it
    for place in places:
        with suppress(OSError):
            place.unlink()


def write_new(path: Path, text: bytes, *, like: Path) -> None:
    """A new file that is surely on the disk."""
    try:
        with open(path, "xb", opener=opener_like(like)) as file:
            file.write(text)
            file.flush()
            os.fsync(file.fileno())
    except OSError:
        path.unlink(missing_ok=True)
        raise


def opener_like(path: Path) -> Callable[[str, int], int]:
    """Opens a file that is as open as another, and has the same owner; where that is not there, as
    open as what says the rights of the site."""
    try:
        found = os.stat(path if path.exists() else path.with_name(SITE_FILE))
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


def sync_folder(folder: Path) -> None:
    """Have it surely on the disk what is in a folder."""
    if os.name == "posix":
        handle = os.open(folder, os.O_RDONLY)
        try:
            os.fsync(handle)
        finally:
            os.close(handle)
