"""Two people side by side, or one at two moments or on two sites: what the one may and the other
may not."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import cached_property
from typing import Any, Final, NamedTuple

import numpy as np
from numpy.typing import NDArray

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.population import Answers
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.decide.views.powers import managing_spots
from prim_lantern.insight.folding import Folding, Spot, Spots
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE, SITE_WIDE_ACTIONS
from prim_lantern.site.columns import Columns
from prim_lantern.site.content import Item
from prim_lantern.site.places import SITE

_SECTIONS_ASKED: Final = 5_000  # above that, who may create what is not looked at


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
    def creating_counted(self) -> bool:
        """Whether it was looked at who may create what; on very big sites it is not."""
        return all(len(side.engine.data.tree) <= _SECTIONS_ASKED for side in self.sides)

    @cached_property
    def more(self) -> tuple[More, ...]:
        """What one side may and the other may not; none where they may the same."""
        found = [*self._of_items(), *self._of_creating(), *self._of_managing()]
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

    def _of_creating(self) -> Iterator[More]:
        if not self.creating_counted:
            return
        found = [
            {
                (offer.kind, parent)
                for parent in side.engine.data.tree.sections()
                for offer in offers_below(side.engine, side.login, parent)
            }
            for side in self.sides
        ]
        kinds = dict.fromkeys(kind for side in self.sides for kind in side.engine.data.all_kinds)
        for side in (0, 1):
            for kind in kinds:
                parents = [p for k, p in found[side] - found[1 - side] if k == kind]
                if parents:
                    spots = (Spot(each, 1, whole=False, first=each) for each in sorted(parents))
                    yield More(side, f"create {kind}", Spots(spots), len(parents))

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


_Both = tuple[Answers, Answers]


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
