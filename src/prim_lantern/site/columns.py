"""Many users or items in columns, each made into an object only when somebody asks for it."""

from __future__ import annotations

from array import array
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import fields
from typing import Any, Generic, TypeVar

from prim_lantern.site.origin import Origin

_T = TypeVar("_T")
_ORIGIN = "origin"


class Columns(Mapping[str, _T], Generic[_T]):
    """Objects of one frozen dataclass by name, kept as one list for each field.

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
        self.names: Sequence[str] = self._in_order[0]
        self.index: Mapping[str, int] = {name: i for i, name in enumerate(self.names)}
        self.changed: Mapping[int, _T] = {}
        self._filled: dict[str, Mapping[int, Any]] = {}
        self._file = file
        self._lines = lines if isinstance(lines, array) else array("l", lines)

    @classmethod
    def of(cls, make: type[_T], objects: Iterable[_T]) -> Columns[_T]:
        """The columns of objects that are there already."""
        objects = list(objects)
        names = [each.name for each in fields(make) if each.name != _ORIGIN]  # type: ignore[arg-type]
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
        if self._file is not None:
            values.append(Origin(self._file, self._lines[number]))
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
        changed = {self.index[self._name(each)]: each for each in objects}
        found.changed = {**self.changed, **changed}
        return found

    def revised(self, put: Iterable[_T] = (), gone: Collection[str] = ()) -> Columns[_T]:
        """The same with some objects put in (in the row of their name, or at the end), and
        those of some names gone. All columns stay shared where no row comes or goes."""
        put = list(put)
        added = [each for each in put if self._name(each) not in self.index]
        changed = [each for each in put if self._name(each) in self.index]
        found = self.with_changed(changed) if changed else self
        if not added and not gone:
            return found
        rows = [row for row, name in enumerate(self.names) if name not in gone]
        kept = len(rows)
        columns = {
            name: [values[row] for row in rows] + [getattr(each, name) for each in added]
            for name, values in self.columns.items()
        }
        lines: list[int] = []
        if self._file is not None:
            lines = [*(self._lines[row] for row in rows), *(0 for _ in added)]
        anew = Columns(self.make, columns, self._file, lines)
        now = {old: new for new, old in enumerate(rows)}
        anew.changed = {now[row]: each for row, each in found.changed.items() if row in now}
        anew.changed = {**anew.changed, **{kept + i: each for i, each in enumerate(added)}}
        return anew

    def _name(self, each: _T) -> str:
        name: str = getattr(each, next(iter(self.columns)))
        return name

    def differing(self, other: Columns[_T]) -> set[int] | None:
        """The rows in which two sets differ; None where they share no columns."""
        if self.columns.keys() != other.columns.keys() or self._in_order is not other._in_order:
            return None
        rows = self.changed.keys() | other.changed.keys()
        return {row for row in rows if self.changed.get(row) is not other.changed.get(row)}

    def same(self, row: int, other: Columns[_T], its_row: int) -> bool:
        """Whether a row says the same as a row of another set."""
        if not self.changed and not other.changed:
            pairs = zip(self._in_order, other._in_order, strict=True)
            return all(one[row] == another[its_row] for one, another in pairs)
        return self.at(row) == other.at(its_row)

    def __getitem__(self, name: str) -> _T:
        return self.at(self.index[name])

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
