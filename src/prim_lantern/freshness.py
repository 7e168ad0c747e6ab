"""Several processes and one site: taking over what others change, at once."""

from __future__ import annotations

import os
import weakref
from collections.abc import Callable
from datetime import UTC, datetime
from functools import partial
from math import inf
from threading import Event, Lock, Thread
from time import time
from typing import Final, NamedTuple, Self

from prim_lantern.errors import BadValue, StoreTrouble
from prim_lantern.site.moments import written
from prim_lantern.store.base import Store

_LOOK_EVERY: Final = 1.0  # seconds between two looks at a store that also calls
_SOONER: Final = 0.05  # seconds, for a store that does not
_AGAIN: Final = 0.5  # seconds until a store that did not answer is asked once more


class Freshness(NamedTuple):
    """How new the answers are: the number of the last change they know of, when the store last said
    that there is none after it, and what is wrong with the store since, if anything."""

    version: int
    confirmed: datetime
    trouble: str = ""

    @property
    def age(self) -> float:
        """How many seconds ago the store last said so."""
        return max(0.0, (datetime.now(UTC) - self.confirmed).total_seconds())

    def __str__(self) -> str:
        as_of = f"As of change {self.version}, confirmed {written(self.confirmed)}."
        return f"{as_of} Since then: {self.trouble}" if self.trouble else as_of


class Confirmed:
    """When a store last said that what is here is the newest, and how long that is good enough."""

    def __init__(self, where: str) -> None:
        self._where = where
        self.at = time()
        self.good_for = inf
        self.trouble = ""

    def now(self) -> None:
        """The store has just said so."""
        self.at, self.trouble = time(), ""

    @property
    def until(self) -> float:
        """Until when (seconds since 1970) answers may be given by what is here."""
        return self.at + self.good_for

    def check(self) -> None:
        """Raise `StoreTrouble` where it is too long ago."""
        if time() >= self.until:
            since = written(datetime.fromtimestamp(self.at, UTC).replace(microsecond=0))
            raise StoreTrouble(
                self._where,
                f"not reached since {since}, so that what was changed since then is not known "
                f"here, and nothing is answered. {self.trouble}".rstrip(),
            )


def check_seconds(refuse_after: float | None) -> None:
    """Raise `BadValue` for what is no time after which to refuse."""
    if refuse_after is not None and not refuse_after > 0:
        raise BadValue(refuse_after, "is no time: say how many seconds, or leave it out.")


class KeptFresh:
    """What takes over the changes of others in the background; see `Site.keep_fresh`."""

    def __init__(
        self,
        store: Store,
        catch_up: Callable[[], object],
        confirmed: Confirmed,
        refuse_after: float | None,
    ) -> None:
        self._store, self._confirmed = store, confirmed
        self._catch_up = weakref.WeakMethod(catch_up)  # a site that nobody uses can go
        confirmed.good_for = inf if refuse_after is None else refuse_after
        self._looking = Lock()
        self._stopped = Event()
        self._thread: Thread | None = None
        self._start()
        _kept.add(self)

    def _start(self) -> None:
        self._stopped = Event()
        self._thread = Thread(target=self._run, name="prim-lantern keep fresh", daemon=True)
        self._thread.start()

    def rest(self) -> None:
        """Take nothing over until `go_on`: a process that is forked off in the middle of that would
        find locks that nobody opens."""
        self._looking.acquire(timeout=_LOOK_EVERY)

    def go_on(self, *, anew: bool = False) -> None:
        """Go on after `rest`; in a process that was forked off `anew`, as threads stay behind in
        the one before."""
        if anew:
            self._looking = Lock()
            self._start()
        elif self._looking.locked():
            self._looking.release()

    def stop(self) -> None:
        """Take over nothing more by itself, and refuse nothing; it ends within a second or so. What
        has been stopped, such as by another that took its place, changes nothing any more."""
        if self._stopped.is_set():
            return
        self._stopped.set()
        self._confirmed.good_for = inf
        _kept.discard(self)
        if self._thread is not None:
            self._thread.join(timeout=2 * _LOOK_EVERY)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_: object) -> None:
        self.stop()

    # In the background ----------------------------------------------------------------------------

    def _run(self) -> None:
        stopped = self._stopped
        while not stopped.is_set():
            try:
                with self._store.news() as news:
                    every = self._often(_LOOK_EVERY if news.calls else _SOONER)
                    while not stopped.is_set() and self._look():
                        news.wait(every, stopped)
            except Exception as error:  # whatever it is, it must not end here in silence
                self._confirmed.trouble = str(error)
            if not self._look():  # also where nothing can be heard
                return
            stopped.wait(self._often(_AGAIN))

    def _often(self, seconds: float) -> float:
        """How long to wait at most: well within the time after which nothing is answered."""
        return min(seconds, self._confirmed.good_for / 4)

    def _look(self) -> bool:
        """Take over what is new; False where nobody is there any more who wants it."""
        catch_up = self._catch_up()
        if catch_up is None:
            return False
        try:
            with self._looking:
                catch_up()
        except Exception as error:
            self._confirmed.trouble = str(error)
        return True


_kept: Final[weakref.WeakSet[KeptFresh]] = weakref.WeakSet()


def _rest() -> None:
    for each in list(_kept):
        each.rest()


def _go_on(*, anew: bool = False) -> None:
    for each in list(_kept):
        each.go_on(anew=anew)


if hasattr(os, "register_at_fork"):
    os.register_at_fork(
        before=_rest, after_in_parent=_go_on, after_in_child=partial(_go_on, anew=True)
    )
