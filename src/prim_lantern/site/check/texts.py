"""Checks of the texts that a change brings in: every store has to give them back as they came."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from functools import cache
from typing import Any, Final

from prim_lantern.errors import BadValue
from prim_lantern.site import texts
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.columns import Columns
from prim_lantern.site.data import SiteData
from prim_lantern.values import names_of

_LISTED: Final = ("given", "places", "rules", "limits", "promises", "accepted")
_NAMED: Final = (
    "kinds", "actions", "category_sets", "groups", "plans", "roles", "readerships", "invitations",
)  # fmt: skip
_BARE: Final = ("name", "owner", "sign_up_groups", "attributes")


def check(notes: Notes, sound: SiteData) -> None:
    """Note every text that is not in a site before and cannot be held."""
    data = notes.data
    known: set[str] = set()  # most texts are there many times: kinds, states, logins
    for each in _new_things(data, sound):
        for text in _texts_of(each):
            if text not in known:
                known.add(text)
                _note(notes, text)
    for column, entries in _cells(data, sound):
        if len(";".join(entries)) > texts.LONGEST_CELL:
            expected = f"is too long a list: together {texts.LONGEST_CELL:,} letters at most."
            notes.wrong(None, column, f"{len(entries)} entries", expected)
        for entry in entries:
            if ";" in entry:
                notes.wrong(None, column, entry, "holds a semicolon, which parts the entries.")


def _note(notes: Notes, text: str) -> None:
    try:
        texts.text(text)
    except BadValue as error:
        notes.wrong(None, None, error.value, error.expected)


def _new_things(data: SiteData, sound: SiteData) -> Iterator[Any]:
    for part in _BARE:
        if getattr(data, part) != getattr(sound, part):
            yield getattr(data, part)
    for part in _NAMED:
        was = getattr(sound, part)
        yield from (each for name, each in getattr(data, part).items() if was.get(name) is not each)
    for part in _LISTED:
        if getattr(data, part) is not getattr(sound, part):
            known = {id(each) for each in getattr(sound, part)}
            yield from (each for each in getattr(data, part) if id(each) not in known)
    yield from _new_rows(data.people, sound.people)
    yield from _new_rows(data.content, sound.content)


def _new_rows(now: Columns[Any], was: Columns[Any]) -> Iterator[Any]:
    if now is was:
        return
    rows: Iterable[int] | None = now.differing(was)
    if rows is None:
        rows = range(len(now))
    yield from (now.at(row) for row in rows)


def _cells(data: SiteData, sound: SiteData) -> Iterator[tuple[str, tuple[str, ...]]]:
    """The lists that stand in one cell of a table."""
    for user in _new_rows(data.people, sound.people):
        yield "roles_elsewhere", user.roles_elsewhere
        entries = [f"{each.group}@{each.period}" for each in user.memberships]
        yield "groups", tuple(entries) + tuple(each.plan for each in user.enrolments)
    for item in _new_rows(data.content, sound.content):
        for column in ("authors", "changed_by", "categories"):
            yield column, getattr(item, column)


def _texts_of(thing: Any) -> Iterator[str]:
    """Every text in a thing, however deep."""
    if isinstance(thing, str):
        yield thing
    elif isinstance(thing, Mapping):
        for name, value in thing.items():
            yield name
            yield from _texts_of(value)
    elif isinstance(thing, (tuple, list)):
        for each in thing:
            yield from _texts_of(each)
    elif hasattr(thing, "__match_args__"):  # a value
        kind: Any = type(thing)
        for name in _said_by(kind):
            value = getattr(thing, name)
            if isinstance(value, str):
                yield value
            elif value:
                yield from _texts_of(value)


@cache
def _said_by(kind: type) -> tuple[str, ...]:
    """The fields of a value in which something is said."""
    return tuple(name for name in names_of(kind) if name != "origin")
