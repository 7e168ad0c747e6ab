"""A formula about items as a condition in SQL."""

from __future__ import annotations

from bisect import bisect_right
from collections import Counter
from collections.abc import Iterable, Sequence
from datetime import UTC, datetime
from typing import Any as Anything
from typing import Final

from sqlalchemy import (
    ColumnElement,
    Date,
    DateTime,
    SQLColumnExpression,
    and_,
    case,
    false,
    func,
    literal,
    not_,
    or_,
    select,
    true,
)

from prim_lantern.decide.conditions.formula import All, Among, Any, Filed, Formula, Hand, Not
from prim_lantern.decide.conditions.regions import Stretch, stretches
from prim_lantern.decide.conditions.saying import Asker, Region, Saying
from prim_lantern.decide.reference import Reference
from prim_lantern.errors import BadQuestion, BadValue
from prim_lantern.site.content import ARCHIVED, PUBLISHED, SCHEDULED
from prim_lantern.site.places import is_above, parent_of
from prim_lantern.sql.columns import Columns, Row
from prim_lantern.sql.dialects import bytewise, number_by_path
from prim_lantern.sql.ready import Ready

LIMIT: Final = 5_000  # terms; some databases take no more, and none takes them quickly
_ASKED: Final = 2_000  # items that show where most are
_ONE_BY_ONE: Final = 4  # stretches that need no looking for
_FEW: Final = 16  # stretches of paths that are named one by one, so that an index finds them


class Condition:
    """What one person may, as a condition of SQLAlchemy: for `where`, `and_`, `case` ….

    It holds at the moment for which it was made, and until the site changes: ask for it in each
    request. `Site.sql_filter` keeps those that still hold; to make one takes some hundredths of a
    second, or a second or two where hundreds of words speak of somebody. `terms` is its size: in
    how many places it looks at a column.
    """

    def __init__(self, clause: ColumnElement[bool], terms: int) -> None:
        self.clause = clause
        self.terms = terms
        self._ready = Ready(clause)

    def __clause_element__(self) -> ColumnElement[bool]:
        return self._ready

    def __repr__(self) -> str:
        return f"<Condition of {self.terms:,} terms>"


def condition(
    reference: Reference, login: str | None, action: str, columns: Columns, limit: int = LIMIT
) -> Condition:
    """The condition that somebody may do an action to the item of a row.

    Raises `BadQuestion` where it would have more than `limit` terms, or a column is missing.
    """
    writer = _Writer(reference, login, columns)
    clause = writer.may(action, Row(columns), writer.link_depth)
    if writer.terms > limit:
        raise BadQuestion(
            f"The condition would have {writer.terms:,} terms, more than {limit:,}: too much "
            "is said at single paths. Ask the site for a list of paths instead (items_for, "
            "filter), say what holds of whole sections and categories there, or raise the limit."
        )
    return Condition(clause, writer.terms)


class _Writer:
    """Writes what one person may as SQL."""

    def __init__(self, reference: Reference, login: str | None, columns: Columns) -> None:
        self._reference, self._login, self._columns = reference, login, columns
        self._data = data = reference.data
        kinds = data.all_kinds.values()
        self._parts = sorted(kind.name for kind in kinds if kind.part)
        self._links = sorted(kind.name for kind in kinds if kind.link)
        self._pages = sorted(kind.name for kind in kinds if not (kind.part or kind.link))
        self._below = {
            each: [other for other in data.categories if other == each or is_above(each, other)]
            for each in data.categories
        }
        self._asker = Asker(reference, login)
        self._stretches: dict[tuple[str, bool], list[Stretch]] = {}
        self._known: dict[tuple[Formula, Row, Row], tuple[ColumnElement[bool], int]] = {}
        self._rows = 0
        self.terms = 0
        self._needs_pages()

    def _needs_pages(self) -> None:
        data = self._data
        if self._columns.page is None and any(
            data.is_part(parent_of(data.content.names[row]) or "/") for row in data.pages
        ):
            raise BadQuestion("Parts stand below parts: name the column 'page' with their page.")
        if self._columns.links_to is None and self.link_depth:
            raise BadQuestion("There are links: name the column 'links_to' with their targets.")

    @property
    def link_depth(self) -> int:
        """How many links lead to each other at most, one after the other."""
        targets = {
            path: item.links_to
            for row in self._data.content.filled("links_to")
            for path, item in [(self._data.content.names[row], self._data.content.at(row))]
        }
        longest = 0
        for path in targets:
            at: str | None = path
            count = 0
            while at in targets:
                at, count = targets[at], count + 1
            longest = max(longest, count)
        return longest

    # One row ----------------------------------------------------------------------------------

    def may(self, action: str, row: Row, links: int) -> ColumnElement[bool]:
        """The condition for a row; `links` of them may lead from one to the next."""
        itself = self._tree(self._cut(action, parts=False), row, row)
        kinds = [*self._pages, *(self._links if links else ())]
        found = and_(self._in(row(self._columns.kind), kinds), itself)
        if links:
            passed = or_(self._in(row(self._columns.kind), self._pages), self._target(row, links))
            found = and_(found, passed)
        if self._parts and any(each.formula is not False for each in self._cut(action, parts=True)):
            found = or_(found, self._part(action, row))
        return found

    def _target(self, row: Row, links: int) -> ColumnElement[bool]:
        """Its target is no item, or may be read."""
        if self._reference.is_owner(self._login):
            return true()
        target, columns = self._other(), self._columns
        to = row(columns.links_to) if columns.links_to is not None else literal("")
        leads = bytewise(target(columns.path)) == to
        self.terms += 2
        may_read = self.may("read", target, links - 1)
        return or_(
            not_(self._exists(target, row, leads)), self._exists(target, row, leads, may_read)
        )

    def _part(self, action: str, row: Row) -> ColumnElement[bool]:
        """It is a part, and may be done that, as may its page be read."""
        page, columns = self._other(), self._columns
        self.terms += 1
        stands = bytewise(page(columns.path)) == self._page_of(row)
        itself = self._tree(self._cut(action, parts=True), row, page)
        reading = self._tree(self._cut("read", parts=False), page, page)
        kinds = self._in(page(columns.kind), self._pages)
        exists = self._exists(page, row, stands, and_(kinds, itself, reading))
        return and_(self._in(row(columns.kind), self._parts), exists)

    def _page_of(self, row: Row) -> ColumnElement[str]:
        columns = self._columns
        if columns.page is not None:
            return row(columns.page)
        path = row(columns.path)
        above = func.rtrim(path, func.replace(path, "/", ""))  # all up to its last stroke
        return case((above == "/", "/"), else_=func.rtrim(above, "/"))

    def _other(self) -> Row:
        self._rows += 1
        return Row(self._columns).other(f"beside_{self._rows}")

    def _exists(
        self, other: Row, row: Row, *conditions: ColumnElement[bool]
    ) -> ColumnElement[bool]:
        wanted = select(literal(1)).select_from(other.table).where(*conditions)
        return wanted.correlate(row.table).exists()

    # The tree -----------------------------------------------------------------------------------

    def _cut(self, action: str, *, parts: bool) -> list[Stretch]:
        found = self._stretches.get((action, parts))
        if found is None:
            actions = {action, "read", "see-drafts"}

            def say(region: Region) -> Formula:
                return Saying(self._asker, region).may(action)

            found = stretches(self._data, self._asker.spots(actions), say, parts=parts)
            self._stretches[action, parts] = found
        return found

    def _tree(self, cut: Sequence[Stretch], row: Row, page: Row) -> ColumnElement[bool]:
        """What is said of each stretch of paths. `page` is the row that has the state and the
        authors: that of its page, where it is a part.

        A tree tells for each path the number of what is said there, so that nothing is said twice.
        """
        some = [each for each in cut if each.formula is not False]
        formulas = _in_order({each.formula for each in some})
        if not some:
            return false()
        if len(some) == len(cut) == 1:
            return self._written(some[0].formula, row, page)
        path = bytewise(row(self._columns.path))
        if len(some) <= _ONE_BY_ONE:
            each_alone = (
                and_(self._between(each, path), self._written(each.formula, row, page))
                for each in some
            )
            return or_(*each_alone)
        numbers = {formula: n for n, formula in enumerate(self._by_items(cut, formulas), 1)}
        self.terms += len(cut) - 1
        ends = [each.end for each in cut if each.end is not None]
        number = number_by_path(path, ends, [numbers.get(each.formula, 0) for each in cut])
        found = case(
            {n: self._written(formula, row, page) for formula, n in numbers.items()},
            value=number,
            else_=false(),
        )
        if len(some) <= _FEW and cut[0].formula is False:
            return and_(or_(*(self._between(each, path) for each in some)), found)
        return found

    def _by_items(self, cut: Sequence[Stretch], formulas: Sequence[Formula]) -> list[Formula]:
        """Formulas, those first that hold for most of what is there: a database looks for what is
        said of a row one after the other."""
        counted = Counter[Formula]()
        starts = [each.start for each in cut]
        names = self._data.content.names
        for path in names[:: len(names) // _ASKED + 1]:
            counted[cut[bisect_right(starts, path) - 1].formula] += 1
        return sorted(formulas, key=lambda each: -counted[each])

    def _between(self, each: Stretch, path: ColumnElement[str]) -> ColumnElement[bool]:
        self.terms += 2
        ends = [path < each.end] if each.end is not None else []
        if each.end == f"{each.start}\x01":
            return path == each.start
        return and_(true(), *([path >= each.start] if each.start else []), *ends)

    # One formula --------------------------------------------------------------------------------

    def _written(self, formula: Formula, row: Row, page: Row) -> ColumnElement[bool]:
        """A formula about a row; what is said of one more than once is written once."""
        found = self._known.get((formula, row, page))
        if found is None:
            before = self.terms
            clause = self._write(formula, row, page)
            found = self._known[formula, row, page] = clause, self.terms - before
        else:
            self.terms += found[1]
        return found[0]

    def _write(self, formula: Formula, row: Row, page: Row) -> ColumnElement[bool]:
        if isinstance(formula, bool):
            return true() if formula else false()
        if isinstance(formula, All):
            return and_(*(self._written(each, row, page) for each in _in_order(formula.of)))
        if isinstance(formula, Any):
            return or_(*(self._written(each, row, page) for each in _in_order(formula.of)))
        if isinstance(formula, Not):
            return not_(self._written(formula.of, row, page))
        self.terms += 1
        if isinstance(formula, Filed):
            below = {each for one in formula.categories for each in self._below[one]}
            return self._columns.has("categories", sorted(below), page)
        if isinstance(formula, Hand):
            return self._columns.has(formula.what, [self._asker.acting or ""], page)
        return self._among(formula, row, page)

    def _among(self, formula: Among, row: Row, page: Row) -> ColumnElement[bool]:
        columns, values = self._columns, sorted(formula.values)
        if formula.what == "state":
            return self._in_state(formula.values, page)
        if formula.what == "page":
            return bytewise(page(columns.path)).in_(values)
        return self._in((page if formula.what == "page kind" else row)(columns.kind), values)

    @staticmethod
    def _in(column: ColumnElement[Anything], values: Sequence[str]) -> ColumnElement[bool]:
        if not values:
            return false()
        return column == values[0] if len(values) == 1 else column.in_(values)

    def _in_state(self, states: frozenset[str], row: Row) -> ColumnElement[bool]:
        """The state in effect is one of some."""
        columns = self._columns
        kept = row(columns.state)
        plain = sorted(states - {ARCHIVED, SCHEDULED, PUBLISHED})
        over = self._past(columns.public_until, row)
        not_yet = self._to_come(columns.public_from, row)
        timed = kept.in_([SCHEDULED, PUBLISHED])
        found = [self._in(kept, plain)] if plain else []
        if ARCHIVED in states:
            found += [kept == ARCHIVED, and_(timed, over)]
        if SCHEDULED in states:
            found.append(and_(timed, not_(over), not_yet))
        if PUBLISHED in states:
            found.append(and_(timed, not_(over), not_(not_yet)))
        return or_(*found)

    def _past(self, column: SQLColumnExpression[Anything] | None, row: Row) -> ColumnElement[bool]:
        if column is None:
            return false()
        at = row(column)
        return and_(at.is_not(None), at <= _moment(at, self._reference.at))

    def _to_come(
        self, column: SQLColumnExpression[Anything] | None, row: Row
    ) -> ColumnElement[bool]:
        if column is None:
            return false()
        at = row(column)
        return and_(at.is_not(None), at > _moment(at, self._reference.at))


def _moment(column: ColumnElement[Anything], at: datetime) -> ColumnElement[Anything]:
    """A moment as a column keeps them."""
    if not isinstance(column.type, DateTime) or isinstance(column.type, Date):
        raise BadValue(str(column), "keeps no moments: a column of the type DateTime is needed.")
    utc = at.astimezone(UTC)  # SQLite keeps what a clock shows, and no zone
    known = utc if column.type.timezone else utc.replace(tzinfo=None)
    return literal(known, column.type)


_COST: Final[dict[type, int]] = {Among: 0, Not: 1, Hand: 2, Filed: 3, All: 4, Any: 5}


def _in_order(some: Iterable[Formula]) -> list[Formula]:
    """What is quick to look at first."""
    return sorted(some, key=lambda each: (_COST.get(type(each), 9), repr(_sorted(each))))


def _sorted(formula: Formula) -> object:
    if isinstance(formula, All | Any):
        return sorted(map(repr, map(_sorted, formula.of)))
    if isinstance(formula, Among):
        return formula.what, sorted(formula.values)
    if isinstance(formula, Not):
        return "not", _sorted(formula.of)
    return formula
