"""How far the reading of a big site has come."""

from __future__ import annotations

import sys
from typing import TYPE_CHECKING, Final

if TYPE_CHECKING:
    from rich.progress import Progress, TaskID

_WORTH_SHOWING: Final = 5_000_000  # bytes; less is read before anybody could look


class ReadingProgress:
    """A bar for each long file, on the error output; nothing where that is no terminal."""

    def __init__(self) -> None:
        self._bars: Progress | None = None
        self._tasks: dict[str, TaskID] = {}

    def __call__(self, file: str, done: int, size: int) -> None:
        """Note that so many bytes of a file have been read."""
        if size < _WORTH_SHOWING or not sys.stderr.isatty():
            return
        if self._bars is None:
            from rich.console import Console
            from rich.progress import Progress

            self._bars = Progress(console=Console(stderr=True), transient=True)
            self._bars.start()
        if file not in self._tasks:
            self._tasks[file] = self._bars.add_task(f"Reading {file}", total=size)
        self._bars.update(self._tasks[file], completed=done)
        if self._bars.finished:
            self._bars.stop()
            self._bars, self._tasks = None, {}
