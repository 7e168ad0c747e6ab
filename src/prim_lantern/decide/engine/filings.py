"""Under which categories what is there may be filed, for all categories at once."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from functools import cached_property
from typing import Final, TypeVar

from prim_lantern.decide import standing
from prim_lantern.decide.engine.asked import Asked, FiledCase
from prim_lantern.decide.engine.engine import Engine
from prim_lantern.decide.engine.item_classes import Situation, apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.programs import FILED

_T = TypeVar("_T")

_FILE: Final = Asked("file-under", reading=False)


class Filings:
    """What an engine answers of filing what is there.

    Categories that say the same to somebody are looked at together: there are few such.
    """

    def __init__(self, engine: Engine) -> None:
        self._engine = engine
        self._alike: dict[tuple[FiledCase, int, bool], Mapping[int, Sequence[str]]] = {}
        self._told: dict[tuple[object, ...], Sequence[str]] = {}

    def under(self, login: str | None, path: str) -> Sequence[str]:
        """The categories under each of which somebody may file an item, in the order of the site:
        those of which `Engine.may_file` says yes."""
        engine, ground = self._engine, self._engine.ground
        about = engine.subject(path)
        fitting = self._taken_by[engine.data.items[path].kind]
        if not fitting or not engine.allows_of(login, "read", about):
            return ()
        if engine.is_owner(login):
            return fitting
        if ground.whole:  # categories are not decided apart
            return [each for each in fitting if engine.file(login, about, each)]
        plan = engine.plan(_FILE._replace(author=engine.acting(login) in about.authors))
        mask, item = engine.crowd[login][0], ground.class_of(about)
        way, _, _ = apart(ground.situation(item, ()))
        key, case = plan.way_key(mask, way), ground.case_of(item)
        by_code = self._by_code(plan, mask, case)
        codes = tuple(code for code in by_code if plan.answers[key | code << FILED] == YES)
        sort = id(fitting), case, mask, plan.asked.author, codes
        told = self._told.get(sort)
        if told is None:
            found = {category for code in codes for category in by_code[code]}
            told = self._told[sort] = [each for each in fitting if each in found]
        return told

    def under_each(
        self, login: str | None, paths: Iterable[str]
    ) -> Iterator[tuple[str, Sequence[str]]]:
        """The same for many items that somebody may read, one after the other: those that are
        decided alike are asked about once, and have the very same list."""
        engine, work = self._engine, self._engine.crowd[login][1]
        known: dict[Situation, Sequence[str]] = {}
        for path in paths:
            if path in work:  # which no class says
                yield path, self.under(login, path)
                continue
            situation = engine.situation_of(path)
            if not engine.ground.whole:  # what it is filed under now makes no difference
                situation, _, _ = apart(situation)
            if situation not in known:
                known[situation] = self.under(login, path)
            yield path, known[situation]

    @cached_property
    def _taken_by(self) -> Mapping[str, Sequence[str]]:
        """By kind, the categories under which its items can be filed at all."""
        data = self._engine.data
        return {
            name: [each for each in data.categories if not standing.filing_obstacle(kind, each)]
            for name, kind in data.all_kinds.items()
        }

    def _by_code(self, plan: Plan, mask: int, case: FiledCase) -> Mapping[int, Sequence[str]]:
        """All categories by what they say to somebody, of items of one case."""
        key = case, mask, plan.asked.author
        found = self._alike.get(key)
        if found is None:
            by_code: dict[int, list[str]] = {}
            for each in self._engine.data.categories:
                number = self._engine.ground.filed_number((each,), case)
                by_code.setdefault(plan.filed_code(mask, number), []).append(each)
            found = self._alike[key] = by_code
        return found


def together(
    categories: Iterable[str], filed: Iterable[tuple[Iterable[str], Sequence[_T]]]
) -> Iterator[tuple[list[str], list[_T]]]:
    """Of items that can each be filed under some categories, the categories under which the very
    same can be filed, and these."""
    among = [(frozenset(some), items) for some, items in filed]
    alike: dict[tuple[int, ...], list[str]] = {}
    for category in categories:
        where = tuple(at for at, (some, _) in enumerate(among) if category in some)
        alike.setdefault(where, []).append(category)
    for where, some in alike.items():
        if where:
            yield some, [item for at in where for item in among[at][1]]


class Without:
    """Lists of categories without those of other lists: the same two are looked at once."""

    def __init__(self) -> None:
        self._known: dict[tuple[int, int], tuple[Sequence[str], Sequence[str], Sequence[str]]] = {}

    def of(self, some: Sequence[str], others: Sequence[str]) -> Sequence[str]:
        """Some categories without others."""
        found = self._known.get((id(some), id(others)))
        if found is None:
            without = set(others)
            rest = [each for each in some if each not in without]
            found = self._known[id(some), id(others)] = some, others, rest  # so that all stay
        return found[2]
