"""What is near some words: those of whom they speak, what they hold, and what else is said to these
there. One of each sort is enough to see whether the words decide anything, on a site of any size.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from collections.abc import Set as AbstractSet
from datetime import datetime
from functools import cached_property, reduce
from operator import or_
from typing import NamedTuple

import numpy as np

from prim_lantern.change.effects.creating_and_managing import FOR_CREATING
from prim_lantern.decide.belonging import upper_groups
from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.people import ANYBODY, AUDIENCES
from prim_lantern.decide.engine.population import Numbers
from prim_lantern.decide.subject import with_above
from prim_lantern.decide.timeline import timed_people
from prim_lantern.insight.cut_out import cut_out
from prim_lantern.site.content import CategorySet
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import SITE, Place, category_and_above
from prim_lantern.site.rights import Given, PlaceSetting, Rule
from prim_lantern.site.who import GUESTS, Who
from prim_lantern.values import replace

_Word = Rule | Given
Spot = tuple[str, str]


class Near(NamedTuple):
    """Some people, items and categories, and the numbers of the words that say nothing to any of
    the people."""

    paths: Sequence[str]
    logins: Sequence[str]
    categories: AbstractSet[str]
    beside: frozenset[int]

    def of(self, data: SiteData) -> SiteData:
        """The same of a site that differs in words alone, or in groups of some of these people:
        nothing is decided otherwise for these people and items."""
        found = cut_out(data, self.paths, self.logins, self.categories)
        logins = set(found.users)
        groups = {
            name: replace(group, members=tuple(filter(logins.__contains__, group.members)))
            if group.members
            else group
            for name, group in data.groups.items()
        }
        sets = {
            name: replace(each, categories=self._kept(each))
            for name, each in data.category_sets.items()
        }
        return found.with_parts(
            category_sets=sets,
            users=found.people,
            items=found.content,
            rules=tuple(each for each in found.rules if id(each) not in self.beside),
            given=tuple(each for each in found.given if id(each) not in self.beside),
            groups=groups,
        )

    def _kept(self, some: CategorySet) -> dict[str, str]:
        keys = some.categories.items()
        return {key: label for key, label in keys if f"{some.name}:{key}" in self.categories}


class Spoken(NamedTuple):
    """Of whom something speaks: the bits of groups and audiences, people by name, and whether of
    whoever holds a role."""

    bits: int
    logins: frozenset[str]
    by_role: bool

    def speaks_to(self, heard: int, logins: AbstractSet[str]) -> bool:
        """Whether it may speak to any of some people, who have some bits together."""
        return self.bits & heard != 0 or self.by_role or not self.logins.isdisjoint(logins)


class Said(NamedTuple):
    """A word, of whom it speaks, where it stands, which kinds and states it names, and whether it
    lets anybody create anything."""

    word: _Word
    spoken: Spoken
    spots: AbstractSet[Spot]
    kinds: frozenset[str]
    states: frozenset[str]
    creates: bool


class Nearby:
    """Finds what is near words of one site."""

    def __init__(self, engine: Engine, like: Nearby | None = None) -> None:
        """Take the engine of a site; `like` is the same of one that has the same people and items,
        of which what is known of these is taken over."""
        engine.settle_all()
        self.engine, self.data = engine, engine.data
        if like is not None and all(
            getattr(self.data, each) is getattr(like.data, each)
            for each in ("users", "items", "groups", "plans", "kinds")
        ):
            for each in ("ever", "turning", "_by_bit", "_filed", "timed"):
                if each in like.__dict__:
                    self.__dict__[each] = like.__dict__[each]

    @staticmethod
    def filed_there(
        near: Iterable[Said], places: Iterable[Place], actions: Collection[str]
    ) -> Iterator[Place]:
        """Where something may stand that comes to be held by some places as it is filed in a
        category: anything, where they say who may file what is there; else what is new, where
        somebody may create anything so."""
        filed = [each.name for each in places if each.kind == "category"]
        if not filed or FOR_CREATING.isdisjoint(actions):
            return
        if "file-under" in actions:
            yield SITE
            return
        for said in near:
            for each in places_of(said.word) if said.creates else ():
                if each.kind != "category":
                    yield each
                elif any(_related(each.name, name) for name in filed):
                    yield SITE

    # Words ------------------------------------------------------------------------------

    @cached_property
    def words(self) -> list[Said]:
        """All words, each with what it says to whom where."""
        data, found = self.data, list[Said]()
        words: list[_Word] = [*data.rules, *data.given]
        for word in words:
            spoken = self.spoken_of(word.to)
            clauses = [*clauses_of(data, word)]
            kinds = frozenset(kind for each in clauses for kind in each.kinds or ())
            states = frozenset(state for each in clauses for state in each.states or ())
            creates = any(each.allow and "create" in each.actions for each in clauses)
            creates = creates or (isinstance(word, Given) and data.roles[word.role].all_access)
            spots = {each.spot for each in places_of(word)}
            found.append(Said(word, spoken, spots, kinds, states, creates))
        return found

    @cached_property
    def readers(self) -> Mapping[Spot, Spoken]:
        """Of whom the readerships speak that stand anywhere, by place."""
        data = self.data
        names = {spot: each.readership for spot, each in data.readerships_at.items()}
        found = {}
        for spot, name in (*names.items(), (SITE.spot, data.default_readership)):
            each = data.readership(name or "")
            found[spot] = self.spoken_of((*each.readers, *each.all_of, *each.but_not))
        return found

    def spoken_of(self, whos: Iterable[Who]) -> Spoken:
        """Of whom something speaks that names some whos."""
        bits, logins, by_role = 0, set[str](), False
        for who in whos:
            if who.kind == "user":
                logins.add(who.name)
            elif who.kind == "role":
                by_role = True
            else:
                bits |= self.engine.crowd.bits.get(who, 0)  # there is none for authors
        return Spoken(bits, frozenset(logins), by_role)

    # People -----------------------------------------------------------------------------

    @cached_property
    def ever(self) -> Mapping[str, int]:
        """By the login of each active user but the owner, the bits of all that they are now or at
        any later moment."""
        crowd, data, found = self.engine.crowd, self.data, dict[str, int]()
        for login, status in zip(data.people.names, data.people.values_of("status"), strict=True):
            if status == ACTIVE and login != data.owner:
                found[login] = crowd[login][0]
                if login in self.turning:
                    found[login] = reduce(or_, self.masks_of(login))
        return found

    def wrote(self, login: str, row: int) -> bool:
        """Whether somebody is an author of the item of a row."""
        return login in self.engine.authors(self.data.content.names[row])

    def masks_of(self, login: str) -> set[int]:
        """The bits of all that somebody is, at each moment from now on."""
        crowd = self.engine.crowd
        later = {crowd.mask_if_active(login, turn) for turn in self.turning.get(login, ())}
        return {crowd[login][0], *later}

    @cached_property
    def turning(self) -> Mapping[str, Sequence[datetime]]:
        """The later moments at which somebody comes into a group or leaves it, by login."""
        names, crowd, found = self.data.people.names, self.engine.crowd, {}
        for row in timed_people(self.data):
            turns = [each for each in crowd.turns_of(names[row]) if each > self.engine.at]
            if turns:
                found[names[row]] = turns
        return found

    @cached_property
    def _by_bit(self) -> Mapping[int, Sequence[str]]:
        """Who is ever in which group, by its bit."""
        found: dict[int, list[str]] = {}
        for login, mask in self.ever.items():
            rest = mask & ~AUDIENCES
            while rest:
                lowest = rest & -rest
                found.setdefault(lowest, []).append(login)
                rest ^= lowest
        return found

    def people(self, whos: Iterable[Who]) -> set[str]:
        """The active users among some whos, now or later."""
        found = set[str]()
        for who in whos:
            if who.kind == "user":
                found.update({who.name} & self.ever.keys())
            elif who.kind == "group":
                found.update(self._by_bit.get(self.engine.crowd.bits[who], ()))
            elif who.kind == "role":
                found |= self.people(
                    to for e in self.data.given if e.role == who.name for to in e.to
                )
            elif who != GUESTS:
                found.update(self.ever)
        return found

    def groups_with(self, bits: int) -> list[Who]:
        """The groups that have some bits."""
        crowd = self.engine.crowd.bits
        groups = (Who("group", name) for name in self.data.groups)
        return [each for each in groups if crowd[each] & bits]

    def masks_of_new(self, whos: Iterable[Who]) -> Iterator[int]:
        """The bits of somebody new in each group among some whos."""
        for who in whos:
            if who.kind == "group":
                groups = (Who("group", name) for name in upper_groups(self.data, who.name))
                yield ANYBODY | self.engine.crowd.mask(groups)

    # Items ------------------------------------------------------------------------------

    def held(self, places: Iterable[Place]) -> Numbers:
        """The rows of all that some places hold, or more."""
        size, tree = len(self.data.content), self.data.tree
        found = np.zeros(size, dtype=np.bool_)
        for place in places:
            if place.kind == "site":
                found[:] = True
            elif place.kind == "category":
                found[self._filed.get(place.name, [])] = True
            elif place.name == "/":  # what is below it is not held by it, but for its parts
                home = self.data.content.index.get("/")
                rows = [part for part, page in self.data.pages.items() if page == home]
                found[[*rows, *([] if home is None else [home])]] = True
            else:
                start, end = tree.within(place.name)
                found[tree.rows[start:end]] = True
        return np.flatnonzero(found)

    @cached_property
    def _filed(self) -> Mapping[str, Sequence[int]]:
        """The rows of the items under each category and what is above it."""
        found: dict[str, list[int]] = {}
        for row, filed in enumerate(self.data.content.values_of("categories")):
            for each in with_above(filed):
                found.setdefault(each, []).append(row)
        for part, page in self.data.pages.items():
            for each in with_above(self.data.content.value("categories", page)):
                found.setdefault(each, []).append(part)
        return found

    @cached_property
    def timed(self) -> Mapping[int, Sequence[tuple[datetime, str]]]:
        """The rows of what will become public or end by itself, with the parts of such pages; each
        with when, and its state from then on."""
        content, found = self.data.content, dict[int, Sequence[tuple[datetime, str]]]()
        since, until = (content.filled(each) for each in ("public_from", "public_until"))
        for row in since.keys() | until.keys():
            times = (since.get(row), until.get(row))
            later = sorted({each for each in times if each is not None and each > self.engine.at})
            if later:
                item = content.at(row)
                found[row] = [(each, item.state_at(each)) for each in later]
        parts = {part: page for part, page in self.data.pages.items() if page in found}
        return found | {part: found[page] for part, page in parts.items()}


def _related(one: str, other: str) -> bool:
    """Whether two categories are the same, or one is above the other."""
    return one in category_and_above(other) or other in category_and_above(one)


def places_of(word: Rule | Given | PlaceSetting) -> tuple[Place, ...]:
    """Where a word stands."""
    return word.within_any if isinstance(word, Given) else (word.place,)


def clauses_of(data: SiteData, word: Rule | Given) -> Iterator[Clause]:
    """The clauses of a word."""
    return clauses_of_rule(data, word) if isinstance(word, Rule) else clauses_of_given(data, word)
