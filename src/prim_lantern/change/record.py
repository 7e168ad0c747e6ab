"""One change as it is kept in the history."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from datetime import datetime
from typing import Any, Final

from prim_lantern.change.pieces import Piece, inverse_of, with_pieces
from prim_lantern.change.renames import Renames, renamed
from prim_lantern.site.data import SiteData
from prim_lantern.values import value

FROM_THE_WEBSITE: Final = "content"
"""What an operation of the history does that took over content as its website has it."""


@value
class Patch:
    """What a change comes to: what moved or got another name, and then what differs.

    It leads from the site before to the site after, and `inverse` leads back.
    """

    renames: Renames
    pieces: tuple[Piece, ...]
    renames_first: bool = True

    def applied(self, data: SiteData) -> SiteData:
        """The site with the patch made; raises `Misfit` where it does not fit."""
        if self.renames_first:
            return with_pieces(renamed(data, self.renames), self.pieces)
        return renamed(with_pieces(data, self.pieces), self.renames)

    def taken_back(self, data: SiteData) -> SiteData:
        """The site without the patch, whoever changed its items since; raises `Misfit`."""
        inverse = self.inverse
        if inverse.renames_first:
            return with_pieces(renamed(data, inverse.renames), inverse.pieces, hands_aside=True)
        return renamed(with_pieces(data, inverse.pieces, hands_aside=True), inverse.renames)

    @property
    def inverse(self) -> Patch:
        """The patch that takes this one back."""
        return Patch(self.renames.inverse, inverse_of(self.pieces), not self.renames_first)

    @property
    def empty(self) -> bool:
        """Whether it does nothing."""
        return not (self.pieces or self.renames.paths or self.renames.groups)


@value
class Record:
    """One change of the history.

    `operations` are plain data and `said` a few words for each; `patches` are what it came to,
    in the order they were made. `undoes` is the number of the change that it takes back.
    `effects` tells in short who gained and lost what. One without patches changes nothing: it
    notes that somebody looked at the site as another.
    """

    number: int
    at: datetime
    by: str
    reason: str
    said: tuple[str, ...]
    operations: tuple[Mapping[str, Any], ...] = ()
    patches: Sequence[Patch] = ()
    effects: tuple[str, ...] = ()
    undoes: int | None = None

    @property
    def from_the_website(self) -> bool:
        """Whether it took over content as its website has it."""
        return any(each.get("do") == FROM_THE_WEBSITE for each in self.operations)

    @property
    def maker(self) -> str:
        """Who made it, in words where it was no user."""
        return self.by or ("the website" if self.from_the_website else "by hand")

    def before(self, data: SiteData) -> SiteData:
        """The site before it, from the site after it."""
        for patch in reversed(self.patches):
            data = patch.inverse.applied(data)
        return data

    def taken_back(self, data: SiteData) -> SiteData:
        """The site without it, whoever changed its items since; raises `Misfit`."""
        for patch in reversed(self.patches):
            data = patch.taken_back(data)
        return data

    def after(self, data: SiteData) -> SiteData:
        """The site after it, from the site before it."""
        for patch in self.patches:
            data = patch.applied(data)
        return data
