"""Names of files, and what disks complain of, in words that help."""

from __future__ import annotations

import errno
import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Final

from prim_lantern.errors import BadValue, StoreTrouble

COMPLAINTS: Final = {
    errno.ENOSPC: "the disk is full; nothing was changed. Make room, and try again.",
    errno.EDQUOT: "there is no room left for you here; nothing was changed.",
    errno.EROFS: "it can only be read; nothing was changed.",
    errno.EACCES: "you have no right to write here; nothing was changed.",
    errno.EPERM: "you have no right to write here; nothing was changed.",
}


@contextmanager
def of_files(where: str, *, reading: bool = False) -> Iterator[None]:
    """Turn what the system says of files that are written, or read, into `StoreTrouble`."""
    try:
        yield
    except OSError as error:
        because = error.strerror or str(error)
        said = COMPLAINTS.get(error.errno or 0) or f"{because}; nothing was changed."
        if reading:
            said = f"it cannot be read ({because})."
        raise StoreTrouble(error.filename or where, said) from None


def file_named(file: str | os.PathLike[str]) -> Path:
    """Where a file is, as it was named; `BadValue` for what no system takes for a name."""
    name = str(file)
    try:
        os.fsencode(name)
    except UnicodeEncodeError:
        raise BadValue(name, "is no name of a file: it holds half a letter.") from None
    if "\0" in name or not name.strip():
        raise BadValue(name, "is no name of a file.")
    return Path(file)
