"""Whether the promises of a site hold: for all of whom they speak, at every item there."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from datetime import datetime
from typing import NamedTuple

from prim_lantern.decide.clauses import actions_named
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.explain import words
from prim_lantern.decide.question import Question
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, is_above, place
from prim_lantern.site.rights import Promise
from prim_lantern.site.who import EVERYONE, GUESTS


class PromiseCheck(NamedTuple):
    """How a promise stands at a moment.

    `number` is its place in the list, from 1. `broken` counts the people, actions and items (guests
    as one) for which it does not hold, and `example` is the question of the shortest of them.
    `at` is the moment that was looked at, and `since` the number of the change that broke it, where
    that was looked for.
    """

    number: int
    promise: Promise
    says: str
    at: datetime
    broken: int = 0
    example: Question | None = None
    since: int | None = None

    @property
    def kept(self) -> bool:
        """Whether it holds."""
        return not self.broken


def says(data: SiteData, promise: Promise) -> str:
    """What a promise says: "Guests may not read at /trustees and below"."""
    whos = words.listed(words.who(data, each) for each in promise.who)
    may = "may" if promise.may else "may not"
    what = words.listed(promise.actions, "and" if promise.may else "or")
    return f"{whos[:1].upper()}{whos[1:]} {may} {what} {words.where(promise.where)}"


def speaks_of(data: SiteData, promise: Promise, path: str) -> bool:
    """Whether an item stands at the place of a promise, or below it."""
    where = promise.where
    if where.kind == "site":
        return True
    if where.kind == "path":
        return path == where.name or (where.name != "/" and is_above(where.name, path))
    item = data.items.get(data.page_of(path)) if path in data.items else None
    filed = item.categories if item else ()
    return any(each == where.name or each.startswith(f"{where.name}/") for each in filed)


def check_promises(engine: Engine, some: Sequence[Promise] | None = None) -> list[PromiseCheck]:
    """How every promise stands at the moment of an engine, or only some of them. The owner, who may
    do everything, is asked of no promise that somebody may not."""
    return [
        _checked(engine, number, each)
        for number, each in enumerate(engine.data.promises, 1)
        if some is None or each in some
    ]


def _checked(engine: Engine, number: int, promise: Promise) -> PromiseCheck:
    broken, example = 0, None
    for question in _breaking(engine, promise):
        broken += 1
        if example is None or _length(question) < _length(example):
            example = question
    return PromiseCheck(number, promise, says(engine.data, promise), engine.at, broken, example)


def _length(question: Question) -> tuple[bool, int, str]:
    """Guests first, then what is nearest to the root."""
    path = question.path or ""
    return question.who is not None, path.count("/"), path


def _breaking(engine: Engine, promise: Promise) -> Iterator[Question]:
    data = engine.data
    actions = sorted(actions_named(data, promise.actions))
    paths = [each for each in data.tree if speaks_of(data, promise, each)]
    for login in _people(engine, promise):
        for action in actions:
            if action in MANAGING_ACTIONS:
                at = SITE if promise.where.kind == "site" else place(promise.where.name)
                if engine.may_manage(login, action, at) != promise.may:
                    yield Question(login, action, engine.at, place=at)
                continue
            for path in paths:
                if _is_of(engine, promise, login, path):
                    allowed, question = _asked(engine, login, action, path)
                    if allowed != promise.may:
                        yield question


def _asked(engine: Engine, login: str | None, action: str, path: str) -> tuple[bool, Question]:
    """Whether somebody may do something at an item: for create, anything below it; for file-under,
    under any category."""
    question = Question(login, action, engine.at, path)
    if action == "create":
        offer = next(offers_below(engine, login, path), None)
        kind = offer.kind if offer else next(iter(engine.data.all_kinds))
        filed = offer.categories[: offer.needs_category] if offer else ()
        return offer is not None, question._replace(kind=kind, categories=filed)
    if action == "file-under":
        under = engine.beside(Filings).under(login, path)
        shown = next(iter((*under, *engine.data.categories)), None)
        return bool(under), question._replace(category=shown)
    return engine.allows(login, action, path), question


def _people(engine: Engine, promise: Promise) -> Iterable[str | None]:
    """The people of whom a promise may speak: guests, and active users."""
    data, whos = engine.data, set(promise.who)
    if whos & {EVERYONE, GUESTS}:
        yield None
    roles = any(each.kind == "role" for each in whos)
    belonging = engine.crowd.belonging
    for login in data.users:
        if engine.acting(login) is None or (login == data.owner and not promise.may):
            continue
        if roles or not whos.isdisjoint(belonging.whos(login)):
            yield login


def _is_of(engine: Engine, promise: Promise, login: str | None, path: str) -> bool:
    """Whether a promise speaks of somebody at an item: for a role, where they hold it."""
    if login is None or not any(each.kind == "role" for each in promise.who):
        return True
    reference, about = engine.reference, engine.subject(path)
    return any(reference.is_among(login, each, about) for each in promise.who)
