"""Items that fit what is asked of them."""

from __future__ import annotations

from typing import NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.site.places import is_above


class FoundItem(NamedTuple):
    """An item with what is known of it; `state` is as it is now, `words` counts the rules, given
    roles and readerships that stand right there."""

    path: str
    title: str
    kind: str
    state: str
    authors: tuple[str, ...]
    categories: tuple[str, ...]
    words: int

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {k: list(v) if isinstance(v, tuple) else v for k, v in self._asdict().items()}


def items_that_fit(
    engine: Engine,
    *,
    state: str | None,
    kind: str | None,
    category: str | None,
    author: str | None,
    within: str | None,
    own_words: bool,
) -> list[FoundItem]:
    """The items of which all is so that was asked, in tree order."""
    data, found = engine.data, []
    spots = [each.place.name for each in data.rules]
    spots += [each.name for given in data.given for each in given.within_any]
    spots += [name for _, name in data.readerships_at]
    for path in data.tree:
        if within is not None and path != within and not is_above(within, path):
            continue
        item, about = data.items[path], engine.subject(path)
        words = spots.count(path)
        fits = (
            kind in (None, item.kind)
            and state in (None, about.state)
            and (category is None or category in about.categories)
            and (author is None or author in about.authors)
            and (words > 0 or not own_words)
        )
        if fits:
            page = data.items[data.page_of(path)]
            found.append(
                FoundItem(
                    path, item.title, item.kind, about.state, page.authors, page.categories, words
                )
            )
    return found
