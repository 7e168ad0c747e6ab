"""Which column of a file holds what, and what the words in it mean."""

from __future__ import annotations

import json
import re
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

from prim_lantern.errors import BadQuestion
from prim_lantern.formats.json_text import read_json
from prim_lantern.formats.whole import write_whole
from prim_lantern.hints import misfit
from prim_lantern.site.names import folded, nearest
from prim_lantern.wording import did_you_mean

ATTRIBUTE = "attribute:"
_SAME = {"e_mail": "email", "full_name": "name", "mail": "email"}


@dataclass(frozen=True)
class Mapped:
    """How a file is to be read: `columns` says what some of its columns hold; `values` what some
    words in a column of ours mean."""

    columns: Mapping[str, str] = field(default_factory=dict)
    values: Mapping[str, Mapping[str, str]] = field(default_factory=dict)

    def value(self, column: str, text: str) -> str:
        """What a text in a column of ours means."""
        return self.values.get(column, {}).get(folded(text), text)

    def and_also(self, other: Mapped) -> Mapped:
        """Both; the other one wins."""
        names = {*self.values, *other.values}
        values = {n: {**self.values.get(n, {}), **other.values.get(n, {})} for n in names}
        return Mapped({**self.columns, **other.columns}, values)


def mapped_from(columns: Sequence[str], values: Sequence[str]) -> Mapped:
    """What was said on the command line: "URL=path" and "state:live=published"."""
    found: dict[str, dict[str, str]] = {}
    for text in values:
        left, equals, to = text.rpartition("=")
        column, colon, was = left.partition(":")
        if not (equals and colon and column.strip() and was.strip()):
            raise BadQuestion(
                f"{text!r} maps nothing: write COLUMN:THEIRS=OURS, as in state:live=published."
            )
        found.setdefault(column.strip(), {})[folded(was)] = to.strip()
    theirs = {}
    for text in columns:
        name, equals, ours = text.rpartition("=")
        if not (equals and name.strip() and ours.strip()):
            raise BadQuestion(f"{text!r} maps nothing: write THEIRS=OURS, as in URL=path.")
        theirs[name.strip()] = ours.strip()
    return Mapped(theirs, found)


def columns_of(
    header: Sequence[str], ours: Sequence[str], attributes: Sequence[str] | None, said: Mapped
) -> dict[str, str]:
    """What each column of a file holds, by its name: those that were said, and those that are
    called as ours are. The others are left out.

    `attributes` are those of the people; a column can hold a new one as `attribute:NAME`.
    Raises `BadQuestion` for what was said of columns that are not there or not ours.
    """
    known = {_plain(each): each for each in ours}
    known |= {_plain(each): f"{ATTRIBUTE}{each}" for each in attributes or ()}
    by_name = {folded(each): each for each in header}
    found: dict[str, str] = {}
    for theirs, our in said.columns.items():
        if folded(theirs) not in by_name:
            continue  # kept from another file
        target = known.get(_plain(our), our)
        new = attributes is not None and target.startswith(ATTRIBUTE)
        if target not in known.values() and not new and target != "-":
            hint = did_you_mean(nearest(our, [*known.values()]))
            raise BadQuestion(f"There is no column {our!r} to map {theirs!r} to.{hint}")
        found[by_name[folded(theirs)]] = target
    taken = set(found.values())
    for name in header:
        target = known.get(_SAME.get(_plain(name), _plain(name)), "")
        if name not in found and target and target not in taken:
            found[name] = target
            taken.add(target)
    twice = [each for each in taken - {"-"} if list(found.values()).count(each) > 1]
    if twice:
        names = " and ".join(repr(name) for name, each in found.items() if each == twice[0])
        raise BadQuestion(f"{names} are both mapped to {twice[0]!r}; map one of them to '-'.")
    return {name: each for name, each in found.items() if each != "-"}


def check_said(header: Sequence[str], said: Mapped) -> None:
    """Raise `BadQuestion` where a column was spoken of that the file does not have."""
    there = {folded(each) for each in header}
    for theirs in said.columns:
        if folded(theirs) not in there:
            hint = did_you_mean(nearest(theirs, header))
            raise BadQuestion(f"The file has no column {theirs!r}.{hint}")


def _plain(name: str) -> str:
    return re.sub(r"[^a-z0-9]+", "_", folded(name)).strip("_")


# Kept beside the site -------------------------------------------------------------------------


def kept_at(file: Path | None, what: str) -> Mapped:
    """What was said of such files before; nothing where nothing was kept."""
    values = _kept(file).get(what, {})
    return Mapped(values.get("columns", {}), values.get("values", {}))


def keep_at(file: Path, what: str, said: Mapped) -> None:
    """Keep what was said of such files, for the next one."""
    entry = {"columns": dict(said.columns), "values": {k: dict(v) for k, v in said.values.items()}}
    text = json.dumps({**_kept(file), what: entry}, ensure_ascii=False, indent=2)
    write_whole(file, f"{text}\n")


def _kept(file: Path | None) -> dict[str, Any]:
    if file is None or not file.exists():
        return {}
    try:
        found: dict[str, Any] = read_json(file.read_bytes())
        wrong = misfit(found, Mapping[str, Mapping[str, Mapping[str, Any]]])
        for entry in () if wrong else found.values():
            wrong = wrong or misfit(entry.get("columns", {}), Mapping[str, str])
            wrong = wrong or misfit(entry.get("values", {}), Mapping[str, Mapping[str, str]])
        if wrong:
            raise ValueError(wrong.says)
    except ValueError:
        raise BadQuestion(f"{file} cannot be read; mend it, or take it away.") from None
    return found
