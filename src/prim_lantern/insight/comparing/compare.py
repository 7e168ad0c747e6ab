"""Two people side by side, or one at two moments or on two sites: what the one may and the other
may not."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from functools import cached_property
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings, Without, together
from prim_lantern.decide.engine.population import Answers
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.stewards import LOOK_AFTER, by_steward, looked_after
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.decide.views.powers import managing_spots
from prim_lantern.insight.folding import Folding, Spot, Spots
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.columns import Columns
from prim_lantern.site.content import Item
from prim_lantern.site.places import SITE
from prim_lantern.site.who import Who

_SECTIONS_ASKED: Final = 5_000  # above that, who may create what is not looked at
_ITEMS_ASKED: Final = 100_000  # above that, who may file what is there where is not looked at


class Side(NamedTuple):
    """One side of a comparison: somebody (a login, a stand-in's too, None for a guest) by what
    decides, and how they are called in it."""

    engine: Engine
    login: str | None
    called: str


class More(NamedTuple):
    """One action that one side may do and the other may not, and where: from broad to narrow.

    `side` is 0 for the first side, 1 for the other. `number` is how many items (places, parents)
    that are in all.
    """

    side: int
    action: str
    spots: Spots
    number: int

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        where = [{"place": s.where, "items": s.items, "whole": s.whole} for s in self.spots]
        return {"side": self.side, "action": self.action, "count": self.number, "where": where}


class Compared:
    """Two sides compared: `more` has what each may that the other may not, by action in the order
    of the site; `alike` by action how many items both may do it to."""

    def __init__(self, one: Side, other: Side) -> None:
        """Take the two sides."""
        self.sides = one, other

    @property
    def called(self) -> tuple[str, str]:
        """How the two sides are called."""
        return self.sides[0].called, self.sides[1].called

    @property
    def not_looked_at(self) -> tuple[str, ...]:
        """What was not looked at, as the site is too big, a sentence each; mostly nothing."""
        creating = "Who may create what is not looked at on a site of this size."
        filing = "Who may file what is there under which category is not looked at: it is too much."
        looked_at = self._looks_at_creating, self._looks_at_filing
        return tuple(e for e, done in zip((creating, filing), looked_at, strict=True) if not done)

    @property
    def _looks_at_creating(self) -> bool:
        return all(len(side.engine.data.tree) <= _SECTIONS_ASKED for side in self.sides)

    @property
    def _looks_at_filing(self) -> bool:
        return all(len(side.engine.data.content) <= _ITEMS_ASKED for side in self.sides)

    @cached_property
    def more(self) -> tuple[More, ...]:
        """What one side may and the other may not; none where they may the same."""
        found = [
            *self._of_items(),
            *self._of_filing(),
            *self._of_creating(),
            *self._of_managing(),
            *self._of_stewards(),
        ]
        return tuple(sorted(found, key=lambda each: each.side))

    def of(self, side: int) -> tuple[More, ...]:
        """What just one of the sides may."""
        return tuple(each for each in self.more if each.side == side)

    @cached_property
    def alike(self) -> Mapping[str, int]:
        """By action, to how many items both may do it."""
        both = self._allowed.items()
        return {action: int((here & there).sum()) for action, ((here, there), _) in both}

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            "sides": list(self.called),
            "more": [each.to_dict() for each in self.more],
            "alike": dict(self.alike),
            "not_looked_at": list(self.not_looked_at),
        }

    def records(self) -> Iterator[dict[str, object]]:
        """A flat record for each place of each action that only one side may."""
        for each in self.more:
            for spot in each.spots:
                yield {
                    "who": self.called[each.side],
                    "action": each.action,
                    "where": spot.where,
                    "whole_section": spot.whole,
                    "items": spot.items,
                }

    # Finding it --------------------------------------------------------------------------

    @cached_property
    def _allowed(self) -> Mapping[str, tuple[_Both, _Both]]:
        """By action on an item, and for each side: whether it may do it to its own items, and
        whether the other may, by the rows of its own."""
        actions = dict.fromkeys(a for side in self.sides for a in side.engine.data.item_actions)
        one, other = (side.engine.data.content for side in self.sides)
        there, back = _rows_in(one, other), _rows_in(other, one)
        found = {}
        for action in actions:
            if action not in NEED_MORE:
                here, then = (_may(side, action) for side in self.sides)
                found[action] = (here, _by(there, then)), (then, _by(back, here))
        return found

    def _of_items(self) -> Iterator[More]:
        known: dict[tuple[int, bytes], Spots] = {}
        for action, both in self._allowed.items():
            for side, (mine, theirs) in enumerate(both):
                apart = mine & ~theirs
                number = int(apart.sum())
                if not number:
                    continue
                key = side, np.packbits(apart).tobytes()
                if key not in known:  # mostly many actions differ at the same items
                    known[key] = Folding.of(self.sides[side].engine).of_rows(apart)
                yield More(side, action, known[key], number)

    def _of_filing(self) -> Iterator[More]:
        """Filing what both may edit."""
        if not self._looks_at_filing:
            return
        for side, (mine, theirs) in enumerate(self._allowed["edit"]):
            one, other = self.sides[side], self.sides[1 - side]
            names = one.engine.data.content.names
            rows = np.flatnonzero(mine & theirs).tolist()
            here, there = (
                each.engine.beside(Filings).under_each(each.login, (names[row] for row in rows))
                for each in (one, other)
            )
            more, found = Without(), dict[int, tuple[Sequence[str], list[int]]]()
            for row, (_, some), (_, others) in zip(rows, here, there, strict=True):
                apart = more.of(some, others)
                found.setdefault(id(apart), (apart, []))[1].append(row)
            yield from _filed(side, one.engine, found.values())

    def _of_creating(self) -> Iterator[More]:
        """Creating; in which categories, where both may create something of a kind."""
        if not self._looks_at_creating:
            return
        found = [_offered(each) for each in self.sides]
        for side in (0, 1):
            mine, theirs = found[side], found[1 - side]
            parents: dict[str, list[str]] = {}
            for (kind, parent), categories in mine.items():
                if (kind, parent) not in theirs:
                    parents.setdefault(f"create {kind}", []).append(parent)
                    continue
                for each in sorted(categories - theirs[kind, parent]):
                    what = f"create {kind} in {each}" if each else f"create {kind} unfiled"
                    parents.setdefault(what, []).append(parent)
            for action, places in parents.items():
                spots = (Spot(each, 1, whole=False, first=each) for each in sorted(places))
                yield More(side, action, Spots(spots), len(places))

    def _of_managing(self) -> Iterator[More]:
        spots = dict.fromkeys(
            spot for side in self.sides for spot in managing_spots(side.engine.data, SITE)
        )
        for action in MANAGING_ACTIONS:
            some = [SITE] if action in SITE_WIDE_ACTIONS else spots
            may = [
                {str(spot) for spot in some if s.engine.may_manage(s.login, action, spot)}
                for s in self.sides
            ]
            for side in (0, 1):
                places = sorted(may[side] - may[1 - side])
                if "site" in places:
                    places = ["site"]  # whoever may there may, else, everywhere
                if places:
                    found = (Spot(each, 1, whole=False, first=each) for each in places)
                    yield More(side, action, Spots(found), len(places))

    def _of_stewards(self) -> Iterator[More]:
        """Looking after groups; whoever may manage all people need not be a steward."""
        if any(s.engine.may_manage(s.login, "manage-people", SITE) for s in self.sides):
            return
        groups = [looked_after(by_steward(s.engine.data), _whos(s)) for s in self.sides]
        for side in (0, 1):
            more = [f"group:{each}" for each in sorted(groups[side] - groups[1 - side])]
            if more:
                spots = (Spot(each, 1, whole=False, first=each) for each in more)
                yield More(side, LOOK_AFTER, Spots(spots), len(more))


_Both = tuple[Answers, Answers]


def _filed(
    side: int, engine: Engine, some: Iterable[tuple[Sequence[str], list[int]]]
) -> Iterator[More]:
    """What can be filed, by category: `some` are categories with the rows of items."""
    for categories, rows in together(engine.data.categories, some):
        apart = np.zeros(len(engine.data.content), np.bool_)
        apart[rows] = True
        spots = Folding.of(engine).of_rows(apart)  # which they share
        for category in categories:
            yield More(side, f"file-under in {category}", spots, len(rows))


def _offered(side: Side) -> Mapping[tuple[str, str], AbstractSet[str]]:
    """By kind and parent, in which categories a side may create something: "" is for in none."""
    return {
        (offer.kind, parent): {*offer.categories, *([] if offer.needs_category else [""])}
        for parent in side.engine.data.tree.sections()
        for offer in offers_below(side.engine, side.login, parent)
    }


def _whos(side: Side) -> AbstractSet[Who]:
    belonging = side.engine.reference_for(side.login).belonging
    return belonging.whos(belonging.acting(side.login))


def _may(side: Side, action: str) -> Answers:
    """Whether a side may do something, for each row of its content."""
    if action not in side.engine.data.item_actions:
        return np.zeros(len(side.engine.data.content), np.bool_)
    return lists_of(side.engine).items_for(side.login, action)


def _rows_in(content: Columns[Item], other: Columns[Item]) -> NDArray[np.int64] | None:
    """The row in another content of each item of one (-1: none); None where all are the same."""
    if content.index is other.index:
        return None
    return np.array([other.index.get(name, -1) for name in content.names], np.int64)


def _by(rows: NDArray[np.int64] | None, answers: Answers) -> Answers:
    """Answers by the rows of another content; no for what is not there."""
    if rows is None:
        return answers
    return np.append(answers, False)[rows]  # -1 is the last
