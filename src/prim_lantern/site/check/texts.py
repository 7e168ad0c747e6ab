"""Checks of the texts that a change brings in: every store has to give them back as they came."""

from __future__ import annotations

from collections.abc import Collection, Hashable, Iterable, Iterator, Mapping
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
    for now, was in ((data.people, sound.people), (data.content, sound.content)):
        rows = _new_rows(now, was)
        for column in now.columns if rows else ():
            yield from _once(now.values_at(column, rows))


def _new_rows(now: Columns[Any], was: Columns[Any]) -> Collection[int]:
    if now is was:
        return ()
    rows = now.differing(was)
    return range(len(now)) if rows is None else rows


def _once(values: list[Any]) -> Iterable[Any]:
    """Values, of which most are there many times, where they can be told apart."""
    return set(values) if all(isinstance(each, Hashable) for each in values[:1]) else values


def _cells(data: SiteData, sound: SiteData) -> Iterator[tuple[str, tuple[str, ...]]]:
    """The lists that stand in one cell of a table."""
    people, rows = data.people, _new_rows(data.people, sound.people)
    for elsewhere in set(people.values_at("roles_elsewhere", rows)):
        yield "roles_elsewhere", elsewhere
    memberships, enrolments = (people.values_at(e, rows) for e in ("memberships", "enrolments"))
    for member, enrolled in zip(memberships, enrolments, strict=True):
        entries = [f"{each.group}@{each.period}" for each in member]
        yield "groups", tuple(entries) + tuple(each.plan for each in enrolled)
    rows = _new_rows(data.content, sound.content)
    for column in ("authors", "changed_by", "categories"):
        for several in set(data.content.values_at(column, rows)):
            yield column, several


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
