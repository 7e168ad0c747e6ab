"""Who gains and loses filing under a category what is there: whoever may edit it, and file so."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Final

import numpy as np

from prim_lantern.change.effects.creating_and_managing import Pairs
from prim_lantern.change.effects.touched import Touched
from prim_lantern.decide.clauses import clauses_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.engine.filings import Filings
from prim_lantern.decide.lists import lists_of

FILING: Final = "file-under"
_PEOPLE: Final = 300  # so many are looked at
_ASKED: Final = 200_000  # so many questions of one item and one category, of all of them together


class _SpokenOf:
    """All of whom words about filing speak, also as holders of a role or of all access; kept with
    an engine, as many changes are compared with one."""

    def __init__(self, engine: Engine) -> None:
        data = engine.data
        whos = {each.who for each in clauses_of(data) if FILING in each.actions}
        roles = {who.name for who in whos if who.kind == "role"}
        roles |= {name for name, role in data.roles.items() if role.all_access}
        holding = (who for given in data.given if given.role in roles for who in given.to)
        self.whos = frozenset((*whos, *holding))


class Filing:
    """Filing before and after a change of words or of people, for items that stay as they are."""

    def __init__(self, touched: Touched) -> None:
        self._touched = touched

    def pairs(self) -> Pairs | None:
        """By "file-under in CATEGORY" and path, who gains or loses it; None where that is too much
        to ask."""
        if len(self._people) > _PEOPLE:
            return None
        questions = [(login, self._questions(login)) for login in self._people]
        if sum(len(where) for _, some in questions for where in some.values()) > _ASKED:
            return None
        found: Pairs = {}
        for login, some in questions:
            alone = {gains: {login: gains} for gains in (True, False)}  # mostly nobody else does
            for path, categories in some.items():
                was, now = (
                    set(self._filed(engine, login, path, categories))
                    for engine in self._touched.engines
                )
                for category in filter((was ^ now).__contains__, categories):
                    pair = f"{FILING} in {category}", path
                    gains = category in now
                    found[pair] = {**found[pair], login: gains} if pair in found else alone[gains]
        return found

    @cached_property
    def _people(self) -> Sequence[str | None]:
        """Those to whom words about filing may say something else than they did."""
        touched = self._touched
        if not touched.only_words and (touched.moves or touched.changed_paths):
            return ()
        if touched.actions is None or FILING in touched.actions:
            return (*([None] if touched.spoken_of is None else ()), *touched.concerned)
        if touched.only_words:
            return ()
        return [login for login in touched.concerned if self._stands_otherwise(login)]

    def _stands_otherwise(self, login: str) -> bool:
        """Whether words about filing speak of a group or the like that somebody came into, or
        left."""
        both = (
            engine.crowd.belonging.whos(self._touched.acting(engine, login))
            for engine in self._touched.engines
        )
        was, now = both
        spoken_of = self._touched.before.beside(_SpokenOf).whos  # the words are the same after
        return not spoken_of.isdisjoint(was ^ now)

    def _questions(self, login: str | None) -> dict[str, Sequence[str]]:
        """Of all that somebody may edit, before or after, where it could be filed."""
        before, after = self._touched.engines
        rows = np.zeros(len(after.data.content), dtype=np.bool_)
        for engine in (before, after):  # the same items, as none has changed
            if login is None or login in engine.data.users:
                rows |= lists_of(engine).items_for(login, "edit")
        content, taken_by = after.data.content, self._categories
        return {
            content.names[row]: taken_by[content.value("kind", row)]
            for row in np.flatnonzero(rows).tolist()
        }

    @cached_property
    def _categories(self) -> dict[str, Sequence[str]]:
        """The categories that are there before and after, by kind: those that it takes."""
        before, after = self._touched.engines
        there = [each for each in after.data.categories if each in before.data.categories]
        return {
            name: () if kind.part else [each for each in there if kind.takes(each)]
            for name, kind in after.data.all_kinds.items()
        }

    def _filed(
        self, engine: Engine, login: str | None, path: str, categories: Sequence[str]
    ) -> Iterator[str]:
        """Under which of some categories somebody may file an item that they may edit."""
        if login is not None and login not in engine.data.users:
            return
        if engine.allows(login, "edit", path):
            there = set(engine.beside(Filings).under(login, path))
            yield from (each for each in categories if each in there)
