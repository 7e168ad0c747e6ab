"""A site as it was before some changes, worked out on the plain values that the history has.

Things are made of them only where somebody asks for the site, so that tens of thousands of changes
are taken back in a moment.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any

from prim_lantern.change.pieces import COLUMN_PARTS, LISTED_PARTS
from prim_lantern.change.record import Patch
from prim_lantern.change.renames import Misfit
from prim_lantern.formats.entries import Plain, State, as_json, number_of, plain, thing
from prim_lantern.formats.history import patch_from
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import all_told_in, zone_of


class Rewind:
    """A site from which changes are taken back, the newest first."""

    def __init__(self, data: SiteData, state: State | None = None) -> None:
        """Take the site after them; `state`, where one is given, is its number and follows."""
        self._data = data
        self._state = state
        self._named: dict[str, dict[str, Plain]] = {}
        self._listed: dict[str, list[Plain]] = {}

    def take_back(self, patches: list[Any]) -> None:
        """Take back one change, as its line says it; raises `Misfit` where it does not fit, and
        whatever comes of values that make no sense."""
        for patch in reversed(patches):
            if patch["paths"] or patch["groups"]:
                self._whole(patch_from(patch).inverse)
                continue
            for each in reversed(patch["pieces"]):
                self._put(each["part"], each["name"], each["after"], each["before"], each["at"])

    @property
    def data(self) -> SiteData:
        """The site without all that was taken back."""
        site = self._named.get("site", {})
        name = site.get("timezone", self._data.timezone)
        zone = zone_of(name) if name is not None else None

        def made(part: str, name: str, value: Plain) -> Any:
            return all_told_in(thing(part, name, value), zone)  # plans end by the site's clock

        parts: dict[str, Any] = {}
        for part, named in self._named.items():
            if part == "site":
                parts |= {name: thing(part, name, value) for name, value in named.items()}
            elif part in COLUMN_PARTS:
                columns = getattr(self._data, COLUMN_PARTS[part])
                put = [made(part, n, value) for n, value in named.items() if value is not None]
                gone = {name for name, value in named.items() if value is None}
                parts[part] = columns.revised(put, gone & columns.index.keys())
            else:
                parts[part] = _known_again(part, named, getattr(self._data, part), made)
        for part, some in self._listed.items():
            known = {as_json(plain(part, each)): each for each in getattr(self._data, part)}
            parts[part] = tuple(known.get(as_json(v)) or made(part, "", v) for v in some)
        return self._data.with_parts(**parts) if parts else self._data

    def _whole(self, patch: Patch) -> None:
        """Take back what got another name, on the site itself."""
        before = self.data
        self._data = patch.applied(before)
        self._named, self._listed = {}, {}
        if self._state is not None:
            self._state.follow(before, self._data)

    # One thing ----------------------------------------------------------------------------------

    def _put(self, part: str, name: str, was: Plain, now: Plain, at: int) -> None:
        """Put a thing in the place of what was there."""
        if part in LISTED_PARTS:
            self._put_listed(part, was, now, at)
        elif part in COLUMN_PARTS or part == "site":
            known = self._named.setdefault(part, {})
            self._fits(part, name, self._found(part, name), was)
            known[name] = now
        else:
            self._put_named(part, name, was, now, at)
        if self._state is not None:
            self._state.number_off(number_of(part, name, was))
            self._state.number_off(-number_of(part, name, now))

    def _found(self, part: str, name: str) -> Plain:
        known = self._named[part]
        if name not in known:
            if part == "site":
                known[name] = plain(part, getattr(self._data, name))
            else:
                known[name] = plain(part, getattr(self._data, COLUMN_PARTS[part]).get(name))
        return known[name]

    def _put_named(self, part: str, name: str, was: Plain, now: Plain, at: int) -> None:
        if part not in self._named:
            entries = getattr(self._data, part)
            self._named[part] = {key: plain(part, each) for key, each in entries.items()}
        found = self._named[part]
        self._fits(part, name, found.get(name), was)
        if now is None:
            del found[name]
        elif was is not None:
            found[name] = now
        else:
            entries = list(found.items())
            entries.insert(at, (name, now))
            self._named[part] = dict(entries)

    def _put_listed(self, part: str, was: Plain, now: Plain, at: int) -> None:
        if part not in self._listed:
            self._listed[part] = [plain(part, each) for each in getattr(self._data, part)]
        found = self._listed[part]
        if was is None:
            found.insert(at, now)
            return
        places = [place for place, each in enumerate(found) if each == was]
        if not places:
            raise Misfit(part)
        nearest = min(places, key=lambda place: abs(place - at))
        if now is None:
            del found[nearest]
        else:
            found[nearest] = now

    def _fits(self, part: str, name: str, found: Plain, was: Plain) -> None:
        if found != was and thing(part, name, found) != thing(part, name, was):
            raise Misfit(f"{part} {name}")


def _known_again(
    part: str,
    named: Mapping[str, Plain],
    known: Mapping[str, Any],
    made: Callable[[str, str, Plain], Any],
) -> Mapping[str, Any]:
    """The things of one part; those that are what they were are the same."""
    return {
        name: known[name]
        if name in known and plain(part, known[name]) == value
        else made(part, name, value)
        for name, value in named.items()
    }
