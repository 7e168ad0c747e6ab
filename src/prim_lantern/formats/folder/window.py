"""The part of a TOML text within which all lies that differs between two states of its tables.

Parsing a text so that its comments can be kept takes long, and a change touches a few tables of it.
"""

from __future__ import annotations

import re
import tomllib
from collections import Counter
from collections.abc import Iterable, Iterator, Mapping, Sequence
from typing import Any, NamedTuple

Tables = Mapping[str, Any]
Key = tuple[str, str | int]  # a section, and the name or number of a table in it
Span = tuple[int, int]

_HEADER = re.compile(r"^[ \t]*\[\[?([^\[\]\n]+)\]\]?[ \t\r]*(?:#.*)?$", re.MULTILINE)


class Window(NamedTuple):
    """A part of a text, and what its tables say before and after."""

    start: int
    end: int
    before: Tables
    after: Tables


def window(text: str, before: Tables, after: Tables) -> Window:
    """The narrowest part with a table to either side that stays, as a comment between two belongs
    to one of them; the whole text, where not each table has a header of its own, or a section
    lies here and there."""
    headers = list(_HEADER.finditer(text))
    keys = list(_keys(match[1] for match in headers))
    spans = _spans(keys)
    in_order = sum(end - start for start, end in spans.values()) == len(keys)
    if not in_order or Counter(keys) != Counter(_expected(before)):
        return Window(0, len(text), before, after)
    differ = [name for name in {**before, **after} if before.get(name) != after.get(name)]
    touched = [_touched(name, before, after, keys, spans) for name in differ]
    first = max(min(start for start, _ in touched) - 1, 0)
    end = min(max(end for _, end in touched) + 1, len(keys))
    inside = keys[first:end]
    return Window(
        headers[first].start() if first else 0,
        headers[end].start() if end < len(keys) else len(text),
        {name: _before(name, before[name], inside) for name, _ in inside},
        {
            name: _after(before[name], after[name], inside=[k for n, k in inside if n == name])
            if name in before
            else after[name]
            for name in after
            if name not in before or name in dict(inside)
        },
    )


def _keys(headers: Iterable[str]) -> Iterator[Key]:
    """Which table each header begins, in the order of the text."""
    counts = Counter[str]()
    for header in headers:
        name, *rest = _names(header)
        if rest or name == "site":
            yield name, ".".join(rest)
        else:
            yield name, counts[name]
            counts[name] += 1


def _names(header: str) -> list[str]:
    if '"' not in header and "'" not in header:
        return [name.strip() for name in header.split(".")]
    names, inner = [], tomllib.loads(f"[{header}]")
    while inner:
        (name,) = inner
        names.append(name)
        inner = inner[name]
    return names


def _expected(tables: Tables) -> Iterator[Key]:
    for name, value in tables.items():
        if name == "site":
            yield name, ""
        else:
            yield from (
                (name, each) for each in (value if isinstance(value, dict) else range(len(value)))
            )


def _spans(keys: Sequence[Key]) -> dict[str, Span]:
    """From which table to which each section lies."""
    spans: dict[str, Span] = {}
    for number, (name, _) in enumerate(keys):
        spans[name] = (spans.get(name, (number,))[0], number + 1)
    return spans


def _touched(
    name: str, before: Tables, after: Tables, keys: Sequence[Key], spans: Mapping[str, Span]
) -> Span:
    """From which table to which a section differs; for what is added, twice the place where."""
    if name not in before:
        return len(keys), len(keys)  # it comes at the end
    start, end = spans[name]
    was, now = before[name], after.get(name)
    if now is None or name == "site":
        return start, end
    if isinstance(was, list):
        same = _same(was, now)
        return start + same, end - _same(was[same:][::-1], now[same:][::-1])
    changed = [at for at in range(start, end) if was[keys[at][1]] != now.get(keys[at][1])]
    added = [end] if now.keys() - was.keys() else []
    return min(changed + added), max([at + 1 for at in changed] + added)


def _same(one: Sequence[Any], other: Sequence[Any]) -> int:
    """How many entries two lists share at their beginning."""
    pairs = enumerate(zip(one, other, strict=False))
    return next((at for at, (a, b) in pairs if a != b), min(len(one), len(other)))


def _before(name: str, value: Any, inside: Iterable[Key]) -> Any:
    """What a section says before, of the tables inside the window."""
    if name == "site":
        return value
    here: list[Any] = [key for section, key in inside if section == name]
    return [value[key] for key in here] if isinstance(value, list) else {k: value[k] for k in here}


def _after(was: Any, now: Any, inside: Sequence[Any]) -> Any:
    """What a section says after, of the tables inside the window and of new ones."""
    if inside == [""]:
        return now
    if isinstance(was, list):
        return now[inside[0] : len(now) - (len(was) - 1 - inside[-1])]
    return {name: entry for name, entry in now.items() if name in inside or name not in was}
