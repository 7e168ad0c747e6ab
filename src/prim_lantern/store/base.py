"""What every store does: hold a site and its history, and take one change at a time."""

from __future__ import annotations

from abc import ABC, abstractmethod
from bisect import bisect_right
from collections.abc import Iterator, Mapping, Sequence
from contextlib import AbstractContextManager, contextmanager, suppress
from datetime import datetime
from typing import Any, Final, NamedTuple

from prim_lantern.change.pieces import Piece
from prim_lantern.change.record import Record
from prim_lantern.change.renames import Misfit
from prim_lantern.change.touches import touches
from prim_lantern.errors import BadChange, BrokenHistory, NoSuchChange, PrimLanternError
from prim_lantern.formats.entries import State, Told, as_json
from prim_lantern.formats.folder.beside import Beside
from prim_lantern.formats.folder.reader import read_packed
from prim_lantern.formats.folder.source import Progress
from prim_lantern.formats.folder.writer import packed
from prim_lantern.formats.history import (
    NO_HASH,
    Line,
    checked,
    hash_in,
    line_from,
    values_from,
    written_line,
)
from prim_lantern.formats.rewind import Rewind
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import moment
from prim_lantern.store.news import News

_APART: Final = 1000  # changes between two sites that are kept
_MANY_THINGS: Final = 20_000  # items and people: for each as many more, they are kept rarer


class Seen(NamedTuple):
    """A site as it was when somebody looked: the number of its last change and when that was
    made, and a stamp by which a store knows its own files again."""

    data: SiteData
    number: int
    stamp: str = ""
    at: datetime | None = None


class Ready(NamedTuple):
    """A change that is ready to be written, all but its line of the history, so that nobody has to
    wait for that: all things that differ, and the site after it.

    `number` is the site's before its first change, where a store does not know it. For a database,
    all `entries` of the settings that differ; for a folder, the `files` that differ, made from
    files of the `stamp`, the `stamp_after`, and those files as they wait `beside` their places.
    """

    pieces: Sequence[Piece]
    after: SiteData
    number: str | None = None
    entries: Mapping[str, Sequence[tuple[str, str]]] = {}
    files: Mapping[str, bytes] = {}
    stamp: str = ""
    stamp_after: str = ""
    beside: Beside | None = None


class Turn(ABC):
    """The one who may write to a store just now."""

    @abstractmethod
    def seen(self, before: Seen) -> Seen:
        """The site as it is now; the very same object where nobody changed it since."""

    @abstractmethod
    def make(self, record: Record, seen: Seen, ready: Ready) -> Seen:
        """Write a change of what was seen. It is made whole or not at all; the origins of what it
        returns tell where things stand now."""


class Store(ABC):
    """A place where a site is kept."""

    where: str

    @abstractmethod
    def read(self, progress: Progress | None = None) -> Seen:
        """The site as it is."""

    @abstractmethod
    def changing(self, connection: Any = None) -> AbstractContextManager[Turn]:
        """Wait for one's turn to write. Raises `StoreTrouble` where it does not come.

        A `connection` to the store's own database writes within the transaction there; `BadChange`
        where it leads elsewhere.
        """

    def ready(self, seen: Seen, after: SiteData, pieces: Sequence[Piece]) -> Ready:
        """Make all ready that can be before one's turn to write comes; `pieces` are all things that
        differ between what was seen and the site `after` the change."""
        number = str(State.of(seen.data)) if seen.number == 0 else None
        return Ready(pieces, after, number)

    @abstractmethod
    def texts(self, after: int = 0, to: int | None = None) -> Iterator[str]:
        """The lines of the history, each as text: those after a change of this number, up to
        another one (None: the last)."""

    def record(self, number: int) -> Record:
        """One change; `NoSuchChange` where the history has none of this number."""
        count = self.count()
        if not 0 < number <= count:  # which can be more than a database can count to
            raise NoSuchChange(number, count)
        return line_from(next(iter(self.texts(number - 1, number))), number).record

    @abstractmethod
    def count(self) -> int:
        """The number of the last change: they are counted from 1."""

    def is_at(self, seen: Seen) -> bool:
        """Whether the site is still as it was seen."""
        return self.count() == seen.number

    def newer(self, seen: Seen) -> Seen:
        """The site as it is now; `seen` itself where it is still that."""
        return seen if self.is_at(seen) else self.read()

    @contextmanager
    def news(self) -> Iterator[News]:
        """What waits until somebody else may have changed the site."""
        yield News()

    def as_it_stood(self, at: datetime) -> SiteData:
        """The site as it stood at a past moment."""
        return self._stood_after(self.number_at(at))

    def before_change(self, number: int) -> SiteData:
        """The site as it was before a change."""
        return self._stood_after(number - 1)

    def number_at(self, at: datetime) -> int:
        """The number of the last change that was made by a moment; 0 before the first."""
        texts = list(self.texts())
        numbers = range(1, len(texts) + 1)
        return bisect_right(numbers, at, key=lambda n: moment(values_from(texts[n - 1], n)["at"]))

    def _stood_after(self, number: int) -> SiteData:
        """The site as one change left it: taken back from what it is, or from what was kept
        soonest after that change."""
        kept = self._sound_kept(number)
        if kept is not None:
            last, data = kept
            texts = list(self.texts(number, last))
        else:
            texts, data = self.snapshot()
            last, texts = len(texts), texts[number:]
        rewind = Rewind(data)
        for count, text in zip(range(last, number, -1), reversed(texts), strict=True):
            _take_back(rewind, values_from(text, count))
        return rewind.data

    # Going back far -----------------------------------------------------------------------------

    def keep(self, seen: Seen) -> None:
        """Keep the site now and then, so that going back far need not take back every change.

        Every thousandth time for a site of some size, rarer for a bigger one, so that what is
        kept stays in proportion to the history. It saves time alone: a disk that is full, or a
        lock that is held, costs nothing but that.
        """
        things = len(seen.data.users) + len(seen.data.items)
        if seen.number % (_APART * (1 + things // _MANY_THINGS)) == 0:
            with suppress(OSError, PrimLanternError):
                self._keep(seen.number, packed(seen.data))

    @abstractmethod
    def _keep(self, number: int, site: bytes) -> None:
        """Put a packed site aside."""

    @abstractmethod
    def _kept(self, number: int) -> tuple[int, bytes] | None:
        """What was put aside soonest after a change, and the number of the change it shows."""

    def _sound_kept(self, number: int) -> tuple[int, SiteData] | None:
        """What was put aside, where it is what the history says that the site was then."""
        found = self._kept(number)
        text = next(iter(self.texts(found[0] - 1, found[0])), None) if found is not None else None
        if found is None or text is None:
            return None
        try:
            data = read_packed(found[1], self.where)
        except (LookupError, OSError, ValueError, PrimLanternError):
            return None  # damaged: the whole way back is left
        sound = values_from(text, found[0])["state"] == str(State.of(data))
        return (found[0], data) if sound else None

    # Looking at changes -------------------------------------------------------------------------

    def taken_back_by(self, number: int) -> int | None:
        """The change that took one back, unless that was taken back as well."""
        by = {
            each.undoes: each.number
            for count, text in enumerate(self.texts(number), number + 1)
            if '"undoes":null' not in text
            for each in [line_from(text, count).record]
        }
        again = by.get(number)
        while again is not None and again in by:  # taken back, and that taken back as well
            again = by.get(by[again])
        return again

    def touching(self, record: Record) -> list[Record]:
        """The later changes that touched something that this one touched, the oldest first."""
        of_it = touches(record)
        names, parts = of_it.names()
        marks = [as_json(name)[1:-1] for name in names] + [f'"part":"{each}"' for each in parts]
        some = (
            line_from(text, number).record
            for number, text in enumerate(self.texts(record.number), record.number + 1)
            if any(mark in text for mark in marks)
        )
        return [each for each in some if of_it.meet(touches(each))]

    def records(self, after: int = 0) -> list[Record]:
        """The changes after one of this number, the oldest first."""
        return [
            line_from(text, number).record
            for number, text in enumerate(self.texts(after), after + 1)
        ]

    @abstractmethod
    def last_recorded(self) -> SiteData:
        """The site as the last change left it, whatever was done past the history since."""

    @abstractmethod
    def snapshot(self, progress: Progress | None = None) -> tuple[list[str], SiteData]:
        """The history, and the site as its last change left it, of one moment."""

    def by_hand(self) -> bool:
        """Whether the site was edited past the history since the last change."""
        return False

    def seal(self) -> tuple[int, str]:
        """The number and the hash of the last change. Kept elsewhere, it proves later that nothing
        up to that change was altered or dropped."""
        number = self.count()
        text = next(iter(self.texts(number - 1, number)), None) if number else None
        return number, line_from(text, number).hash if text is not None else NO_HASH

    def check_history(self, against: str | None = None) -> int:
        """Hold every change against the one before, replay all of them back from the site, and
        find the hash `against`, if one is given; the number of changes.

        Raises `BrokenHistory` at the first that does not fit, and `BadValue` where `against` is no
        hash at all.
        """
        sealed = hash_in(against) if against is not None else NO_HASH
        texts, data = self.snapshot()
        lines = list(checked(texts))
        state = State.of(data)
        rewind = Rewind(data, state)
        for values in reversed(lines):
            if values["state"] != str(state):
                last = values["number"] == len(lines)
                what = "the site" if last else "what the next change says was there"
                change = "this last change" if last else "this change"
                raise BrokenHistory(values["number"], f"{what} is not as {change} left it")
            _take_back(rewind, values)
        if sealed not in (NO_HASH, *(each["hash"] for each in lines)):
            raise BrokenHistory(
                len(lines),
                "no change up to it has the hash that was kept: what was sealed was altered or "
                "dropped since",
            )
        return len(texts)


def of_another_database(where: str, connection: object) -> None:
    """Refuse a connection to some database, for a site that is kept elsewhere."""
    if connection is not None:
        raise BadChange(f"The site is kept at {where}, not in the database of this connection.")


def _take_back(rewind: Rewind, values: Mapping[str, Any]) -> None:
    """Take back the change of one line."""
    try:
        rewind.take_back(values["patches"])
    except (Misfit, LookupError, TypeError, ValueError, PrimLanternError):
        raise BrokenHistory(
            values["number"], "what it says it made is not what is there after it"
        ) from None


def next_line(
    record: Record,
    last: Line | None,
    before: SiteData,
    pieces: Sequence[Piece],
    number: str | None = None,
) -> tuple[Line, str]:
    """The line for a change after the last one, and its text; the site's number follows from its
    pieces. Before the first change it is worked out, where the `number` is not known."""
    known = last.state if last is not None else number
    state = State(int(known, 16)) if known is not None else State.of(before)
    told = Told()
    for piece in pieces:
        state.add(piece.part, piece.name, piece.before, -1, told)
        state.add(piece.part, piece.name, piece.after, 1, told)
    return written_line(record, str(state), last.hash if last is not None else NO_HASH, told)
