"""Many users or items in columns, each made into an object only when somebody asks for it."""

from __future__ import annotations

from array import array
from bisect import bisect_left, bisect_right
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from operator import attrgetter
from typing import Any, Generic, NamedTuple, TypeVar, overload

from prim_lantern.site.origin import Origin
from prim_lantern.values import names_of

_T = TypeVar("_T")
_D = TypeVar("_D")
_ORIGIN = "origin"
_FEW = 100  # rows that are cut out one by one
_STEPS_KEPT = 200  # moves that are remembered
_MANY = 2_000  # objects beside the columns


class Moved(NamedTuple):
    """How rows became others: those that are `gone` (by their old number), how many were `kept`, in
    order, and how many were `added` after them; which of the kept have `changed` (by their new
    number)."""

    gone: tuple[int, ...]
    kept: int
    added: int
    changed: frozenset[int]

    def now(self, row: int) -> int | None:
        """The new number of an old row; None where it is gone."""
        before = bisect_left(self.gone, row)
        return None if before < len(self.gone) and self.gone[before] == row else row - before

    def was(self, row: int) -> int:
        """The old number of a row that was kept."""
        if not self.gone:
            return row
        found = row
        while found - bisect_right(self.gone, found) < row:
            found = row + bisect_right(self.gone, found)
        return found

    @property
    def same(self) -> bool:
        """Whether no row came or went."""
        return not (self.gone or self.added)

    @property
    def new(self) -> range:
        """The rows that were added."""
        return range(self.kept, self.kept + self.added)


class _Step(NamedTuple):
    """What rows came from, and how."""

    since: object
    moved: Moved


def _joined(steps: Sequence[Moved]) -> Moved:
    """Several moves, one after the other, as one."""
    found = steps[0]
    for step in steps[1:]:
        old = [row for row in step.gone if row < found.kept]
        gone = tuple(sorted((*found.gone, *map(found.was, old)))) if old else found.gone
        added = found.added - (len(step.gone) - len(old)) + step.added
        changed = found.changed if step.same else set(map(step.now, found.changed)) - {None}
        found = Moved(gone, found.kept - len(old), added, frozenset((*changed, *step.changed)))
    return found._replace(changed=frozenset(row for row in found.changed if row < found.kept))


def _file_of(each: Any) -> str | None:
    origin: Origin | None = getattr(each, _ORIGIN)
    return origin.file if origin is not None else None


def _without(values: Sequence[Any], rows: Sequence[int]) -> Sequence[Any]:
    """Values without those of some rows, which are few or many."""
    if not rows:
        return values
    if len(rows) > _FEW:
        left = set(rows)
        return [value for row, value in enumerate(values) if row not in left]
    found: list[Any] = []
    start = 0
    for row in rows:
        found += values[start:row]
        start = row + 1
    found += values[start:]
    return found


class Columns(Mapping[str, _T], Generic[_T]):
    """Values of one class by name, kept as one list for each field.

    The first field is the name. `lines` has, for objects that were read from a file, the
    line of each. A column accepts no change; `with_changed` makes a new set that shares
    all the rest.
    """

    def __init__(
        self,
        make: type[_T],
        columns: Mapping[str, Sequence[Any]],
        file: str | None = None,
        lines: Sequence[int] = (),
    ) -> None:
        self.make = make
        self.columns = dict(columns)
        self._in_order = tuple(self.columns.values())
        self._name_of = attrgetter(next(iter(self.columns)))
        self.names: Sequence[str] = self._in_order[0]
        self.index: Mapping[str, int] = {name: i for i, name in enumerate(self.names)}
        self.changed: Mapping[int, _T] = {}
        self._filled: dict[str, Mapping[int, Any]] = {}
        self.file = file
        self.lines = lines if isinstance(lines, array) else array("l", lines)
        self._token = object()  # these rows, as they are
        self._steps: tuple[_Step, ...] = ()  # by which they came from those of earlier tokens

    @classmethod
    def of(cls, make: type[_T], objects: Iterable[_T]) -> Columns[_T]:
        """The columns of objects that are there already."""
        objects = list(objects)
        names = [name for name in names_of(make) if name != _ORIGIN]
        found = cls(make, {name: [getattr(each, name) for each in objects] for name in names})
        if any(getattr(each, _ORIGIN) is not None or type(each) is not make for each in objects):
            found.changed = dict(enumerate(objects))
        return found

    def at(self, number: int) -> _T:
        """The object of a row."""
        found = self.changed.get(number)
        if found is not None:
            return found
        values = [column[number] for column in self._in_order]
        if self.file is not None:
            values.append(Origin(self.file, self.lines[number]))
        return self.make(*values)

    def value(self, column: str, number: int) -> Any:
        """One field of a row, without making the object."""
        found = self.changed.get(number)
        return self.columns[column][number] if found is None else getattr(found, column)

    def values_of(self, column: str) -> Sequence[Any]:
        """One field of every row."""
        values = self.columns[column]
        if not self.changed:
            return values
        values = list(values)
        for number, each in self.changed.items():
            values[number] = getattr(each, column)
        return values

    def values_at(self, column: str, rows: Iterable[int]) -> list[Any]:
        """One field of some rows, without making the objects."""
        values, changed = self.columns[column], self.changed
        if not changed:
            return [values[row] for row in rows]
        return [self.value(column, row) if row in changed else values[row] for row in rows]

    def filled(self, column: str) -> Mapping[int, Any]:
        """One field of the rows where it is not empty, for columns that mostly are."""
        found = self._filled.get(column)
        if found is None:
            values = self.columns[column]
            found = {row: value for row, value in enumerate(values) if value}
            self._filled[column] = found
        if not self.changed:
            return found
        now = {row: getattr(each, column) for row, each in self.changed.items()}
        both = {**found, **now}
        return {row: both[row] for row in sorted(both) if both[row]}

    def with_changed(self, objects: Iterable[_T]) -> Columns[_T]:
        """The same with some objects replaced by others of the same names."""
        found = object.__new__(type(self))
        found.__dict__.update(self.__dict__)
        changed = {self.index[self._name_of(each)]: each for each in objects}
        found.changed = {**self.changed, **changed}
        found._came_by(self, Moved((), len(self.names), 0, frozenset(changed)))
        if len(found.changed) > max(_MANY, len(self.names) // 10):
            found._fold()
        return found

    def revised(self, put: Iterable[_T] = (), gone: Collection[str] = ()) -> Columns[_T]:
        """The same with some objects put in (in the row of their name, or at the end), and
        those of some names gone. All columns stay shared where no row comes or goes."""
        added: list[_T] = []
        changed: list[_T] = []
        for each in put:
            (changed if self._name_of(each) in self.index else added).append(each)
        found = self.with_changed(changed) if changed else self
        if not added and not gone:
            return found
        rows = sorted(self.index[name] for name in gone if name in self.index)
        size = len(self.names) - len(rows)
        columns = {
            name: [*_without(values, rows), *(getattr(each, name) for each in added)]
            for name, values in found.columns.items()
        }
        lines: Sequence[int] = ()
        if self.file is not None:
            lines = array("l", [*_without(found.lines, rows), *(0 for _ in added)])
        anew = Columns(self.make, columns, self.file, lines)
        moved = Moved(tuple(rows), size, len(added), frozenset())
        anew.changed = {
            **{now: e for row, e in found.changed.items() if (now := moved.now(row)) is not None},
            **{size + at: each for at, each in enumerate(added)},
        }
        anew._filled = {
            name: {
                **{now: v for row, v in some.items() if (now := moved.now(row)) is not None},
                **{size + at: v for at, each in enumerate(added) if (v := getattr(each, name))},
            }
            for name, some in found._filled.items()
        }
        anew._came_by(found, moved)
        return anew

    def _came_by(self, before: Columns[_T], moved: Moved) -> None:
        self._token = object()
        self._steps = (*before._steps, _Step(before._token, moved))[-_STEPS_KEPT:]

    def _fold(self) -> None:
        """Put the objects that many rows have become into the columns, so that each change costs
        as what it changes. Those of which the columns cannot tell all stay objects."""
        file = self.file
        folded = {
            row: each
            for row, each in self.changed.items()
            if type(each) is self.make and _file_of(each) == file
        }
        if 2 * len(folded) < len(self.changed):
            return  # it would have to be done again soon
        for name, values in self.columns.items():
            anew = list(values)
            for row, each in folded.items():
                anew[row] = getattr(each, name)
            self.columns = {**self.columns, name: anew}
        self._in_order = tuple(self.columns.values())
        self.names = self._in_order[0]
        if file is not None:
            self.lines = self.lines[:]
            for row, each in folded.items():
                self.lines[row] = getattr(each, _ORIGIN).line
        self.changed = {row: e for row, e in self.changed.items() if row not in folded}
        self._filled = {}

    def moved_since(self, other: Columns[_T]) -> Moved | None:
        """How the rows of other columns became these, and which may say something else; None where
        that is not known."""
        if self._token is other._token:
            return Moved((), len(self.names), 0, frozenset())
        theirs = {step.since: at for at, step in enumerate(other._steps)}
        theirs[other._token] = len(other._steps)
        mine = [*(step.since for step in self._steps), self._token]
        at = next((n for n in range(len(mine) - 1, -1, -1) if mine[n] in theirs), None)
        if at is None:
            return None
        since = [step.moved for step in other._steps[theirs[mine[at]] :]]
        if not all(each.same for each in since):
            return None  # they went another way
        changed = frozenset(row for each in since for row in each.changed)
        back = Moved((), len(other.names), 0, changed)
        return _joined([back, *(step.moved for step in self._steps[at:])])

    def differing(self, other: Columns[_T]) -> set[int] | None:
        """The rows that are new or say something else than in other columns; None where that is not
        known."""
        moved = self.moved_since(other)
        return None if moved is None else {*moved.changed, *moved.new}

    def same(self, row: int, other: Columns[_T], its_row: int) -> bool:
        """Whether a row says the same as a row of another set."""
        if not self.changed and not other.changed:
            pairs = zip(self._in_order, other._in_order, strict=True)
            return all(one[row] == another[its_row] for one, another in pairs)
        return self.at(row) == other.at(its_row)

    def __getitem__(self, name: str) -> _T:
        return self.at(self.index[name])

    @overload
    def get(self, name: str, /) -> _T | None: ...
    @overload
    def get(self, name: str, /, default: _T | _D) -> _T | _D: ...
    def get(self, name: str, /, default: Any = None) -> Any:
        """The object of a name, or what is given in its place."""
        row = self.index.get(name)
        return default if row is None else self.at(row)

    def __iter__(self) -> Iterator[str]:
        return iter(self.names)

    def __len__(self) -> int:
        return len(self.names)

    def __contains__(self, name: object) -> bool:
        return name in self.index

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Mapping):
            return NotImplemented
        return len(self) == len(other) and all(other.get(n) == each for n, each in self.items())

    __hash__ = None  # type: ignore[assignment]
