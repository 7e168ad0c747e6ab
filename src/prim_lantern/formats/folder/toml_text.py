"""Plain tables as TOML text: fresh, or into a text that is there, whose style is kept."""

from __future__ import annotations

from collections.abc import Mapping, MutableMapping
from difflib import SequenceMatcher
from typing import Any

import tomlkit

from prim_lantern.formats.folder.comments import Comments
from prim_lantern.formats.folder.window import window

_LAID_OUT_FROM = 70  # letters from which a list gets a line for each entry

Tables = Mapping[str, Any]


def fresh_text(tables: Tables) -> str:
    """The tables as a new text."""
    document = tomlkit.document()
    for name, value in tables.items():
        document[name] = _section(name, value)
    return tomlkit.dumps(document)


def updated_text(text: str, before: Tables, after: Tables) -> str:
    """The text with what differs between two states of its tables, and nothing else, changed.

    Comments, order, layout and what was written without need stay as they are.
    """
    if text and not text.endswith("\n"):
        text += "\n"
    start, end, was, now = window(text, before, after)
    return text[:start] + _updated(text[start:end], was, now) + text[end:]


def _updated(text: str, before: Tables, after: Tables) -> str:
    document = tomlkit.parse(text)
    comments = Comments(document)
    for name in before:
        if name not in after:
            del document[name]
    for name, value in after.items():
        if name not in before:
            document[name] = _section(name, value)
        elif isinstance(value, list):
            _update_list(document[name], before[name], value)
        elif name == "site":
            _update_table(document[name], before[name], value)
        else:
            _update_named(document[name], before[name], value)
    comments.put_back()
    return tomlkit.dumps(document)


def _update_named(section: Any, before: Tables, after: Tables) -> None:
    for name in before:
        if name not in after:
            del section[name]
    for name, entry in after.items():
        if name in before:
            _update_table(section[name], before[name], entry)
        else:
            section[name] = _table(entry)


def _update_table(table: MutableMapping[str, Any], before: Tables, after: Tables) -> None:
    for key in before:
        if key not in after:
            del table[key]
    for key, value in after.items():
        if key not in before or before[key] != value:
            table[key] = _laid_out(value)


def _update_list(section: Any, before: list[Any], after: list[Any]) -> None:
    """Change the listed tables that differ; the others stay as they are written."""
    steps = SequenceMatcher(None, [*map(repr, before)], [*map(repr, after)], autojunk=False)
    for what, start, end, new_start, new_end in reversed(steps.get_opcodes()):
        if what == "equal":
            continue
        shared = min(end - start, new_end - new_start)
        for number in reversed(range(start + shared, end)):
            del section[number]
        for number in reversed(range(new_start + shared, new_end)):
            section.insert(start + shared, _table(after[number]))
        for step in range(shared):
            _update_table(section[start + step], before[start + step], after[new_start + step])


def _section(name: str, value: Any) -> Any:
    if isinstance(value, list):
        section = tomlkit.aot()
        for entry in value:
            section.append(_table(entry))
        return section
    if name == "site":
        return _table(value)
    outer = tomlkit.table(is_super_table=True)
    for each, entry in value.items():
        outer[each] = _table(entry)
    return outer


def _table(entry: Tables) -> Any:
    table = tomlkit.table()
    for key, value in entry.items():
        table[key] = _laid_out(value)
    table.add(tomlkit.nl())
    return table


def _laid_out(value: Any) -> Any:
    if not isinstance(value, list):
        return value
    array = tomlkit.array()
    for each in value:
        if isinstance(each, dict):
            inline = tomlkit.inline_table()
            inline.update(each)
            array.append(inline)
        else:
            array.append(each)
    rows = any(isinstance(each, dict) for each in value)
    return array.multiline(rows or len(array.as_string()) > _LAID_OUT_FROM)
