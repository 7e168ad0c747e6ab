"""What a page of a website asks for one person: its menu, its parts, where and how they may add."""

from __future__ import annotations

from collections.abc import Iterator
from itertools import islice
from sys import maxsize
from typing import Final

from prim_lantern.decide.engine import Engine
from prim_lantern.site.content import Item

_KEPT: Final = 500  # lists of parents that one engine remembers


def menu_of(engine: Engine, login: str | None) -> list[Item]:
    """The links that somebody can read, in tree order."""
    data = engine.data
    place = {row: at for at, row in enumerate(data.tree.rows)} if engine.links else {}
    rows = sorted(engine.links, key=place.__getitem__)
    items = (data.content.at(row) for row in rows)
    return [item for item in items if engine.allows(login, "read", item.path)]


def parts_of(engine: Engine, login: str | None, page: str) -> list[Item]:
    """The parts right below a page (or a part) that somebody can read, in tree order."""
    data = engine.data
    below = (path for path in data.tree.steps_below(page) if data.is_part(path))
    return [data.items[path] for path in below if engine.allows(login, "read", path)]


def parents_for(
    engine: Engine, login: str | None, kind: str, below: str | None, limit: int | None
) -> list[str]:
    """The paths below which somebody may create an item of a kind, in tree order; the whole list is
    kept for the next page."""
    if below is not None or limit is not None:
        top = below if below is not None else "/"
        sections = engine.data.tree.sections_from(top) if top != "/" else None
        found = _parents(engine, login, kind, sections or engine.data.tree.sections())
        return list(islice(found, min(limit, maxsize) if limit is not None else None))
    kept = engine.beside(_Parents)
    every = kept.get((login, kind))
    if every is None:
        every = tuple(_parents(engine, login, kind, engine.data.tree.sections()))
        if len(kept) >= _KEPT:
            kept.clear()
        kept[login, kind] = every
    return list(every)


class _Parents(dict[tuple[str | None, str], tuple[str, ...]]):
    """What was found of parents, by who and kind."""

    def __init__(self, _: Engine) -> None:
        super().__init__()


def _parents(
    engine: Engine, login: str | None, kind: str, sections: Iterator[str]
) -> Iterator[str]:
    for parent in sections:
        if kind not in engine.perhaps_creates(login, parent):
            continue
        if engine.may_create(login, kind, parent, ()) or engine.filings(login, kind, parent):
            yield parent


def categories_for(engine: Engine, login: str | None, kind: str, parent: str) -> list[str]:
    """The categories under which somebody may file a new item of a kind below a parent."""
    if kind not in engine.perhaps_creates(login, parent):
        return []
    return list(engine.filings(login, kind, parent))
