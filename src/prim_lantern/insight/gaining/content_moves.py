"""Steps with what is there by which somebody may come to more: filing, moving, steps of state."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from typing import Final

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.content import ChangeItem, MoveItem, TakeStep
from prim_lantern.decide import subject
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.standing import cannot_move
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.views.looking import is_possible
from prim_lantern.decide.views.pages import parents_for
from prim_lantern.insight.classes import parents_among_classes
from prim_lantern.site.actions import NEED_MORE, STEPS
from prim_lantern.site.content import Item, state_after
from prim_lantern.site.places import parent_of

_ITEMS: Final = 500  # of each person, of which one of each sort is tried
_SORTS: Final = 100  # of parents to move an item to
_SORTS_OF_MANY: Final = 20  # the same on a big site
_OF_A_SORT: Final = 20  # that are tried, as one may be full
_FEW: Final = 2_000  # items, each of which is looked at as a parent; else some of each class

_Move = tuple[str | None, Operation, str]


def content_moves(
    engine: Engine, actors: Sequence[str | None], only: str | None = None
) -> Iterator[_Move]:
    """By whom, the step, and the path of the item after it: only steps after which some people may
    do something to the item that none of them may before; one item of each sort is tried, or the
    one that is named, and one parent of each sort."""
    for by in actors:
        if engine.acting(by) is not None:
            yield from _Moves(engine, by, actors).every(only)


class _Moves:
    """The steps that somebody may make with what is there."""

    def __init__(self, engine: Engine, by: str | None, actors: Sequence[str | None]) -> None:
        self._engine, self._by, self._actors = engine, by, actors
        self._parents: dict[str, list[list[str]]] = {}
        self._few = len(engine.data.content) <= _FEW

    def every(self, only: str | None) -> Iterator[_Move]:
        """Those that open something to the actors."""
        engine, seen = self._engine, set[object]()
        editable = self._paths_for("edit", only)
        able = [self._paths_for(step, only) for step in STEPS]
        for path in sorted(editable.union(*able)):
            if engine.data.is_part(path):
                continue
            sort = self._sort(path)
            if sort in seen:
                continue
            if len(seen) == _ITEMS:
                break
            seen.add(sort)
            closed = self._closed(engine.subject(path))
            for operation, after, where in self._of_item(path, edits=path in editable):
                if any(self._allowed(action, after) for action in closed):
                    yield self._by, operation, where

    def _paths_for(self, action: str, only: str | None) -> set[str]:
        if only is None:
            return set(paths_for(self._engine, self._by, action))
        return {only} if self._engine.allows(self._by, action, only) else set()

    def _sort(self, path: str) -> object:
        """What tells an item from others that go the same ways."""
        engine, item = self._engine, self._engine.data.items[path]
        hands = frozenset((*item.authors, *item.changed_by)).intersection(self._actors)
        alone = next(engine.data.tree.below(path), None) is None
        about = item.kind, item.categories, item.readership, item.links_to
        return engine.situation_of(path), about, hands, alone

    def _closed(self, about: Subject) -> list[str]:
        """What none of the actors may do to an item."""
        actions = (each for each in self._engine.data.item_actions if each not in NEED_MORE)
        return [action for action in actions if not self._allowed(action, about)]

    def _allowed(self, action: str, about: Subject) -> bool:
        return any(self._engine.allows_of(each, action, about) for each in self._actors)

    def _of_item(self, path: str, *, edits: bool) -> Iterator[tuple[Operation, Subject, str]]:
        """The steps with an item: each with the item as it would be, and its path then."""
        engine, by, data = self._engine, self._by, self._engine.data
        item, about = data.items[path], engine.subject(path)
        for category in engine.beside(Filings).under(by, path) if edits else ():
            if category in item.categories:
                left = [each for each in item.categories if each != category]
                without = about._replace(categories=subject.with_above(left))
                yield ChangeItem(path, no_longer_under=(category,)), without, path
            else:
                filed = subject.with_above([*item.categories, category])
                more = about._replace(categories=filed)
                yield ChangeItem(path, file_under=(category,)), more, path
        for parent in self._new_parents(path, item.kind) if edits else ():
            new = subject.pictured(data, item, parent, engine.at)
            where = f"{parent.rstrip('/')}/{path.rsplit('/', 1)[1]}"
            yield MoveItem(path, parent), new, where
        own = engine.acting(by) in engine.authors(path)
        for step in STEPS:
            if is_possible(engine, by, step, path) and engine.allows(by, step, path):
                state = state_after(step, item, engine.at, own=own)
                if state is not None:
                    yield TakeStep(path, step), about._replace(state=state), path

    def _new_parents(self, path: str, kind: str) -> Iterator[str]:
        """Other parents below which they may move an item, one of each sort."""
        engine, by = self._engine, self._by
        if not engine.may_take_along(by, path):
            return
        for some in self._sorts_of_parents(kind):
            others = (each for each in some if each != parent_of(path))
            can = (each for each in others if not cannot_move(engine.data, path, each))
            found = next(can, None)
            if found is not None and engine.may_stand(by, path, found):
                yield found

    def _sorts_of_parents(self, kind: str) -> list[list[str]]:
        """Where they may create items of a kind, by what would be said of such an item there."""
        engine = self._engine
        if kind not in self._parents:
            sorts: dict[object, list[str]] = {}
            for parent in self._parents_of(kind):
                about = subject.pictured(engine.data, Item("", kind), parent, engine.at)
                some = sorts.setdefault(engine.ground.class_of(about), [])
                if len(some) < _OF_A_SORT:
                    some.append(parent)
                if len(sorts) == (_SORTS if self._few else _SORTS_OF_MANY):
                    break
            self._parents[kind] = list(sorts.values())
        return self._parents[kind]

    def _parents_of(self, kind: str) -> Iterable[str]:
        """Where they may create items of a kind; on a big site, some of each class of items."""
        engine = self._engine
        if self._few:
            return parents_for(engine, self._by, kind, None, None)
        return parents_among_classes(engine, self._by, kind)
