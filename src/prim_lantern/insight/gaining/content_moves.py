"""Steps with what is there by which somebody may come to more: filing, moving, steps of state."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import Final

from prim_lantern.change.operations.base import Operation
from prim_lantern.change.operations.content import ChangeItem, MoveItem, TakeStep
from prim_lantern.decide import subject
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.views.looking import is_possible
from prim_lantern.decide.views.pages import parents_for
from prim_lantern.site.actions import NEED_MORE, STEPS
from prim_lantern.site.content import state_after
from prim_lantern.site.places import parent_of

_ITEMS: Final = 500  # of each person, of which one of each sort is tried

_Move = tuple[str | None, Operation, str]


def content_moves(
    engine: Engine, actors: Sequence[str | None], only: str | None = None
) -> Iterator[_Move]:
    """By whom, the step, and the path of the item after it: only steps after which some people may
    do something to the item that none of them may before; one item of each sort is tried, or the
    one that is named."""
    seen: set[object] = set()
    for by in actors:
        if engine.acting(by) is None:
            continue
        editable = _paths_for(engine, by, "edit", only)
        able = [_paths_for(engine, by, step, only) for step in STEPS]
        for path in sorted(editable.union(*able))[:_ITEMS]:
            if engine.data.is_part(path):
                continue
            sort = _sort(engine, by, path)
            if sort in seen:
                continue
            seen.add(sort)
            for operation, after, where in _moves(engine, by, path, edits=path in editable):
                if _opens(engine, actors, engine.subject(path), after):
                    yield by, operation, where


def _paths_for(engine: Engine, by: str | None, action: str, only: str | None) -> set[str]:
    if only is None:
        return set(paths_for(engine, by, action))
    return {only} if engine.allows(by, action, only) else set()


def _sort(engine: Engine, by: str | None, path: str) -> object:
    item = engine.data.items[path]
    hands = (*item.authors, *item.changed_by)
    return by, parent_of(path), item.kind, item.categories, item.state, by in hands, item.readership


def _moves(
    engine: Engine, by: str | None, path: str, *, edits: bool
) -> Iterator[tuple[Operation, Subject, str]]:
    """The steps that somebody may make with an item: each with the item as it would be, and its
    path then."""
    data = engine.data
    item, about = data.items[path], engine.subject(path)
    takes = data.all_kinds[item.kind].takes
    for category in data.categories if edits else ():
        if not takes(category) or not engine.may_file(by, path, category):
            continue
        if category in item.categories:
            left = [each for each in item.categories if each != category]
            without = about._replace(categories=subject.with_above(left))
            yield ChangeItem(path, no_longer_under=(category,)), without, path
        else:
            filed = subject.with_above([*item.categories, category])
            more = about._replace(categories=filed)
            yield ChangeItem(path, file_under=(category,)), more, path
    for parent in parents_for(engine, by, item.kind, None, None) if edits else ():
        if parent != parent_of(path) and engine.may_move(by, path, parent):
            new = subject.pictured(data, item, parent, engine.at)
            where = f"{parent.rstrip('/')}/{path.rsplit('/', 1)[1]}"
            yield MoveItem(path, parent), new, where
    own = engine.acting(by) in engine.authors(path)
    for step in STEPS:
        if is_possible(engine, by, step, path) and engine.allows(by, step, path):
            state = state_after(step, item, engine.at, own=own)
            if state is not None and not data.is_part(path):
                yield TakeStep(path, step), about._replace(state=state), path


def _opens(engine: Engine, actors: Sequence[str | None], before: Subject, after: Subject) -> bool:
    """Whether some people may do more to an item as it would be than as it is."""
    for action in engine.data.item_actions:
        if action in NEED_MORE:
            continue
        if any(engine.allows_of(a, action, after) for a in actors) and not any(
            engine.allows_of(a, action, before) for a in actors
        ):
            return True
    return False
