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
from contextlib import ExitStack, contextmanager
from hashlib import sha256
from pathlib import Path
from typing import Any, Final, NamedTuple

from prim_lantern.change.pieces import Piece, differences
from prim_lantern.change.record import Patch, Record
from prim_lantern.change.renames import Renames
from prim_lantern.errors import BrokenHistory, StoreTrouble
from prim_lantern.formats.disk import of_files
from prim_lantern.formats.folder import pending
from prim_lantern.formats.folder.beside import Beside, keep_open, remove_forgotten, write_new
from prim_lantern.formats.folder.files import (
    FILES,
    HISTORY_FILE,
    LAST,
    PAST,
    PENDING_FILE,
    SITE_FILE,
    WITH_LAST,
)
from prim_lantern.formats.folder.found import Found, found_in, history_in, read_once
from prim_lantern.formats.folder.reader import parts_of, read_found
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
from prim_lantern.store.base import Ready, Seen, Store, Turn, next_line, of_another_database
from prim_lantern.store.holder import Holder, busy

BY_HAND: Final = "edited by hand"
_LOCK_FILE: Final = ".lock"
_HELD_BY: Final = ".lock-held-by"
_WAIT: Final = 20.0  # seconds
_FRESH: Final = 50_000_000  # nanoseconds in which a file could change twice unseen


class HandWork(NamedTuple):
    """What was edited by hand: the change that holds it, the site before and after, and the files
    in which it was found."""

    record: Record
    before: SiteData
    after: SiteData
    files: Mapping[str, bytes]


class FolderStore(Store):
    """A site folder."""

    def __init__(self, folder: str | Path) -> None:
        self.folder = Path(folder)
        self.where = str(folder)
        self._counted: tuple[object, int] = None, 0
        self._hashed: tuple[object, Mapping[str, str]] = None, {}

    def read(self, progress: Progress | None = None) -> Seen:
        """The site as it is."""
        found = found_in(self.folder)
        data = read_found(self.folder, found.files, progress)
        last, count = _last_of(found.history), found.history.count(b"\n")
        number = last.record.number if last is not None else 0
        if number != count:
            raise BrokenHistory(count, f"its number is {number}")
        stamp = _stamp(_hashes_of(found.files))
        return Seen(data, number, stamp, last.record.at if last is not None else None)

    def stamp(self) -> str:
        """What tells the files as they are from all others."""
        return _stamp(self.hashes())

    def hashes(self) -> Mapping[str, str]:
        """The SHA-256 of each file, and of each as the last change left it; "" where there is
        none."""
        mark, (known, hashes) = self._mark(), self._hashed
        if mark is None or mark != known:
            hashes = _hashes_of(read_once(self.folder, WITH_LAST).files)
            self._hashed = mark, hashes
        return hashes

    def count(self) -> int:
        """The number of the last change: a line each."""
        mark, (known, count) = self._mark(), self._counted
        if mark is None or mark != known:
            count = history_in(self.folder).count(b"\n")
            self._counted = mark, count
        return count

    def _mark(self) -> tuple[object, ...] | None:
        """What the system says of the files, by which it is seen at once that none has changed;
        None where one is so fresh that it could change again without being seen."""
        found: list[object] = []
        for name in (*WITH_LAST, HISTORY_FILE, PENDING_FILE):
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
        return self.count() == seen.number and self.stamp() == seen.stamp

    def last_line(self) -> Line | None:
        """The last line of the history."""
        return _last_of(history_in(self.folder))

    def texts(self, after: int = 0, to: int | None = None) -> Iterator[str]:
        """The lines of the history."""
        return _texts(history_in(self.folder), after, to)

    def last_recorded(self) -> SiteData:
        """The site as the last change left it."""
        return self._last_in(found_in(self.folder, WITH_LAST))

    def snapshot(self, progress: Progress | None = None) -> tuple[list[str], SiteData]:
        """The history, and the site as its last change left it, of one moment."""
        found = found_in(self.folder, WITH_LAST)
        return list(_texts(found.history)), self._last_in(found, progress)

    def _last_in(self, found: Found, progress: Progress | None = None) -> SiteData:
        """The site as the last change left it: as it is, before there was any."""
        last = _last_files(found)
        if last is None:
            return read_found(self.folder, found.files, progress)
        return read_found(self.folder / LAST, last, progress)

    def _keep(self, number: int, site: bytes) -> None:
        past = self.folder / PAST
        past.mkdir(exist_ok=True)
        new = past / f"{number}.new"
        new.unlink(missing_ok=True)
        write_new(new, site, like=self.folder / SITE_FILE)
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
        new = Beside(self.folder, {**files, **_as_last(files)})
        shutil.rmtree(self.folder / PAST, ignore_errors=True)  # of another history
        pending.make(self.folder, new, self.hashes(), 0, lines)

    def _unlike_last(self) -> list[str]:
        """The files that are not, to the letter, as `.last` has them."""
        hashes = self.hashes()
        return [name for name in FILES if hashes[name] != hashes[f"{LAST}/{name}"]]

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
        files = [self.folder / name for name in WITH_LAST]
        with ExitStack() as no_longer_waiting:
            try:
                with holder.noted():
                    found = pending.pending_in(self.folder)
                    if found is not None:
                        pending.check(self.folder, found)
                        pending.finish(self.folder, found)
                    remove_forgotten(files)
                    keep_open(files, no_longer_waiting)
                    yield
            finally:
                lock.release()

    def ready(self, seen: Seen, after: SiteData, pieces: Sequence[Piece]) -> Ready:
        """The files that a change touches, with their new texts, read back; none where somebody
        has edited them since they were seen."""
        with of_files(self.where):
            ready, files = super().ready(seen, after, pieces), found_in(self.folder).files
        hashes = _hashes_of(files)
        stamp = _stamp(hashes)
        unlike = self._unlike_last()  # its hashes are known by the time that one's turn comes
        ready = ready._replace(stamp=stamp, stamp_after=stamp)
        if not pieces or stamp != seen.stamp:
            return ready
        held = {name: raw or b"" for name, raw in files.items()}
        texts = {name: raw.decode("utf-8-sig") for name, raw in held.items()}
        texts[SITE_FILE] = texts[SITE_FILE].replace("\r\n", "\n")
        new, parts = folder_texts(after, seen.data, texts)
        written = after
        if SITE_FILE in new:  # everything has its line in the new text
            written = after.with_parts(**(parts or parts_of(new[SITE_FILE], after.users)))
        if differences(after, written) or not rows_read_back(pieces, written):
            raise StoreTrouble(
                self.where,
                "the files would not say what was to be changed; nothing was changed. Please "
                "report this with the texts that you gave.",
            )
        found = {name: in_form_of(held[name], name, text) for name, text in new.items()}
        to_write = {**found, **_as_last({name: held[name] for name in unlike} | found)}
        with of_files(self.where):
            beside = Beside(self.folder, to_write)
        stamp_after = _stamp({**hashes, **beside.hashes})
        return ready._replace(after=written, files=to_write, stamp_after=stamp_after, beside=beside)

    def hand_work(self) -> HandWork | None:
        """What was edited by hand since the last change; often nothing."""
        hashes = self.hashes()
        both = [(hashes[name], hashes[f"{LAST}/{name}"]) for name in FILES]
        if all(now == last for now, last in both) or not all(last for _, last in both):
            return None  # as it mostly is
        return self._work_in(found_in(self.folder, WITH_LAST))

    def _work_in(self, found: Found) -> HandWork | None:
        last = _last_files(found)
        if last is None or all(last[name] == found.files[name] for name in FILES):
            return None
        before = self._last_in(found)
        after = read_found(self.folder, found.files)
        pieces = differences(before, after)
        if not pieces:
            return None
        files = {name: found.files[name] or b"" for name in FILES}
        return HandWork(_by_hand(_last_of(found.history), pieces), before, after, files)

    def whole_history(self) -> list[str]:
        """The lines of the history, and one more for what was edited by hand since.

        Raises `BrokenHistory` where they do not hold together.
        """
        found = found_in(self.folder, WITH_LAST)
        texts = list(_texts(found.history))
        if texts:
            self.check_history()
        work = self._work_in(found)
        if work is not None:
            record, last = work.record, _last_of(found.history)
            texts.append(next_line(record, last, work.before, record.patches[0].pieces)[1])
        return texts


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
        work = self.store.hand_work()
        if work is not None:
            # Of what was found, to the letter: what is edited from now on is another change.
            record = work.record
            ready = Ready(record.patches[0].pieces, work.after, files=_as_last(work.files))
            self._write(ready, record, work.before)
            found = Seen(work.after, record.number, _stamp(_hashes_of(work.files)), record.at)
        return found

    def make(self, record: Record, seen: Seen, ready: Ready) -> Seen:
        """Write a change: new texts for the files it touches, and its line of the history."""
        if not ready.stamp == seen.stamp == self.store.stamp():
            raise StoreTrouble(
                self.store.where,
                "its files were edited while a change was made; nothing was changed. Try again.",
            )
        self._write(ready, record, seen.data)
        return Seen(ready.after, record.number, ready.stamp_after, record.at)

    def _write(self, ready: Ready, record: Record, before: SiteData) -> None:
        folder = self.store.folder
        line, written = next_line(record, self.last, before, ready.pieces, ready.number)
        unlike = [n for n in self.store._unlike_last() if f"{LAST}/{n}" not in ready.files]
        new = ready.beside
        if new is None or unlike:
            last = _as_last({name: (folder / name).read_bytes() for name in unlike})
            new = Beside(folder, {**last, **ready.files})
        history = folder / HISTORY_FILE
        size = history.stat().st_size if history.exists() else 0
        pending.make(folder, new, self.store.hashes(), size, f"{written}\n".encode())
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


def _as_last(files: Mapping[str, bytes]) -> dict[str, bytes]:
    """What these files hold, to be kept as what the last change left in them."""
    return {f"{LAST}/{name}": raw for name, raw in files.items()}


def _last_files(found: Found) -> dict[str, bytes] | None:
    """The files as the last change left them, once they are all there."""
    kept = ((name, found.files[f"{LAST}/{name}"]) for name in FILES)
    last = {name: raw for name, raw in kept if raw is not None}
    return last if len(last) == len(FILES) else None


def _last_of(history: bytes) -> Line | None:
    """The last line of the history."""
    if not history:
        return None
    start = history.rfind(b"\n", 0, -1) + 1
    number = history.count(b"\n", 0, -1) + 1
    return line_from(_decoded(history[start:].removesuffix(b"\n"), number), number)


def _texts(history: bytes, after: int = 0, to: int | None = None) -> Iterator[str]:
    lines = history.split(b"\n")
    if not lines[-1]:
        lines.pop()  # behind the end of the last line
    for number, line in enumerate(lines[after:to], after + 1):
        yield _decoded(line, number)


def _decoded(line: bytes, number: int) -> str:
    try:
        return line.decode()
    except UnicodeDecodeError:
        raise BrokenHistory(number, "it is not UTF-8") from None


def _hashes_of(files: Mapping[str, bytes | None]) -> dict[str, str]:
    return {name: sha256(raw).hexdigest() if raw is not None else "" for name, raw in files.items()}


def _stamp(hashes: Mapping[str, str]) -> str:
    return " ".join(hashes[name] for name in FILES)
