"""What waits: for somebody to publish or send back, of somebody's own, and what comes by itself."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from datetime import datetime
from typing import Final, NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import explain
from prim_lantern.decide.lists import who_may
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.site.content import DRAFT, IN_REVIEW, PUBLISHED, SCHEDULED
from prim_lantern.site.moments import days_from, written

_DECIDING: Final = ("publish", "send-back")


class Step(NamedTuple):
    """A step that somebody took with an item: when, who, and the reason they gave."""

    at: datetime
    by: str
    reason: str


class Waiting(NamedTuple):
    """An item that waits for somebody to decide.

    `may` are the steps they may take and `why` says by what; `submitted` is who sent it and when,
    where the history knows; `readers` is how many active people could read it once published, and
    `guests` whether anybody in the world could.
    """

    path: str
    title: str
    kind: str
    authors: tuple[str, ...]
    may: tuple[str, ...]
    why: str
    submitted: Step | None
    readers: int
    guests: bool


class Own(NamedTuple):
    """Something of somebody's own that is not public yet: `waits_for` are those who may publish it;
    `sent_back` tells who sent it back last, and why."""

    path: str
    title: str
    state: str
    waits_for: tuple[str, ...]
    sent_back: Step | None


class Coming(NamedTuple):
    """Something that becomes public, or ends, by itself."""

    at: datetime
    path: str
    title: str
    what: str


class Queue(NamedTuple):
    """All that waits for one person, of theirs, and what comes for all they may read."""

    who: str
    to_decide: tuple[Waiting, ...]
    own: tuple[Own, ...]
    coming: tuple[Coming, ...]

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "who": self.who,
            "to_decide": [_plain(each) for each in self.to_decide],
            "own": [_plain(each) for each in self.own],
            "coming": [_plain(each) for each in self.coming],
        }


def _plain(value: object) -> object:
    if isinstance(value, datetime):
        return written(value)
    if hasattr(value, "_asdict"):
        return {name: _plain(each) for name, each in value._asdict().items()}
    return [_plain(each) for each in value] if isinstance(value, tuple) else value


def queue_of(
    engine: Engine,
    login: str,
    submitted: Mapping[str, Step],
    sent_back: Mapping[str, Step],
    days: int = 30,
) -> Queue:
    """What waits for somebody. `submitted` and `sent_back` tell, by path, the last step of that
    sort that the history knows; what was submitted first comes first."""
    data = engine.data
    waiting, own = [], []
    for path in data.tree:
        item, about = data.items[path], engine.subject(path)
        if data.is_part(path) or about.state not in (DRAFT, IN_REVIEW):
            continue
        if about.state == IN_REVIEW:
            found = _waiting(engine, login, path, submitted.get(path))
            if found is not None:
                waiting.append(found)
        if login in about.authors:
            waits_for = who_may(engine, "publish", path) if about.state == IN_REVIEW else ()
            back = sent_back.get(path) if about.state == DRAFT else None
            own.append(Own(path, item.title, about.state, tuple(waits_for), back))
    waiting.sort(key=lambda each: (each.submitted is not None, each.submitted or (), each.path))
    return Queue(login, tuple(waiting), tuple(own), tuple(_coming(engine, login, days)))


def _waiting(engine: Engine, login: str, path: str, submitted: Step | None) -> Waiting | None:
    may = tuple(each for each in _DECIDING if engine.allows(login, each, path))
    if not may:
        return None
    item, about = engine.data.items[path], engine.subject(path)
    reference = engine.reference_for(login)
    question = Question(login, may[0], engine.at, path)
    why = explain(reference, question, trace_of(reference, question)).short
    public = about._replace(state=PUBLISHED)
    active = (each for each in engine.data.users if engine.acting(each) is not None)
    readers = sum(engine.allows_of(each, "read", public) for each in active)
    guests = engine.allows_of(None, "read", public)
    return Waiting(path, item.title, item.kind, item.authors, may, why, submitted, readers, guests)


def _coming(engine: Engine, login: str, days: int) -> Iterable[Coming]:
    """What becomes public or ends within some days, of what they may read or see as a draft."""
    data, found = engine.data, []
    last = days_from(engine.at, days)
    for path in data.tree:
        item = data.items[path]
        if data.is_part(path) or not (item.public_from or item.public_until):
            continue
        if not (engine.allows(login, "read", path) or login in item.authors):
            continue
        state = engine.subject(path).state
        for at, what, fits in (
            (item.public_from, "becomes public", state == SCHEDULED),
            (item.public_until, "ends", state in (SCHEDULED, PUBLISHED)),
        ):
            if at is not None and fits and engine.at < at <= last:
                found.append(Coming(at, path, item.title, what))
    return sorted(found)
