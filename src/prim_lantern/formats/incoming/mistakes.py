"""What cannot be understood in a file that comes in: each mistake once, with all its lines."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from typing import Final

from prim_lantern.errors import BadSite, BadValue
from prim_lantern.site.origin import Origin, Problem

_LINES_NAMED: Final = 3
_ALIKE_NAMED: Final = 5


class Mistakes:
    """Mistakes by column, value and what was expected."""

    def __init__(self, file: str, counted: str = "line") -> None:
        self._file = file
        self._counted = counted
        self._found: dict[tuple[str, str, str], tuple[Sequence[str], list[int]]] = {}

    def note(
        self, line: int, column: str, value: str, expected: str, near: Sequence[str] = ()
    ) -> None:
        """Note one cell that cannot be understood."""
        self._found.setdefault((column, value, expected), (near, []))[1].append(line)

    def note_error(self, line: int, column: str, value: str, error: BadValue) -> None:
        """Note one cell, by the error that reading it gave."""
        self.note(line, column, value, error.expected)

    def raise_any(self) -> None:
        """Raise `BadSite` with all of them, if there are any; of many alike, the first few."""
        problems = []
        alike = Counter((column, expected) for column, _, expected in self._found)
        told = Counter[tuple[str, str]]()
        for (column, value, expected), (near, lines) in self._found.items():
            told[column, expected] += 1
            if told[column, expected] > _ALIKE_NAMED:
                continue
            rest = alike[column, expected] - _ALIKE_NAMED
            last = told[column, expected] == _ALIKE_NAMED and rest > 0
            more = f" And {rest:,} more such values in this column." if last else ""
            expected = f"{expected}{self._also(lines)}{more}"
            problems.append(self._problem(lines[0], column, value, expected, near))
        if problems:
            raise BadSite(problems, self._file)

    def _problem(
        self, line: int, column: str, value: str, expected: str, near: Sequence[str]
    ) -> Problem:
        if self._counted == "line":
            return Problem(Origin(self._file, line), column, value, expected, tuple(near))
        spot = f"{self._file}, {self._counted} {line}, {column}"
        return Problem(None, spot, value, expected, tuple(near))

    def _also(self, lines: Sequence[int]) -> str:
        """The other lines in which a mistake is."""
        more, rest = lines[1:_LINES_NAMED], len(lines) - _LINES_NAMED
        if not more:
            return ""
        rest_told = f" and {rest:,} more" if rest > 0 else ""
        return f" Also in {self._counted} {', '.join(map(str, more))}{rest_told}."
