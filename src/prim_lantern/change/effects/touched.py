"""What a change can touch: of whom its words speak, whose standing it changes, which items."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from functools import cached_property
from itertools import chain
from typing import Any

import numpy as np

from prim_lantern.change.renames import Renames, renamed
from prim_lantern.decide.clauses import Clause, beyond, roles_in
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import lists_of
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Given, Readership
from prim_lantern.site.who import Who


class Touched:
    """The people and items for which a change may make a difference: never too few.

    An item that moved is the same item; its paths before and after belong together.
    """

    def __init__(self, before: Engine, after: Engine, renames: Iterable[Renames]) -> None:
        self.before, self.after = before, after
        self.engines = before, after
        self.renames = tuple(renames)
        self.moves = any(each.paths for each in self.renames)

    @property
    def only_words(self) -> bool:
        """Whether nothing else has changed but words, and readerships: of the same people and
        items."""
        return self.after.renewed is not None and not self.moves

    @cached_property
    def base(self) -> SiteData:
        """The site before, with what moved moved."""
        found = self.before.data
        for each in self.renames:
            found = renamed(found, each) if each.paths or each.groups else found
        return found

    # Paths ------------------------------------------------------------------------------

    def later(self, path: str) -> str:
        """A path of before, as it is after."""
        for each in self.renames:
            path = each.path(path)
        return path

    def earlier(self, path: str) -> str:
        """A path of after, as it was before."""
        for each in reversed(self.renames):
            path = each.inverse.path(path)
        return path

    @cached_property
    def rows(self) -> tuple[list[str], tuple[Any, Any]]:
        """All paths, and the rows in which each stood and stands (-1: it did or does not)."""
        was, now = (engine.data.content.index for engine in self.engines)
        paths = list(self.after.data.content.names)
        if self.moves:
            before = [was.get(self.earlier(path), -1) for path in paths]
            gone = [p for p in self.before.data.content.names if self.later(p) not in now]
        else:
            before, gone = self._where_they_were(paths)
        before += [was[path] for path in gone]
        after = [*range(len(paths)), *(-1 for _ in gone)]
        return [*paths, *gone], (np.array(before, np.int64), np.array(after, np.int64))

    def _where_they_were(self, paths: Sequence[str]) -> tuple[list[int], list[str]]:
        """The rows in which paths stood before (-1: nowhere), and the paths that are gone."""
        before, after = (engine.data.content for engine in self.engines)
        moved = after.moved_since(before)
        if moved is None:
            was = [before.index.get(path, -1) for path in paths]
            return was, [path for path in before.names if path not in after.index]
        kept = np.delete(np.arange(len(before.names)), moved.gone).tolist()
        was = [*kept, *(before.index.get(paths[row], -1) for row in moved.new)]
        gone = [before.names[row] for row in moved.gone]
        return was, [path for path in gone if path not in after.index]

    @cached_property
    def changed_paths(self) -> set[str]:
        """The paths of the items that are not what they were, or not where."""
        paths, (was, now) = self.rows
        before, after = (engine.data.content for engine in self.engines)
        moved = after.moved_since(before)
        if moved is not None and not self.moves:
            gone = {before.names[row] for row in moved.gone}
            return gone | {paths[row] for row in (*moved.changed, *moved.new)}
        found = set()
        for number, path in enumerate(paths):
            old, new = int(was[number]), int(now[number])
            stayed = old >= 0 and new >= 0 and before.names[old] == path
            if not stayed or not before.same(old, after, new):
                found.add(path)
        return found

    @cached_property
    def items(self) -> list[int]:
        """The numbers (in the paths of `rows`) of all items that this may make a difference for:
        the parts of changed pages and the links to changed items as well."""
        found = set(self.changed_paths)
        if not found:
            return []
        data = self.after.data
        names = data.content.names
        found |= {names[part] for part, page in data.pages.items() if names[page] in found}
        leading = data.content.filled("links_to").items()
        found |= {names[row] for row, to in leading if to in found}
        return [number for number, path in enumerate(self.rows[0]) if path in found]

    # People -----------------------------------------------------------------------------

    @cached_property
    def active(self) -> list[str]:
        """Everybody who is active before or after; the others are guests all along."""
        return self._active_among(login for e in self.engines for login in e.data.users)

    def _active_among(self, logins: Iterable[str]) -> list[str]:
        once = dict.fromkeys(logins)
        return [login for login in once if any(self.acting(e, login) for e in self.engines)]

    @staticmethod
    def acting(engine: Engine, login: str) -> str | None:
        """The login of somebody who is there and active."""
        return engine.acting(login) if login in engine.data.users else None

    @cached_property
    def concerned(self) -> list[str]:
        """The active users whose own standing has changed, or of whom changed words speak."""
        before, after = (engine.data for engine in self.engines)
        if self.spoken_of is None:
            return self.active
        owners = {before.owner, after.owner} if before.owner != after.owner else set[str]()
        people = ("users", "groups", "plans", "attributes")
        same_people = all(getattr(before, each) is getattr(after, each) for each in people)
        if same_people:  # in the same groups: a look at what is known of each is enough
            some = self._perhaps_concerned if self.spoken_of else ()
            return sorted(owners.union(filter(self._is_spoken_of, some)))
        found = []
        for login in self._perhaps_concerned:
            was, now = self.whos(login)
            touched = not self.spoken_of.isdisjoint(was | now)
            if touched or was != now or login in owners:
                found.append(login)
        return found

    def whos(self, login: str) -> tuple[frozenset[Who], frozenset[Who]]:
        """All that somebody is before and after (a guest, where they are not active), by the names
        of after."""
        old, new = (self.acting(engine, login) for engine in self.engines)
        was = self._renamed(self.before.crowd.belonging.whos(old))
        return was, self.after.crowd.belonging.whos(new)

    def _is_spoken_of(self, login: str) -> bool:
        """Whether words that came or went, and are in force, speak of somebody who is in the same
        groups before and after."""
        crowds = (engine.crowd for engine in self.engines)
        return any(
            crowd[login][0] & bits for crowd, bits in zip(crowds, self._bits_spoken_of, strict=True)
        )

    @cached_property
    def _bits_spoken_of(self) -> list[int]:
        """The bits of those of whom words speak that came or went, in both crowds."""
        spoken_of, crowds = self.spoken_of or (), [engine.crowd for engine in self.engines]
        return [crowd.mask(who for who in spoken_of if who in crowd.bits) for crowd in crowds]

    @property
    def at_most(self) -> int:
        """About how many people it concerns at the most, which is found sooner than who they are:
        whoever newly comes into a group is not counted with it."""
        spoken_of, known = self.spoken_of, self.before.crowd.bits
        if spoken_of is None:
            return len(self.before.data.users)
        found = sum(who.kind == "user" for who in spoken_of) + sum(1 for _ in self._perhaps_changed)
        bits = self.before.crowd.mask(w for w in spoken_of if w.kind == "group" and w in known)
        return found + int(lists_of(self.before).population.has(bits).sum()) if bits else found

    @property
    def _perhaps_concerned(self) -> Iterable[str]:
        """The active users among whom those are: whoever is spoken of by name is known at once."""
        spoken_of = self.spoken_of or ()
        if any(who.kind != "user" for who in spoken_of):
            return self.active
        named = self._active_among(sorted(who.name for who in spoken_of))
        return dict.fromkeys((*named, *self._perhaps_changed))

    @cached_property
    def _perhaps_changed(self) -> Iterable[str]:
        """The active users who may be in other groups than they were: all, but where groups and
        plans are what they were and it is known which users are not."""
        before, after = (engine.data for engine in self.engines)
        same = all(getattr(before, e) is getattr(after, e) for e in ("groups", "plans"))
        moved = after.people.moved_since(before.people)
        if not same or moved is None or before.owner != after.owner:
            return self.active
        rows = (*moved.changed, *moved.new)
        logins = {*(after.people.names[row] for row in rows)}
        logins |= {before.people.names[row] for row in moved.gone}
        return self._active_among(sorted(logins))

    def _renamed(self, whos: frozenset[Who]) -> frozenset[Who]:
        for each in self.renames:
            if each.groups:
                whos = frozenset(map(each.who, whos))
        return whos

    @cached_property
    def actions(self) -> frozenset[str] | None:
        """The actions of which words speak that came or went; None where it may be any."""
        if all_access(self.base) != all_access(self.after.data):
            return None
        return frozenset(action for clause in self.clauses for action in clause.actions)

    @cached_property
    def clauses(self) -> list[Clause]:
        """The clauses that came or went, and those about whoever has a role that is newly given to
        somebody, or no more."""
        before, after = self.base, self.after.data
        parts = ("rules", "given", "roles", "actions")
        if all(getattr(before, part) is getattr(after, part) for part in parts):
            return []
        about = (each.rights.words_about(self._roles_given) for each in self.engines)
        return [*beyond(before, after), *beyond(after, before), *chain.from_iterable(about)]

    @cached_property
    def _roles_given(self) -> set[str]:
        """The roles that are given otherwise than they were."""
        return {each.role for each in set(self.base.given) ^ set(self.after.data.given)}

    @cached_property
    def spoken_of(self) -> frozenset[Who] | None:
        """Of whom the words speak that came or went; None where it may be anybody, a guest too."""
        before, after = self.base, self.after.data
        same = ("kinds", "actions", "readerships_at", "rights_cut_at", "default_readership")
        if any(getattr(before, part) != getattr(after, part) for part in same):
            return None
        standing = {each.readership or "" for each in after.readerships_at.values()}
        standing.add(after.default_readership)
        named: set[tuple[str, Who]] = set()
        for name in standing:
            was, now = before.readership(name), after.readership(name)
            if was.no_exceptions != now.no_exceptions:
                return None
            named |= _listed(was) ^ _listed(now)  # for all others it is what it was
        whos = {who for _, who in named}
        whos |= {who for word in set(before.rules) ^ set(after.rules) for who in word.to}
        whos |= {who for word in set(before.given) ^ set(after.given) for who in word.to}
        for data in (before, after):
            for given in data.given:
                if any(
                    before.roles.get(e.name) != after.roles.get(e.name)
                    for e in roles_in(data, given.role)
                ):
                    whos |= set(given.to)
        if any(who.kind not in ("user", "group") for who in whos):
            return None
        if any(Who("role", name) in self.after.rights.whos for name in self._roles_given):
            return None  # it is spoken of whoever has the role
        return frozenset(whos)


def _listed(readership: Readership) -> set[tuple[str, Who]]:
    """Whom a readership names, each with how."""
    named = ("readers", "all_of", "but_not")
    return {(how, who) for how in named for who in getattr(readership, how)}


def all_access(data: SiteData) -> set[Given]:
    """The given roles with all access."""
    return {each for each in data.given if data.roles[each.role].all_access}
