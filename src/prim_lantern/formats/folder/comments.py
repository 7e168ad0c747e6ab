"""The comments between the tables of a TOML text, kept with the tables that they are about.

The parser takes what stands above a table for the end of the one before. Where a table comes or
goes, its neighbours would lose what was written about them.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from typing import Any, NamedTuple

from tomlkit import TOMLDocument
from tomlkit.container import Container
from tomlkit.items import AoT, Null, Table, Whitespace

_BLANK = "\n"


class _Lead(NamedTuple):
    """What stands above a table: headings with a blank line below, and what it begins with."""

    headings: str
    own: str

    @classmethod
    def of(cls, text: str) -> _Lead:
        """Take it apart."""
        lines = text.splitlines(keepends=True)
        blank = [number for number, line in enumerate(lines) if not line.strip()]
        cut = blank[-1] + 1 if blank else 0
        return cls("".join(lines[:cut]), "".join(lines[cut:]))


class Comments:
    """What stands between the tables of a document, taken out until `put_back`."""

    def __init__(self, document: TOMLDocument) -> None:
        self._document = document
        self._tables = list(_tables(document))
        after = [_take_trail(table) for table in self._tables]
        self._leads = [_Lead("", ""), *map(_Lead.of, after)]  # the last: at the end of the text

    def put_back(self) -> None:
        """Put each above the table that it is about; headings of a table that is gone go to the
        next, and a table that comes before the first of its sort takes over the heading."""
        _close_up(self._document)
        now = list(_tables(self._document))
        leads = self._of_those_there({id(table) for table in now})
        last = leads.pop(None)
        for before, table, after in zip([None, *now], now, [*now[1:], None], strict=False):
            lead = leads.get(id(table))
            if lead is None:
                table.trivia.indent = ""  # some get a blank line of their own, and some none
                lead = _Lead(_BLANK, "")
                below = leads.get(id(after))
                if below is not None and _first_of_its_sort(self._document, table):
                    lead, leads[id(after)] = _Lead(below.headings, ""), _Lead(_BLANK, below.own)
            if before is not None:
                _add_trail(before, lead.headings + lead.own)
        if now:
            _add_trail(now[-1], last.headings + last.own)

    def _of_those_there(self, there: set[int]) -> dict[int | None, _Lead]:
        """The leads of the tables that are still there, and (None) what ends the text."""
        found: dict[int | None, _Lead] = {}
        waiting = ""
        keys = [*map(id, self._tables), None]
        for key, lead in zip(keys, self._leads, strict=True):
            below = lead.headings.lstrip(_BLANK) if waiting else lead.headings
            if key is None or key in there:
                if key is None and waiting:  # nothing is below it any more
                    waiting = waiting.rstrip(_BLANK) + _BLANK
                found[key] = _Lead(waiting + below, lead.own)
                waiting = ""
            elif lead.headings.strip():
                waiting += below
        return found


def _tables(container: Container | TOMLDocument) -> Iterator[Table]:
    """The tables with a header of their own, in the order of the text."""
    for _, item in container.body:
        if isinstance(item, AoT):
            for each in item.body:
                yield each
                yield from _tables(each.value)
        elif isinstance(item, Table):
            if not item.is_super_table():
                yield item
            yield from _tables(item.value)


def _trail(table: Table) -> tuple[int, int]:
    """Where in the body of a table what is below its last value begins and ends."""
    body = table.value.body
    end = next((n for n, (_, e) in enumerate(body) if isinstance(e, AoT | Table)), len(body))
    start = end
    while start and body[start - 1][0] is None:
        start -= 1
    return start, end


def _take_trail(table: Table) -> str:
    start, end = _trail(table)
    body = table.value.body
    text = "".join(item.as_string() for _, item in body[start:end])
    body[start:end] = [(None, Null())] * (end - start)  # keys are found by where they stand
    return text


def _add_trail(table: Table, text: str) -> None:
    _take_trail(table)
    start, _ = _trail(table)
    table.value.body.insert(start, (None, Whitespace(text)))


def _close_up(container: Container | TOMLDocument) -> None:
    """Take out the blank lines that the parser puts before tables of its own."""
    for _, item in container.body:
        if isinstance(item, Table) and item.is_super_table():
            body = item.value.body
            body[:] = [(key, each) for key, each in body if not isinstance(each, Whitespace)]
            _close_up(item.value)


def _first_of_its_sort(document: Mapping[str, Any], table: Table) -> bool:
    """Whether a table stands before all others of its list."""
    return any(isinstance(each, AoT) and each.body[0] is table for each in document.values())
