"""One wish, on as little of the site as tells quickly whether something helps."""

from __future__ import annotations

from collections.abc import Collection, Iterable, Iterator, Mapping
from functools import cached_property
from itertools import islice
from typing import Final

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.operations.people import BringBack
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import explain
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import Somebody, stand_in
from prim_lantern.errors import PrimLanternError
from prim_lantern.insight.cut_out import cut_out
from prim_lantern.insight.wishes.candidates import Candidate, candidates
from prim_lantern.insight.wishes.wish import Wish, answer, meant, paths_of, people, questions
from prim_lantern.site.actions import NEED_MORE, brought_by
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, SUSPENDED
from prim_lantern.site.places import parent_of

_ENOUGH: Final = 100  # effects on a big site, above which they are not counted on
_PEOPLE: Final = 3  # of those a wish is about, asked before all are
_ITEMS: Final = 12  # likewise
FEW_ITEMS: Final = 1_000  # all of which are asked about to tell how much is different
_SOME_ITEMS: Final = 100  # else


class OneWish:
    """One wish, on as little of the site as tells whether something helps."""

    def __init__(self, engine: Engine, wish: Wish) -> None:
        self.wish = wish
        self._engine = engine
        self._made = Made(engine.data.owner, engine.at)
        self._people = people(engine, wish.who)
        self._meant = meant(engine, wish)
        self._asked_about = self._meant[:_PEOPLE]
        paths = paths_of(engine.data, wish) if wish.action not in NEED_MORE else []
        if wish.place.kind == "path" and not wish.below:
            paths = [wish.place.name]
        some = paths if len(paths) <= _ITEMS else paths[:: max(1, len(paths) // _ITEMS)]
        logins = [each for each in self._asked_about if each is not None]
        real = [each for each in logins if not isinstance(each, Somebody)]
        filed = [wish.place.name] if wish.place.kind == "category" else []
        data = cut_out(engine.data, some, real, (*wish.categories, *filed), named=True)
        pictured = {e: stand_in(data, e) for e in logins if isinstance(e, Somebody)}
        self._data = data.with_parts(users={**data.users, **pictured})
        self._questions = [
            each
            for each in questions(data, wish, self._asked_about, engine.at)
            if each.who != data.owner and (each.path is None or self._stands(data, each.path))
        ]
        self._reference = Reference(self._data, engine.at)
        self._before = self._look(self._data)
        self._back = self._brought_back()
        self._few = len(engine.data.content) <= FEW_ITEMS
        self._had: dict[tuple[str | None, str, str], bool] = {}

    def _stands(self, data: SiteData, path: str) -> bool:
        return path in data.items or self.wish.action in NEED_MORE

    def candidates(self) -> Iterator[Candidate]:
        """All steps that are tried for the wish."""
        traces = [trace_of(self._reference, each) for each in self._questions]
        yield from candidates(self._engine, self._data, self.wish, traces)

    def _look(self, data: SiteData) -> list[tuple[bool, str]]:
        reference = Reference(data, self._engine.at, self._reference)
        found = []
        for asked in self._questions:
            trace = trace_of(reference, asked)
            found.append((trace.allowed, repr(trace) + _membership(reference, asked, data)))
        return found

    def _brought_back(self) -> tuple[Operation, list[tuple[bool, str]]] | None:
        """What brings back the one who is wished for, if suspended, and how it is then: until then
        nothing else makes any difference for them."""
        login = self.wish.who.name
        gone = self.wish.who.kind == "user" and self._data.users[login].status == SUSPENDED
        if not (gone and self.wish.may):
            return None
        back = BringBack(login)
        return back, self._look(back.apply(self._data, self._made))

    def looked_at(self, some: Iterable[Candidate]) -> tuple[bool, bool]:
        """Whether some candidates make any difference for the wish, and whether they seem enough
        (where they are not, they are not)."""
        operations = [each for one in some for each in one.operations]
        after = self._after(operations)
        if after is None:
            return False, False
        enough = all(allowed == self.wish.may for allowed, _ in after)
        if after != self._before or self._back is None:
            return after != self._before, enough
        back, before = self._back
        if back in operations:
            return True, enough
        return self._after([back, *operations]) not in (None, before), enough

    def _after(self, operations: Iterable[Operation]) -> list[tuple[bool, str]] | None:
        """How it is after some operations; None where they cannot be made."""
        data = self._data
        try:
            for each in operations:
                data = each.apply(data, self._made)
        except PrimLanternError:
            return None
        return self._look(data)

    # What has to change -----------------------------------------------------------------------

    def open_questions(self) -> Iterator[Question]:
        """The questions that have not the wished answer yet, of people who stand in the site."""
        data = self._engine.data
        for asked in questions(data, self.wish, self._meant, self._engine.at):
            pictured = isinstance(asked.who, Somebody)
            counts = not pictured and asked.who != data.owner
            if counts and answer(self._engine, asked) != self.wish.may:
                yield asked

    @cached_property
    def _some_paths(self) -> Mapping[str, int]:
        """All items, or on a big site those nearby and some from all over it, each with how many it
        stands for: they tell a little change from a big one."""
        tree = self._engine.data.tree
        if self._few:
            return dict.fromkeys(tree, 1)
        where, every = self.wish.place, list(tree)
        near = tree.below(parent_of(where.name) or "/") if where.kind == "path" else ()
        step = len(every) // _SOME_ITEMS
        return dict.fromkeys(every[::step], step) | dict.fromkeys(islice(near, _SOME_ITEMS), 1)

    def differences(self, after: Engine, spoken_of: Collection[str] | None) -> tuple[int, int]:
        """How much is decided otherwise, at the least and by the look of it, of what is there and
        of those concerned: where words about an action have changed (None: about any), or what
        they can read."""
        real = [each for each in self._people if not isinstance(each, Somebody)]
        actions = [each for each in self._engine.data.item_actions if each not in NEED_MORE]
        found: list[str] = []
        for who in real[:_PEOPLE]:
            read = self._differing(after, who, "read", self._some_paths)
            found += read
            for action in actions:
                if len(found) > _ENOUGH and not self._few:
                    break
                if action != "read":
                    asked = spoken_of is None or action in spoken_of
                    found += self._differing(
                        after, who, action, self._some_paths if asked else read
                    )
        return len(found), sum(self._some_paths.get(path, 1) for path in found)

    def _differing(
        self, after: Engine, who: str | None, action: str, paths: Iterable[str]
    ) -> list[str]:
        had, index = self._had, after.data.content.index
        found = []
        for path in paths:
            asked = who, action, path
            if asked not in had:
                had[asked] = self._engine.allows(*asked)
            if path in index and had[asked] != after.allows(*asked):
                found.append(path)
        return found

    def effect_of(self, asked: Question) -> str:
        """What an effect on the answer to a question is called."""
        what = asked.action if asked.kind is None else f"create {asked.kind}"
        category = asked.category or next(iter(asked.categories), None)
        return what + (f" in {category}" if category else "")

    def comes_with(self, asked: Question) -> Iterator[tuple[str | None, str, str]]:
        """What somebody gains with an action on an item, in any case: to read it, and what the
        action brings along unless that is denied."""
        engine, path = self._engine, asked.path
        if not self.wish.may or path is None or asked.action in NEED_MORE:
            return
        for action in {"read", *brought_by(asked.action, engine.data.actions)} - {asked.action}:
            if not engine.allows(asked.who, action, path):
                yield asked.who, action, path

    def in_the_way(self) -> Iterator[str]:
        """Why the wish is not true, and what is missing."""
        reference = self._engine.reference_for(self._asked_about[0])
        for asked in self._questions[:1]:
            found = explain(reference, asked, trace_of(reference, asked))
            yield found.sentence
            yield from (f"Missing: {point.text}" for point in found.missing)
            user = self._engine.data.users.get(asked.who or "")
            if user is not None and user.status != ACTIVE:
                yield f"{user.called} is {user.status}, and counts as a guest"


def _membership(reference: Reference, asked: Question, data: SiteData) -> str:
    """Of which whos of the readerships, and of what denies speak, somebody is one."""
    whos = {who for each in data.readerships.values() for who in (*each.all_of, *each.but_not)}
    login = asked.who
    acting = reference.belonging.acting(login)
    return str(sorted(str(who) for who in whos & reference.belonging.whos(acting)))
