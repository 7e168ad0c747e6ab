"""On which line each table, key and list entry of a TOML text stands.

The standard TOML reader keeps no positions; messages and explanations need them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping

Where = tuple[str | int, ...]

_TOKEN = re.compile(
    r'(?P<text>"""(?:\\.|[^\\])*?"{3,5}|\'{3}.*?\'{3,5}|"(?:\\.|[^"\\\n])*"|\'[^\'\n]*\')'
    r"|(?P<comment>\#[^\n]*)|(?P<newline>\n)|(?P<mark>[\[\]{},=.])|(?P<bare>[^\s\[\]{},=.\#\"']+)",
    re.DOTALL,
)


class TomlLines:
    """The lines of a text that is known to be proper TOML.

    >>> lines = TomlLines('[site]\\nname = "Harbour"\\n[[rules]]\\nto = [\\n "guests",\\n]\\n')
    >>> lines.of("site", "name"), lines.of("rules", 0), lines.of("rules", 0, "to", 0)
    (2, 3, 5)
    """

    def __init__(self, text: str) -> None:
        self._lines: dict[Where, int] = {}
        self._counts: dict[Where, int] = {}
        self._read(text)

    def of(self, *where: str | int) -> int:
        """The line of a table (`"groups", "keepers"`), a listed table (`"rules", 0`), one of
        its keys, or an entry of a key's list; of what holds it, where it has no line."""
        while where:
            line = self._lines.get(where)
            if line is not None:
                return line
            where = where[:-1]
        return 1

    def below(self, *where: str | int) -> Mapping[str, int]:
        """The lines of all keys of a table (`to`) and of the entries of their lists (`to[1]`)."""
        size = len(where)
        found = {}
        for each, line in self._lines.items():
            if each[:size] == where and len(each) > size:
                key, *entry = each[size:]
                if not entry:
                    found[str(key)] = line
                elif len(entry) == 1 and isinstance(entry[0], int):
                    found[f"{key}[{entry[0]}]"] = line
        return found

    def _read(self, text: str) -> None:
        line, depth, entry = 1, 0, 0
        table: Where = ()
        key: Where = ()
        names: list[str] = []  # of the header or key being read
        header = 0  # how many brackets opened the header being read
        value = fresh = False  # in a value; at the start of one of its entries
        for token in _TOKEN.finditer(text):
            kind, word, at = token.lastgroup, token.group(), line
            line += word.count("\n")
            if kind == "newline":
                if depth == 0 and not header:
                    value, names = False, []
            elif kind == "comment":
                continue
            elif value:
                if depth == 1 and fresh and word != "]":
                    self._lines.setdefault((*key, entry), at)
                    fresh = False
                if word in ("[", "{"):
                    depth += 1
                    if depth == 1:
                        entry, fresh = 0, word == "["
                elif word in ("]", "}"):
                    depth -= 1
                elif word == "," and depth == 1:
                    entry, fresh = entry + 1, True
            elif word == "[":
                header += 1
            elif word == "]":
                if names:
                    table = self._enter(names, listed=header == 2, line=at)
                    names = []
                header -= 1
            elif word == "=":
                key = (*table, *names)
                self._lines.setdefault(key, at)
                value, names = True, []
            elif word != ".":
                names.append(_unquoted(word) if kind == "text" else word)

    def _enter(self, names: list[str], *, listed: bool, line: int) -> Where:
        """Note the table of a header; a listed one gets its number."""
        where: Where = ()
        for name in names[:-1]:
            where = (*where, name)
            if where in self._counts:  # a table below the latest of a listed one
                where = (*where, self._counts[where])
        where = (*where, names[-1])
        if listed:
            self._counts[where] = self._counts.get(where, -1) + 1
            where = (*where, self._counts[where])
        self._lines.setdefault(where, line)
        return where


def _unquoted(word: str) -> str:
    if word[0] == "'":
        return word[1:-1]
    return re.sub(r"\\(.)", r"\1", word[1:-1])
