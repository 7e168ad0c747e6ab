"""Who may do what at or below a place, to how much of it, and by which ways: for those who have to
account for it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Final, NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import Explanation, explain
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.lists import paths_for, who_may
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.decide.views.powers import managing_spots
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
    engine: Engine,
    actions: Sequence[str],
    where: Place,
    kind: str | None = None,
    *,
    below: bool = True,
) -> Iterator[Access]:
    """Everybody's access to what is at a place (or `below` it as well): guests first, then active
    users by login.

    `kind` narrows create to one kind. file-under is told of the items that may be filed under the
    category that `where` is.
    """
    active = sorted(login for login in engine.data.users if engine.acting(login) is not None)
    ways, asked = _Ways(engine), _Asked(engine, where, kind, active, below=below)
    for login in (None, *active):
        for action in actions:
            found: dict[tuple[str, tuple[str, ...]], list[str]] = {}
            for at, question in asked.of(login, action):
                found.setdefault(ways.of(question), []).append(at)
            for (why, written), places in found.items():
                yield Access(login, action, why, written, tuple(places))


class _Asked:
    """Where somebody may do something at a place or below it, and the question that has a yes."""

    def __init__(
        self,
        engine: Engine,
        where: Place,
        kind: str | None,
        active: Sequence[str],
        *,
        below: bool,
    ) -> None:
        self._engine = engine
        self._where = where
        self._kind = kind
        self._active = active
        self._below = below
        self._paths = [path for path in self._near() if self._holds(path)]
        self._by_item: dict[str, dict[str | None, list[str]]] = {}

    def _near(self) -> Iterable[str]:
        """The paths of all items that there may be at the place, and some more."""
        tree, where = self._engine.data.tree, self._where
        if where.kind != "path":
            return tree
        below = (each for each in tree.below(where.name) if self._below)
        return [each for each in (where.name, *below) if each in self._engine.data.items]

    def _holds(self, path: str) -> bool:
        if self._where.kind == "category":
            return self._where.name in self._engine.subject(path).categories
        return self._is_in(path)

    def _is_in(self, path: str) -> bool:
        if self._where.kind == "site":
            return True
        return path == self._where.name or (self._below and is_above(self._where.name, path))

    def of(self, login: str | None, action: str) -> Iterator[tuple[str, Question]]:
        """Where one person may do one thing."""
        asked = Question(login, action, self._engine.at)
        if action in MANAGING_ACTIONS:
            return self._managed(asked)
        if action == "create":
            return self._created_below(asked)
        if action in NEED_MORE:
            return self._filed(asked)
        paths = self._allowed(login, action)
        return ((path, asked._replace(path=path)) for path in paths)

    def _allowed(self, login: str | None, action: str) -> Iterable[str]:
        """The items there: asked person by person, or item by item where those are fewer."""
        engine = self._engine
        if login is None or len(self._paths) > len(self._active):
            may = set(paths_for(engine, login, action))
            return [path for path in self._paths if path in may]
        if action not in self._by_item:
            found: dict[str | None, list[str]] = {}
            for path in self._paths:
                for each in who_may(engine, action, path):
                    found.setdefault(each, []).append(path)
            self._by_item[action] = found
        return self._by_item[action].get(login, ())

    def _managed(self, asked: Question) -> Iterator[tuple[str, Question]]:
        spots = managing_spots(self._engine.data, self._where) if self._below else [self._where]
        for spot in [SITE] if asked.action in SITE_WIDE_ACTIONS else spots:
            if self._engine.may_manage(asked.who, asked.action, spot):
                yield str(spot), asked._replace(place=spot)

    def _created_below(self, asked: Question) -> Iterator[tuple[str, Question]]:
        engine, where = self._engine, self._where
        category = where.name if where.kind == "category" else None
        one = where.kind == "path" and not self._below
        for parent in [where.name] if one else engine.data.tree.sections():
            if category is None and not self._is_in(parent):
                continue
            for offer in offers_below(engine, asked.who, parent):
                fits = category is None or category in offer.categories
                if fits and self._kind in (None, offer.kind):
                    filed = (category,) if category else offer.categories[: offer.needs_category]
                    yield parent, asked._replace(path=parent, kind=offer.kind, categories=filed)
                    break

    def _filed(self, asked: Question) -> Iterator[tuple[str, Question]]:
        for path in self._engine.data.tree:
            if self._engine.may_file(asked.who, path, self._where.name):
                yield path, asked._replace(path=path, category=self._where.name)


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
