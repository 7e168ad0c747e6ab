"""What a place is, and all that holds there: its own words first, then what reaches it."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import NamedTuple

from prim_lantern.decide import subject
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.views.promises import says
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, written
from prim_lantern.site.places import SITE, Place, place
from prim_lantern.site.rights import Readership

_STATES_WITH_TIME = {"public_from": "public from", "public_until": "public until"}


class Fact(NamedTuple):
    """One thing that is so of a place: what, and what it is."""

    what: str
    text: str


class PlaceView(NamedTuple):
    """A place: facts; then by heading what stands right here, and what reaches it from elsewhere.

    The headings are "readerships", "rights", "limits" and "promises".
    """

    where: str
    title: str
    facts: tuple[Fact, ...]
    here: dict[str, tuple[Point, ...]]
    from_elsewhere: dict[str, tuple[Point, ...]]

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "where": self.where,
            "title": self.title,
            **{each.what: each.text for each in self.facts},
            "here": {name: [p.to_dict() for p in some] for name, some in self.here.items()},
            "from_elsewhere": {
                name: [p.to_dict() for p in some] for name, some in self.from_elsewhere.items()
            },
        }


def place_view(engine: Engine, where: Place) -> PlaceView:
    """All that is to be said of the site, a path or a category at a moment."""
    data = engine.data
    item = data.items.get(where.name) if where.kind == "path" else None
    about = engine.subject(where.name) if item else subject.of_place(data, where)
    found = _Found(engine, where, about)
    title = item.title if item else data.categories.get(where.name, "")
    if where.kind == "site":
        title = data.name
    here, elsewhere = found.sorted()
    facts = _facts_of_item(engine, item) if item else _facts(engine, where)
    return PlaceView(str(where), title, tuple(facts), here, elsewhere)


class _Found:
    """What holds at a place, each with where it stands."""

    def __init__(self, engine: Engine, where: Place, about: Subject) -> None:
        self._engine = engine
        self._data = engine.data
        self._where = where
        self._about = about

    def sorted(self) -> tuple[dict[str, tuple[Point, ...]], dict[str, tuple[Point, ...]]]:
        """By heading, what stands here and what stands elsewhere, the nearest first."""
        here: dict[str, tuple[Point, ...]] = {}
        elsewhere: dict[str, tuple[Point, ...]] = {}
        for heading, some in (
            ("readerships", self._readerships()),
            ("rights", self._rights()),
            ("limits", self._limits()),
            ("promises", self._promises()),
        ):
            found = sorted(some, key=lambda each: self._nearness(each[0]))
            own = tuple(point for at, point in found if at.spot == self._where.spot)
            rest = tuple(point for at, point in found if at.spot != self._where.spot)
            if own:
                here[heading] = own
            if rest:
                elsewhere[heading] = rest
        return here, elsewhere

    def _nearness(self, at: Place) -> tuple[int, int]:
        if at.kind == "site":
            return 2, 0
        return (0 if at.kind == "path" else 1), -at.name.count("/")

    def _holds(self, at: Place) -> bool:
        return at.spot == self._where.spot or self._about.is_held_by(at)

    def _lasts(self, period: Period) -> bool:
        return period.until is None or period.until > self._engine.at

    def _readerships(self) -> Iterator[tuple[Place, Point]]:
        data = self._data
        origin = data.origin and data.origin.of("default_readership")
        default = data.readership(data.default_readership)
        yield SITE, Point("readership", _open_to(data, default, SITE), origin, default.name)
        for setting in data.readerships_at.values():
            if self._holds(setting.place) and setting.readership is not None:
                text = _open_to(data, data.readership(setting.readership), setting.place)
                alone = "" if setting.readership_from_above else "; those above do not count"
                point = Point("readership", text + alone, setting.origin, setting.readership)
                yield setting.place, point

    def _rights(self) -> Iterator[tuple[Place, Point]]:
        data = self._data
        for name, cut in data.rights_cut_at.items():
            if self._holds(place(name)):
                text = f"What is allowed above {name} does not reach in; denies and all-access do"
                origin = cut.origin and cut.origin.of("rights_from_above")
                yield place(name), Point("setting", text, origin, name)
        for rule in data.rules:
            if self._holds(rule.place) and self._lasts(rule.period):
                said = words.rule(data, rule)
                text = said[:1].upper() + said[1:]
                yield rule.place, Point("rule", text, rule.origin, rule.id)
        for given in data.given:
            for at in given.within_any:
                if self._holds(at) and self._lasts(given.period):
                    name = words.given_name(data, given)
                    text = name[:1].upper() + name[1:].removesuffix(",")
                    if data.roles[given.role].all_access:
                        text += ": all access"
                    yield at, Point("given-role", text, given.origin, given.role)

    def _limits(self) -> Iterator[tuple[Place, Point]]:
        for limit in self._data.limits:
            if self._where.kind == "path" and limit.where == self._where.name:
                kind = self._data.all_kinds[limit.kind].called
                text = f"{kind}: at most {limit.at_most} directly below"
                yield place(limit.where), Point("limit", text, limit.origin, limit.kind)

    def _promises(self) -> Iterator[tuple[Place, Point]]:
        for promise in self._data.promises:
            at = promise.where
            if at.spot == self._where.spot or self._about.is_held_by(at):
                note = f" ({promise.note})" if promise.note else ""
                yield at, Point("promise", says(self._data, promise) + note, promise.origin)


def _open_to(data: SiteData, readership: Readership, at: Place) -> str:
    where = words.where(at).removeprefix("at ").removeprefix("on ")
    called = f"readership {readership.called}, for {words.readers(data, readership)}"
    return f"{where[:1].upper()}{where[1:]}: {called}"


# Facts ------------------------------------------------------------------------------------------


def _facts_of_item(engine: Engine, item: Item) -> Iterator[Fact]:
    data, path = engine.data, item.path
    kind, about = data.all_kinds[item.kind], engine.subject(path)
    page = data.items[data.page_of(path)]
    yield Fact("kind", kind.called)
    if page.path != path:
        yield Fact("page", page.path)
    yield Fact(
        "state",
        about.state if about.state == page.state else f"{about.state} (stored: {page.state})",
    )
    for field, what in _STATES_WITH_TIME.items():
        at = getattr(page, field)
        if at is not None:
            yield Fact(what, written(at))
    if page.authors:
        yield Fact("authors", words.listed(_called(data, page.authors)))
    if data.all_kinds[page.kind].four_eyes and page.changed_by:
        names = words.listed(_called(data, dict.fromkeys((*page.authors, *page.changed_by))))
        yield Fact("hands", f"{names}: none of them may publish it")
    if page.categories:
        yield Fact("filed under", ", ".join(page.categories))
    if item.links_to:
        yield Fact("leads to", item.links_to)
    yield from _facts(engine, place(path))
    leading = [
        data.content.names[row] for row, to in data.content.filled("links_to").items() if to == path
    ]
    if leading:
        yield Fact("links here", words.some(leading, 6))


def _facts(engine: Engine, where: Place) -> Iterator[Fact]:
    data = engine.data
    if where.kind == "path":
        below = [each for each in data.tree.below(where.name) if each in data.items]
        parts = [each for each in below if data.is_part(each) and data.page_of(each) == where.name]
        if parts:
            yield Fact("parts", words.some(parts, 6))
        pages = len(below) - len(parts)
        if pages:
            yield Fact("below", f"{pages:,} item{'s' if pages != 1 else ''}")
    elif where.kind == "category":
        names = data.content
        filed = sum(where.name in subject.with_above(c) for c in names.values_of("categories") if c)
        yield Fact(
            "filed here", f"{filed:,} item{'s' if filed != 1 else ''}, those below it included"
        )
    else:
        yield Fact("owner", data.users[data.owner].called)
        yield Fact("items", f"{len(data.items):,}")
        active = sum(1 for each in data.people.values_of("status") if each == "active")
        yield Fact("people", f"{len(data.users):,}, of them {active:,} active")


def _called(data: SiteData, logins: Iterable[str]) -> list[str]:
    return [data.users[each].called if each in data.users else each for each in logins]
