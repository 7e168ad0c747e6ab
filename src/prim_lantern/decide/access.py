"""Who may do what at or below a place, to how much of it, and by which ways: for those who have to
account for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final, NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import Explanation, explain
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.looking import offers_below
from prim_lantern.decide.many import paths_for
from prim_lantern.decide.powers import managing_spots
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, is_above, parent_of

_LOOKING: Final = ("read", "see-drafts", "see-versions")


class Access(NamedTuple):
    """One person who may do one thing by one way, and where.

    `who` is a login, None for guests. `why` says by what, `written` where that is written;
    `places` are items, for create the parents of new ones, for managing places.
    """

    who: str | None
    action: str
    why: str
    written: tuple[str, ...]
    places: tuple[str, ...]

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {**self._asdict(), "written": list(self.written), "places": list(self.places)}


def changing_actions(data: SiteData) -> list[str]:
    """All actions by which something is changed, those of managing rights and people as well."""
    items = [each for each in data.item_actions if each not in (*_LOOKING, "file-under")]
    return [*items, *(each for each in MANAGING_ACTIONS if each != "look-as")]


def access_to(
    engine: Engine, actions: Sequence[str], where: Place, kind: str | None = None
) -> Iterator[Access]:
    """Everybody's access to what is at or below a place: guests first, then active users by login.

    `kind` narrows create to one kind. file-under is told of the items there and the category that
    `where` is.
    """
    active = sorted(login for login in engine.data.users if engine.acting(login) is not None)
    ways = _Ways(engine)
    for login in (None, *active):
        for action in actions:
            found: dict[tuple[str, tuple[str, ...]], list[str]] = {}
            for at, question in _allowed(engine, login, action, where, kind):
                found.setdefault(ways.of(question), []).append(at)
            for (why, written), places in found.items():
                yield Access(login, action, why, written, tuple(places))


def _allowed(
    engine: Engine, login: str | None, action: str, where: Place, kind: str | None
) -> Iterator[tuple[str, Question]]:
    """Where somebody may do something at or below a place, and the question that has a yes."""
    asked = Question(login, action, engine.at)
    if action in MANAGING_ACTIONS:
        return _managed(engine, asked, where)
    if action == "create":
        return _created_below(engine, asked, where, kind)
    if action in NEED_MORE:
        return _filed(engine, asked, where)
    paths = paths_for(engine, login, action)
    return ((p, asked._replace(path=p)) for p in paths if _holds(engine, where, p))


def _managed(engine: Engine, asked: Question, where: Place) -> Iterator[tuple[str, Question]]:
    for spot in [SITE] if asked.action in SITE_WIDE_ACTIONS else managing_spots(engine.data, where):
        if engine.may_manage(asked.who, asked.action, spot):
            yield str(spot), asked._replace(place=spot)


def _created_below(
    engine: Engine, asked: Question, where: Place, kind: str | None
) -> Iterator[tuple[str, Question]]:
    category = where.name if where.kind == "category" else None
    for parent in engine.data.tree.sections():
        if category is None and not _is_in(where, parent):
            continue
        for offer in offers_below(engine, asked.who, parent):
            if kind in (None, offer.kind) and (category is None or category in offer.categories):
                filed = (category,) if category else offer.categories[: offer.needs_category]
                yield parent, asked._replace(path=parent, kind=offer.kind, categories=filed)
                break


def _filed(engine: Engine, asked: Question, where: Place) -> Iterator[tuple[str, Question]]:
    for path in engine.data.tree:
        if engine.may_file(asked.who, path, where.name):
            yield path, asked._replace(path=path, category=where.name)


def _is_in(where: Place, path: str) -> bool:
    return where.kind == "site" or path == where.name or is_above(where.name, path)


def _holds(engine: Engine, where: Place, path: str) -> bool:
    if where.kind == "category":
        return where.name in engine.subject(path).categories
    return _is_in(where, path)


class _Ways:
    """By which way somebody may: told once for all items that nothing tells apart."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        data = engine.data
        self._spoken_of = {each.place.name for each in data.rules}
        self._spoken_of |= {each.name for given in data.given for each in given.within_any}
        self._spoken_of |= {name for _, name in data.readerships_at} | set(data.rights_cut_at)
        self._known: dict[object, tuple[str, tuple[str, ...]]] = {}

    def of(self, question: Question) -> tuple[str, tuple[str, ...]]:
        """The way, and where it is written."""
        key = self._key(question)
        if key not in self._known:
            reference = self._engine.reference_for(question.who)
            self._known[key] = _way(explain(reference, question, trace_of(reference, question)))
        return self._known[key]

    def _key(self, asked: Question) -> object:
        path = asked.path
        if path is None or path not in self._engine.data.items or asked.kind is not None:
            return asked
        about = self._engine.subject(path)
        item = self._engine.data.items[path]
        login = asked.who
        return (
            login, asked.action, asked.category, parent_of(path), item.kind, about.state,
            about.categories, login in about.authors, login in item.changed_by,
            item.links_to, path if path in self._spoken_of or item.readership else None,
        )  # fmt: skip


def _way(found: Explanation) -> tuple[str, tuple[str, ...]]:
    written = dict.fromkeys(_origins(found.because))
    return found.short, tuple(written)


def _origins(points: Sequence[Point]) -> Iterator[str]:
    for point in points:
        if point.origin:
            yield str(point.origin)
        yield from _origins(point.behind)
