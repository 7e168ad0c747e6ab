"""Readerships: defined, and set where they hold."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any, ClassVar

from prim_lantern.change.operations.base import Made, Operation, Texts, only_said
from prim_lantern.change.operations.entries import (
    added,
    list_changed,
    named,
    place_in,
    put,
    whos_in,
    without,
)
from prim_lantern.decide.clauses import Clause, clauses_of_given, clauses_of_rule
from prim_lantern.errors import BadChange
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded
from prim_lantern.site.places import Place, is_above, place
from prim_lantern.site.rights import OWN, Given, PlaceSetting, Readership
from prim_lantern.values import replace

_WHOS = "user group role audience authors"
_HIDDEN = "authors-only"


@dataclass(frozen=True)
class AddReadership(Operation):
    """Define who may view: any of `readers`, each of `all_of`, none of `but_not`."""

    do: ClassVar[str] = "add-readership"
    name: str
    readers: Texts
    label: str = ""
    all_of: Texts = ()
    but_not: Texts = ()
    no_exceptions: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        entry = Readership(
            folded(self.name),
            whos_in(data, self.readers, _WHOS),
            self.label,
            whos_in(data, self.all_of, _WHOS) if self.all_of else (),
            whos_in(data, self.but_not, _WHOS) if self.but_not else (),
            self.no_exceptions,
        )
        return added(data, "readerships", entry)

    def said(self) -> str:
        return f"add the readership {self.name}"


@dataclass(frozen=True)
class ChangeReadership(Operation):
    """Change a readership wherever it stands: its label, and whom it names."""

    do: ClassVar[str] = "change-readership"
    name: str
    label: str | None = None
    add: Texts = ()
    drop: Texts = ()
    also_all_of: Texts = ()
    no_longer_all_of: Texts = ()
    also_but_not: Texts = ()
    no_longer_but_not: Texts = ()
    no_exceptions: bool | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        entry: Readership = named(data, "readerships", self.name)
        lists: dict[str, Any] = {}
        for field, add, drop in (
            ("readers", self.add, self.drop),
            ("all_of", self.also_all_of, self.no_longer_all_of),
            ("but_not", self.also_but_not, self.no_longer_but_not),
        ):
            if add or drop:
                more = whos_in(data, add, _WHOS) if add else ()
                fewer = whos_in(data, drop, _WHOS) if drop else ()
                what = f"{field} of {entry.name}"
                lists[field] = list_changed(getattr(entry, field), more, fewer, what)
        said = only_said(label=self.label, no_exceptions=self.no_exceptions, **lists)
        changed = replace(entry, **said)
        if not changed.readers:
            raise BadChange(
                f"Nobody would be left in {entry.name}; use 'nobody' where you mean it."
            )
        return put(data, "readerships", changed)

    def said(self) -> str:
        return f"change the readership {self.name}"


@dataclass(frozen=True)
class RemoveReadership(Operation):
    """Remove a readership that stands nowhere any more."""

    do: ClassVar[str] = "remove-readership"
    name: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        entry: Readership = named(data, "readerships", self.name)
        places = [str(e.place) for e in data.readerships_at.values() if e.readership == entry.name]
        if data.default_readership == entry.name:
            places.insert(0, "site")
        if places:
            raise BadChange(
                f"The readership {entry.name} stands at {', '.join(places[:5])}: say first who may "
                "view there ('readership set', 'readership clear')."
            )
        return without(data, "readerships", entry.name)

    def said(self) -> str:
        return f"remove the readership {self.name}"


@dataclass(frozen=True)
class SetReadership(Operation):
    """Say who may view at a place: the site, a category, or a path with what is below it.

    With `alone`, the item or section stands on its own: readerships from above do not count.
    """

    do: ClassVar[str] = "set-readership"
    where: str
    readership: str
    reach: str | None = None
    alone: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        name, where = data.readership(self.readership).name, place_in(data, self.where, self.reach)
        if where.kind == "site":
            if self.alone:
                raise BadChange("Nothing is above the site: 'alone' is for paths.")
            return data.with_parts(default_readership=name)
        if where.kind == "category" and self.alone:
            raise BadChange("A category cannot stand alone; only a path can.")
        return with_setting(
            data, where, place=where, readership=name, readership_from_above=not self.alone
        )

    def said(self) -> str:
        alone = ", standing alone" if self.alone else ""
        return f"set the readership {self.readership} at {self.where}{alone}"


@dataclass(frozen=True)
class ClearReadership(Operation):
    """Take away the readership that stands at a path or category."""

    do: ClassVar[str] = "clear-readership"
    where: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        where = place_in(data, self.where)
        if where.kind == "site":
            raise BadChange("The site always has a readership; set another one.")
        if where.spot not in data.readerships_at:
            raise BadChange(f"No readership stands at {where}.")
        return with_setting(data, where, readership=None, readership_from_above=True)

    def said(self) -> str:
        return f"clear the readership at {self.where}"


@dataclass(frozen=True)
class Hide(Operation):
    """Hide an item, with what is below it, from all but its authors and all-access people.

    Whoever is let past by a word that stands at the item or below still reads; `with_words` takes
    all of these words away.
    """

    do: ClassVar[str] = "hide"
    path: str
    with_words: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        path = data.item(self.path).path
        standing = data.readerships_at.get(("path", path))
        where = place(path)  # whatever reach a readership has that stands there
        hidden = standing is not None and (standing.readership, standing.place) == (_HIDDEN, where)
        found = _without_words_past(data, path) if self.with_words else data
        if hidden and found is data:
            also = ", and no word there lets anybody past" if self.with_words else ""
            raise BadChange(f"{path} is hidden already{also}.")
        return found if hidden else with_setting(found, where, place=where, readership=_HIDDEN)

    def said(self) -> str:
        words = ", with every word that lets others past" if self.with_words else ""
        return f"hide {self.path}{words}"


def _without_words_past(data: SiteData, path: str) -> SiteData:
    """The site without all that stands at a path or below and lets somebody past a readership
    there who is no author and has not all access; the same object where nothing does."""

    def within(where: Place) -> bool:
        return where.kind == "path" and (where.name == path or is_above(path, where.name))

    def lets_past(clauses: Iterable[Clause]) -> bool:
        return any(c.allow and "read" in c.actions and c.whose != OWN for c in clauses)

    rules = [
        rule
        for rule in data.rules
        if not (within(rule.place) and lets_past(clauses_of_rule(data, rule)))
    ]
    given: list[Given] = []
    for each in data.given:
        inside = {spot for spot in each.within_any if within(spot)}
        above = data.roles[each.role].all_access
        if inside and not above and lets_past(clauses_of_given(data, each)):
            left = tuple(spot for spot in each.within_any if spot not in inside)
            given += [replace(each, within_any=left)] if left else []
        else:
            given.append(each)
    places = [
        replace(each, readership_from_above=True)
        if is_above(path, each.place.name) and not each.readership_from_above
        else each
        for each in data.places
    ]
    found = {"rules": tuple(rules), "given": tuple(given), "places": tuple(places)}
    changed = {part: some for part, some in found.items() if some != getattr(data, part)}
    return data.with_parts(**changed) if changed else data


@dataclass(frozen=True)
class Show(Operation):
    """Show a hidden item again; `readership` is the one that stands there from now on, if any,
    with its `reach` (as it is, where that is left out)."""

    do: ClassVar[str] = "show"
    path: str
    readership: str | None = None
    reach: str | None = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        path = data.item(self.path).path
        standing = data.readerships_at.get(("path", path))
        if standing is None or standing.readership != _HIDDEN:
            raise BadChange(f"{path} is not hidden by a setting of its own.")
        name = data.readership(self.readership).name if self.readership else None
        more = {} if name else {"readership_from_above": True}
        where = place(path, self.reach or standing.place.reach)
        return with_setting(data, where, place=where, readership=name, **more)

    def said(self) -> str:
        return f"show {self.path} again"


def with_setting(data: SiteData, where: Place, **fields: Any) -> SiteData:
    """The site with some fields of the setting at a path or category changed.

    A readership written with the item itself goes to the setting; a setting that says
    nothing any more goes.
    """
    before = next((each for each in data.places if each.place.spot == where.spot), None)
    item = data.items.get(where.name) if where.kind == "path" else None
    if item is not None and item.readership is not None and "readership" in fields:
        above = data.readerships_at["path", item.path].readership_from_above
        fields = {"readership_from_above": above, **fields}
        data = data.with_parts(items=data.content.revised([replace(item, readership=None)]))
    setting = replace(before or PlaceSetting(where), **fields)
    said = setting.readership or not setting.readership_from_above or not setting.rights_from_above
    entries = [each for each in data.places if each is not before]
    if said:
        at = data.places.index(before) if before else len(entries)
        entries.insert(at, setting)
    return data.with_parts(places=tuple(entries))
