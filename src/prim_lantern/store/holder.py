"""Who is writing to a site kept in files, and since when: told to those who wait."""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager, suppress
from datetime import UTC, datetime
from pathlib import Path

from prim_lantern.site.moments import written


def this_process() -> str:
    """How this process is named to others."""
    from platform import node  # only who writes needs it

    return f"process {os.getpid()} on {node()}"


def busy(told: str = "") -> str:
    """What somebody is told whose turn did not come; `told` says for whom they waited."""
    return (
        f"somebody else is changing it just now{f' ({told})' if told else ''}; nothing was "
        "changed. Try again when they are done."
    )


class Holder:
    """A small file beside what is written to, for as long as somebody writes."""

    def __init__(self, file: Path) -> None:
        self._file = file

    @contextmanager
    def noted(self) -> Iterator[None]:
        """Note that this process writes; whoever comes next writes over a note that was left."""
        with suppress(OSError):
            self._file.write_text(this_process(), encoding="utf-8")
        try:
            yield
        finally:
            with suppress(OSError):
                self._file.unlink(missing_ok=True)

    def told(self) -> str:
        """Who writes and since when, as far as it is known."""
        try:
            who, since = self._file.read_text(encoding="utf-8"), os.stat(self._file).st_mtime
        except (OSError, ValueError):
            return ""
        return since_when(who, datetime.fromtimestamp(since, UTC))


def since_when(who: str, since: datetime) -> str:
    """Who, and since when."""
    return f"{who}, since {written(since)}"
