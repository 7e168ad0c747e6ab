"""What every check of a checkup looks at: the site at a moment, and what comes by itself later."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from functools import cached_property
from itertools import islice, pairwise, product
from typing import Any

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.touched import Touched
from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.timeline import Timeline, turns_of_words
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.commands import command_of
from prim_lantern.insight.newcomers import newcomers, with_newcomers
from prim_lantern.insight.turns import Turn, differ_at, turn_between
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import ONLY_HERE, Place, category_and_above
from prim_lantern.site.who import Who

_MANY = 2_000_000  # questions that are asked one by one
TURNS = 300  # later moments that are looked at
_SOME = 3  # items at a place that are asked about before all are
_LITTLE = 12  # people, and items, that are asked about so at the most


class Look:
    """A site at a moment, by the engine that decides then, and the later moments at which words
    begin or end."""

    def __init__(self, engine: Engine, *, each_word: bool = False) -> None:
        """Take what decides then, and whether each word is tried without the others, however many
        there are."""
        self.engine, self.each_word = engine, each_word
        self.data: SiteData = engine.data
        _ = self.data.tree, self.data.pages  # of which those of whatever is tried are derived
        self.at = engine.at
        turns = {turn for turn in turns_of_words(self.data) if turn is not None}
        self._among: dict[Who, frozenset[str]] = {}
        self._turns = sorted(turn for turn in turns if turn > self.at)

    @cached_property
    def active(self) -> list[str]:
        """The logins of all active users but the owner."""
        users, owner = self.data.users, self.data.owner
        return [each for each in users if each != owner and self.engine.acting(each) is not None]

    def among(self, whos: Iterable[Who]) -> set[str | None]:
        """The active users, and the guest (None), who are any of some whos; to whom a role is given
        depends on the item, and is left aside."""
        crowd, population, some = self.engine.crowd, lists_of(self.engine).population, list(whos)
        bits = crowd.mask(who for who in some if who.kind in ("group", "audience"))
        found: set[str | None] = set(population.logins[population.has(bits)].tolist())
        found.update(w.name for w in some if w.kind == "user" and w.name in population.numbers)
        return found | {None} if crowd[None][0] & bits else found

    def logins_among(self, who: Who) -> frozenset[str]:
        """The active users among somebody; found once."""
        found = self._among.get(who)
        if found is None:
            found = self._among[who] = frozenset(e for e in self.among([who]) if e is not None)
        return found

    @cached_property
    def members(self) -> Mapping[str, frozenset[str]]:
        """The active members of each group, the owner too."""
        crowd, owner, found = self.engine.crowd, self.data.owner, {}
        for name in self.data.groups:
            who = Who("group", name)
            is_in = owner in self.data.users and crowd[owner][0] & crowd.bits[who]
            found[name] = self.logins_among(who) | ({owner} if is_in else set())
        return found

    @cached_property
    def _later(self) -> Sequence[datetime]:
        return Timeline(self.data).turns_after(self.at)

    @cached_property
    def _engines(self) -> list[Engine]:
        """What decides now, and after each later moment at which anything changes by itself: words,
        memberships, items. None at all where these are too many."""
        if not self.looks_ahead:
            return []
        found = [self.engine]
        for turn in self._later:
            found.append(found[-1].after(self.data, turn))
        return found

    @property
    def looks_ahead(self) -> bool:
        """Whether every later moment is looked at; not where these are too many."""
        return len(self._later) <= TURNS

    def is_the_same(self, other: SiteData) -> bool:
        """Whether everybody who is there may now do the same with everything that is there by
        another site of the same people and items."""
        return not Effects(self.engine, self.engine.after(other, self.at))

    def stays_the_same(self, other: SiteData) -> bool:
        """Whether what is the same now by another site is so at every later moment. Where these are
        too many to look at, it is not taken for granted."""
        return self.looks_ahead and not any(
            differ_at(turn, engine, engine.after(other, engine.at))
            for turn, engine in zip(self._turned, self._engines[1:], strict=True)
        )

    @cached_property
    def _turned(self) -> list[Turn | None]:
        """What turned at each later moment."""
        pairs = pairwise(self._engines)
        return [turn_between(self.data, before.at, after) for before, after in pairs]

    def changes_nothing(
        self, parts: Mapping[str, Any], whos: Iterable[Who], places: Iterable[Place]
    ) -> bool:
        """Whether the site would decide the same with some parts of it as they are given: for
        everybody who is there, at everything that is there, and for anybody new among some whos,
        at anything new at some places; now and after every later turn."""
        whos, places = [*whos], [*places]
        at_once = self.engine.after(self.data.with_parts(**parts), self.at)
        if self._shows(at_once, whos, places):
            return False  # as mostly
        people = newcomers(self.data, whos)
        both = with_newcomers(self.data, people, places)
        others = dict(parts)
        if "users" in parts:
            others["users"] = self.data.with_parts(users=parts["users"]).people.revised(people)
        without = both.with_parts(**others)
        engine = self.engine.after(both, self.at)
        if Effects(engine, engine.after(without, self.at)):
            return False
        for moment in self._turns:
            then, engine = engine.at, engine.after(both, moment)
            turn = turn_between(both, then, engine)
            if differ_at(turn, engine, engine.after(without, moment)):
                return False
        return True

    def _shows(self, other: Engine, whos: Iterable[Who], places: Iterable[Place]) -> bool:
        """Whether another site answers otherwise to those of some whos about some of the items at
        some places: a look at little that mostly spares the look at all."""
        actions = [each for each in self.data.item_actions if each not in NEED_MORE]
        people = dict.fromkeys(login_of(who) for who in whos if who.kind != "role")
        paths = dict.fromkeys(path for where in places for path in self._some_at(where))
        some = islice(people, _LITTLE), actions, islice(paths, _LITTLE)
        return any(self.engine.allows(*asked) != other.allows(*asked) for asked in product(*some))

    def _some_at(self, where: Place) -> Iterable[str]:
        """A few of the items at a place, and below it."""
        tree = self.data.tree
        if where.kind == "category":
            return self._filed.get(where.name, ())
        top = where.name if where.kind == "path" else "/"
        at = [top] if top in self.data.content.index else []
        below = tree.below(top) if where.reach != ONLY_HERE else ()
        return (*at, *islice(below, _SOME))

    @cached_property
    def _filed(self) -> Mapping[str, Sequence[str]]:
        """A few of the items under each category and what is above it."""
        found: dict[str, list[str]] = {}
        content = self.data.content
        for path, filed in zip(content.names, content.values_of("categories"), strict=True):
            for each in filed:
                for category in category_and_above(each):
                    some = found.setdefault(category, [])
                    if len(some) < _SOME:
                        some.append(path)
        return found

    def files_otherwise(self, without: SiteData) -> bool:
        """Whether somebody may file something that is there otherwise in another site of the same
        people and items, now or later: it is no action on an item alone, and so no part of the
        effects. Where that would be too much to ask, it is taken to be so."""
        touched = Touched(self.engine, self.engine.after(without, self.at), ()).actions
        if touched is not None and "file-under" not in touched:
            return False
        for engine in self._engines or [self.engine]:
            again = engine.after(without, engine.at)
            pairs = list(self._to_file(engine, again))
            if len(pairs) * len(self.data.categories) > _MANY:
                return True
            both = engine.beside(Filings), again.beside(Filings)
            if any(both[0].under(*each) != both[1].under(*each) for each in pairs):
                return True
        return False

    def _to_file(self, engine: Engine, again: Engine) -> Iterator[tuple[str | None, str]]:
        """Who is asked about which item: one of those whom nothing tells apart, of each."""
        people = {
            tuple(each.crowd[login][0] for each in (engine, again)): login
            for login in (None, *self.active)
        }
        paths = {
            tuple(each.situation_of(path) for each in (engine, again)): path
            for path in self.data.items
        }
        yield from product(people.values(), paths.values())
        for login in self.active:
            yield from ((login, path) for path in engine.crowd.handiwork.of(login))

    def tried(self, *fixes: Operation) -> tuple[str, ...]:
        """The commands of those operations that can be made."""
        found = []
        for fix in fixes:
            proposal = Proposal(self.data, Made(self.data.owner, self.at))
            try:
                proposal.do(fix)
            except PrimLanternError:
                continue
            found.append(command_of(fix))
        return tuple(found)


def written(origins: Iterable[Origin | None]) -> tuple[str, ...]:
    """Where things stand, each place once."""
    return tuple(dict.fromkeys(str(each) for each in origins if each is not None))
