"""All words that are in force at a moment, by the place where they stand."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence, Set
from datetime import datetime
from itertools import chain, count
from typing import Final, NamedTuple

from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule, roles_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import ALWAYS
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import Given, PlaceSetting, Readership, Rule
from prim_lantern.site.who import Who

Spot = tuple[str, str]
Source = Rule | Given

_CHANGES: Final = count(1)  # of all sites, so that no two have the same number


class Access(NamedTuple):
    """A given role and one of its places."""

    given: Given
    place: Place


class Named(NamedTuple):
    """The kinds and states that the words of some places name."""

    kinds: frozenset[str]
    states: frozenset[str]


class Rights:
    """The words in force, the roles given, and the readerships of a site at a moment.

    `whos` are all of whom something speaks, and `levels_of_roles` has for each role that
    is spoken of the sorts of places where it is (after a change, maybe more than now).
    `news` are those of whom the words speak that came or went with the last change (None
    where it may concern anybody). `said_anew` has, by place, the number of the change with which
    something else was last said there, and `roles_anew` that of who has a role that is spoken of.
    """

    def __init__(self, data: SiteData, at: datetime) -> None:
        self.data = data
        self.whos: set[Who] = set()
        self.levels_of_roles: dict[str, set[str]] = {}
        self.holders: dict[str, list[Access]] = {}
        self.all_access: dict[Spot, list[Access]] = {}
        self._clauses: dict[Spot, list[Clause]] = {}
        self._by_action: dict[Spot, Mapping[str, Sequence[Clause]]] = {}
        self.news: frozenset[Who] | None = None
        self.said_anew: dict[Spot, int] = {}
        self.roles_anew = 0
        self._in_force, self._speaking = _in_force(data, at), _speaking(data)
        for source in self._in_force.values():
            self._add(source)
        self._heed_readerships()

    def after(self, data: SiteData, at: datetime) -> tuple[Rights, set[Spot] | None]:
        """The rights of a changed site with the same actions, or of another moment, and the
        places where they say something else; None where that may be anywhere."""
        found = object.__new__(Rights)
        found.__dict__.update(self.__dict__)
        found.data = data
        found._in_force, found._speaking = _in_force(data, at), _speaking(data)
        found.whos, found.levels_of_roles = set(self.whos), dict(self.levels_of_roles)
        found.holders, found.all_access = dict(self.holders), dict(self.all_access)
        found._clauses, found._by_action = dict(self._clauses), dict(self._by_action)
        gone, come = found._differing_from(self), self._differing_from(found)
        spots = {spot for source in (*gone, *come) for spot in _spots_of(source)}
        roles = {source.role for source in (*gone, *come) if isinstance(source, Given)}
        found._keep_apart(spots, roles, {id(source) for source in gone})
        for source in come:
            found._add(source)
        found._heed_readerships()
        if not roles.isdisjoint(found.roles_of_readers()):
            return found, None
        # words about whoever has one of these roles hold where it is given alone: at these spots;
        # and where they stand, as categories are decided apart from the site
        if SITE.spot in spots:
            spots |= {each.place.spot for each in found.words_about(roles)}
        settings = found.other_settings(self)
        whos = {who for source in (*gone, *come) for who in source.to}
        by_role = any(who.kind == "role" for who in whos)
        found.news = None if settings or by_role else frozenset(whos)
        found._count(spots | settings, roles, self)
        return found, spots | settings

    def said_since(self, spot: Spot) -> int:
        """The number of the change since which just this is said at a place."""
        return self.said_anew.get(spot, 0)

    def _differing_from(self, other: Rights) -> list[Source]:
        """What is in force in others and not in these: a given role, too, of which the roles that
        speak in it are not the same."""
        theirs = other._in_force
        missing = theirs.keys() - self._in_force.keys()
        anew = {role for role, ids in other._speaking.items() if self._speaking.get(role) != ids}
        if not anew and len(missing) < 2:
            return [theirs[key] for key in missing]
        return [
            each
            for key, each in theirs.items()
            if key in missing or (isinstance(each, Given) and each.role in anew)
        ]

    def _count(self, spots: set[Spot], roles: Set[str], before: Rights) -> None:
        """Note a change: nothing else is like what is said now at some places."""
        number = next(_CHANGES)
        self.said_anew = {**before.said_anew, **dict.fromkeys(spots, number)}
        spoken = self.levels_of_roles.keys()
        if spoken != before.levels_of_roles.keys() or not roles.isdisjoint(spoken):
            self.roles_anew = number

    def _keep_apart(self, spots: set[Spot], roles: set[str], gone: set[int]) -> None:
        """Lists of their own for some places and roles, without what is gone."""
        for spot in spots:
            clauses = self._clauses.get(spot, ())
            self._clauses[spot] = [each for each in clauses if _source_of(each) not in gone]
            accesses = self.all_access.get(spot, ())
            self.all_access[spot] = [each for each in accesses if id(each.given) not in gone]
            self._by_action.pop(spot, None)
        for role in roles:
            accesses = self.holders.get(role, ())
            self.holders[role] = [each for each in accesses if id(each.given) not in gone]

    def other_settings(self, other: Rights) -> set[Spot]:
        """The places where readerships stand, or rights are cut off, otherwise."""
        ours, theirs = self.data, other.data
        spots = {
            spot
            for spot in ours.readerships_at.keys() | theirs.readerships_at.keys()
            if self.setting_at(spot) != other.setting_at(spot)
        }
        spots |= {
            ("path", path) for path in ours.rights_cut_at.keys() ^ theirs.rights_cut_at.keys()
        }
        if self.default != other.default:
            spots.add(SITE.spot)
        return spots

    # Words and roles ------------------------------------------------------------------

    def _add(self, source: Source) -> None:
        for clause in _clauses_of(self.data, source):
            self._clauses.setdefault(clause.place.spot, []).append(clause)
            self._heed([clause.who], clause.place.kind)
        if isinstance(source, Given):
            self.whos.update(source.to)
            for place in source.within_any:
                access = Access(source, place)
                self.holders.setdefault(source.role, []).append(access)
                if self.data.roles[source.role].all_access:
                    self.all_access.setdefault(place.spot, []).append(access)

    def _heed(self, whos: Iterable[Who], level: str) -> None:
        for who in whos:
            self.whos.add(who)
            if who.kind == "role":
                levels = self.levels_of_roles.get(who.name, set())
                self.levels_of_roles[who.name] = levels | {level}

    def at(self, spot: Spot, action: str) -> Sequence[Clause]:
        """The words about an action that stand at a place."""
        return self._here(spot).get(action, ())

    def actions_at(self, spot: Spot) -> Iterable[str]:
        """The actions that words at a place are about."""
        return self._here(spot).keys()

    def at_spot(self, spot: Spot) -> Sequence[Clause]:
        """All words that stand at a place."""
        return self._clauses.get(spot, ())

    def _here(self, spot: Spot) -> Mapping[str, Sequence[Clause]]:
        here = self._by_action.get(spot)
        if here is None:
            by_action: dict[str, list[Clause]] = {}
            for clause in self._clauses.get(spot, ()):
                for each in clause.actions:
                    by_action.setdefault(each, []).append(clause)
            here = self._by_action[spot] = by_action
        return here

    def words(self) -> Iterator[Clause]:
        """All words that are in force."""
        return (clause for here in self._clauses.values() for clause in here)

    def words_about(self, roles: Set[str]) -> list[Clause]:
        """The words about whoever has one of some roles."""
        spoken = roles & self.levels_of_roles.keys()
        if not spoken:
            return []
        return [
            each for each in self.words() if each.who.kind == "role" and each.who.name in spoken
        ]

    def roles_of_readers(self) -> set[str]:
        """The roles of whose holders readerships speak."""
        return {
            who.name
            for each in (self.default, *(found for _, found in self._settings()))
            for who in (*each.readers, *each.all_of, *each.but_not)
            if who.kind == "role"
        }

    def roles_at_the_site(self) -> tuple[str, ...]:
        """The roles of whose holders the words at the site, or its readership, speak."""
        spoken = [each.who for each in self.at_spot(SITE.spot)]
        spoken += [*self.default.readers, *self.default.all_of, *self.default.but_not]
        return tuple(dict.fromkeys(who.name for who in spoken if who.kind == "role"))

    def needs_whole_items(self) -> bool:
        """Whether somebody is spoken of by a role whose places lie across those of the words.

        Such words cannot be decided at the paths and at the categories apart.
        """
        return any(
            access.place.kind == "category"
            or (access.place.kind == "path" and "category" in levels)
            for role, levels in self.levels_of_roles.items()
            for access in self.holders.get(role, ())
        )

    # Readerships ----------------------------------------------------------------------

    @property
    def default(self) -> Readership:
        """The readership of the site."""
        return self.data.readership(self.data.default_readership)

    def setting_at(self, spot: Spot) -> tuple[PlaceSetting, Readership] | None:
        """The readership that stands at a place, and how."""
        found = self.data.readerships_at.get(spot)
        return (found, self.data.readership(found.readership or "")) if found else None

    def _heed_readerships(self) -> None:
        for setting, readership in self._settings():
            whos = (*readership.readers, *readership.all_of, *readership.but_not)
            self._heed(whos, setting.place.kind)

    def _settings(self) -> Iterator[tuple[PlaceSetting, Readership]]:
        """What stands at places, the default one of the site first."""
        default = PlaceSetting(SITE, self.data.default_readership)
        for setting in (default, *self.data.readerships_at.values()):
            yield setting, self.data.readership(setting.readership or "")

    # Places ---------------------------------------------------------------------------

    def spots(self) -> Iterator[Spot]:
        """Every place where something stands that decisions ask about."""
        yield from self._clauses
        yield from (access.place.spot for each in self.holders.values() for access in each)
        yield from self.data.readerships_at
        yield from (("path", path) for path in self.data.rights_cut_at)


def _in_force(data: SiteData, at: datetime) -> Mapping[int, Source]:
    """The rules and given roles in force, each known by its identity, as it is frozen."""
    sources: Iterable[Source] = chain(data.rules, data.given)
    return {id(e): e for e in sources if e.period is ALWAYS or e.period.holds(at)}


def _speaking(data: SiteData) -> Mapping[str, tuple[int, ...]]:
    """By role the identity of the roles that speak in it."""
    return {name: tuple(map(id, roles_in(data, name))) for name in data.roles}


def _clauses_of(data: SiteData, source: Source) -> Iterator[Clause]:
    if isinstance(source, Rule):
        return clauses_of_rule(data, source)
    return clauses_of_given(data, source)


def _spots_of(source: Source) -> set[Spot]:
    if isinstance(source, Rule):
        return {source.place.spot}
    return {place.spot for place in source.within_any}


def _source_of(clause: Clause) -> int:
    return id(clause.source.rule or clause.source.given)
