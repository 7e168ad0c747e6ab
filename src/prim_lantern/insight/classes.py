"""Some items of each class: on a big site most stand for many, of which the same is said."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Final

import numpy as np

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import lists_of

_OF_A_CLASS: Final = 3


def parents_among_classes(engine: Engine, login: str | None, kind: str) -> Iterator[str]:
    """Where somebody may create items of a kind: among some items of each class."""
    for some in engine.beside(_classes):
        for parent in some:
            if kind in engine.perhaps_creates(login, parent) and (
                engine.may_create(login, kind, parent, ()) or engine.filings(login, kind, parent)
            ):
                yield parent


def _classes(engine: Engine) -> list[list[str]]:
    """Some paths of each class of items, categories aside."""
    of, names = lists_of(engine).situations, engine.data.content.names
    ways = of.way_at[of.of_row]
    rows = np.argsort(ways, kind="stable")
    starts = np.flatnonzero(np.diff(ways[rows], prepend=-1)).tolist()
    ends = [*starts[1:], len(rows)]
    return [
        [names[row] for row in rows[start : min(end, start + _OF_A_CLASS)].tolist()]
        for start, end in zip(starts, ends, strict=True)
    ]
