"""The page of who may do what where."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Final, NamedTuple

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.rights import Allow, Deny
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.grid import (
    ACTIONS,
    BELOW,
    NO,
    OWN,
    SILENT_CELL,
    YES,
    grid_of,
    heading,
    said_of,
)
from prim_lantern.errors import PrimLanternError
from prim_lantern.formats.workbook import Column, Sheet
from prim_lantern.insight.wishes.suggest import Suggestion, suggest
from prim_lantern.insight.wishes.wish import Wish, paths_of
from prim_lantern.sheets.making import Making, Row, bare, inherited, names_in
from prim_lantern.sheets.where_page import title_of
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded, nearest
from prim_lantern.site.places import SITE, is_above, place
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who
from prim_lantern.site.who import who as read_who
from prim_lantern.values import replace

_OWN: Final = " own"
_SOME: Final = " some"
_NOTHING: Final = "nothing"
_CHOICES: Final = ("read", "read, edit own", "read, edit", "read, edit, publish", _NOTHING)
_SOME_ITEMS: Final = 300  # that are asked about, of those elsewhere
_ONLY_READING: Final = ("read", _NOTHING)
_FEW: Final = ("where", "title")
_WANTED: Final = {True: (YES,), False: (NO, SILENT_CELL, BELOW)}
_ABOUT = (
    "What may they do at each place and below? read, edit, publish; own: only what they wrote; "
    "some: not here, but further in; an empty cell: nothing. Whoever may edit or publish reads.",
    "In brackets: it comes from elsewhere; no word for them stands right here. A cell that you "
    "change holds for the place and all below it, but for what has a row or a word of its own.",
)


class GridPage:
    """Places down, kinds of people across."""

    name = "Grid"

    def __init__(self, areas: Sequence[str], whos: Sequence[str], note: str = "") -> None:
        """Take the paths and the whos that are shown, and a line that says more of it."""
        self._rows = ("site", *areas)
        self._whos = tuple(whos)
        self._about = (*_ABOUT, note) if note else _ABOUT

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""
        data = engine.data
        whos = [read_who(each) for each in self._whos]
        grid = grid_of(engine, whos, self._rows, ACTIONS)
        standing = {each: _words_at(data, each) for each in self._rows}
        columns = (
            Column("where", "Place"),
            Column("title", "Title"),
            *(
                Column(
                    str(who),
                    heading(str(who), called),
                    _ONLY_READING if who == GUESTS else _CHOICES,
                )
                for who, called in zip(whos, grid.called, strict=True)
            ),
        )
        rows = tuple(
            (
                row.where,
                _title(data, row.where),
                *(_cell(marks[at], who, standing[row.where]) for at, who in enumerate(whos)),
            )
            for row, marks in zip(grid.rows, grid.marks, strict=True)
        )
        return Sheet(self.name, self._about, columns, rows, fixed=2)

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What a cell says that was not there; nothing where it speaks of nobody that is known."""
        if column in _FEW:
            return _title(engine.data, row) if column == "title" else row
        try:
            who = read_who(column)
            known = who.kind != "group" or who.name in engine.data.groups
            if not known or not (row == "site" or engine.data.tree.holds(row)):
                return ""
            (marks,) = grid_of(engine, [who], [row], ACTIONS).marks
        except PrimLanternError:
            return ""
        return _cell(marks[0], who, _words_at(engine.data, row))

    def make(self, making: Making, rows: list[Row]) -> None:
        """What the cells ask for, from the broad to the narrow."""
        every = {*self._rows, *(each.name for each in rows)}
        for row in sorted(rows, key=lambda each: (each.name != "site", each.name.count("/"))):
            if "title" in row.after:
                said = "is written on the page Where; change it there."
                making.problem(row.spot("title"), row.after["title"], said)
            for column in row.after:
                if column not in _FEW:
                    making.progress()
                    asked = _asked(making, row, column, every)
                    if asked is not None:
                        _Asking(making, asked).make()


class _Asked(NamedTuple):
    """What a cell asks for: to gain and to lose some actions, at and below a place."""

    spot: str
    who: Who
    where: str
    gain: tuple[str, ...]
    lose: tuple[str, ...]
    own: tuple[str, ...]
    aside: tuple[str, ...]


def _asked(making: Making, row: Row, column: str, every: set[str]) -> _Asked | None:
    """What a cell asks for; None, and noted, where it cannot be understood."""
    data, spot, text = making.data, row.spot(column), row.after[column]
    try:
        who = read_who(column)
        place(row.name)
        if who.kind == "group" and who.name not in data.groups:
            near = tuple(f"group:{each}" for each in nearest(who.name, data.groups))
            making.problem(spot, column, "is no group; write it on the page Who as well.", near)
            return None
        if row.name != "site" and not data.tree.holds(row.name):
            said = "is not there; write it on the page Where as well."
            making.problem(spot, row.name, said, tuple(nearest(row.name, data.sections)))
            return None
    except PrimLanternError as error:
        making.problem(spot, column, f"cannot be understood: {error}")
        return None
    before, after = _said(row.before.get(column, "")), _said(text)
    known = {*ACTIONS, *(f"{each}{_OWN}" for each in ACTIONS)}
    for each in after:
        if each not in known and each not in before:
            said = "says nothing here: write read, edit, publish, with “own” or without."
            making.problem(spot, each, said, tuple(nearest(each, known)))
            return None
    unseen = column in row.unseen and after  # nobody takes away what they did not see
    gone = [each for each in before if each not in after and not unseen]
    if {"edit", "publish"} & set(after) and "read" in gone:
        gone.remove("read")  # whoever may do more reads in any case
    new = [each for each in after if each not in before]
    for each in gone:
        if each.endswith(_SOME) and each.removesuffix(_SOME) not in after:
            said = "is further in: give the places there a row of their own, and say it there."
            making.problem(spot, each, said)
            return None
    return _Asked(
        spot,
        who,
        row.name,
        tuple(each for each in ACTIONS if each in new),
        tuple(e for e in ACTIONS if e in gone or (f"{e}{_OWN}" in gone and e not in after)),
        tuple(each for each in ACTIONS if f"{each}{_OWN}" in new),
        _aside(data, row.name, every),
    )


def _aside(data: SiteData, where: str, rows: set[str]) -> tuple[str, ...]:
    """The places below that have a row, or words, of their own."""
    standing = {each.place.name for each in data.rules}
    standing |= {spot.name for given in data.given for spot in given.within_any}
    standing |= {name for _, name in data.readerships_at} | set(data.rights_cut_at)
    every = (each for each in {*rows, *standing} if each.startswith("/") and each != where)
    return tuple(sorted(each for each in every if where == "site" or is_above(where, each)))


class _Asking:
    """Finding the least that makes a cell true."""

    def __init__(self, making: Making, asked: _Asked) -> None:
        self._making = making
        self._asked = asked

    def make(self) -> None:
        """Add what the cell comes to; noted where nothing does it."""
        making, asked = self._making, self._asked
        asks = [(each, True) for each in asked.gain] + [(each, False) for each in asked.lose]
        engine, found, says = making.engine, list[Operation](), list[str]()
        least = len(asks) == 1
        for action, may in asks:
            if self._holds(engine, action, *_WANTED[may]):
                continue
            best = self._best(engine, action, may=may)
            after = making.tried((*found, *best[0])) if best is not None else None
            if best is None or after is None:
                return
            found += best[0]
            least, engine = least and best[1], after
            says.append(self._says(action, may=may))
        found = self._needed(found, asks)
        for action in asked.own:
            if not self._holds(engine, action, OWN, YES):
                found.append(Allow((action,), (str(asked.who),), asked.where, whose="own"))
                says.append(f"{self._says(action, may=True)} what they wrote")
                least = False
        making.do(asked.spot, *_joined(found), says="; ".join(says), least=least)

    def _needed(
        self, operations: list[Operation], asks: Sequence[tuple[str, bool]]
    ) -> list[Operation]:
        """Without those that what came after them gives as well."""
        for each in operations[:-1]:
            rest = [other for other in operations if other is not each]
            after = self._making.tried(tuple(rest))
            if after is not None and all(
                self._holds(after, action, *_WANTED[may]) for action, may in asks
            ):
                operations = rest
        return operations

    def _best(
        self, engine: Engine, action: str, *, may: bool
    ) -> tuple[tuple[Operation, ...], bool] | None:
        """The operations that do it, and whether no others do less; None, and noted, where nothing
        does."""
        making, asked = self._making, self._asked
        wish = self._wish(action, may=may)
        in_the_way: tuple[str, ...] = ()
        if paths_of(engine.data, wish):
            found = suggest(engine, [wish])
            in_the_way = found.in_the_way
            enough = [
                (self._elsewhere(engine, each), number, each.operations)
                for number, each in enumerate(found.options)
                if self._enough(engine, each.operations, action, may=may)
            ]
            if enough:  # a cell is about its place: what does less elsewhere goes before
                _, number, operations = min(enough, key=lambda each: each[:2])
                return operations, found.least and number == 0
        word = Allow if may else Deny  # where nothing is there to try it on: for what comes
        plain = word((action,), (str(asked.who),), asked.where)
        if self._enough(engine, (plain,), action, may=may):
            return (plain,), False
        reasons = " ".join(in_the_way) or "something that stands nearer, or has no exceptions."
        said = f"cannot be made true: {self._says(action, may=may)}. In the way: {reasons}"
        making.problem(asked.spot, None, said)
        return None

    def _elsewhere(self, engine: Engine, option: Suggestion) -> int:
        """How much something does that is not at the place or below: to people who are there, and
        to whoever will be among those whom the cell is about."""
        where, login = self._asked.where, self._pictured
        if where == "site":
            return 0
        after = option.effects.after
        paths = [each for each in engine.data.tree if each != where and not is_above(where, each)]
        some = paths[:: len(paths) // _SOME_ITEMS + 1]
        real = sum(
            each.gained + each.lost + abs(each.guests)
            for each in option.effects.changed
            if each.where != where and not is_above(where, each.where)
        )
        return real + sum(
            engine.allows(login, action, path) != after.allows(login, action, path)
            for path in some
            for action in ACTIONS
        )

    @property
    def _pictured(self) -> str | None:
        who = self._asked.who
        return None if who == GUESTS else login_of(SIGNED_IN if who == EVERYONE else who)

    def _enough(
        self, engine: Engine, operations: Sequence[Operation], action: str, *, may: bool
    ) -> bool:
        after = self._making.tried(tuple(operations), engine.data)
        return after is not None and self._holds(after, action, *_WANTED[may])

    def _wish(self, action: str, *, may: bool) -> Wish:
        asked = self._asked
        where = SITE if asked.where == "site" else place(asked.where)
        return Wish(
            asked.who, action, where, may, asked.where != "/", aside=asked.aside, in_general=True
        )

    def _holds(self, engine: Engine, action: str, *marks: str) -> bool:
        """Whether the cell would have one of some marks for an action."""
        asked = self._asked
        ((found,),) = grid_of(engine, [asked.who], [asked.where], (action,)).marks
        return found[0] in marks

    def _says(self, action: str, *, may: bool) -> str:
        data, asked = self._making.data, self._asked
        who = words.who(data, asked.who)
        verb = "may" if may else "may not"
        where = "everywhere" if asked.where == "site" else words.where(place(asked.where))
        return f"{who[:1].upper()}{who[1:]} {verb} {action} {where}"


def _joined(operations: Sequence[Operation]) -> list[Operation]:
    """With one rule in the place of several that say the same of different actions."""
    found: list[Operation] = []
    for each in operations:
        last = found[-1] if found else None
        if isinstance(each, Allow) and isinstance(last, Allow):
            both = (*last.actions, *each.actions)
            if replace(last, actions=both) == replace(each, actions=both):
                found[-1] = replace(last, actions=tuple(dict.fromkeys(both)))
                continue
        found.append(each)
    return found


def _said(text: str) -> list[str]:
    """The words of a cell."""
    found = [" ".join(folded(each).split()) for each in names_in(bare(text))]
    return [each for each in dict.fromkeys(found) if each != _NOTHING]


def _cell(marks: Sequence[str], who: Who, standing: frozenset[Who] | None) -> str:
    """What a cell says; `standing` are those for whom words stand right there, None for all."""
    text = said_of(ACTIONS, marks)
    own = standing is None or who in standing or EVERYONE in standing
    return text if own else inherited(text)


def _words_at(data: SiteData, where: str) -> frozenset[Who] | None:
    """Those for whom a rule or a given role stands at a place; None where a readership stands
    there, which is for all."""
    spot = place(where).spot
    standing = data.readerships_at.get(spot)
    if where == "site" or (standing is not None and standing.readership is not None):
        return None
    found = [who for rule in data.rules if rule.place.spot == spot for who in rule.to]
    found += [
        who
        for given in data.given
        if any(each.spot == spot for each in given.within_any)
        for who in given.to
    ]
    return frozenset(found)


def _title(data: SiteData, where: str) -> str:
    return "everything, and what is new at the top" if where == "site" else title_of(data, where)
