"""What whoever makes a change lacks of all that it could open: looked at before anybody else.

Few words speak of one person, so that this is quick; and where they hold all that words that
differ can speak of, nobody can gain what they lack.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from itertools import islice
from typing import Final

from prim_lantern.change.gate.differing import Differing, Scope
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import Stretch
from prim_lantern.change.gate.pictures import READING, Picture, Pictures, Way
from prim_lantern.change.gate.spots import Lanes, Spot, spots
from prim_lantern.change.gate.spread import Answers, Spread
from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE
from prim_lantern.site.places import ONLY_BELOW, ONLY_HERE, Place, is_above
from prim_lantern.site.who import Who

CREATE: Final = Asked("create", any_state=True)
FILE: Final = Asked("file-under", reading=False)
_SHOWN: Final = 60


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

    def lacking(self) -> dict[str, list[Spot]]:
        """The actions that they lack somewhere that words that differ can speak of, with some
        items at which they do."""
        if self._has_all and self._nothing_is_final():
            return {}
        data, found = self.stretch.after.data, dict[str, list[Spot]]()
        reading = self._pictures.of("read")
        for action in ("read", *(each for each in data.item_actions if each != "read")):
            about, picture = (action, *READING), self._pictures.of(action)
            if action in NEED_MORE or not self.scope.concerns(about):
                continue
            first = self.differing.read_first(self.stretch, action)
            if self._has_all and action != "read" and picture.words == reading.words:
                # nothing but what has no exceptions keeps them out, from all alike
                found[action] = [] if first else found["read"]
            else:
                lanes = self._reach([Asked(action)], about, reading=first)
                found[action] = list(islice(self._lacks(lanes, picture), _SHOWN))
        creating = ("create", "file-under", *READING)
        if self.scope.concerns(creating):
            both = self._pictures.of("create", "file-under")
            lanes = self._reach([CREATE, FILE], creating, anywhere=True)
            found["create"] = list(islice(self._lacks(lanes, both), 1))
            lanes = self._reach([FILE], creating, anywhere=True)
            filing = found.get("read") or list(islice(self._lacks(lanes, both), 1))
            found["file-under"] = filing
        return {action: some for action, some in found.items() if some}

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

    def _reach(
        self,
        asked: Sequence[Asked],
        about: Sequence[str],
        *,
        anywhere: bool = False,
        reading: bool = False,
    ) -> _Reach:
        """The answers to them, be an item their own or not; `anywhere` takes all items as
        touched, and `reading` looks only at what they may read."""
        alternatives = [
            [
                [spread.asked(each._replace(author=own)) for each in asked]
                for spread in self._spreads
            ]
            for own in (False, True)
        ]
        reads = [
            [spread.asked(Asked("read", author=own)) for spread in self._spreads if reading]
            for own in (False, True)
        ]
        return _Reach(alternatives, reads, None if anywhere else self.scope, about)

    def _lacks(self, lanes: _Reach, picture: Picture) -> Iterator[Spot]:
        """The items that are touched at which they lack one of what is asked."""
        for sort in picture.sorts:
            yield from spots(lanes, picture.ways(sort), picture)


class _Reach(Lanes):
    """The answers to whoever makes a change, where what differs can speak of an item."""

    def __init__(
        self,
        alternatives: Sequence[Sequence[Sequence[Answers]]],
        reads: Sequence[Sequence[Answers]],
        scope: Scope | None,
        about: Sequence[str],
    ) -> None:
        """Take the answers for what is another's and for their own, each on one site or two, each
        for all that is asked; those about reading, if only what they may read counts; the scope
        (None: any item is touched) and what it is about."""
        every = [answers for some in alternatives for one in some for answers in one]
        every += [answers for some in reads for answers in some]
        alone = frozenset(id(each) for each in every if each.plan.asked.action == FILE.action)
        super().__init__((), (), every, alone, self._holds)
        self._alternatives = alternatives
        self._reads = reads
        self._scope = scope
        self._about = about

    def _holds(self, spot: Spot) -> bool:
        """Whether they may do it all to an item, be it theirs or not; or may not read it."""
        return all(
            any(_yes(one, spot) for one in some)
            or (bool(reads) and not any(_yes([one], spot) for one in reads))
            for some, reads in zip(self._alternatives, self._reads, strict=True)
        )

    def way_moved(self, way: Way) -> bool:
        return self._scope is None or self._scope.way(way.about, self._about)

    def filed_moved(self, way: Way, filing: Iterable[str]) -> bool:
        return self._scope is None or self._scope.filed(way.about, filing, self._about)

    def spot_moved(self, about: Subject) -> bool:  # noqa: ARG002 - any may be touched
        return True


def _yes(asked: Sequence[Answers], spot: Spot) -> bool:
    return all(
        bool(each.each_alone(spot.about, spot.categories)[0])
        if each.plan.asked.action == FILE.action
        else bool(each.yes(spot.about)[0])
        for each in asked
    )


def _bits(engine: Engine, whos: Iterable[Who]) -> int:
    found = 0
    for who in whos:
        found |= engine.crowd.bits.get(who, 0)
    return found
