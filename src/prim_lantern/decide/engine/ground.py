"""Which class every item belongs to: items that stand alike are decided alike."""

from __future__ import annotations

from array import array
from collections.abc import Iterable, Sequence
from datetime import datetime
from threading import RLock

from prim_lantern.decide.engine.case import FiledCase, ItemClass
from prim_lantern.decide.subject import Subject, with_above
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import parent_of

Filed = tuple[frozenset[str], FiledCase]
_APART = 2  # how many roots of categories are decided apart; all further ones together


class Ground:
    """The classes of items and of their categories, and those of each row of the content.

    `way_of` has the number of each row's class (0 until it is asked for), `filed_of` and
    `more_of` those of its categories (0 where it has none). With `whole`, categories are
    part of the class of an item and never decided apart.
    """

    def __init__(self, data: SiteData, at: datetime, paths: Iterable[str], *, whole: bool) -> None:
        self.data = data
        self.at = at
        self.whole = whole
        self.paths = set(paths)
        self.classes: list[ItemClass | None] = [None]
        self.filed: list[Filed | None] = [None]
        size = len(data.content)
        self.way_of = array("i", bytes(4 * size))
        self.filed_of = array("i", bytes(4 * size))
        self.more_of = array("i", bytes(4 * size))
        self._class_numbers: dict[ItemClass, int] = {}
        self._filed_numbers: dict[Filed, int] = {}
        self._row_numbers: dict[tuple[object, ...], tuple[int, int, int]] = {}
        self._chains: dict[str, tuple[str, ...]] = {}
        self._roots: dict[tuple[str, ...], tuple[frozenset[str], ...]] = {}
        self._parts = frozenset(data.part_rows)
        self._lock = RLock()

    # Rows ---------------------------------------------------------------------------

    def settle(self, row: int) -> None:
        """Find the class of a row."""
        self._settle([row])

    def settle_all(self) -> None:
        """Find the class of every row that has none yet."""
        if 0 in self.way_of:
            self._settle([row for row, number in enumerate(self.way_of) if not number])

    def forget(self, rows: Iterable[int]) -> None:
        """Let the classes of some rows be found anew, those of the parts of a page with it."""
        for row in rows:
            self.way_of[row] = 0

    def _settle(self, rows: Sequence[int]) -> None:
        content, kinds = self.data.content, self.data.content.columns["kind"]
        states, filed = content.columns["state"], content.columns["categories"]
        changed, timed = content.changed, self._timed()
        names, parts, known = content.names, self._parts, self._row_numbers
        for row in rows:
            if row in parts or row in changed or row in timed:
                found = self._numbers_of(row)
            else:
                path, kind, state, categories = names[row], kinds[row], states[row], filed[row]
                chain = self._chain_of(path)
                own = 1 if chain and chain[0] == path else 0
                key = (chain, own, kind, state, categories)
                found = known.get(key) or self._new(key, kind, state, None, 0)
            self.way_of[row], self.filed_of[row], self.more_of[row] = found

    def _timed(self) -> set[int]:
        content = self.data.content
        return content.filled("public_from").keys() | content.filled("public_until").keys()

    def _numbers_of(self, row: int) -> tuple[int, int, int]:
        """The class of one row of any sort: a part, or one whose state depends on the time."""
        content, path = self.data.content, self.data.content.names[row]
        kind, chain = content.value("kind", row), self._chain_of(path)
        page = content.at(row)
        if row not in self._parts:
            own = 1 if chain and chain[0] == path else 0
            state = page.state_at(self.at)
            key: tuple[object, ...] = (chain, own, kind, state, page.categories)
            return self._row_numbers.get(key) or self._new(key, kind, state, None, 0)
        page = self.data.items[self.data.page_of(path)]
        state = page.state_at(self.at)
        own = sum(len(each) >= len(page.path) for each in chain)
        page_own = 1 if page.path in chain else 0
        key = (chain, own, kind, state, page.categories, page.kind, page_own)
        return self._row_numbers.get(key) or self._new(key, kind, state, page.kind, page_own)

    def _new(
        self, key: tuple[object, ...], kind: str, state: str, page_kind: str | None, page_own: int
    ) -> tuple[int, int, int]:
        chain, own, _, _, categories, *_ = key
        kinds = frozenset({kind}) if page_kind is None else frozenset({kind, page_kind})
        item = ItemClass(
            chain,  # type: ignore[arg-type]
            own,  # type: ignore[arg-type]
            kinds,
            state,
            None if page_kind is None else frozenset({page_kind}),
            page_own,
        )
        found = self.numbers(item, categories)  # type: ignore[arg-type]
        self._row_numbers[key] = found
        return found

    # Classes ------------------------------------------------------------------------

    def numbers(self, item: ItemClass, categories: Iterable[str]) -> tuple[int, int, int]:
        """The number of a class of items filed so, and those of its categories."""
        roots = self._by_root(tuple(categories))
        if self.whole and roots:
            everything = frozenset[str]().union(*roots)
            return self._class_number(item._replace(filed=everything)), 0, 0
        case = FiledCase.of(item, self.data.rights_cut_at)
        filed = [self._filed_number((each, case)) for each in roots]
        first, more = (*filed, 0, 0)[:2]
        return self._class_number(item), first, more

    def of_subject(self, about: Subject) -> tuple[int, int, int]:
        """The same for a subject, whether it stands there or is pictured."""
        chain = self._chain_of(about.way[-1]) if about.way else ()
        page_kinds, page_own = None, 0
        if about.page is not None:
            page_kinds = frozenset({self.data.items[about.page].kind})
            page_own = 1 if about.page in chain else 0
        own = sum(each in about.own_paths for each in chain)
        item = ItemClass(chain, own, about.kinds, about.state, page_kinds, page_own)
        return self.numbers(item, about.categories)

    def _class_number(self, item: ItemClass) -> int:
        found = self._class_numbers.get(item)
        if found is None:
            with self._lock:
                found = self._class_numbers.setdefault(item, len(self.classes))
                if found == len(self.classes):
                    self.classes.append(item)
        return found

    def _filed_number(self, filed: Filed) -> int:
        found = self._filed_numbers.get(filed)
        if found is None:
            with self._lock:
                found = self._filed_numbers.setdefault(filed, len(self.filed))
                if found == len(self.filed):
                    self.filed.append(filed)
        return found

    def _chain_of(self, path: str) -> tuple[str, ...]:
        """The paths on the way at which something stands, the nearest first."""
        if path in self.paths:
            above = parent_of(path)
            return (path, *self._chain_above(above)) if above is not None else (path,)
        above = parent_of(path)
        return self._chain_above(above) if above is not None else ()

    def _chain_above(self, path: str) -> tuple[str, ...]:
        found = self._chains.get(path)
        if found is None:
            found = self._chains[path] = self._chain_of(path)
        return found

    def _by_root(self, categories: tuple[str, ...]) -> tuple[frozenset[str], ...]:
        """Categories with those above, by root; of more than two roots the last are joined."""
        found = self._roots.get(categories)
        if found is None:
            roots: dict[str, set[str]] = {}
            for each in with_above(categories):
                roots.setdefault(each.partition("/")[0], set()).add(each)
            apart = [frozenset(roots[root]) for root in sorted(roots)]
            if len(apart) > _APART:
                apart = [*apart[: _APART - 1], frozenset().union(*apart[_APART - 1 :])]
            found = self._roots[categories] = tuple(apart)
        return found
