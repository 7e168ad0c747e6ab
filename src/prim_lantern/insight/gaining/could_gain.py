"""What somebody could come to by the powers that they hold: each step is one that they may make."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from heapq import heapify, heappop, heappush
from itertools import count
from typing import Any, Final, NamedTuple, TypeVar

from prim_lantern.change.gate.gate import missing_for
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.groups import AddMembers
from prim_lantern.change.operations.invitations import SignUp
from prim_lantern.change.operations.people import AddUser
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stewards import LOOK_AFTER, by_steward, looked_after
from prim_lantern.decide.views.promises import check_promises
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.commands import command_of
from prim_lantern.insight.folding import Folding, Spot, Spots
from prim_lantern.insight.gaining.content_moves import content_moves
from prim_lantern.insight.holdings import (
    Holdings,
    beyond,
    holdings_of,
    looks_at_all,
    together,
)
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, is_above

_STATES: Final = 60  # sites that are looked at from which further steps could lead
_STEPS: Final = 4  # in one chain


class Move(NamedTuple):
    """One step of a chain: who makes it (None: somebody who signs up), and what."""

    by: str | None
    operation: Operation

    @property
    def command(self) -> str:
        """The command that makes it."""
        return command_of(self.operation) + (f" --by {self.by}" if self.by else "")


class Chain(NamedTuple):
    """Steps that somebody may make, one after the other, and what they come to by them.

    `gains` has by action where it could be done then, by themselves, by those who are with them or
    by an account that they made, and could not before, nor by a shorter chain. `breaks` are the
    promises that would be broken.
    """

    moves: tuple[Move, ...]
    gains: tuple[tuple[str, Spots], ...]
    breaks: tuple[str, ...] = ()

    @property
    def size(self) -> int:
        """How much is gained: an action at a place each."""
        return sum(spot.items for _, spots in self.gains for spot in spots)

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            "moves": [
                {"by": each.by, "operation": each.operation.to_dict(), "command": each.command}
                for each in self.moves
            ],
            "gains": [
                {
                    "action": action,
                    "where": [
                        {"place": spot.where, "items": spot.items, "whole": spot.whole}
                        for spot in spots
                    ],
                }
                for action, spots in self.gains
            ],
            "breaks": list(self.breaks),
        }


class _Site(NamedTuple):
    """A site that some steps lead to, and who acts together in it."""

    engine: Engine
    actors: tuple[str | None, ...]
    moves: tuple[Move, ...]
    holds: Holdings
    powers: frozenset[tuple[str | None, str]]


_T = TypeVar("_T")


class Gains(list[_T]):
    """Chains (each with whose it is, where that is asked), the shortest first. `not_looked_at` says
    what was left out, as it would be too much, a sentence each; mostly nothing."""

    def __init__(self, found: Iterable[_T] = (), not_looked_at: Iterable[str] = ()) -> None:
        """Take them, and what was left out."""
        super().__init__(found)
        self.not_looked_at = tuple(dict.fromkeys(not_looked_at))


def could_gain(engine: Engine, who: str | None, others: Sequence[str] = ()) -> Gains[Chain]:
    """What somebody (None: a guest), together with others, could come to: what is gained by the
    fewest steps first, then what gains more. Whoever may do everything gains nothing."""
    before = Judged(engine, engine.data, (), Made(engine.data.owner, engine.at))
    if any(each is not None and before.top(each) for each in (who, *others)):
        return Gains()
    search = _Search(engine, (who, *others))
    found = sorted(search.chains(), key=lambda each: (len(each.moves), -each.size))
    return Gains(found, search.not_looked_at())


class _Search:
    """Trying what may be done, step after step."""

    def __init__(self, engine: Engine, actors: tuple[str | None, ...]) -> None:
        self._at = engine.at
        self._new = _name_for_new(engine.data)
        self._kept = [check.promise for check in check_promises(engine) if check.kept]
        self._start = _Site(
            engine, actors, (), holdings_of(engine, actors), _powers(engine, actors)
        )
        self._known = self._start.holds
        self._left_some = False

    def not_looked_at(self) -> Iterator[str]:
        """What was left out, once all chains are there."""
        if self._left_some:
            yield (
                f"There may be more: chains of more than {_STEPS} steps are not looked at, and no "
                "more than some tens of ways to share out who looks after whom."
            )
        if not looks_at_all(self._start.engine.data):
            yield "Who may create and file what is not looked at on a site of this size."

    def chains(self) -> Iterator[Chain]:
        """Every chain that gains something, shorter ones before longer ones."""
        waiting, seen = [self._start], {self._start.powers}
        last = [self._start]
        for site in waiting:  # grows while it is walked: fewer steps first
            if len(site.moves) >= _STEPS or len(seen) > _STATES:
                self._left_some = True
                break
            for found in self._next(site):
                fresh = beyond(found.holds, self._known)
                if fresh:
                    self._known = together(self._known, found.holds)
                    yield self._chain(found, fresh)
                if fresh or found.powers not in seen:
                    last.append(found)
                if found.powers not in seen:
                    seen.add(found.powers)
                    waiting.append(found)
        yield from self._by_content(last)

    def _next(self, site: _Site) -> Iterator[_Site]:
        """The sites that one more step leads to, of those about people."""
        for move in _people_moves(site.engine, site.actors, self._new):
            after = self._made(site.engine, move)
            if after is None:
                continue
            new = getattr(move.operation, "login", None)
            actors = site.actors if new is None else (*site.actors, new)
            changed = [new] if new is not None else list(getattr(move.operation, "logins", ()))
            holds = together(site.holds, holdings_of(after, changed))
            powers = _powers(after, actors)
            yield _Site(after, actors, (*site.moves, move), holds, powers)

    def _made(self, engine: Engine, move: Move) -> Engine | None:
        """The site after a step; None where it cannot, or may not, be made."""
        login = move.by if move.by is not None else getattr(move.operation, "login", "")
        proposal = Proposal(engine.data, Made(login, self._at))
        try:
            proposal.do(move.operation)
        except PrimLanternError:
            return None
        if move.by is not None and missing_for(
            Judged(engine, proposal.data, proposal.renames, proposal.made)
        ):
            return None
        return engine.after(proposal.data, self._at)

    def _by_content(self, sites: Iterable[_Site]) -> Iterator[Chain]:
        """What is gained by filing, moving or taking a step with what is there, and from there by
        one more with the same item; fewer steps first."""
        number = count()
        waiting: list[tuple[int, int, _Site, str | None]] = [
            (len(site.moves), next(number), site, None) for site in sites
        ]
        heapify(waiting)
        while waiting:
            _, _, site, only = heappop(waiting)
            for by, operation, path in content_moves(site.engine, site.actors, only):
                move = Move(by, operation)
                after = self._made(site.engine, move)
                if after is None:
                    continue
                holds = _at(holdings_of_items(after, site.actors, path), path)
                fresh = beyond(holds, self._known)
                if fresh:
                    self._known = together(self._known, holds)
                    reached = site._replace(engine=after, moves=(*site.moves, move))
                    yield self._chain(reached, fresh)
                    if len(reached.moves) < _STEPS:
                        heappush(waiting, (len(reached.moves), next(number), reached, path))

    def _chain(self, site: _Site, fresh: Holdings) -> Chain:
        data = site.engine.data
        broken = check_promises(site.engine, self._kept)
        if "manage-people" in fresh:  # which is to look after all groups
            fresh = {action: where for action, where in fresh.items() if action != LOOK_AFTER}
        order = [*data.item_actions, *sorted(fresh)]
        gains = tuple(
            (action, _spots(site.engine, action, fresh[action]))
            for action in dict.fromkeys(order)
            if action in fresh
        )
        return Chain(site.moves, gains, tuple(each.says for each in broken if not each.kept))


def holdings_of_items(
    engine: Engine, actors: Sequence[str | None], path: str
) -> Iterator[tuple[str, str]]:
    """What some people may do to one item: the actions, each with its path."""
    for action in engine.data.item_actions:
        if action in ("create", "file-under"):
            continue
        if any(engine.allows(login, action, path) for login in actors):
            yield action, path


def who_could_gain(engine: Engine, action: str, path: str) -> Gains[tuple[str | None, Chain]]:
    """Everybody who may not do something to an item, and could come to it: each with the shortest
    chain to it; a guest first, if so."""
    active = [login for login in engine.data.users if engine.acting(login) is not None]
    found: list[tuple[str | None, Chain]] = []
    left_out: list[str] = []
    for login in (None, *active):
        if engine.allows(login, action, path):
            continue
        gains = could_gain(engine, login)
        leading = (e for e in gains if any(a == action and _holds(s, path) for a, s in e.gains))
        chain = next(leading, None)
        if chain is not None:
            found.append((login, chain))
        else:
            left_out += gains.not_looked_at
    return Gains(found, left_out)


def _holds(spots: Sequence[Spot], path: str) -> bool:
    return any(
        spot.where in (path, "site") or (spot.whole and is_above(spot.where, path))
        for spot in spots
    )


def _at(some: Iterator[tuple[str, str]], path: str) -> Holdings:
    return {action: frozenset({path}) for action, _ in some}


def _spots(engine: Engine, action: str, where: frozenset[str]) -> Spots:
    if action in engine.data.item_actions:
        return Folding.of(engine).of_paths(where)
    return Spots(Spot(each, 1, whole=False, first=each) for each in sorted(where))


def _powers(engine: Engine, actors: Sequence[str | None]) -> frozenset[tuple[str | None, str]]:
    """What each of some people holds by which they can change who may what: groups that they look
    after, and people to manage."""
    found: set[tuple[str | None, str]] = set()
    for login in actors:
        if engine.acting(login) is None:
            continue
        groups = looked_after(by_steward(engine.data), engine.crowd.belonging.whos(login))
        found |= {(login, f"group {name}") for name in groups}
        if engine.may_manage(login, "manage-people", SITE):
            found.add((login, "people"))
    return frozenset(found)


def _people_moves(engine: Engine, actors: Sequence[str | None], new: str) -> Iterator[Move]:
    """Every step about people that some could want to make: coming into groups, new accounts, whose
    logins begin with `new`."""
    data, groups = engine.data, by_steward(engine.data)
    acting = [login for login in actors if engine.acting(login) is not None]
    for by in acting:
        manages = engine.may_manage(by, "manage-people", SITE)
        mine = looked_after(groups, engine.crowd.belonging.whos(by))
        names = [name for name in data.groups if manages or name in mine]
        for login in acting:
            there = engine.crowd.belonging.ways(login or "")
            for name in names:
                if name not in there and login != by:  # nobody may gain by putting themselves in
                    yield Move(by, AddMembers(name, (login or "",)))
        if manages:
            for some in _sets_of_groups(data):
                yield Move(by, AddUser(_new_login(data, new), groups=some))
    if data.sign_up_groups and not any(login and login.startswith(new) for login in actors):
        yield Move(None, SignUp(_new_login(data, new)))


def _sets_of_groups(data: SiteData) -> Iterator[tuple[str, ...]]:
    """Each group; and the sets of groups that it takes to be in a readership."""
    yield from ((name,) for name in data.groups)
    for each in data.readerships.values():
        needed = tuple(who.name for who in each.all_of if who.kind == "group")
        if needed:
            for reader in each.readers:
                first = (reader.name,) if reader.kind == "group" else ()
                yield tuple(dict.fromkeys((*first, *needed)))


def _name_for_new(data: SiteData) -> str:
    """How the login of a new account begins, as none that is there does."""
    name = "new.account"
    while any(login.casefold().startswith(name) for login in data.users):
        name = f"a.{name}"
    return name


def _new_login(data: SiteData, new: str) -> str:
    number = sum(1 for login in data.users if login.startswith(new))
    return f"{new}{number + 1 if number else ''}"
