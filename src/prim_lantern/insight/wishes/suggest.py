"""The smallest change by which a wish comes true: tried, with its exact effects."""

from __future__ import annotations

from bisect import insort
from collections.abc import Iterable, Iterator, Sequence
from functools import cached_property
from itertools import combinations
from typing import Any, Final, NamedTuple

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.summary import Line, lines_of
from prim_lantern.change.gate.gate import missing_for, whom_to_ask
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.rights import Allow, Deny
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.stand_ins import is_pictured
from prim_lantern.decide.views.promises import check_promises
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.commands import command_of
from prim_lantern.insight.wishes.candidates import Candidate
from prim_lantern.insight.wishes.one_wish import FEW_ITEMS, OneWish
from prim_lantern.insight.wishes.wish import Wish, is_true
from prim_lantern.site.actions import MANAGING_ACTIONS as MANAGING
from prim_lantern.site.rights import Promise

_SHOWN_OF_MANY: Final = 3  # on bigger sites
_MUCH: Final = 2_000  # effects there, by the look of it
_TIMES: Final = 5  # or as many times those of the best
_TOGETHER: Final = 30  # steps there of which pairs are tried, where none is enough alone
_SHOWN: Final = 5  # suggestions of which promises and rights are looked at


class Suggestion(NamedTuple):
    """A change by which what was wished for comes true.

    `operations` make it, as `commands` do. `effects` are all that it does, `beyond` how many of
    them were not wished for (a person and an action at a place each). `refused` says why the one
    who asks may not make it, if so, and `ask` who could.
    """

    operations: tuple[Operation, ...]
    commands: tuple[str, ...]
    effects: Effects
    beyond: int
    refused: str = ""
    ask: tuple[str, ...] = ()

    def lines(self) -> list[Line]:
        """What it does, in short."""
        return lines_of(self.effects)

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            "operations": [each.to_dict() for each in self.operations],
            "commands": list(self.commands),
            "effects": list(map(str, self.lines())),
            "beyond": self.beyond,
            "not_counted": list(self.effects.not_counted),
            "refused": self.refused,
            "ask": list(self.ask),
        }


class Suggestions(NamedTuple):
    """What was found for some wishes: the suggestions, the one with the fewest effects first.

    `least` says that no other single step and no pair of steps of those that were tried has fewer
    effects than the first: `tried` is how many single steps and how many pairs that were. `already`
    says that all of it is so, `breaking` counts the ones that are left out as they would break a
    promise, `in_the_way` has what keeps it from coming true where nothing was found.
    """

    options: tuple[Suggestion, ...]
    already: bool = False
    least: bool = False
    tried: tuple[int, int] = (0, 0)
    breaking: int = 0
    in_the_way: tuple[str, ...] = ()

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            **self._asdict(),
            "options": [each.to_dict() for each in self.options],
            "tried": list(self.tried),
            "in_the_way": list(self.in_the_way),
        }


class _Tried:
    """A set of candidates, made on the site."""

    def __init__(
        self, some: tuple[Candidate, ...], proposal: Proposal, effects: Effects, small: OneWish
    ) -> None:
        self.some = some
        self.proposal = proposal
        self.effects = effects
        self.after = effects.after
        self._small = small
        self.broken: list[str] | None = None

    @property
    def at_least(self) -> int:
        """How many effects it has at the least, which is found sooner than how many it has."""
        return self._differences[0]

    @cached_property
    def seems(self) -> int:
        """How many effects it seems to have, by the look of a few people and items."""
        return self._differences[1] * max(1, self.effects.people_at_most)

    @cached_property
    def _differences(self) -> tuple[int, int]:
        return self._small.differences(self.after, self.effects.spoken_of)

    @cached_property
    def size(self) -> int:
        """How many effects it has: a person and an action at a place each."""
        return self.effects.size

    @property
    def weight(self) -> tuple[int, int, int, int]:
        """Fewer effects, then fewer steps, then the form that is easier to keep; what is managed
        counts by how much of the site it is."""
        steps = sum(len(each.operations) for each in self.some)
        managed = sum(
            self._below(each.where) for each in self.effects.changed if each.action in MANAGING
        )
        return self.size + managed, len(self.some), max(each.form for each in self.some), steps

    def _below(self, where: str) -> int:
        tree = self.after.data.tree
        start, end = tree.within(where if where.startswith("/") else "/")
        return end - start


def suggest(engine: Engine, wishes: Sequence[Wish], by: str | None = None) -> Suggestions:
    """The changes by which some wishes come true together, the best first.

    `by` is the login of the one who would make it: of what they may not make, it is said whom to
    ask. The order does not depend on it.
    """
    search = _Search(engine, wishes)
    if search.has_come_true:
        return Suggestions((), already=True)
    found = search.found()
    made = [search.suggestion(each, by) for each in found]
    return Suggestions(
        tuple(made),
        least=bool(found) and not search.breaking and search.is_least(found[0]),
        tried=(search.singles, search.pairs),
        breaking=len(search.breaking),
        in_the_way=() if made else tuple(dict.fromkeys(search.in_the_way())),
    )


class _Search:
    """Trying candidates, one by one and in pairs, for some wishes."""

    def __init__(self, engine: Engine, wishes: Sequence[Wish]) -> None:
        self._engine = engine
        _ = engine.data.tree, engine.data.pages  # of which those of whatever is tried are derived
        self._pictured = tuple(each for each in engine.data.given if is_pictured(each))
        given = tuple(each for each in engine.data.given if each not in self._pictured)
        self._plain = engine.data.with_parts(given=given) if self._pictured else engine.data
        true = [is_true(engine, each) for each in wishes]
        self.has_come_true = all(true)
        self._wishes = [each for each, so in zip(wishes, true, strict=True) if not so]
        self._true = [each for each, so in zip(wishes, true, strict=True) if so]
        self._small = [OneWish(engine, each) for each in self._wishes]
        self._made = Made(engine.data.owner, engine.at)
        self._few = len(engine.data.content) <= FEW_ITEMS
        self.singles = self.pairs = 0
        self.breaking: list[str] = []

    def found(self) -> list[_Tried]:
        """The sets of candidates that are enough, the best first."""
        each_one = [self._for_one(small) for small in self._small]
        if len(each_one) == 1:
            return each_one[0]
        return self._best(self._together(each_one))

    def _for_one(self, small: OneWish) -> list[_Tried]:
        options = list(small.candidates())
        self.singles += len(options)
        helpful, enough = [], []
        for each in options:
            helps, seems_enough = small.looked_at((each,))
            tried = self._tried((each,), small) if seems_enough else None
            if tried is not None and self._is_enough(tried, small.wish):
                enough.append(tried)
            elif helps:
                helpful.append(each)
        found = self._best(_without_doubles(enough, small.wish))
        if not found or (self._few and not self._is_minimal(found[0].size)):
            least = found[0].size if found else None
            some = helpful if self._few else helpful[:_TOGETHER]
            found = self._best([*found, *self._pairs(small, some, least)])
        return found

    def _pairs(
        self, small: OneWish, helpful: Sequence[Candidate], least: int | None
    ) -> Iterator[_Tried]:
        """Pairs of candidates, none of which is enough alone; where single ones are, only those
        with fewer effects."""

        alone: dict[int, int] = {}

        def too_much(each: Candidate) -> bool:
            # what two do by which nobody loses anything is at least what each of them does
            if least is None or not each.one_way:
                return False
            if id(each) not in alone:
                tried = self._tried((each,), small)
                alone[id(each)] = tried.at_least if tried is not None else 0
            return alone[id(each)] >= least

        for one, other in combinations(helpful, 2):
            self.pairs += 1
            if too_much(one) or too_much(other):
                continue
            both = (one, other)
            if not small.looked_at(both)[1]:
                continue
            tried = self._tried(both, small)
            if tried is None or not self._is_enough(tried, small.wish):
                continue
            if least is None or tried.at_least < least:
                yield tried

    def _together(self, each_one: Sequence[Sequence[_Tried]]) -> Iterator[_Tried]:
        """For several wishes: what is best for each, together; or what is enough for all alone."""
        wishes = [*self._wishes, *self._true]
        if all(each_one):
            some = tuple(dict.fromkeys(c for tried in each_one for c in tried[0].some))
            tried = self._tried(some, self._small[0])
            if tried is not None and all(is_true(tried.after, each) for each in wishes):
                yield tried
        for tried in each_one[0]:
            if len(tried.some) == 1 and all(is_true(tried.after, each) for each in wishes):
                yield tried

    def _is_enough(self, tried: _Tried, wish: Wish) -> bool:
        return is_true(tried.after, wish) and all(is_true(tried.after, e) for e in self._true)

    def _tried(self, some: tuple[Candidate, ...], small: OneWish) -> _Tried | None:
        """Some candidates made on the site; None where they cannot be."""
        proposal = Proposal(self._plain, self._made)
        try:
            for each in some:
                for operation in each.operations:
                    proposal.do(operation)
        except PrimLanternError:
            return None
        data = proposal.data
        if self._pictured:
            data = data.with_parts(given=(*data.given, *self._pictured))
        after = self._engine.after(data, self._engine.at)
        return _Tried(some, proposal, Effects(self._engine, after, proposal.renames), small)

    @cached_property
    def _kept(self) -> list[Promise]:
        """The promises that are kept now."""
        return [check.promise for check in check_promises(self._engine) if check.kept]

    # How good it is ------------------------------------------------------------------------

    @cached_property
    def _needed(self) -> tuple[set[_Effect], int]:
        """What any change has to bring: the wishes themselves; and how much comes with them in any
        case that nobody wished for."""
        wished: set[_Effect] = set()
        besides: set[_Effect] = set()
        for small in self._small:
            for asked in small.open_questions():
                wished.add((asked.who, small.effect_of(asked), str(asked.place or asked.path)))
                besides |= set(small.comes_with(asked))
        return wished, len(besides - wished)

    def _is_minimal(self, size: int) -> bool:
        """Whether no change could have fewer effects."""
        wished, besides = self._needed
        return size <= len(wished) + besides

    def is_least(self, best: _Tried) -> bool:
        """Whether it is known that no single step and no pair has fewer effects."""
        if best.effects.not_counted:
            return False
        tried_all = len(self._wishes) == 1 and self._few
        return tried_all or self._is_minimal(best.size)

    def _beyond(self, tried: _Tried) -> int:
        """How many of its effects nobody wished for."""
        wished = self._needed[0]
        among = 0
        for each in tried.effects.changed:
            whos = {who for who, action, where in wished if (action, where) == each[:2]}
            if whos:
                gained, lost = tried.effects.people(each.action, each.where)
                among += len(whos & {*gained, *lost})
                among += None in whos and bool(each.guests)
        return tried.size - among

    def _best(self, some: Iterable[_Tried]) -> list[_Tried]:
        """The best few that break no promise: those that do too much in any case are not looked at,
        nor on a big site those that seem to do more than some others."""
        found: list[_Tried] = []
        most = _SHOWN if self._few else _SHOWN_OF_MANY
        for each in sorted(some, key=lambda e: e.at_least if self._few else e.seems):
            if len(found) == most and (not self._few or each.at_least > found[-1].weight[0]):
                break
            if found and not self._few and each.seems > max(_MUCH, _TIMES * found[0].size):
                break  # nobody would choose it, and to find out how much exactly takes long
            if self._keeps_promises(each):
                insort(found, each, key=lambda each: each.weight)
                del found[most:]
        return found

    def _keeps_promises(self, tried: _Tried) -> bool:
        """Whether no promise is broken by it that is kept now; what would be is noted."""
        if tried.broken is None:
            checks = check_promises(tried.after, self._kept)
            tried.broken = [check.says for check in checks if not check.kept]
            self.breaking += [f"It would break the promise: {each}" for each in tried.broken[:1]]
        return not tried.broken

    def suggestion(self, tried: _Tried, by: str | None) -> Suggestion:
        """What is told of a set of candidates that is enough."""
        operations = tuple(each for some in tried.some for each in some.operations)
        refused, ask = self._judged(tried, by) if by is not None else ("", ())
        commands = tuple(map(command_of, operations))
        beyond = self._beyond(tried)
        return Suggestion(operations, commands, tried.effects, beyond, refused, tuple(ask))

    def _judged(self, tried: _Tried, by: str) -> tuple[str, Sequence[str]]:
        """Why somebody may not make it, and whom to ask; nothing, where they may."""
        proposal = tried.proposal
        made = Made(by, self._engine.at)
        before = self._engine.after(self._plain, self._engine.at)
        judged = Judged(before, proposal.data, proposal.renames, made)
        missing = missing_for(judged)
        if not missing:
            return "", ()
        return str(missing[0]), whom_to_ask(judged, missing)

    def in_the_way(self) -> Iterator[str]:
        """What keeps the wishes from coming true."""
        yield from self.breaking
        for small in self._small:
            yield from small.in_the_way()


_Effect = tuple[str | None, str, str]


def _without_doubles(some: Sequence[_Tried], wish: Wish) -> list[_Tried]:
    """Without those that say more than one of the others to the same end: a deny without exceptions
    where a plain one is enough, another action where the one that is wished for is."""
    plain = {
        (type(word), word.to, word.where, word.reach)
        for word in map(_word, some)
        if word is not None and not getattr(word, "no_exceptions", False)
        if word.actions == (wish.action,)
    }
    found = []
    for each in some:
        word = _word(each)
        spot = (type(word), word.to, word.where, word.reach) if word is not None else None
        exactly = word is not None and word.actions == (wish.action,)
        if spot not in plain or (exactly and not getattr(word, "no_exceptions", False)):
            found.append(each)
    return found


def _word(tried: _Tried) -> Allow | Deny | None:
    """The rule that is all that something comes to."""
    operations = tried.some[0].operations
    only = operations[0] if len(operations) == len(tried.some) == 1 else None
    return only if isinstance(only, Allow | Deny) else None
