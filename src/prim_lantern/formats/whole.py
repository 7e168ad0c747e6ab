"""Files that are written whole, or not at all."""

from __future__ import annotations

import os
from collections.abc import Callable
from pathlib import Path
from threading import get_ident

from prim_lantern.errors import BadValue


def written_whole(file: Path, write: Callable[[Path], object]) -> None:
    """Let `write` put a new file beside one, and then put it in its place: whoever reads it, or
    whatever happens meanwhile, there is the old one or the new one. Raises `BadValue` where the
    folder of the file is not there."""
    if not file.parent.is_dir():
        raise BadValue(
            str(file), f"cannot be written: there is no folder {file.parent}; make it first."
        )
    if file.exists() and not file.is_file():
        write(file)  # as to a pipe or a device, which nothing can take the place of
        return
    file = file.resolve()  # a link stays one
    ours = f"{os.getpid()}-{get_ident()}"  # somebody else may be writing the same just now
    beside = file.with_name(f".{file.stem}.new-{ours}{file.suffix}")
    try:
        write(beside)
        os.replace(beside, file)
    finally:
        beside.unlink(missing_ok=True)


def write_whole(file: Path, text: str) -> None:
    """Write a text (UTF-8) to a file, whole or not at all."""
    written_whole(file, lambda beside: beside.write_text(text, encoding="utf-8", newline=""))
