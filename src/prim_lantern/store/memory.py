"""A site that is kept in memory alone, with its history."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from threading import RLock
from typing import Any

from prim_lantern.change.record import Record
from prim_lantern.formats.folder.source import Progress
from prim_lantern.formats.history import Line, text_of
from prim_lantern.site.data import SiteData
from prim_lantern.store.base import Ready, Seen, Store, Turn, next_line, of_another_database


class MemoryStore(Store, Turn):
    """Holds a site for as long as the process runs."""

    where = "memory"

    def __init__(self, data: SiteData) -> None:
        self._seen = Seen(data, 0)
        self._lines: list[Line] = []
        self._sites: dict[int, bytes] = {}
        self._lock = RLock()

    def read(self, progress: Progress | None = None) -> Seen:  # noqa: ARG002
        """The site as it is."""
        return self._seen

    @contextmanager
    def changing(self, connection: Any = None) -> Iterator[Turn]:
        """Wait for one's turn to write."""
        of_another_database(self.where, connection)
        with self._lock:
            yield self

    def adopt(self, data: SiteData) -> None:
        """Take over another state of the site, past the history."""
        with self._lock:
            self._seen = self._seen._replace(data=data)

    def is_at(self, seen: Seen) -> bool:
        """Whether the site is still as it was seen."""
        return self._seen.data is seen.data and self._seen.number == seen.number

    def count(self) -> int:
        """The number of the last change."""
        return self._seen.number

    def seen(self, before: Seen) -> Seen:
        """The site as it is now."""
        return before if self.is_at(before) else self._seen

    def make(self, record: Record, seen: Seen, ready: Ready) -> Seen:
        """Take a change over."""
        last = self._lines[-1] if self._lines else None
        self._lines.append(next_line(record, last, seen.data, ready.pieces, ready.number)[0])
        self._seen = Seen(ready.after, record.number, at=record.at)
        return self._seen

    def texts(self, after: int = 0, to: int | None = None) -> Iterator[str]:
        """The lines of the history."""
        return map(text_of, self._lines[after:to])

    def _keep(self, number: int, site: bytes) -> None:
        self._sites[number] = site

    def _kept(self, number: int) -> tuple[int, bytes] | None:
        return min((each for each in self._sites.items() if each[0] >= number), default=None)

    def snapshot(self, progress: Progress | None = None) -> tuple[list[str], SiteData]:  # noqa: ARG002
        """The history and the site, of one moment."""
        with self._lock:
            return list(self.texts()), self._seen.data

    def last_recorded(self) -> SiteData:
        """The site as it is."""
        return self._seen.data
