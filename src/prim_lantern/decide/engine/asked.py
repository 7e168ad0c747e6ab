"""What is asked, and of what class of items: all that words are chosen by."""

from __future__ import annotations

from collections.abc import Container
from typing import NamedTuple


class Asked(NamedTuple):
    """A question without a person or an item.

    `reading` says whether the item must be readable (it need not be for managing, or for
    filing as such), `any_state` that its state does not matter for that, `author` whether
    it is asked by an author of the item.
    """

    action: str
    reading: bool = True
    any_state: bool = False
    author: bool = False


class ItemClass(NamedTuple):
    """Items that are decided alike, but for their categories and their authors.

    `page_kinds` and `page_own` are None but for a part: its page is read first. `filed`
    has the categories where they cannot be decided apart.
    """

    chain: tuple[str, ...]
    own: int
    kinds: frozenset[str]
    state: str
    page_kinds: frozenset[str] | None = None
    page_own: int = 0
    filed: frozenset[str] | None = None

    @property
    def page(self) -> ItemClass | None:
        """The class of the page of a part."""
        if self.page_kinds is None:
            return None
        above = self.chain[self.own - self.page_own :]
        return ItemClass(above, self.page_own, self.page_kinds, self.state, filed=self.filed)

    def cut_at(self, cuts: Container[str]) -> int | None:
        """How deep in the chain the nearest of some paths stands."""
        return next((at for at, path in enumerate(self.chain) if path in cuts), None)


class FiledCase(NamedTuple):
    """What words at categories may ask of an item besides its categories.

    `allows` says whether allows from there reach it.
    """

    kinds: frozenset[str]
    state: str
    allows: bool
    page_kinds: frozenset[str] | None = None
    page_allows: bool = True

    @classmethod
    def of(cls, item: ItemClass, cuts: Container[str]) -> FiledCase:
        """The case of items of a class; `cuts` are the paths that let no rights in."""
        page = item.page
        return cls(
            item.kinds,
            item.state,
            item.cut_at(cuts) is None,
            item.page_kinds,
            page is None or page.cut_at(cuts) is None,
        )


Filed = tuple[frozenset[str], FiledCase]
"""A class of categories of one root."""


class Joined(NamedTuple):
    """Classes of categories of several roots, for which there is one place only."""

    numbers: tuple[int, ...]
