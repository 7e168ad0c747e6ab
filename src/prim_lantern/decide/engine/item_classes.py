"""Which class every item belongs to: items that stand alike are decided alike."""

from __future__ import annotations

from array import array
from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from functools import cached_property
from threading import RLock
from typing import Any, Final, TypeVar

from prim_lantern.decide.engine.asked import Filed, FiledCase, ItemClass, Joined
from prim_lantern.decide.engine.numbers import Numbered
from prim_lantern.decide.subject import Subject, with_above
from prim_lantern.site.columns import Moved
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import parent_of

_T = TypeVar("_T")
_APART = 2  # for how many classes of categories there is room in a situation

Situation = int
"""Where an item is: the number of its class, and of up to two classes of its categories (0
where there is none), in one number, which is the quickest to come by. See `apart`."""

UNSETTLED: Final = 0
BITS: Final = 21  # for each of the three numbers; there are never two million classes
MASK: Final = (1 << BITS) - 1


def apart(situation: Situation) -> tuple[int, int, int]:
    """The three numbers of a situation."""
    return situation & MASK, situation >> BITS & MASK, situation >> 2 * BITS


class Ground:
    """The classes of items and of their categories, and the situation of each row.

    `at` has the situation of each row (`UNSETTLED` until it is asked for), and `of_row` its
    number among all `situations`. With `whole`, categories are part of the class
    of an item and never decided apart.
    """

    def __init__(self, data: SiteData, at: datetime, paths: Iterable[str], *, whole: bool) -> None:
        self.data = data
        self.moment = at
        self.whole = whole
        self.paths = set(paths)
        self.classes = Numbered(_NO_CLASS)
        self.filed: Numbered[Filed | Joined] = Numbered(_NOT_FILED)
        size = len(data.content)
        self.situations = Numbered(UNSETTLED)
        self.at = array("q", bytes(8 * size))  # no list, as collecting garbage would go through it
        self.of_row = array("i", bytes(4 * size))
        self.laid_out: Any = None  # once every row is settled
        self.sorts: Any = None  # of all classes, once somebody's list is asked for
        self._beside: dict[Callable[..., Any], Any] = {}
        self._lock = RLock()
        self._ways_at: dict[tuple[str, str], list[int]] = {}
        self._filed_at: dict[tuple[str, str], list[int]] = {}
        self._known: dict[tuple[object, ...], int] = {}
        self._chains: dict[str, tuple[str, ...]] = {}
        self._roots: dict[tuple[str, ...], tuple[frozenset[str], ...]] = {}
        self.link_kinds = frozenset(k.name for k in data.all_kinds.values() if k.link)
        self._parts = data.pages

    # Rows ---------------------------------------------------------------------------

    def settle(self, row: int) -> None:
        """Find the situation of a row."""
        number = self.of_row[row] = self._number_of(row)
        self.at[row] = self.situations[number]

    def settle_all(self) -> None:
        """Find the situation of every row that has none yet."""
        if self.laid_out is None:
            import numpy as np  # there may be a million, of which few are looked for

            rows = np.flatnonzero(np.asarray(self.of_row) == 0).tolist()
            if rows:
                self._settle(rows)

    def after(
        self,
        data: SiteData,
        at: datetime,
        rows: set[int],
        moved: Moved,
        paths: Iterable[str],
        cut: Iterable[str],
    ) -> Ground:
        """The ground of a site of the same kinds, at which rows have moved so, some differ, some
        more paths are told apart, and at some it differs whether rights are cut off from above.

        It is the same one where nothing does; else it is a new one, as both may be asked, and a
        thread that just settles a row of this one must not write it into that one.
        """
        fresh, cut = set(paths) - self.paths, set(cut)
        found = self._copy() if rows or fresh or cut or not moved.same else self
        found.data, found.moment = data, at
        if not moved.same:
            found._move(moved)
        found.__dict__.pop("_timed", None)
        found.forget(rows)
        found._mind(fresh)
        found._cut_anew(cut)
        return found

    def _copy(self) -> Ground:
        found = object.__new__(Ground)
        found.__dict__.update(self.__dict__)
        found.at, found.of_row = self.at[:], self.of_row[:]
        found.laid_out = found.sorts = None
        found.paths = set(self.paths)
        return found

    def _move(self, moved: Moved) -> None:
        """Take over how rows became others."""
        for row in reversed(moved.gone):
            del self.at[row], self.of_row[row]
        self.at.extend([UNSETTLED] * moved.added)
        self.of_row.extend([0] * moved.added)
        self._parts = self.data.pages

    def _mind(self, fresh: set[str]) -> None:
        """Tell apart what is at or below some more paths."""
        if fresh:
            self.paths |= fresh
            self._chains = {}  # others go on with the one before
        for path in fresh:
            self._forget_below(path)

    def _cut_anew(self, paths: Iterable[str]) -> None:
        """Tell apart anew what is below paths that let no rights in any more, or again."""
        for path in paths:
            self._known = {}
            self._forget_below(path)

    def _forget_below(self, path: str) -> None:
        tree = self.data.tree
        start, end = tree.within(path)
        if isinstance(tree.rows, range):  # the items stand in tree order: a stretch of rows
            self.at[start:end] = array("q", bytes(8 * (end - start)))
            self.of_row[start:end] = array("i", bytes(4 * (end - start)))
        else:
            self.forget(tree.rows[start:end])

    def forget(self, rows: Iterable[int]) -> None:
        """Let the situations of some rows be found anew."""
        for row in rows:
            self.of_row[row] = 0
            self.at[row] = UNSETTLED

    def _settle(self, rows: Sequence[int]) -> None:
        content, kinds = self.data.content, self.data.content.columns["kind"]
        states, filed = content.columns["state"], content.columns["categories"]
        special = self._parts.keys() | content.changed.keys() | self._timed
        names, known, chains, paths = content.names, self._known, self._chains, self.paths
        for row in rows:
            path = names[row]
            if row in special:
                number = self._number_of(row)
            else:
                if path in paths:
                    chain, own = self._chain_of(path), 1
                else:
                    above = path[: path.rindex("/")] or "/"
                    chain, own = chains.get(above) or self._chain_of(path), 0
                key = (chain, own, kinds[row], states[row], filed[row])
                number = known.get(key) or self._new(key)
            self.of_row[row] = number
            self.at[row] = self.situations[number]

    @cached_property
    def _timed(self) -> set[int]:
        """The rows whose state depends on the time."""
        content = self.data.content
        return content.filled("public_from").keys() | content.filled("public_until").keys()

    def _number_of(self, row: int) -> int:
        """The situation of one row of any sort: a part, or one whose state depends on the time."""
        path = self.data.content.names[row]
        kind, chain = self.data.content.value("kind", row), self._chain_of(path)
        page = self.data.items[self.data.page_of(path)]
        state = page.state_at(self.moment)
        key: tuple[object, ...]
        if row in self._parts:
            own = sum(len(each) >= len(page.path) for each in chain)
            page_own = 1 if page.path in chain else 0
            key = (chain, own, kind, state, page.categories, page.kind, page_own)
        else:
            own = 1 if chain and chain[0] == path else 0
            key = (chain, own, kind, state, page.categories)
        return self._known.get(key) or self._new(key)

    def _new(self, key: tuple[Any, ...]) -> int:
        chain, own, kind, state, categories, *of_page = key
        item = ItemClass(chain, own, frozenset({kind}), state)
        if of_page:
            page_kind, page_own = of_page
            kinds, page_kinds = frozenset({kind, page_kind}), frozenset({page_kind})
            item = item._replace(kinds=kinds, page_kinds=page_kinds, page_own=page_own)
        number = self.situations.number_of(self.situation(item, categories))
        self._known[key] = number
        return number

    def beside(self, make: Callable[[Sequence[ItemClass], Sequence[Filed | Joined]], _T]) -> _T:
        """What is made of the classes, which only become more: one for this and all that follow."""
        with self._lock:
            if make not in self._beside:
                self._beside[make] = make(self.classes, self.filed)
            found: _T = self._beside[make]
        return found

    # Classes ------------------------------------------------------------------------

    def situation(self, item: ItemClass, categories: Iterable[str]) -> Situation:
        """The situation of a class of items filed so."""
        roots = self._by_root(tuple(categories))
        if self.whole and roots:
            everything = frozenset[str]().union(*roots)
            return self._class_number(item._replace(filed=everything))
        case = self.case_of(item)
        filed = [self._filed_number((each, case)) for each in roots]
        if len(filed) > _APART:
            filed = [filed[0], self._joined_number(tuple(sorted(filed[1:])))]
        first, more = (*filed, 0, 0)[:2]
        return self._class_number(item) | first << BITS | more << 2 * BITS

    def case_of(self, item: ItemClass) -> FiledCase:
        """What words at categories ask of a class of items."""
        return FiledCase.of(item, self.data.rights_cut_at)

    def filed_number(self, categories: Iterable[str], case: FiledCase) -> int:
        """The number of a class of categories of one root."""
        return self._filed_number((with_above(categories), case))

    def of_subject(self, about: Subject) -> Situation:
        """The situation of a subject, whether it stands there or is pictured."""
        return self.situation(self.class_of(about), about.categories)

    def class_of(self, about: Subject) -> ItemClass:
        """The class of a subject, whatever it is filed under."""
        chain = self._chain_of(about.way[-1]) if about.way else ()
        page_kinds, page_own = None, 0
        if about.page is not None:
            page_kinds = about.page_kinds
            page_own = 1 if about.page in chain else 0
        own = sum(each in about.own_paths for each in chain)
        return ItemClass(chain, own, about.kinds, about.state, page_kinds, page_own)

    def at_spots(self, spots: set[tuple[str, str]]) -> tuple[set[int], set[int], int, int]:
        """The numbers of the classes of items, and of categories, that some places hold, the site
        aside; and how many of each were looked at."""
        with self._lock:  # a class counts with all its places, or not yet
            ways = {number for spot in spots for number in self._ways_at.get(spot, ())}
            filed = {number for spot in spots for number in self._filed_at.get(spot, ())}
            return ways, filed, len(self.classes), len(self.filed)

    def _class_number(self, item: ItemClass) -> int:
        found = self.classes.known(item)
        if found is None:
            spots = [("path", path) for path in item.chain]
            spots += [("category", name) for name in item.filed or ()]
            with self._lock:
                found = self.classes.number_of(item)
                for spot in spots:
                    self._ways_at.setdefault(spot, []).append(found)
        return found

    def _filed_number(self, filed: Filed) -> int:
        found = self.filed.known(filed)
        if found is None:
            with self._lock:
                found = self.filed.number_of(filed)
                for name in filed[0]:
                    self._filed_at.setdefault(("category", name), []).append(found)
        return found

    def _joined_number(self, numbers: tuple[int, ...]) -> int:
        joined = Joined(numbers)
        found = self.filed.known(joined)
        if found is None:
            parts = [
                each for number in numbers if not isinstance(each := self.filed[number], Joined)
            ]
            with self._lock:
                found = self.filed.number_of(joined)
                for name in {name for categories, _ in parts for name in categories}:
                    self._filed_at.setdefault(("category", name), []).append(found)
        return found

    def _chain_of(self, path: str) -> tuple[str, ...]:
        """The paths on the way at which something stands, the nearest first."""
        above = parent_of(path)
        chain = self._chain_above(above) if above is not None else ()
        return (path, *chain) if path in self.paths else chain

    def _chain_above(self, path: str) -> tuple[str, ...]:
        """The same, kept, as many paths stand below this one; step by step, as it may be deep."""
        steps = []
        at: str | None = path
        while at is not None and at not in self._chains:
            steps.append(at)
            at = parent_of(at)
        chain = self._chains[at] if at is not None else ()
        for step in reversed(steps):
            if step in self.paths:
                chain = (step, *chain)
            self._chains[step] = chain
        return chain

    def _by_root(self, categories: tuple[str, ...]) -> tuple[frozenset[str], ...]:
        """Categories with those above, by root."""
        found = self._roots.get(categories)
        if found is None:
            roots: dict[str, set[str]] = {}
            for each in with_above(categories):
                roots.setdefault(each.partition("/")[0], set()).add(each)
            found = tuple(frozenset(roots[root]) for root in sorted(roots))
            self._roots[categories] = found
        return found


_NO_CLASS: Final = ItemClass((), 0, frozenset(), "")
_NOT_FILED: Final[Filed] = (frozenset(), FiledCase(frozenset(), "", True))
