"""The grid: people, groups and audiences across; sections, items and categories down."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from itertools import chain
from typing import Final, NamedTuple

from prim_lantern.decide import subject
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import pages_before
from prim_lantern.decide.stand_ins import Somebody, login_of
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.site.content import DRAFT, PUBLISHED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import is_above, parent_of, way_to
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who

YES: Final = "yes"
NO: Final = "no"
OWN: Final = "own"
BELOW: Final = "below"
SILENT_CELL: Final = ""
ACTIONS: Final = ("read", "edit", "publish")
"""What the whole is told by, where there is no room for every action."""
_HEADINGS: Final = {"guests": "Guests", "signed-in": "Everybody signed in"}


class Row(NamedTuple):
    """A line of the grid: a path or a category, and where words of its own stand.

    `own_words` counts the rules, given roles and settings that stand right here, and
    `below` those that stand further down.
    """

    where: str
    title: str
    own_words: int
    below: int


class Grid(NamedTuple):
    """Marks by row, who and action: "yes", "no", "own" (only what they write), "below", or "" where
    nobody has spoken.

    A mark of an item speaks of the item itself, as `may` does; "below" says that it is a no there,
    and open further in, or for what could be added. Of a section without a page and of a category
    it speaks of new items there, and of the site of new ones at the top. A person by name never has
    "own". `marks[row][who][action]` follow
    the order of the three lists.
    """

    rows: tuple[Row, ...]
    whos: tuple[str, ...]
    called: tuple[str, ...]
    actions: tuple[str, ...]
    marks: tuple[tuple[tuple[str, ...], ...], ...]

    def keys(self) -> list[str]:
        """What each record has, whether there are any or not."""
        marks = [f"{who} {action}" for who in self.whos for action in self.actions]
        return ["where", "title", "own_words", "own_words_below", *marks]

    def records(self) -> Iterator[dict[str, object]]:
        """A flat record for each row, as CSV and JSON carry it."""
        keys = self.keys()
        for row, marks in zip(self.rows, self.marks, strict=True):
            told = (row.where, row.title, row.own_words, row.below)
            yield dict(zip(keys, (*told, *chain.from_iterable(marks)), strict=True))


def grid_of(
    engine: Engine, whos: Sequence[Who], rows: Sequence[str], actions: Sequence[str]
) -> Grid:
    """The grid of some people, groups and audiences by some places, for some actions."""
    words = _Words(engine.data)
    columns = [[_Column(engine, who, each).marks(rows) for each in actions] for who in whos]
    return Grid(
        rows=tuple(words.row(where) for where in rows),
        whos=tuple(map(str, whos)),
        called=tuple(_called(engine.data, who) for who in whos),
        actions=tuple(actions),
        marks=tuple(
            tuple(tuple(marks[at] for marks in some) for some in columns) for at in range(len(rows))
        ),
    )


def every_column(data: SiteData) -> list[str]:
    """Guests, the signed-in and every group."""
    return ["guests", "signed-in", *(f"group:{each}" for each in data.groups)]


def heading(who: str, called: str) -> str:
    """What a column is called on paper."""
    return _HEADINGS.get(who, called)


def said_of(actions: Sequence[str], marks: Sequence[str]) -> str:
    """The marks of one who at one place in a few words: "read, edit own"; "some" stands for
    "below".

    >>> said_of(("read", "edit"), ("yes", "own"))
    'read, edit own'
    """
    more = {YES: "", OWN: " own", BELOW: " some"}
    pairs = zip(actions, marks, strict=True)
    return ", ".join(f"{action}{more[mark]}" for action, mark in pairs if mark in more)


def _called(data: SiteData, who: Who) -> str:
    if who.kind == "group":
        return data.groups[who.name].called
    if who.kind == "role":
        return f"role {data.roles[who.name].called}"
    return data.users[who.name].called if who.kind == "user" else who.name


class _Words:
    """Where the words of a site stand, each counted once."""

    def __init__(self, data: SiteData) -> None:
        self._data = data
        names = [each.place.name for each in data.rules]
        names += [place.name for given in data.given for place in given.within_any]
        names += [name for _, name in data.readerships_at]
        self._at = Counter([*names, *data.rights_cut_at])
        self._below: Counter[str] = Counter()
        for name, number in self._at.items():
            if name.startswith("/"):
                for above in {each for each in way_to(name) if is_above(each, name)}:
                    self._below[above] += number

    def row(self, where: str) -> Row:
        """The line of a place."""
        item = self._data.items.get(where)
        title = self._data.categories.get(where, "") if item is None else item.title
        return Row(where, title, self._at[where], self._below[where])


class _Column:
    """The marks of one who for one action."""

    def __init__(self, engine: Engine, who: Who, action: str) -> None:
        self._engine = engine
        self._who = who
        self._action = action
        self._open: dict[str | None, Sequence[int]] = {}

    def marks(self, rows: Sequence[str]) -> list[str]:
        """The mark of each place."""
        return [self._mark(where) for where in rows]

    def _mark(self, where: str) -> str:
        if self._who == EVERYONE:  # a guest, and somebody signed in: the lesser of the two
            marks = {self._mark_of(each, where) for each in (None, login_of(SIGNED_IN))}
            return next(mark for mark in (NO, SILENT_CELL, BELOW, OWN, YES) if mark in marks)
        mark = self._mark_of(login_of(self._who), where)
        return YES if mark == OWN and self._who.kind == "user" else mark

    def _mark_of(self, login: str | None, where: str) -> str:
        engine, action = self._engine, self._action
        if action == "create":
            return _creating_mark(engine, login, where)
        if where not in engine.data.items:
            return _mark_of_some(engine, login, action, where, _samples_at(engine, where, action))
        mark = _mark_of_some(engine, login, action, where, [engine.subject(where)])
        if mark in (NO, SILENT_CELL) and self._open_further_in(login, where):
            return BELOW
        return mark

    def _open_further_in(self, login: str | None, where: str) -> bool:
        """Whether somebody may do it to something below an item, or to what could be added in it,
        where they may not do it to the item itself."""
        engine, action = self._engine, self._action
        if where != "/":
            if login not in self._open:
                self._open[login] = pages_before(engine, login, action)
            start, end = engine.data.tree.within(where)
            if self._open[login][end] > self._open[login][start]:
                return True
        if action == "read":
            return False
        new = _samples_at(engine, where, action)
        mark = _mark_of_some(engine, login, action, "", new) if new else SILENT_CELL
        return mark in (YES, OWN)


def _mark_of_some(
    engine: Engine, login: str | None, action: str, where: str, samples: Sequence[Subject]
) -> str:
    if any(_may(engine, login, action, where, each) for each in samples):
        mine = login is not None and all(login in each.authors for each in samples)
        return OWN if mine and _only_own(engine, login or "", action, where, samples) else YES
    pictured = where not in engine.data.items
    could_be_theirs = login is not None and (pictured or isinstance(login, Somebody))
    if could_be_theirs and _only_own(engine, login or "", action, where, samples):
        return OWN
    return SILENT_CELL if _silent(engine, login, action, where, samples[0]) else NO


def _creating_mark(engine: Engine, login: str | None, where: str) -> str:
    if where.startswith("/"):
        return YES if any(True for _ in offers_below(engine, login, where)) else SILENT_CELL
    parents = {each.way[-2] for each in _samples_at(engine, where, "create")}
    offered = (offer for parent in parents for offer in offers_below(engine, login, parent))
    return YES if any(where in offer.categories for offer in offered) else SILENT_CELL


def _may(engine: Engine, login: str | None, action: str, where: str, about: Subject) -> bool:
    if action == "file-under":
        return engine.file(login, about, where)
    return engine.allows_of(login, action, about)


def _only_own(
    engine: Engine, login: str, action: str, where: str, samples: Sequence[Subject]
) -> bool:
    """Whether a user may do it to one of these where they wrote it, and not where they did not."""
    return any(
        _may(engine, login, action, where, each._replace(authors=frozenset({login})))
        and not _may(engine, login, action, where, each._replace(authors=each.authors - {login}))
        for each in samples
    )


def _silent(engine: Engine, login: str | None, action: str, where: str, about: Subject) -> bool:
    if action == "file-under":
        about = about._replace(categories=subject.with_above([where]))
    return engine.silent(login, action, about)


class _Samples:
    """New items of sections and categories, kept for an engine."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._known: dict[tuple[str, bool], list[Subject]] = {}

    def at(self, where: str, action: str) -> list[Subject]:
        """Those of one place."""
        key = where, action == "read"
        if key not in self._known:
            self._known[key] = _samples(self._engine, where, action)
        return self._known[key]


def _samples_at(engine: Engine, where: str, action: str) -> list[Subject]:
    """New items of a section, a category or the top of the site."""
    return engine.beside(_Samples).at(where, action)


def _samples(engine: Engine, where: str, action: str) -> list[Subject]:
    """New items of a section or a category, of the kinds that stand there already, by somebody
    else."""
    data, content = engine.data, engine.data.content
    if where.startswith("/") or where == "site":
        at = "/" if where == "site" else where
        below = (content.index.get(each) for each in data.tree.steps_below(at))
        there = {(at, content.value("kind", row)) for row in below if row is not None}
        categories: tuple[str, ...] = ()
    else:
        kinds_of, filed = content.values_of("kind"), content.values_of("categories")
        there = {
            (parent_of(path) or "/", kinds_of[row])
            for row, path in enumerate(content.names)
            if filed[row] and where in subject.with_above(filed[row])
        }
        categories = (where,)
    kinds = [k.name for k in data.all_kinds.values() if not (k.part or k.link)]
    fitting = [k for k in kinds if not categories or data.all_kinds[k].takes(where)]
    places = sorted((at, kind) for at, kind in there if kind in kinds)
    if not places and where not in data.items:
        places = [(where if where.startswith("/") else "/", (fitting or kinds)[0])]
    states = (PUBLISHED,) if action == "read" else (PUBLISHED, DRAFT)
    return [
        subject.pictured(
            data, Item("", kind, state=state, categories=categories), parent, engine.at
        )
        for parent, kind in places
        for state in states
    ]
