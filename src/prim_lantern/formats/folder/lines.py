"""On which line each table, key and list entry of a TOML text stands.

The standard TOML reader keeps no positions; messages and explanations need them.
"""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence

Where = tuple[str | int, ...]
Token = tuple[str | None, str, int]

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
        self._of_table: dict[Where, dict[str, int]] = {}
        for where, line in self._lines.items():
            for size in range(1, len(where)):
                key, *entry = where[size:]
                if not entry:
                    name = str(key)
                elif len(entry) == 1 and isinstance(entry[0], int):
                    name = f"{key}[{entry[0]}]"
                else:
                    continue
                self._of_table.setdefault(where[:size], {})[name] = line

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
        return self._of_table.get(where, {})

    def _read(self, text: str) -> None:
        """Walk the tokens: headers, keys, and what opens and closes in the values."""
        line, tokens = 1, []
        for token in _TOKEN.finditer(text):
            if token.lastgroup != "comment":
                tokens.append((token.lastgroup, token.group(), line))
            line += token.group().count("\n")
        table: Where = ()
        at = 0
        while at < len(tokens):
            kind, word, line = tokens[at]
            if word == "[" and kind == "mark":
                listed = tokens[at + 1][1:] == ("[", line)
                names, at = _names(tokens, at + 1 + listed)
                table = self._enter(names, listed=listed, line=line)
                at += 1 + listed  # the closing brackets
            elif kind == "newline":
                at += 1
            else:
                names, at = _names(tokens, at)
                key = (*table, *names)
                self._lines.setdefault(key, line)
                at = self._value(key, tokens, at + 1)  # behind the equals sign

    def _value(self, key: Where, tokens: Sequence[Token], at: int) -> int:
        """Note the entries of a list; gives the place behind the value."""
        depth, entry, fresh = 0, 0, False
        is_list = tokens[at][1] == "[" and tokens[at][0] == "mark"
        while at < len(tokens):
            kind, word, line = tokens[at]
            if kind == "newline" and depth == 0:
                return at
            if fresh and kind != "newline" and word != "]":
                self._lines.setdefault((*key, entry), line)
                fresh = False
            if kind == "mark":
                depth += {"[": 1, "{": 1, "]": -1, "}": -1}.get(word, 0)
                if depth == 1 and is_list and word in "[,":
                    entry, fresh = entry + (word == ","), True
            at += 1
        return at

    def _enter(self, names: list[str], *, listed: bool, line: int) -> Where:
        """Note the table of a header; a listed one gets its number."""
        where: Where = ()
        for name in names[:-1]:
            where = (*where, name)
            self._lines.setdefault(where, line)
            if where in self._counts:  # a table below the latest of a listed one
                where = (*where, self._counts[where])
        where = (*where, names[-1])
        if listed:
            self._counts[where] = self._counts.get(where, -1) + 1
            where = (*where, self._counts[where])
        self._lines.setdefault(where, line)
        return where


def _names(tokens: Sequence[Token], at: int) -> tuple[list[str], int]:
    """The names of a header or key from here on, and the place behind them."""
    names = []
    while tokens[at][1] not in ("]", "=") or tokens[at][0] != "mark":
        kind, word, _ = tokens[at]
        if kind != "mark":
            names.append(_unquoted(word) if kind == "text" else word)
        at += 1
    return names, at


def _unquoted(word: str) -> str:
    if word[0] == "'":
        return word[1:-1]
    return re.sub(r"\\(.)", r"\1", word[1:-1])
