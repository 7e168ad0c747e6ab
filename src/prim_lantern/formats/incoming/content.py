"""Pages from another system, as rows for `ImportItems`."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import Any, Final, NamedTuple

from prim_lantern.errors import BadQuestion, BadValue
from prim_lantern.formats.folder.keys import CONTENT_COLUMNS
from prim_lantern.formats.incoming.cells import Named, entries, path_of, people_called, when
from prim_lantern.formats.incoming.columns import Mapped, columns_of
from prim_lantern.formats.incoming.mistakes import Mistakes
from prim_lantern.formats.incoming.table import IncomingTable
from prim_lantern.site.content import DRAFT, PUBLISHED, STATES
from prim_lantern.site.data import SiteData
from prim_lantern.site.names import folded, nearest
from prim_lantern.site.names import path as proper_path
from prim_lantern.site.rights import BUILT_IN_READERSHIPS

_LISTS: Final = ("authors", "changed_by", "categories")


class Incoming(NamedTuple):
    """What a file comes to: rows for an operation, and what should be said of it first."""

    rows: tuple[Mapping[str, Any], ...]
    notes: tuple[str, ...]


class Reading(NamedTuple):
    """How a file is to be read, beyond its columns: whether the day comes first in dates such as
    1/5/2027; and what new items are, where no column says so."""

    mapped: Mapped = Mapped()
    day_first: bool | None = None
    state: str = DRAFT
    kind: str | None = None


AS_IT_IS: Final = Reading()


def content_rows(table: IncomingTable, data: SiteData, how: Reading = AS_IT_IS) -> Incoming:
    """The rows of a file of pages.

    Paths may be whole addresses; people may be named by login, name or e-mail address; kinds,
    categories and readerships by name or label. What is new is a draft unless a column or `how`
    says otherwise; of what is there, only the columns of the file change.
    Raises `BadSite` with each mistake once, and `BadQuestion` where no column holds the paths.
    """
    columns = columns_of(table.header, CONTENT_COLUMNS, None, how.mapped)
    if "path" not in columns.values():
        raise BadQuestion(no_column("path", "URL", table, lambda cell: "/" in cell))
    mistakes = Mistakes(table.file, table.counted)
    reader = _Cells(data, how, mistakes)
    rows, seen, addresses = [], dict[str, int](), 0
    kind_at = next((n for n, name in enumerate(table.header) if columns.get(name) == "kind"), None)
    for line, cells in table.rows:
        values: dict[str, Any] = {}
        for (name, ours), cell in zip(
            ((name, columns.get(name)) for name in table.header), cells, strict=True
        ):
            if ours is not None:
                values[ours] = reader.value(ours, name, cell.strip(), line)
                addresses += ours == "path" and "://" in cell
        path = values["path"]
        if path in seen:
            mistakes.note(
                line, "path", path, f"is in {table.counted} {seen[path]} already; keep one."
            )
            continue
        seen[path] = line
        if path not in data.items:
            said_kind = cells[kind_at].strip() if kind_at is not None else ""
            values = _of_new(data, how, values)
            if values["kind"] is None and not said_kind:
                said = "is new and needs a kind: map a column to it, or say --kind page."
                mistakes.note(line, "kind", "", said)
        else:
            kept = _said_nothing(values, cells, table.header, columns)
            values = {name: each for name, each in values.items() if name not in kept}
        rows.append(values)
    mistakes.raise_any()
    notes = [*table.notes, *left_out(table, columns)]
    if addresses:
        notes.append("Of whole addresses only the path was taken.")
    new = sum(path not in data.items for path in seen)
    changed = sum(_changes(data, values) for values in rows if values["path"] in data.items)
    notes.append(counted(len(rows), new, changed))
    return Incoming(tuple(rows), tuple(notes))


def _of_new(data: SiteData, how: Reading, values: Mapping[str, Any]) -> dict[str, Any]:
    """The values of an item that is new; a part has the state of its page."""
    kind = values.get("kind") or how.kind
    state = values.get("state", how.state)
    if kind and data.all_kinds[kind].part:
        state = PUBLISHED
    return {**values, "state": state, "kind": kind}


def _said_nothing(
    values: Mapping[str, Any],
    cells: Sequence[str],
    header: Sequence[str],
    columns: Mapping[str, str],
) -> set[str]:
    """Of an item that is there: what an empty cell does not change, as it has to say something."""
    empty = {
        columns[name]
        for name, cell in zip(header, cells, strict=True)
        if name in columns and not cell.strip()
    }
    return {name for name in ("kind", "state") if name in empty and name in values}


def counted(rows: int, new: int, changed: int) -> str:
    """How many rows bring something."""
    same, noun = rows - new - changed, "row" if rows == 1 else "rows"
    told = f"{new:,} new, {changed:,} changed, {same:,} as they are already"
    return f"{rows:,} {noun}: {told}."


def _changes(data: SiteData, values: Mapping[str, Any]) -> bool:
    item = data.items[values["path"]]
    return any(getattr(item, name) != value for name, value in values.items())


def left_out(table: IncomingTable, columns: Mapping[str, str]) -> list[str]:
    """What is said of the columns that nothing is taken from."""
    left = [name for name in table.header if name not in columns]
    if not left:
        return []
    names = ", ".join(left)
    return [f'Left out: {names}. --map "{left[0]}=…" says what such a column holds.']


def no_column(ours: str, example: str, table: IncomingTable, fits: Callable[[str], bool]) -> str:
    """What is said where a column is missing that is needed."""
    like = [n for n in table.header if table.rows and all(map(fits, table.column(n)))]
    hint = f'--map "{like[0] if like else example}={ours}"'
    columns = ", ".join(table.header)
    return f"No column holds the {ours}: say which does, as in {hint}. The columns are {columns}."


class _Cells:
    """Reads cells; what the same text comes to is worked out once."""

    def __init__(self, data: SiteData, how: Reading, mistakes: Mistakes) -> None:
        self._how = how
        self._mistakes = mistakes
        self._data = data
        self._people = people_called(data)
        self._kinds = Named({each.name: each.label for each in data.all_kinds.values()})
        self._categories = Named(
            {
                f"{each.name}:{key}": label
                for each in data.category_sets.values()
                for key, label in each.categories.items()
            }
        )
        labels = {name: each.label for name, each in data.readerships.items()}
        self._readerships = Named({**dict.fromkeys(BUILT_IN_READERSHIPS, ""), **labels})
        self._read = cache(self._read_once)

    def value(self, ours: str, theirs: str, cell: str, line: int) -> Any:
        """What a cell of a column of ours says."""
        value, errors = self._read(ours, cell)
        for text, expected, near in errors:
            self._mistakes.note(line, theirs, text, expected, near)
        return value

    def _read_once(self, ours: str, cell: str) -> tuple[Any, list[tuple[str, str, list[str]]]]:
        errors: list[tuple[str, str, list[str]]] = []
        mapped = self._how.mapped
        if ours in _LISTS:
            texts = [mapped.value(ours, each) for each in entries(cell)]
            found = (self._one(ours, each, errors) for each in texts if each)
            return tuple(dict.fromkeys(each for each in found if each is not None)), errors
        text = mapped.value(ours, cell)
        return self._one(ours, text, errors), errors

    def _one(self, ours: str, text: str, errors: list[tuple[str, str, list[str]]]) -> Any:
        try:
            if ours == "path":
                return proper_path(path_of(text))
            if ours == "links_to":
                return proper_path(path_of(text)) if text else None
            if ours in ("public_from", "public_until"):
                return when(text, self._how.day_first, self._data.zone) if text else None
        except BadValue as error:
            errors.append((text, error.expected, []))
            return text if ours == "path" else None
        if ours == "title":
            return text
        if ours == "state":
            return self._state(text, errors)
        if not text:
            return None
        return self._named(ours, text, errors)

    def _state(self, text: str, errors: list[tuple[str, str, list[str]]]) -> str:
        state = folded(text).replace(" ", "-").replace("_", "-")
        if not state:
            return self._how.state
        if state not in STATES:
            said = f'is no state; --value "state:{text}=published" says what it means here.'
            errors.append((text, said, list(nearest(state, STATES))))
        return state

    def _named(self, ours: str, text: str, errors: list[tuple[str, str, list[str]]]) -> str | None:
        where, what, how = {
            "kind": (self._kinds, "kind of this site", "page"),
            "categories": (self._categories, "category", "topic:…"),
            "readership": (self._readerships, "readership", "public"),
        }.get(ours, (None, "person of this site", "LOGIN"))
        found = where.of(text) if where is not None else self._people.get(folded(text), set())
        if len(found) == 1:
            return next(iter(found))
        meaning = f'--value "{ours}:{text}={how}" says what it means here.'
        if found:
            errors.append((text, f"may be {' or '.join(sorted(found))}; {meaning}", []))
        else:
            known = where.known if where is not None else list(self._people)
            near = list(nearest(text, known)) if len(known) < 2_000 else []
            errors.append((text, f"is no {what}; {meaning}", near))
        return None
