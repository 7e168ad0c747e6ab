"""Who gains and loses what is not asked of an item: creating below a parent, managing a place."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from itertools import islice
from typing import Final

from prim_lantern.change.effects.touched import Touched, all_access
from prim_lantern.change.renames import new_categories
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.site.actions import EVERY_ACTION, MANAGING_ACTIONS, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import Limit
from prim_lantern.values import replace

FOR_CREATING: Final = frozenset({"create", "file-under", "read", "see-drafts"})
"""The actions on which it rests whether somebody may create something."""

_SECTIONS_ASKED: Final = 5_000
_PEOPLE_ASKED: Final = 2_000
_PAIRS_ASKED: Final = 10_000  # of a person and a parent, on a bigger site
_KEPT: Final = 100_000

Pairs = dict[tuple[str, str], dict[str | None, bool]]
"""By action and place, who gains (True) or loses it; None are the guests."""

_Rights = set[tuple[str, str]]


@dataclass(frozen=True)
class _Scope:
    """Where it may have changed who may create something: at and below some paths (None:
    anywhere), of some kinds (None: all), in some categories (None: all, or none), for some people
    (None: everybody) and maybe guests."""

    tops: tuple[str, ...] | None = None
    kinds: frozenset[str] | None = None
    categories: frozenset[str] | None = None
    people: tuple[str, ...] | None = None
    guests: bool = True


class _Offered:
    """What may be created below which parent, kept with an engine: one change after the other is
    compared with it."""

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._known: dict[tuple[str | None, str], frozenset[tuple[str, str]]] = {}

    def below(self, login: str | None, parent: str) -> frozenset[tuple[str, str]]:
        """What somebody may create directly below a parent, and in which categories."""
        found = self._known.get((login, parent))
        if found is None:
            found = frozenset(self.of_kinds(login, parent, None))
            if len(self._known) < _KEPT:
                self._known[login, parent] = found
        return found

    def of_kinds(
        self, login: str | None, parent: str, kinds: Collection[str] | None
    ) -> set[tuple[str, str]]:
        """The same for just some kinds, or for all."""
        offers = list(offers_below(self._engine, login, parent, kinds))
        plain = {(f"create {e.kind}", parent) for e in offers if not e.needs_category}
        return plain | {(f"create {e.kind} in {c}", parent) for e in offers for c in e.categories}


class Special:
    """Creating and managing, before and after a change."""

    def __init__(self, touched: Touched) -> None:
        self.touched = touched
        self._before, self._after = (engine.data for engine in touched.engines)

    @property
    def creating_counted(self) -> bool:
        """Whether it is looked at who may create what; on big sites it is only where few people and
        parents are concerned."""
        if all_creating_is_counted(self._after):
            return True
        asked, everybody, every = 0, len(self._after.users), len(self._after.content)
        for scope in self._scopes():
            people = everybody if scope.people is None else len(scope.people)
            at_most = _PAIRS_ASKED // (people + scope.guests or 1) + 1  # are enough to count
            parents = self._parents(self.touched.after, scope.tops)
            some = every if scope.tops is None else sum(1 for _ in islice(parents, at_most))
            asked += (people + scope.guests) * some
        return asked <= _PAIRS_ASKED

    def pairs(self) -> Pairs:
        """By "create KIND" (and "in CATEGORY") and parent, and by managing action and place, who
        gains or loses it."""
        found: Pairs = {}
        if self.creating_counted:
            for scope in self._scopes():
                self._add_creating(found, scope)
            found = {key: who for key, who in found.items() if key[1] not in self._come_or_gone}
        if self._managing_touched():
            places = self._managed_places()
            for login in (None, *self.touched.concerned):
                both = (self._manages(e, login, places) for e in self.touched.engines)
                _note(found, login, *both)
        return found

    def _known(self, engine: Engine, login: str | None) -> str | None:
        return login if login in engine.data.users else None

    # Creating -----------------------------------------------------------------------------

    def _scopes(self) -> Iterator[_Scope]:
        base, after = self.touched.base, self._after
        people = tuple(self.touched.concerned)
        index = self._before.content.index, after.content.index
        tops = {  # what may be created below an item follows it, when it comes or goes
            path
            for path in self.touched.changed_paths
            if self.touched.earlier(path) in index[0]
            and path in index[1]
            and self._decides_otherwise(path)
        }
        tops |= {limit.where for limit in set(base.limits) ^ set(after.limits)}
        tops |= {limit.where for limit in after.limits if self._full_otherwise(limit)}
        was, now = base.categories, after.categories
        if was.keys() != now.keys() and not self._new_names:
            yield _Scope(categories=frozenset(was.keys() ^ now.keys()))
        kinds = self._kinds_otherwise()
        if kinds is None or self._anybody_anywhere():
            yield _Scope()
            return
        if kinds:
            yield _Scope(kinds=frozenset(kinds))
        settings = (*_differing(base.readerships_at, after.readerships_at),)
        settings += (
            *(("path", p) for p in base.rights_cut_at.keys() ^ after.rights_cut_at.keys()),
        )
        tops |= {name for kind, name in settings if kind == "path"}
        if any(kind != "path" for kind, _ in settings):
            yield _Scope()
            return
        if tops:
            yield _Scope(tops=tuple(sorted(tops)))
        words = self._places_of_words()
        if words is None or self._people_changed() or base.readerships != after.readerships:
            yield _Scope(people=people, guests=words is None or bool(words))
        elif words:
            guests = self.touched.spoken_of is None
            yield _Scope(tops=tuple(sorted(words)), people=people, guests=guests)

    @cached_property
    def _come_or_gone(self) -> set[str]:
        """The paths of the items that are there only before or only after."""
        was, now = self._before.content.index, self._after.content.index
        changed = self.touched.changed_paths
        return {each for each in changed if (self.touched.earlier(each) in was) != (each in now)}

    def _decides_otherwise(self, path: str) -> bool:
        """Whether more of an item has changed than its title, and who changed it."""
        old, new = self._before.items[self.touched.earlier(path)], self._after.items[path]
        return old != replace(new, title=old.title, changed_by=old.changed_by)

    def _full_otherwise(self, limit: Limit) -> bool:
        """Whether as many stand somewhere as may stand there, only before or only after."""
        if not self.touched.changed_paths:
            return False
        both = (self._before, self.touched.earlier(limit.where)), (self._after, limit.where)
        full = [
            sum(each.kind == limit.kind for each in data.directly_below(where)) >= limit.at_most
            for data, where in both
        ]
        return full[0] != full[1]

    def _anybody_anywhere(self) -> bool:
        base, after = self.touched.base, self._after
        if self.touched.spoken_of is not None:
            return False
        parts = ("default_readership", "readerships")
        return any(getattr(base, part) != getattr(after, part) for part in parts)

    def _kinds_otherwise(self) -> set[str] | None:
        """The kinds of which it may have changed who may create them, by what they are; None where
        the same may be so of what stands below them."""
        base, after = self.touched.base, self._after
        found = set()
        for name in base.kinds.keys() | after.kinds.keys():
            was, now = base.all_kinds.get(name), after.all_kinds.get(name)
            if was is None or now is None:
                found.add(name)
            elif (was.part, was.link) != (now.part, now.link):
                return None
            elif (was.filed_under, was.must_be_filed) != (now.filed_under, now.must_be_filed):
                found.add(name)
        return found

    def _people_changed(self) -> bool:
        parts = ("users", "groups", "plans", "owner")
        return any(getattr(self._before, e) is not getattr(self._after, e) for e in parts)

    def _places_of_words(self) -> set[str] | None:
        """The paths at which changed words stand that creating rests on; None: anywhere."""
        base, after = self.touched.base, self._after
        if all_access(base) != all_access(after):
            return None
        found = set()
        for clause in self.touched.clauses:
            if clause.actions & FOR_CREATING:
                if clause.place.kind != "path":
                    return None
                found.add(clause.place.name)
        return found

    def _add_creating(self, found: Pairs, scope: _Scope) -> None:
        people = self.touched.active if scope.people is None else scope.people
        alike: dict[tuple[int, int], tuple[_Rights, _Rights]] = {}
        places = [(e, tuple(self._parents(e, scope.tops))) for e in self.touched.engines]
        for login in (*([None] if scope.guests else []), *people):
            if self._may_all_that_can_be(login):
                continue
            persons = [e.crowd[self._known(e, login)] for e in self.touched.engines]
            owner = any(e.is_owner(login) for e in self.touched.engines)
            own = owner or any(person[1] for person in persons)
            key = (persons[0][0], persons[1][0])
            if own or key not in alike:
                was, now = (self._creates(e, login, scope, parents) for e, parents in places)
                moved = {(self._later(action), self.touched.later(w)) for action, w in was}
                if not own:
                    alike[key] = (moved, now)
                _note(found, login, moved, now)
            else:
                _note(found, login, *alike[key])

    def _may_all_that_can_be(self, login: str | None) -> bool:
        """Whether somebody may create all that can be created, before and after, and that is the
        same: the owner, and whoever has all access to the whole site, unless a word without
        exceptions may hold them."""
        if login is None or not self._same_can_be:
            return False
        return all(
            e.is_owner(login) or (_has_all_access(e, login) and not _may_be_held(e, login))
            for e in self.touched.engines
        )

    @cached_property
    def _same_can_be(self) -> bool:
        parts = ("kinds", "limits", "category_sets", "items")
        same = (getattr(self._before, each) is getattr(self._after, each) for each in parts)
        return self.touched.only_words and all(same)

    @cached_property
    def _new_names(self) -> Mapping[str, str]:
        """The categories of before by their names of after, where all that differs are names."""
        return new_categories(self.touched.base, self._after)

    def _later(self, action: str) -> str:
        """ "create KIND in CATEGORY", with the name that the category has after."""
        create, filed, category = action.partition(" in ")
        return f"{create}{filed}{self._new_names.get(category, category)}"

    def _creates(
        self, engine: Engine, login: str | None, scope: _Scope, parents: Iterable[str]
    ) -> _Rights:
        known = self._known(engine, login)
        if scope.categories is not None:
            return set(_filed_so(engine, known, parents, scope.categories))
        offered = engine.beside(_Offered)
        if scope.kinds is not None:
            kinds = scope.kinds
            return {each for parent in parents for each in offered.of_kinds(known, parent, kinds)}
        return {each for parent in parents for each in offered.below(known, parent)}

    def _parents(self, engine: Engine, tops: tuple[str, ...] | None) -> Iterable[str]:
        data = engine.data
        if tops is None:
            return data.tree.sections()
        if engine is self.touched.before:
            tops = tuple(map(self.touched.earlier, tops))
        standing = [top for top in tops if data.tree.holds(top)]
        return dict.fromkeys(each for top in standing for each in data.sections_from(top))

    # Managing -----------------------------------------------------------------------------

    def _managing_touched(self) -> bool:
        if not self.touched.only_words:
            return True
        actions = self.touched.actions
        return actions is None or not actions.isdisjoint(MANAGING_ACTIONS)

    def _managed_places(self) -> list[Place]:
        """The places where something is said of managing, in one of the two sites."""
        places = {SITE: None}
        for engine in self.touched.engines:
            for spot in engine.rights.spots():
                some = any(engine.rights.at(spot, action) for action in MANAGING_ACTIONS)
                if some or engine.rights.all_access.get(spot):
                    places[Place(*spot)] = None
        return list(places)

    def _manages(self, engine: Engine, login: str | None, places: Iterable[Place]) -> _Rights:
        known = self._known(engine, login)
        return {
            (action, str(where))
            for where in places
            for action in MANAGING_ACTIONS
            if (where.kind == "site" or action not in SITE_WIDE_ACTIONS)
            and engine.may_manage(known, action, where)
        }


def all_creating_is_counted(data: SiteData) -> bool:
    """Whether a site is so small that it is always looked at who may create what."""
    return len(data.tree) <= _SECTIONS_ASKED and len(data.users) <= _PEOPLE_ASKED


def _has_all_access(engine: Engine, login: str) -> bool:
    """Whether a role with all access is given to somebody active for the whole site."""
    if login not in engine.data.users:
        return False
    given = (each.given for each in engine.rights.all_access.get(SITE.spot, ()))
    mask, _, _ = engine.crowd[login]
    return bool(mask & engine.crowd.mask(who for each in given for who in each.to))


def _may_be_held(engine: Engine, login: str) -> bool:
    """Whether words without exceptions about creating, or readerships without, may concern them."""
    if any(each.no_exceptions for each in engine.data.readerships.values()):
        return True
    finals = (each for each in engine.data.rules if each.no_exceptions)
    about = [
        e for e in finals if not FOR_CREATING.isdisjoint(e.actions) or EVERY_ACTION in e.actions
    ]
    whos = {who for each in about for who in each.to}
    mask, _, _ = engine.crowd[login]
    return any(e.kind in ("role", "authors") or mask & engine.crowd.mask([e]) for e in whos)


def _filed_so(
    engine: Engine, login: str | None, parents: Iterable[str], categories: Iterable[str]
) -> Iterator[tuple[str, str]]:
    """What somebody may create below parents in just some categories."""
    data = engine.data
    wanted = [each for each in categories if each in data.categories]
    for parent in parents:
        for kind in data.all_kinds.values():
            fitting = [each for each in wanted if kind.takes(each)]
            if fitting and kind.name in engine.perhaps_creates(login, parent):
                for each in fitting:
                    if engine.may_create(login, kind.name, parent, (each,)):
                        yield f"create {kind.name} in {each}", parent


def _note(found: Pairs, login: str | None, was: _Rights, now: _Rights) -> None:
    for each in was ^ now:
        found.setdefault(each, {})[login] = each in now


def _differing(
    one: Mapping[tuple[str, str], object], other: Mapping[tuple[str, str], object]
) -> set[tuple[str, str]]:
    return {spot for spot in one.keys() | other.keys() if one.get(spot) != other.get(spot)}
