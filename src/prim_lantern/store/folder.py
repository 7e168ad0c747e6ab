"""A site folder with its history: three text files, and history.jsonl beside them.

The folder keeps, hidden in `.last`, its files as the last change left them, so that what was
edited by hand since is seen, and goes into the history with the next change; and in `.past` the
site as it was now and then, by which going back far is quick.
"""

from __future__ import annotations

import os
import shutil
import time
from collections.abc import Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from hashlib import sha256
from pathlib import Path
from typing import Any, Final

from prim_lantern.change.pieces import Piece, differences
from prim_lantern.change.record import Patch, Record
from prim_lantern.change.renames import Renames
from prim_lantern.errors import BrokenHistory, StoreTrouble
from prim_lantern.formats.folder import pending
from prim_lantern.formats.folder.files import (
    FILES,
    HISTORY_FILE,
    LAST,
    PAST,
    PENDING_FILE,
    SITE_FILE,
)
from prim_lantern.formats.folder.reader import parts_of, read_folder
from prim_lantern.formats.folder.source import Progress
from prim_lantern.formats.folder.writer import (
    folder_texts,
    in_form_of,
    new_files,
    rows_read_back,
)
from prim_lantern.formats.history import Line, line_from
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import now
from prim_lantern.store.base import Seen, Store, Turn, next_line, of_another_database
from prim_lantern.store.holder import Holder, busy
from prim_lantern.store.trouble import of_files

BY_HAND: Final = "edited by hand"
_LOCK_FILE: Final = ".lock"
_HELD_BY: Final = ".lock-held-by"
_WAIT: Final = 20.0  # seconds
_FRESH: Final = 50_000_000  # nanoseconds in which a file could change twice unseen


class FolderStore(Store):
    """A site folder."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)
        self.where = str(folder)
        self._known: tuple[object, int] = None, 0
        self._seen_at: tuple[object, ...] = ()

    def read(self, progress: Progress | None = None) -> Seen:
        """The site as it is. Read once more where somebody writes to the folder meanwhile."""
        while True:
            stamp, history = self.stamp(), self._history()
            data = read_folder(self.folder, progress)
            last = self.last_line()
            if (stamp, history) == (self.stamp(), self._history()):
                break
        number = last.record.number if last is not None else 0
        if number != self.count():
            raise BrokenHistory(self.count(), f"its number is {number}")
        return Seen(data, number, stamp, last.record.at if last is not None else None)

    def stamp(self) -> str:
        """What tells the files as they are from all others."""
        found = pending.pending_in(self.folder)
        return _stamp({name: self._bytes(name, found) for name in FILES})

    def _bytes(self, name: str, found: pending.Pending | None) -> bytes:
        if found is not None and name in found.files:
            return found.files[name]
        try:
            return (self.folder / name).read_bytes()
        except OSError:
            return b""  # the reader says what is wrong

    def count(self) -> int:
        """The number of the last change: a line each."""
        mark = self._mark()
        if mark is None or mark != self._known[0]:
            self._known = mark, self._history().count(b"\n")
        return self._known[1]

    def _mark(self) -> tuple[object, ...] | None:
        """What the system says of the files, by which it is seen at once that none has changed;
        None where one is so fresh that it could change again without being seen."""
        found: list[object] = []
        for name in (*FILES, HISTORY_FILE, PENDING_FILE):
            try:
                told = os.stat(self.folder / name)
            except OSError:
                found.append(None)
                continue
            if time.time_ns() - told.st_mtime_ns < _FRESH:
                return None
            found.append((told.st_ino, told.st_size, told.st_mtime_ns))
        return tuple(found)

    def is_at(self, seen: Seen) -> bool:
        """Whether the site is still as it was seen, also past the history."""
        mark = self._mark()
        if mark is not None and (mark, seen.stamp, seen.number) == self._seen_at:
            return True
        same = self.count() == seen.number and self.stamp() == seen.stamp
        if same and mark is not None:
            self._seen_at = mark, seen.stamp, seen.number
        return same

    def last_line(self) -> Line | None:
        """The last line of the history."""
        texts = list(self.texts(max(self.count() - 1, 0)))
        return line_from(texts[-1], self.count()) if texts else None

    def texts(self, after: int = 0, to: int | None = None) -> Iterator[str]:
        """The lines of the history."""
        lines = self._history().split(b"\n")
        if lines and not lines[-1]:
            lines.pop()  # behind the end of the last line
        for number, line in enumerate(lines[after:to], after + 1):
            try:
                yield line.decode()
            except UnicodeDecodeError:
                raise BrokenHistory(number, "it is not UTF-8") from None

    def _history(self) -> bytes:
        found = pending.pending_in(self.folder)
        try:
            history = (self.folder / HISTORY_FILE).read_bytes()
        except (FileNotFoundError, NotADirectoryError):
            history = b""
        return history if found is None else history[: found.after] + found.line

    def last_recorded(self) -> SiteData:
        """The site as the last change left it."""
        found = pending.pending_in(self.folder)
        names = {f"{LAST}/{name}" for name in FILES}
        if found is not None and names & found.files.keys():
            return read_folder(self.folder)
        return read_folder(self._last() or self.folder)

    def _last(self) -> Path | None:
        """The folder with the files as the last change left them, once they are there."""
        last = self.folder / LAST
        return last if all((last / name).exists() for name in FILES) else None

    def snapshot(self, progress: Progress | None = None) -> tuple[list[str], SiteData]:  # noqa: ARG002
        """The history, and the site as its last change left it, of one moment."""
        while True:
            before = (self.stamp(), self._history())
            texts, data = list(self.texts()), self.last_recorded()
            if before == (self.stamp(), self._history()):
                return texts, data

    def _keep(self, number: int, site: bytes) -> None:
        past = self.folder / PAST
        past.mkdir(exist_ok=True)
        new = past / f"{number}.new"
        new.write_bytes(site)
        new.replace(past / f"{number}.zip")

    def _kept(self, number: int) -> tuple[int, bytes] | None:
        names = [each.stem for each in (self.folder / PAST).glob("*.zip")]
        there = [int(name) for name in names if name.isdecimal()]
        soonest = min((each for each in there if each >= number), default=None)
        if soonest is None:
            return None
        return soonest, (self.folder / PAST / f"{soonest}.zip").read_bytes()

    def by_hand(self) -> bool:
        """Whether the files were edited by hand since the last change."""
        return self.hand_work() is not None

    def fill(self, data: SiteData, history: Iterable[str] = ()) -> None:
        """Make the folder say just this site, with this history, whatever it said: whole or not at
        all. Comments and layout of a site.toml that is there are kept."""
        with of_files(self.where):
            self.folder.mkdir(parents=True, exist_ok=True)
            with self._locked():
                new = new_files(data, self.folder)
                old = {name: self.folder / name for name in FILES if name not in new}
                self._fill({**new, **{n: path.read_bytes() for n, path in old.items()}}, history)

    def fill_with_files(self, folder: Path) -> None:
        """Make the folder hold just the files of another one, with no history yet."""
        with of_files(self.where):
            self.folder.mkdir(parents=True, exist_ok=True)
            with self._locked():
                self._fill({name: (folder / name).read_bytes() for name in FILES}, ())

    def _fill(self, files: Mapping[str, bytes], history: Iterable[str]) -> None:
        lines = b"".join(f"{text}\n".encode() for text in history)
        last = {f"{LAST}/{name}": raw for name, raw in files.items()}
        (self.folder / LAST).mkdir(exist_ok=True)
        shutil.rmtree(self.folder / PAST, ignore_errors=True)  # of another history
        pending.make(self.folder, pending.Pending({**files, **last}, HISTORY_FILE, 0, lines))

    @contextmanager
    def changing(self, connection: Any = None) -> Iterator[Turn]:
        """Wait for one's turn to write."""
        of_another_database(self.where, connection)
        with of_files(self.where), self._locked():
            yield _FolderTurn(self)

    @contextmanager
    def _locked(self) -> Iterator[None]:
        """Wait for one's turn; what the one before left to be done is done first."""
        from filelock import FileLock, Timeout

        holder = Holder(self.folder / _HELD_BY)
        lock = FileLock(self.folder / _LOCK_FILE, timeout=_WAIT)
        try:
            lock.acquire()
        except Timeout:
            raise StoreTrouble(self.where, busy(holder.told())) from None
        try:
            with holder.noted():
                found = pending.pending_in(self.folder)
                if found is not None:
                    pending.finish(self.folder, found)
                yield
        finally:
            lock.release()

    def hand_work(self) -> Record | None:
        """The change that holds what was edited by hand since the last one; often none."""
        if self._last() is None or self._unchanged():
            return None
        pieces = differences(self.last_recorded(), read_folder(self.folder))
        return _by_hand(self.last_line(), pieces) if pieces else None

    def whole_history(self) -> list[str]:
        """The lines of the history, and one more for what was edited by hand since.

        Raises `BrokenHistory` where they do not hold together.
        """
        texts = list(self.texts())
        if texts:
            self.check_history()
        record, last = self.hand_work(), self.last_line()
        if record is not None:
            pieces = record.patches[0].pieces
            texts.append(next_line(record, last, self.last_recorded(), pieces)[1])
        return texts

    def _unchanged(self) -> bool:
        """Whether the files are, to the letter, as the last change left them."""
        last = self.folder / LAST
        return all(
            (last / name).exists()
            and (last / name).read_bytes() == (self.folder / name).read_bytes()
            for name in FILES
        )


class _FolderTurn(Turn):
    def __init__(self, store: FolderStore) -> None:
        self.store = store
        self.last = store.last_line()

    def seen(self, before: Seen) -> Seen:
        """The site as it is; what was edited by hand is put into the history first."""
        found = before
        number = self.last.record.number if self.last else 0
        if self.store.stamp() != before.stamp or number != before.number:
            found = self.store.read()
        record = self.store.hand_work()
        if record is not None:
            pieces = record.patches[0].pieces
            self._write({}, record, self.store.last_recorded(), pieces)
            found = Seen(found.data, record.number, self.store.stamp(), record.at)
        return found

    def make(self, record: Record, seen: Seen, after: SiteData, pieces: Sequence[Piece]) -> Seen:
        """Write a change: new texts for the files it touches, and its line of the history."""
        folder = self.store.folder
        texts = {name: (folder / name).read_bytes().decode("utf-8-sig") for name in FILES}
        texts[SITE_FILE] = texts[SITE_FILE].replace("\r\n", "\n")
        new, parts = folder_texts(after, seen.data, texts) if pieces else ({}, None)
        wanted = after
        if SITE_FILE in new:  # everything has its line in the new text
            after = after.with_parts(**(parts or parts_of(new[SITE_FILE], after.users)))
        if differences(wanted, after) or not rows_read_back(pieces, after):
            raise StoreTrouble(
                self.store.where,
                "the files would not say what was to be changed; nothing was changed. Please "
                "report this with the texts that you gave.",
            )
        self._write(new, record, seen.data, pieces)
        return Seen(after, record.number, self.store.stamp(), record.at)

    def _write(
        self,
        texts: Mapping[str, str],
        record: Record,
        before: SiteData,
        pieces: Sequence[Piece],
    ) -> None:
        folder = self.store.folder
        line, written = next_line(record, self.last, before, pieces)
        files = {name: in_form_of(folder / name, text) for name, text in texts.items()}
        now = {name: files.get(name) or (folder / name).read_bytes() for name in FILES}
        (folder / LAST).mkdir(exist_ok=True)
        for name, text in now.items():
            kept = folder / LAST / name
            if not kept.exists() or kept.read_bytes() != text:
                files[f"{LAST}/{name}"] = text
        history = folder / HISTORY_FILE
        size = history.stat().st_size if history.exists() else 0
        pending.make(folder, pending.Pending(files, HISTORY_FILE, size, f"{written}\n".encode()))
        self.last = line


def _by_hand(last: Line | None, pieces: Sequence[Piece]) -> Record:
    return Record(
        number=last.record.number + 1 if last is not None else 1,
        at=max(now(), last.record.at) if last is not None else now(),
        by="",
        reason="",
        said=(BY_HAND,),
        operations=({"do": "by-hand"},),
        patches=(Patch(Renames(), tuple(pieces)),),
    )


def _stamp(files: Mapping[str, bytes]) -> str:
    whole = sha256()
    for name in sorted(files):
        whole.update(sha256(files[name]).digest())
    return whole.hexdigest()
