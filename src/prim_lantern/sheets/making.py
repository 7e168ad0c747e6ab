"""A change while it is put together from an edited workbook."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from typing import NamedTuple, Protocol

from prim_lantern.change.operations.base import Made, Operation
from prim_lantern.change.proposal import Proposal
from prim_lantern.decide.engine import Engine
from prim_lantern.errors import NothingToChange, PrimLanternError
from prim_lantern.formats.workbook import Cell, Sheet
from prim_lantern.insight.commands import command_of
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Problem
from prim_lantern.values import replace


class Step(NamedTuple):
    """What a cell came to: where it is, what it asks for where several things could give it, the
    operations, and whether no other single step was found to do less."""

    spot: str
    says: str
    operations: tuple[Operation, ...]
    least: bool = False

    @property
    def commands(self) -> tuple[str, ...]:
        """The commands that make the operations."""
        return tuple(map(_command, self.operations))

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "cell": self.spot,
            "says": self.says,
            "operations": [each.to_dict() for each in self.operations],
            "commands": list(self.commands),
            "least": self.least,
        }


def _command(operation: Operation) -> str:
    try:
        return command_of(operation)
    except KeyError:
        return operation.said()


class Row(NamedTuple):
    """A row that says something else than it did: `before` and `after` by column, of those that
    differ; `cells` has all. `new` says that it was not there, `unseen` of which columns nobody saw
    what they said."""

    name: str
    new: bool
    before: Mapping[str, str]
    after: Mapping[str, str]
    cells: Mapping[str, Cell]
    unseen: frozenset[str] = frozenset()

    def spot(self, column: str | None = None) -> str:
        """Where a column of it is, or its first one."""
        found = self.cells.get(column or "") or next(iter(self.cells.values()))
        return found.spot

    def text(self, column: str) -> str:
        """What it says now in a column."""
        cell = self.cells.get(column)
        return cell.text if cell is not None else ""


class Page(Protocol):
    """One page of the workbook."""

    name: str

    def sheet(self, engine: Engine) -> Sheet:
        """The page as it is now."""

    def now(self, engine: Engine, row: str, column: str) -> str:
        """What a cell would say that was not there when the workbook was made."""

    def make(self, making: Making, rows: list[Row]) -> None:
        """Add what the edited rows come to."""


class Making:
    """The steps so far, and what could not be understood."""

    def __init__(self, engine: Engine, made: Made, file: str) -> None:
        self._before = engine
        self._proposal = Proposal(engine.data, made)
        self._file = file
        self._engine: Engine | None = engine
        self.new_areas: set[str] = set()
        self.problems: list[Problem] = []
        self.steps: list[Step] = []
        self.progress: Callable[[], None] = lambda: None

    @property
    def data(self) -> SiteData:
        """The site as the steps so far leave it."""
        return self._proposal.data

    @property
    def engine(self) -> Engine:
        """Decides on the site as it is after the steps so far; what is new counts as published."""
        if self._engine is None:
            self._engine = self.engine_with(self.data)
        return self._engine

    def engine_with(self, data: SiteData) -> Engine:
        """Likewise, on another site that came of it."""
        new = [
            replace(data.items[each], state=PUBLISHED)
            for each in sorted(self.new_areas)
            if each in data.items
        ]
        if new:
            data = data.with_parts(items=data.content.revised(new))
        return self._before.after(data, self._before.at)

    def tried(
        self, operations: tuple[Operation, ...], data: SiteData | None = None
    ) -> Engine | None:
        """The same with some more operations, on the site so far or another one that came of it;
        None where they cannot be made."""
        proposal = Proposal(self.data if data is None else data, self._proposal.made)
        try:
            for each in operations:
                proposal.do(each)
        except PrimLanternError:
            return None
        return self.engine_with(proposal.data)

    def problem(self, spot: str, value: object, said: str, near: tuple[str, ...] = ()) -> None:
        """Note what cannot be understood, or cannot be made."""
        self.problems.append(Problem(None, f"{self._file}, {spot}", value, said, near))

    def do(self, spot: str, *operations: Operation, says: str = "", least: bool = False) -> None:
        """Add what a cell comes to; noted as a problem where it cannot be made."""
        made = []
        for each in operations:
            try:
                self._proposal.do(each)
            except NothingToChange:
                continue
            except PrimLanternError as error:
                self.problem(spot, None, f"cannot be made so: {error}")
                break
            made.append(each)
        if made:
            self.steps.append(Step(spot, says, tuple(made), least))
            self._engine = None


def names_in(text: str) -> Iterator[str]:
    """The names of a list in a cell."""
    for each in text.replace(",", ";").replace("\n", ";").split(";"):
        if each.strip():
            yield each.strip()


def inherited(text: str) -> str:
    """What comes from elsewhere, as a cell says it."""
    return f"({text})" if text else ""


def bare(text: str) -> str:
    """What a cell says, whether it comes from elsewhere or not."""
    text = text.strip()
    return text[1:-1].strip() if text.startswith("(") and text.endswith(")") else text
