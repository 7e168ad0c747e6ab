"""Why one may and another may not: the fewest things that make the difference."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import combinations
from typing import Any, Final

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.reference import Reference
from prim_lantern.insight.cut_out import cut_out
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, Membership, User
from prim_lantern.site.who import Who
from prim_lantern.values import replace

_TRIED_AT_MOST: Final = 20_000  # sets of things
_GUEST: Final = "guest:"  # what stands for a guest among users; no login can hold a colon


@dataclass(frozen=True)
class Thing:
    """One thing in which two people differ: in words, and where it is written.

    `put` makes the second like the first in this, in a site where all memberships are by hand.
    """

    says: str
    where: str
    put: Callable[[SiteData], SiteData] = field(repr=False, compare=False)

    def to_dict(self) -> dict[str, str]:
        """The same for programs."""
        return {"says": self.says, "where": self.where}


def what_differs(
    engine: Engine, who_may: str | None, who_not: str | None, asked: Question
) -> list[Thing]:
    """The fewest things in which two people differ that let the one do what the other may not.

    `asked` is a question to which the first has a yes and the second a no. Where there are so many
    things that not all sets can be tried, what comes back is a set of which none can be left out.
    """
    bare = TwoPeople(engine, who_may, who_not, asked)
    things = bare.things()
    if not bare.may(things):
        return []
    found = list(things)
    for thing in things:
        fewer = [each for each in found if each is not thing]
        if bare.may(fewer):
            found = fewer
    tried = 0
    for size in range(1, len(found)):
        for some in combinations(things, size):
            tried += 1
            if tried > _TRIED_AT_MOST:
                return found
            if bare.may(some):
                return list(some)
    return found


class TwoPeople:
    """The part of a site that one question needs, in which two people are what they are only by
    memberships, and by what names them."""

    def __init__(
        self, engine: Engine, who_may: str | None, who_not: str | None, asked: Question
    ) -> None:
        self._engine = engine
        self._one, self._other = who_may, who_not
        self._asked = asked._replace(who=self._name(who_not))
        paths = [asked.path] if asked.path else []
        where = asked.place
        paths += [where.name] if where is not None and where.kind == "path" else []
        filed = [where.name] if where is not None and where.kind == "category" else []
        data = cut_out(engine.data, paths, (), filed)
        users = dict(data.users)
        for login in (who_may, who_not):
            if login is not None and login != data.owner:
                groups = [Membership(name) for name in self._direct(login)]
                users[login] = User(login, memberships=tuple(groups), status=self._status(login))
        if who_not is None:
            users[self._name(None)] = User(self._name(None), status="byline")
        groups_of = {
            name: replace(each, members=(), when=(), mapped_from=())
            for name, each in data.groups.items()
        }
        self._data = data.with_parts(users=users, groups=groups_of)

    @staticmethod
    def _name(login: str | None) -> str:
        return login if login is not None else _GUEST

    def _status(self, login: str) -> str:
        return ACTIVE if self._engine.acting(login) is not None else "byline"

    def _direct(self, login: str | None) -> dict[str, str]:
        """The groups that somebody is in without another group, each with why."""
        if self._engine.acting(login) is None or login is None:
            return {}
        belonging = self._engine.reference_for(login).belonging
        found: dict[str, str] = {}
        for ways in belonging.ways(login).values():
            for way in ways:
                if len(way.through) == 1:
                    said = words.way(belonging.data, login, way, self._engine.at)
                    found.setdefault(way.group, f"{said}\0{way.origin or ''}")
        return found

    def may(self, things: Iterable[Thing]) -> bool:
        """Whether the second may, made like the first in some things."""
        data = self._data
        for each in things:
            data = each.put(data)
        return trace_of(Reference(data, self._asked.at), self._asked).allowed

    def things(self) -> list[Thing]:
        """All in which the two differ."""
        return [*self._standing(), *self._memberships(), *self._named(), *self._hands()]

    # The sorts of things -------------------------------------------------------------------

    def _called(self, login: str | None) -> str:
        return words.opening(self._engine.data, login)

    def _standing(self) -> Iterator[Thing]:
        one, other = self._one, self._name(self._other)
        if one is not None and one == self._data.owner:
            says = f"{self._called(one)} is the owner of the site"
            yield Thing(says, "", lambda data: data.with_parts(owner=other))
        elif self._engine.acting(one) and not self._engine.acting(self._other):
            yield Thing(
                self._is_guest(self._other), "", lambda data: _with(data, other, status=ACTIVE)
            )
        elif self._engine.acting(self._other) and not self._engine.acting(one):
            yield Thing(self._is_guest(one), "", lambda data: _with(data, other, status="byline"))

    def _is_guest(self, login: str | None) -> str:
        if login is None:
            return "A guest is not signed in"
        status = self._engine.data.users[login].status
        return f"{self._called(login)} is {status}, and so counts as a guest"

    def _memberships(self) -> Iterator[Thing]:
        had, has = self._direct(self._one), self._direct(self._other)
        other = self._name(self._other)
        for group, said in had.items():
            if group not in has:
                says, _, where = said.partition("\0")
                yield Thing(says, where, _joining(other, group))
        for group, said in has.items():
            if group not in had:
                says, _, where = said.partition("\0")
                yield Thing(says, where, _leaving(other, group))

    def _named(self) -> Iterator[Thing]:
        """What names one of the two: rules, given roles, readerships."""
        one = Who("user", self._one) if self._one else None
        other = Who("user", self._name(self._other))
        data = self._data
        for part in ("rules", "given"):
            for each in getattr(data, part):
                if (one in each.to) != (other in each.to):
                    to = (*each.to, other) if one in each.to else _but(each.to, other)
                    origin = str(each.origin or "")
                    yield Thing(self._says(each), origin, _replacing(part, each, to))
        for name, readership in data.readerships.items():
            for listing in ("readers", "all_of", "but_not"):
                whos = getattr(readership, listing)
                if (one in whos) != (other in whos):
                    to = (*whos, other) if one in whos else _but(whos, other)
                    said = words.readers(self._engine.data, readership)
                    says = f"The readership {readership.called}: {said}"
                    yield Thing(says, str(readership.origin or ""), _reading(name, listing, to))

    def _says(self, word: Any) -> str:
        data = self._engine.data
        if hasattr(word, "role"):
            return words.given_name(data, word).removesuffix(",")
        return words.rule(data, word)

    def _hands(self) -> Iterator[Thing]:
        """Who wrote or changed the item itself, the page of the part, what a link leads to."""
        other = self._name(self._other)
        for path, item in self._data.items.items():
            for hands, did in (("authors", "wrote"), ("changed_by", "changed")):
                logins = getattr(item, hands)
                if (self._one in logins) != (other in logins):
                    is_one = self._one in logins
                    now = (*logins, other) if is_one else _but(logins, other)
                    called = self._called(self._one if is_one else self._other)
                    says = f"{called} {did} {path}"
                    yield Thing(says, str(item.origin or ""), _handling(path, hands, now))


def _but(some: Sequence[Any], one: Any) -> tuple[Any, ...]:
    return tuple(each for each in some if each != one)


def _with(data: SiteData, login: str, **parts: Any) -> SiteData:
    return data.with_parts(users={**data.users, login: replace(data.users[login], **parts)})


def _joining(login: str, group: str) -> Callable[[SiteData], SiteData]:
    def put(data: SiteData) -> SiteData:
        had = data.users[login].memberships
        return _with(data, login, memberships=(*had, Membership(group)))

    return put


def _leaving(login: str, group: str) -> Callable[[SiteData], SiteData]:
    def put(data: SiteData) -> SiteData:
        left = tuple(m for m in data.users[login].memberships if m.group != group)
        return _with(data, login, memberships=left)

    return put


def _replacing(part: str, word: Any, to: tuple[Who, ...]) -> Callable[[SiteData], SiteData]:
    def put(data: SiteData) -> SiteData:
        words_now = [replace(e, to=to) if e is word else e for e in getattr(data, part)]
        return data.with_parts(**{part: tuple(each for each in words_now if each.to)})

    return put


def _reading(name: str, listing: str, whos: tuple[Who, ...]) -> Callable[[SiteData], SiteData]:
    parts: dict[str, Any] = {listing: whos}

    def put(data: SiteData) -> SiteData:
        changed = replace(data.readerships[name], **parts)
        return data.with_parts(readerships={**data.readerships, name: changed})

    return put


def _handling(page: str, hands: str, logins: tuple[str, ...]) -> Callable[[SiteData], SiteData]:
    parts: dict[str, Any] = {hands: logins}

    def put(data: SiteData) -> SiteData:
        item = replace(data.items[page], **parts)
        return data.with_parts(items={**data.items, page: item})

    return put
