"""What whoever makes a change lacks of all that it could open: looked at before anybody else.

Few words speak of one person, so that this is quick; and where they hold all that words that
differ can speak of, nobody can gain what they lack.
"""

from __future__ import annotations

from collections.abc import Hashable, Iterable, Iterator, Sequence
from functools import cached_property, partial
from typing import Final

from prim_lantern.change.gate.differing import Differing, Scope
from prim_lantern.change.gate.finding import find
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import Stretch
from prim_lantern.change.gate.pictures import READING, Picture, Pictures, Way
from prim_lantern.change.gate.spots import EACH, Asks, Lane, Question, any_of
from prim_lantern.change.gate.spread import Bools, Spread
from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.asked import Asked
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, Place, is_above
from prim_lantern.site.who import Who

CREATE: Final = Asked("create", any_state=True)
FILE: Final = Asked("file-under", reading=False)


class Shortfall:
    """One look at one time."""

    def __init__(
        self, judged: Judged, differing: Differing, stretch: Stretch, within: Sequence[str] | None
    ) -> None:
        self.stretch = stretch
        self.differing = differing
        self.scope = Scope(differing, stretch)
        self._engines = [each for each in (stretch.before, stretch.then) if each is not None]
        self._spreads = [
            Spread(engine, [engine.crowd.mask_if_active(judged.by, engine.at)])
            for engine in self._engines
            if judged.by in engine.data.users
        ]
        self._within = within
        self._pictures = self._told_apart()
        self._nothing = set[Hashable]()

    # Words that count -------------------------------------------------------------------------

    def _told_apart(self) -> Pictures:
        """What words about them tell apart, and those that differ; what has no exceptions alone,
        where they have all access to everything that these can speak of."""
        engines = [*self._engines, self.stretch.after]
        masks = [spread.masks[0] for spread in self._spreads]
        masks += [0] * (len(engines) - len(masks))
        self._has_all = any(self._may_do_all(each) for each in self._spreads)
        if self._has_all:
            self.scope.everything = True
            return Pictures(engines, masks, self._within, final=True)
        whos = {who for clause in self.scope.clauses for who in self._named(clause)}
        bits = [mask | _bits(engine, whos) for engine, mask in zip(engines, masks, strict=True)]
        return Pictures(engines, bits, self._within)

    def _named(self, clause: Clause) -> Iterator[Who]:
        if clause.who.kind != "role":
            yield clause.who
        for engine in (self.stretch.before, self.stretch.after):
            for access in engine.rights.holders.get(clause.who.name, ()):
                yield from access.given.to

    def _may_do_all(self, spread: Spread) -> bool:
        """Whether they have all access, by one given role, to all that can be touched."""
        engine, mask = spread.engine, spread.masks[0]
        return any(
            engine.crowd.mask(access.given.to) & mask and self._holds_all(access.place)
            for some in engine.rights.all_access.values()
            for access in some
        )

    def _holds_all(self, where: Place) -> bool:
        if where.kind == "site":
            return True
        if where.kind == "category" or where.reach in (ONLY_HERE, ONLY_BELOW):
            return False
        return self._within is not None and all(
            where.name == path or is_above(where.name, path) for path in self._within
        )

    # What is lacking --------------------------------------------------------------------------

    def lacking(self, *, at_a_glance: bool = False) -> frozenset[str]:
        """The actions that they lack somewhere that words that differ can speak of; `at_a_glance`,
        only at the first sort of item of each state."""
        lacks = partial(self._lacks, at_a_glance=at_a_glance)
        if self._has_all and self._nothing_is_final():
            return frozenset()
        data, found = self.stretch.after.data, set[str]()
        reading = self._pictures.of("read")
        for action in ("read", *(each for each in data.item_actions if each != "read")):
            about, picture = (action, *READING), self._pictures.of(action)
            if action in NEED_MORE or not self.scope.concerns(about):
                continue
            first = self.differing.read_first(self.stretch, action)
            if self._has_all and action != "read" and picture.words == reading.words:
                # nothing but what has no exceptions keeps them out, from all alike
                lacked = not first and "read" in found
            else:
                lacked = lacks(_of_items(action), about, picture, read_first=first)
            if lacked:
                found.add(action)
        creating = ("create", "file-under", *READING)
        if self.scope.concerns(creating):
            both = self._pictures.of("create", "file-under")
            if lacks(_creating, None, both):
                found.add("create")
            if "read" in found or lacks(_filing, None, both):
                found.add("file-under")
        return frozenset(found)

    def _nothing_is_final(self) -> bool:
        """Whether nothing without exceptions can keep them from anything that is touched, nor a
        page above from its parts."""
        data = self.stretch.before.data
        return (
            not self._pictures.words
            and not self._pictures.settings
            and not any(each.rights.default.no_exceptions for each in self._engines)
            and all(data.is_page(path) for path in self._within or ())
        )

    @cached_property
    def managing(self) -> frozenset[str]:
        """The actions of managing about which words differ."""
        managing = self.differing.actions(self.stretch.before, self.stretch.after)
        every = frozenset(MANAGING_ACTIONS)
        return every if managing is None else managing & every

    def _lacks(
        self,
        asks: Asks,
        about: Sequence[str] | None,
        picture: Picture,
        *,
        at_a_glance: bool,
        read_first: bool = False,
    ) -> bool:
        """Whether there is an item at which they lack what is asked, be it their own or not, where
        something that differs can be about some actions (None: any item counts); with
        `read_first`, one that they may read; `at_a_glance`, only at the first
        sort of item of each state."""
        lanes = list[Lane]()

        def both(some: Sequence[Lane]) -> range:
            lanes.extend(some)
            return range(len(lanes) - len(some), len(lanes))

        whose = (False, True)
        does = [[both(asks(each, own)) for each in self._spreads] for own in whose]
        reads = [
            [both(_of_items("read")(each, own)) for each in self._spreads if read_first]
            for own in whose
        ]

        def lacked(values: Sequence[Bools], touched: Bools) -> Bools:
            holds = [
                any_of(values, some) | (~any_of(values, to_read) if to_read else False)
                for some, to_read in zip(does, reads, strict=True)
            ]
            return touched & ~(holds[0] & holds[1])

        def by_way(way: Way) -> bool:
            return about is None or self.scope.way(way.about, about)

        def by_filing(way: Way, filing: Sequence[str]) -> bool:
            return about is not None and self.scope.filed(way.about, filing, about)

        layout = tuple((*some, *to_read) for some, to_read in zip(does, reads, strict=True))
        question = Question(
            lanes, (lacked,), way_touched=by_way, filed_touched=by_filing, layout=layout
        )
        nothing = self._nothing if question.whole else None  # else it matters what is touched
        return any(
            True
            for filed in (False, True)
            for sort in (picture.first_sorts if at_a_glance else picture.sorts)
            for _ in find(question, picture.ways(sort), picture, filed=filed, nothing=nothing)
        )


def _of_items(action: str) -> Asks:
    return lambda spread, own: [Lane(spread.asked(Asked(action, author=own)))]


def _creating(spread: Spread, own: bool) -> list[Lane]:
    return [Lane(spread.asked(CREATE._replace(author=own))), *_filing(spread, own)]


def _filing(spread: Spread, own: bool) -> list[Lane]:
    return [Lane(spread.asked(FILE._replace(author=own)), EACH)]


def _bits(engine: Engine, whos: Iterable[Who]) -> int:
    found = 0
    for who in whos:
        found |= engine.crowd.bits.get(who, 0)
    return found
