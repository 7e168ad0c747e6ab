"""What one word says that others say at the same place: seen in the words themselves, and so true
for everybody and everything, at every moment to come.

What is decided goes by the places at which somebody is allowed or denied a thing, and by their rank
there. Where one clause covers another (the same place, the same yes or no, the same who or a group
that takes all of those in, and at least as much of everything else), whatever fits the one fits the
other, and nothing can tell whether both are there.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import fields
from datetime import datetime
from functools import cached_property
from itertools import product
from typing import NamedTuple

from prim_lantern.decide.belonging import upper_groups
from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.places import HERE_AND_BELOW, ONLY_BELOW, ONLY_HERE, Place
from prim_lantern.site.rights import ANY, OTHERS, OWN, Given, Promise, Rule
from prim_lantern.site.who import EVERYONE, Who

_Word = Rule | Given


class _Sort(NamedTuple):
    """What must be the same where one part covers another."""

    says: tuple[bool, bool] | str  # allow or deny, final or not; of who holds a role, which
    place: Place
    action: str = ""
    whose: str = ""


class _Part(NamedTuple):
    """The smallest part of a clause: one kind and one state at most (None: all of them); or that
    somebody holds a role."""

    sort: _Sort
    who: Who
    period: Period
    kind: str | None = None
    state: str | None = None

    def covers(self, other: _Part) -> bool:
        """Whether it fits whatever a part fits of the same sort, said to some of the same."""
        return (
            self.kind in (None, other.kind)
            and self.state in (None, other.state)
            and self.period.covers(other.period)
        )


class Words:
    """The rules and given roles of a site, as they are from a moment on."""

    def __init__(self, data: SiteData, at: datetime, like: Words | None = None) -> None:
        """Take a site, the moment, and the words of one that differs little."""
        self.data = data
        self._at = at
        self._words: tuple[_Word, ...] = (*data.rules, *data.given)
        self._parts: dict[int, tuple[_Word, list[_Part]]] = {}
        if like is not None and like._is_understood_as(self):
            self._parts = like._parts

    def say_without(self, word: _Word) -> bool:
        """Whether the others say all that one of them says."""
        others = (each for each in self._beside([word]) if each is not word)
        return self._cover(self._parts_of(word), others)

    def say_the_same(self, other: Words) -> bool:
        """Whether all is decided alike by the site of some other words, which differs in words and
        in roles that only one of the two has: each says at every place all that the other says
        there. Where it is not seen in the words themselves, it is not taken for so."""
        return (
            _alike_else(self.data, other.data)
            and self._say_all_of(other)
            and other._say_all_of(self)
        )

    def _is_understood_as(self, other: Words) -> bool:
        """Whether what is in both says the same in both."""
        roles = self.data.roles is other.data.roles and self.data.actions is other.data.actions
        return roles and self._spoken_of == other._spoken_of

    def _say_all_of(self, other: Words) -> bool:
        ours = set(map(id, self._words))
        left = [each for each in other._words if id(each) not in ours]
        parts = [part for word in left for part in other._parts_of(word)]
        return self._cover(parts, self._beside(left))

    def _cover(self, parts: Iterable[_Part], words: Iterable[_Word]) -> bool:
        """Whether some of the words cover each of some parts that is not over."""
        said: dict[tuple[_Sort, Who], list[_Part]] = {}
        for word in words:
            for each in self._parts_of(word):
                said.setdefault((each.sort, each.who), []).append(each)
        return all(
            any(
                each.covers(part)
                for who in self._taking_in(part.who)
                for each in said.get((part.sort, who), ())
            )
            for part in parts
            if part.period.until is None or part.period.until > self._at
        )

    def _taking_in(self, who: Who) -> Iterator[Who]:
        """Somebody, and of the same rank those who take them in whatever happens."""
        if who.kind == "group":
            yield from (Who("group", name) for name in upper_groups(self.data, who.name))
        else:
            yield who
            if who.kind == "audience" and who != EVERYONE:
                yield EVERYONE

    def _beside(self, words: Iterable[_Word]) -> Iterator[_Word]:
        """The words that say something to those to whom some words do, where these stand."""
        found: dict[int, _Word] = {}
        for word in words:
            whos = dict.fromkeys(each for who in word.to for each in self._taking_in(who))
            for at in product(_spots(word), whos):
                found.update((id(each), each) for each in self._standing.get(at, ()))
        yield from found.values()

    @cached_property
    def _standing(self) -> dict[tuple[tuple[str, str], Who], list[_Word]]:
        found: dict[tuple[tuple[str, str], Who], list[_Word]] = {}
        for word in self._words:
            for at in product(_spots(word), word.to):
                found.setdefault(at, []).append(word)
        return found

    def _parts_of(self, word: _Word) -> list[_Part]:
        known = self._parts.get(id(word))
        if known is not None:
            return known[1]
        if isinstance(word, Rule):
            found = [part for each in clauses_of_rule(self.data, word) for part in _parts(each)]
        else:
            clauses = clauses_of_given(self.data, word)
            found = [part for each in clauses for part in _parts(each)]
            found += self._holding(word)
        self._parts[id(word)] = (word, found)  # the word is kept, so that its number stays its own
        return found

    def _holding(self, given: Given) -> tuple[_Part, ...]:
        """Who holds a role by being given it, where that decides anything by itself."""
        if not (self.data.roles[given.role].all_access or given.role in self._spoken_of):
            return ()
        return tuple(
            _Part(_Sort(given.role, half), who, given.period)
            for who, place in product(given.to, given.within_any)
            for half in _halves(place)
        )

    @cached_property
    def _spoken_of(self) -> frozenset[str]:
        """The roles of whose holders anything on the site speaks."""
        data = self.data
        whos = [who for word in (*self._words, *data.promises) for who in _said_to(word)]
        for each in data.readerships.values():
            whos += (*each.readers, *each.all_of, *each.but_not)
        whos += (who for group in data.groups.values() for who in group.stewards)
        return frozenset(who.name for who in whos if who.kind == "role")


def _alike_else(one: SiteData, other: SiteData) -> bool:
    """Whether two sites differ in words alone, and in roles that only one of them has."""
    for field in fields(SiteData):
        if field.compare and field.name not in ("rules", "given", "roles"):
            part, there = getattr(one, field.name), getattr(other, field.name)
            if part is not there and (field.name in ("users", "items") or part != there):
                return False
    both = one.roles.keys() & other.roles.keys()
    return one.roles is other.roles or all(one.roles[each] == other.roles[each] for each in both)


def _said_to(word: Rule | Given | Promise) -> tuple[Who, ...]:
    return word.who if isinstance(word, Promise) else word.to


def _spots(word: _Word) -> list[tuple[str, str]]:
    places = (word.place,) if isinstance(word, Rule) else word.within_any
    return [each.spot for each in places]


def _halves(place: Place) -> list[Place]:
    """A place by its reach: here, and below; the same place all the same."""
    if place.kind == "path" and place.reach == HERE_AND_BELOW:
        return [place._replace(reach=reach) for reach in (ONLY_HERE, ONLY_BELOW)]
    return [place]


def _parts(clause: Clause) -> Iterator[_Part]:
    whose = (OWN, OTHERS) if clause.whose == ANY else (clause.whose,)
    says = clause.allow, clause.no_exceptions
    narrowed = clause.kinds or (None,), clause.states or (None,)
    for place, action, theirs in product(_halves(clause.place), clause.actions, whose):
        sort = _Sort(says, place, action, theirs)
        for kind, state in product(*narrowed):
            yield _Part(sort, clause.who, clause.period, kind, state)
