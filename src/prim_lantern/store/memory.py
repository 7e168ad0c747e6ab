"""A site that is kept in memory alone, with its history."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from threading import RLock

from prim_lantern.change.pieces import Piece
from prim_lantern.change.record import Record
from prim_lantern.formats.folder.source import Progress
from prim_lantern.formats.history import Line, text_of
from prim_lantern.site.data import SiteData
from prim_lantern.store.base import Seen, Store, Turn, next_line


class MemoryStore(Store, Turn):
    """Holds a site for as long as the process runs."""

    where = "memory"

    def __init__(self, data: SiteData) -> None:
        self._seen = Seen(data, 0)
        self._lines: list[Line] = []
        self._lock = RLock()

    def read(self, progress: Progress | None = None) -> Seen:  # noqa: ARG002
        """The site as it is."""
        return self._seen

    @contextmanager
    def changing(self) -> Iterator[Turn]:
        """Wait for one's turn to write."""
        with self._lock:
            yield self

    def seen(self, before: Seen) -> Seen:
        """The site as it is now."""
        return before if before.number == self._seen.number else self._seen

    def make(self, record: Record, seen: Seen, after: SiteData, pieces: Sequence[Piece]) -> Seen:
        """Take a change over."""
        last = self._lines[-1] if self._lines else None
        self._lines.append(next_line(record, last, seen.data, pieces))
        self._seen = Seen(after, record.number)
        return self._seen

    def texts(self, after: int = 0) -> Iterator[str]:
        """The lines of the history."""
        return map(text_of, self._lines[after:])

    def last_recorded(self) -> SiteData:
        """The site as it is."""
        return self._seen.data
