"""All words that are in force at a moment, by the place where they stand."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from datetime import datetime
from typing import NamedTuple

from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import Given, PlaceSetting, Readership, Rule
from prim_lantern.site.who import Who

Spot = tuple[str, str]


class Access(NamedTuple):
    """A role with all access, or one that words speak of, given within one place."""

    given: Given
    place: Place


class Rights:
    """The words in force, the roles given, and the readerships of a site at a moment."""

    def __init__(self, data: SiteData, at: datetime, before: Rights | None = None) -> None:
        """Take a site and a moment; `before` are rights of the same roles and actions."""
        self.data = data
        self._sources: dict[int, tuple[Rule | Given, tuple[Clause, ...]]] = {}
        known = before._sources if before is not None else {}
        self.clauses: list[Clause] = []
        sources: tuple[Rule | Given, ...] = (*data.rules, *data.given)
        for source in sources:
            found = known.get(id(source)) or (source, tuple(_clauses(data, source)))
            self._sources[id(source)] = found
            if source.period.holds(at):
                self.clauses += found[1]
        self.words: dict[Spot, dict[str, list[Clause]]] = {}
        for clause in self.clauses:
            here = self.words.setdefault(clause.place.spot, {})
            for action in clause.actions:
                here.setdefault(action, []).append(clause)
        self.given = [each for each in data.given if each.period.holds(at)]
        self.all_access: dict[Spot, list[Access]] = {}
        self.holders: dict[str, list[Access]] = {}
        for given in self.given:
            for place in given.within_any:
                access = Access(given, place)
                self.holders.setdefault(given.role, []).append(access)
                if data.roles[given.role].all_access:
                    self.all_access.setdefault(place.spot, []).append(access)

    def at(self, spot: Spot, action: str) -> Iterable[Clause]:
        """The words about an action that stand at a place."""
        here = self.words.get(spot)
        return here.get(action, ()) if here else ()

    def setting_at(self, spot: Spot) -> tuple[PlaceSetting, Readership] | None:
        """The readership that stands at a place, and how."""
        found = self.data.readerships_at.get(spot)
        return (found, self.data.readership(found.readership or "")) if found else None

    def spots(self) -> Iterator[Spot]:
        """Every place where something stands that decisions ask about."""
        yield from self.words
        yield from (access.place.spot for each in self.holders.values() for access in each)
        yield from self.data.readerships_at
        yield from (("path", path) for path in self.data.rights_cut_at)

    def paths(self) -> set[str]:
        """Every path at which something stands."""
        return {name for kind, name in self.spots() if kind == "path"}

    def differing(self, other: Rights) -> set[Spot] | None:
        """The places where other rights say something else; None where it may be anywhere."""
        ours, theirs = self._by_identity(), other._by_identity()
        spots = {spot for key in ours.keys() ^ theirs.keys() for spot in {**ours, **theirs}[key]}
        roles = {
            given.role
            for given in (*self.given, *other.given)
            if (id(given) in ours) != (id(given) in theirs)
        }
        spoken_of = self._levels_of_roles().keys() | other._levels_of_roles().keys()
        if not roles.isdisjoint(spoken_of):
            return None
        for spot in self.data.readerships_at.keys() | other.data.readerships_at.keys():
            if self.setting_at(spot) != other.setting_at(spot):
                spots.add(spot)
        cut, uncut = self.data.rights_cut_at.keys(), other.data.rights_cut_at.keys()
        spots |= {("path", path) for path in cut ^ uncut}
        if self.default != other.default:
            spots.add(SITE.spot)
        return spots

    def _by_identity(self) -> Mapping[int, Sequence[Spot]]:
        """The places of all rules and given roles in force."""
        found: dict[int, Sequence[Spot]] = {}
        for clause in self.clauses:
            if clause.source.rule is not None:
                found[id(clause.source.rule)] = (clause.place.spot,)
        for given in self.given:
            found[id(given)] = tuple(place.spot for place in given.within_any)
        return found

    @property
    def default(self) -> Readership:
        """The readership of the site."""
        return self.data.readership(self.data.default_readership)

    def whos(self) -> Iterator[Who]:
        """Everybody of whom something speaks, those behind a role among them."""
        for clause in self.clauses:
            yield clause.who
        for given in self.given:
            yield from given.to
        for readership in self._readerships():
            yield from (*readership.readers, *readership.all_of, *readership.but_not)

    def _readerships(self) -> Iterator[Readership]:
        yield self.default
        standing = {each.readership or "" for each in self.data.readerships_at.values()}
        yield from map(self.data.readership, standing)

    def needs_whole_items(self) -> bool:
        """Whether somebody is spoken of by a role whose places lie across those of the words.

        Such words cannot be decided at the paths and at the categories apart.
        """
        spoken: Mapping[str, set[str]] = self._levels_of_roles()
        for role, levels in spoken.items():
            for access in self.holders.get(role, ()):
                kind = access.place.kind
                if kind == "category" or (kind == "path" and "category" in levels):
                    return True
        return False

    def _levels_of_roles(self) -> Mapping[str, set[str]]:
        found: dict[str, set[str]] = {}
        for clause in self.clauses:
            if clause.who.kind == "role":
                found.setdefault(clause.who.name, set()).add(clause.place.kind)
        default = PlaceSetting(SITE, self.data.default_readership)
        for setting in (default, *self.data.readerships_at.values()):
            readership = self.data.readership(setting.readership or "")
            for who in (*readership.readers, *readership.all_of, *readership.but_not):
                if who.kind == "role":
                    found.setdefault(who.name, set()).add(setting.place.kind)
        return found


def _clauses(data: SiteData, source: Rule | Given) -> Iterator[Clause]:
    if isinstance(source, Rule):
        return clauses_of_rule(data, source)
    return clauses_of_given(data, source)
