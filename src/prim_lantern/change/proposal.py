"""A change as it is put together: each step tried on the site as the steps before left it."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any

from prim_lantern.change.needs import missing_for
from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.pieces import differences
from prim_lantern.change.record import Patch, Record
from prim_lantern.change.renames import Renames, renamed
from prim_lantern.errors import BadChange, NotAllowed
from prim_lantern.site.check import problems_in
from prim_lantern.site.data import SiteData


@dataclass(frozen=True)
class Step:
    """One operation and what it came to."""

    operation: dict[str, Any]
    said: str
    patch: Patch


class Proposal:
    """Steps that somebody wants to make on a site. Nothing happens to the site itself.

    `before` is the site they start from, `data` the site as they leave it.
    """

    def __init__(self, before: SiteData, made: Made) -> None:
        self.before = before
        self.data = before
        self.made = made
        self.steps: list[Step] = []

    def do(self, operation: Operation) -> None:
        """Add a step. Raises an error, and adds nothing, where it cannot be made (`BadChange`, an
        unknown name …) or the one who makes it may not (`NotAllowed`)."""
        renames = operation.renames(self.data)
        after = operation.apply(self.data, self.made)
        base = renamed(self.data, renames) if renames.paths or renames.groups else self.data
        patch = Patch(renames, differences(base, after))
        said = operation.said()
        if patch.empty:
            raise BadChange(f"Nothing would change: {said}.")
        self._add(operation.to_dict(), said, patch, after, free=operation.asks_nothing)

    def replace_with(self, data: SiteData, said: str) -> None:
        """Add the step that makes the site say what another one says."""
        patch = Patch(Renames(), differences(self.data, data))
        if patch.empty:
            raise BadChange("The two say the same; nothing would change.")
        self._add({"do": "replace"}, said, patch, patch.applied(self.data))

    def undo(self, record: Record) -> None:
        """Add the step that takes back a change of the history, which has to fit."""
        after = self.data
        for patch in reversed(record.patches):
            inverse = patch.inverse
            self._add(
                {"do": "undo", "number": record.number},
                f"take back change {record.number}",
                inverse,
                inverse.applied(after),
                undoing=True,
            )
            after = self.data

    def _add(
        self,
        operation: dict[str, Any],
        said: str,
        patch: Patch,
        after: SiteData,
        *,
        free: bool = False,
        undoing: bool = False,
    ) -> None:
        problems = problems_in(after, self.data)
        if problems:
            listed = "".join(f"\n  {each}" for each in problems[:10])
            raise BadChange(
                f"This would leave the site with mistakes; nothing was changed.{listed}"
            )
        missing = [] if free else self._missing(patch, after, undoing=undoing)
        if missing:
            raise NotAllowed(self.made.by, missing)
        self.steps.append(Step(operation, said, patch))
        self.data = after

    def _missing(self, patch: Patch, after: SiteData, *, undoing: bool) -> list[str]:
        """What the one who makes it lacks for a step."""
        before, made = self.data, self.made
        if patch.renames_first:
            return missing_for(before, after, patch.renames, patch.pieces, made, undoing=undoing)
        middle = Patch(Renames(), patch.pieces).applied(before)  # each is asked about by itself
        missing = missing_for(before, middle, Renames(), patch.pieces, made, undoing=undoing)
        return missing + missing_for(middle, after, patch.renames, (), made)

    @property
    def renames(self) -> tuple[Renames, ...]:
        """What moved or got another name, in order."""
        return tuple(step.patch.renames for step in self.steps)
