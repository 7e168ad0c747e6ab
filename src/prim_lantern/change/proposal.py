"""A change as it is put together: each step tried on the site as the steps before left it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from prim_lantern.change.hands import with_hands
from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.pieces import Piece, differences, with_pieces
from prim_lantern.change.record import Patch, Record
from prim_lantern.change.renames import Renames, renamed
from prim_lantern.errors import BadChange, NothingToChange
from prim_lantern.site.check import misfits_in, problems_in
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Problem


@dataclass(frozen=True)
class Step:
    """One operation and what it came to."""

    operation: dict[str, Any]
    said: str
    patch: Patch


class Proposal:
    """Steps that somebody wants to make on a site. Nothing happens to the site itself, and whether
    they may is judged elsewhere, of all steps together.

    `before` is the site they start from, `data` the site as they leave it.
    """

    def __init__(self, before: SiteData, made: Made) -> None:
        self.before = before
        self.data = before
        self.made = made
        self.steps: list[Step] = []

    def do(self, operation: Operation) -> None:
        """Add a step. Raises an error, and adds nothing, where it cannot be made (`BadChange`, an
        unknown name …)."""
        renames = operation.renames(self.data)
        after = operation.apply(self.data, self.made)
        said = operation.said()
        brought_in = operation.brings_in and self.made.brings_in
        patch = self._patch(renames, after, brought_in=brought_in)
        if patch.empty:
            raise NothingToChange(f"Nothing would change: {said}.")
        self._add(operation.to_dict(), said, patch)

    def _patch(self, renames: Renames, after: SiteData, *, brought_in: bool) -> Patch:
        base = renamed(self.data, renames) if renames.paths or renames.groups else self.data
        pieces = differences(base, after)
        by = self.made.by
        handled = with_hands(base, after, pieces, renames, by, brought_in=brought_in)
        return Patch(renames, pieces if handled is after else differences(base, handled))

    def replace_with(self, data: SiteData, said: str) -> None:
        """Add the step that makes the site say what another one says, hands aside: who changed an
        item follows from the change."""
        _refuse(misfits_in(data))
        patch = self._patch(Renames(), data, brought_in=self.made.brings_in)
        if patch.empty:
            raise NothingToChange("The two say the same; nothing would change.")
        self._add({"do": "replace"}, said, patch)

    def undo(self, record: Record) -> None:
        """Add the step that takes back a change of the history, which has to fit (`Misfit`)."""
        by_link = any(each.get("do") == "accept" for each in record.operations)
        for patch in reversed(record.patches):
            inverse = patch.inverse
            pieces = tuple(p for p in inverse.pieces if not (by_link and p.part == "invitations"))
            self._add(
                {"do": "undo", "number": record.number},
                f"take back change {record.number}",
                self._taking_back(inverse, pieces),
            )

    def _taking_back(self, inverse: Patch, pieces: tuple[Piece, ...]) -> Patch:
        """The patch that takes one back, as exact as it comes to be now: no hand is forgotten."""
        first = inverse.renames_first
        base = renamed(self.data, inverse.renames) if first else self.data
        after = with_pieces(base, pieces, hands_aside=True)
        renames = inverse.renames if first else Renames()
        done = differences(base, after)
        handled = with_hands(base, after, done, renames, self.made.by, taking_back=True)
        return Patch(inverse.renames, differences(base, handled), first)

    def _add(self, operation: dict[str, Any], said: str, patch: Patch) -> None:
        after = patch.applied(self.data)
        _refuse(problems_in(after, self.data))
        self.steps.append(Step(operation, said, patch))
        self.data = after

    @property
    def renames(self) -> tuple[Renames, ...]:
        """What moved or got another name, in order."""
        return tuple(step.patch.renames for step in self.steps)


def _refuse(problems: Sequence[Problem]) -> None:
    """Raise `BadChange` where a site would have mistakes."""
    if problems:
        listed = "".join(f"\n  {each}" for each in problems[:10])
        more = f"\n  and {len(problems) - 10} more" if len(problems) > 10 else ""
        raise BadChange(
            f"This would leave the site with mistakes; nothing was changed.{listed}{more}"
        )
