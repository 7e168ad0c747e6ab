"""New items as they are pictured where they would stand, for those who ask to create them."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING, Final, NamedTuple

from prim_lantern.decide import standing, subject
from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine.asked import Asked, FiledCase, ItemClass
from prim_lantern.decide.engine.item_classes import Situation, apart
from prim_lantern.decide.engine.levels import YES
from prim_lantern.decide.engine.plan import Plan
from prim_lantern.decide.engine.programs import FILED
from prim_lantern.site.content import DRAFT, Item
from prim_lantern.site.places import way_to

if TYPE_CHECKING:
    from prim_lantern.decide.engine.engine import Engine

_CREATE: Final = Asked("create", any_state=True)
_FILE: Final = Asked("file-under", reading=False)
_READ: Final = Asked("read", any_state=True)
_CREATING: Final = (_CREATE, _FILE, _READ)  # all is asked where something is filed


class _Picture(NamedTuple):
    """The situations of a pictured item, and of the same filed under each category alone."""

    here: Situation
    filed: tuple[Situation, ...]


class _Spot:
    """What a new item would be below some parent, whatever it is filed under; where it is a part,
    what its page is filed under, and its authors. Equal ones are one."""

    __slots__ = ("authors", "filed", "item")

    def __init__(
        self, item: ItemClass, filed: frozenset[str], authors: frozenset[str] | None
    ) -> None:
        self.item, self.filed, self.authors = item, filed, authors


class NewItems:
    """What an engine has found out about creating, to be asked again."""

    def __init__(self) -> None:
        self._spots: dict[tuple[str, str], _Spot | None] = {}
        self._spot_of: dict[tuple[object, ...], _Spot] = {}
        self._filings: dict[tuple[str, _Spot, int, bool], tuple[str, ...]] = {}
        self._pictures: dict[tuple[_Spot, tuple[str, ...]], _Picture] = {}
        self._answers: dict[tuple[_Picture, int, bool], bool] = {}
        self._spoken: dict[str, tuple[frozenset[str], Sequence[Clause]]] = {}
        self._everywhere: tuple[int, Sequence[Clause]] | None = None
        self._elsewhere: dict[tuple[int, frozenset[str]], frozenset[str]] = {}
        self._categories: dict[str, tuple[str, ...]] = {}
        self._alike_for: dict[
            tuple[str, FiledCase, int, bool], dict[tuple[int, ...], list[str]]
        ] = {}

    def perhaps(self, engine: Engine, login: str | None, parent: str) -> frozenset[str]:
        """The kinds of which anything lets them create some there: a quick look before asking."""
        mask = engine.crowd[login][0]
        all_access, elsewhere = self._known_everywhere(engine)
        if mask & all_access or engine.is_owner(login):
            return engine.kinds
        of_parent, spoken = self._about(engine, parent)
        key = mask, of_parent
        anywhere = self._elsewhere.get(key)
        if anywhere is None:
            anywhere = self._elsewhere[key] = _spoken_of(engine, elsewhere, *key)
        return anywhere | _spoken_of(engine, spoken, *key) if spoken else anywhere

    def _known_everywhere(self, engine: Engine) -> tuple[int, Sequence[Clause]]:
        """The bits of all who have all access somewhere; and what allows creating at places that
        are no paths."""
        if self._everywhere is None:
            rights = engine.rights
            given = (access.given for some in rights.all_access.values() for access in some)
            bits = engine.crowd.mask(who for each in given for who in each.to)
            spots = (spot for spot in rights.spots() if spot[0] != "path")
            self._everywhere = bits, _allowing(engine, spots)
        return self._everywhere

    def _about(self, engine: Engine, parent: str) -> tuple[frozenset[str], Sequence[Clause]]:
        """The kinds of a parent, and what allows creating on the way to it."""
        found = self._spoken.get(parent)
        if found is None:
            there = parent in engine.data.content.index
            kinds = engine.subject(parent).kinds if there else frozenset[str]()
            spoken = _allowing(engine, (("path", path) for path in way_to(parent)))
            found = self._spoken[parent] = (kinds, spoken)
        return found

    def may(
        self, engine: Engine, login: str | None, kind: str, parent: str, categories: tuple[str, ...]
    ) -> bool:
        """May they create an item of this kind below the parent, filed so?"""
        spot = self._spot(engine, kind, parent)
        if spot is None or standing.cannot_be_filed(engine.data.all_kinds[kind], categories):
            return False
        if parent in engine.data.content.index and not engine.allows(login, "read", parent):
            return False
        if engine.is_owner(login):
            return True
        mask, author = engine.crowd[login][0], _is_author(engine, login, spot)
        return self._allows(engine, self._pictured(engine, spot, categories), mask, author)

    def filings(self, engine: Engine, login: str | None, kind: str, parent: str) -> tuple[str, ...]:
        """The categories under each of which alone they may create an item of this kind below the
        parent, in the order of the site.

        Categories that say the same to somebody are looked at together: there are few such.
        """
        data, categories = engine.data, self._categories_of(engine, kind)
        spot = self._spot(engine, kind, parent)
        if spot is None or not categories:
            return ()
        if engine.is_owner(login):
            return categories
        if parent in data.content.index and not engine.allows(login, "read", parent):
            return ()
        key = kind, spot, engine.crowd[login][0], _is_author(engine, login, spot)
        found = self._filings.get(key)
        if found is None:
            found = self._filings[key] = self._filed_at(engine, *key, categories)
        return found

    def _filed_at(
        self,
        engine: Engine,
        kind: str,
        spot: _Spot,
        mask: int,
        author: bool,
        categories: tuple[str, ...],
    ) -> tuple[str, ...]:
        """Those of the categories under which people of some sort may create such an item."""
        if spot.filed or engine.ground.whole:
            pictures = [(each, self._pictured(engine, spot, (each,))) for each in categories]
            return tuple(e for e, one in pictures if self._allows(engine, one, mask, author))
        plans = [engine.plan(each._replace(author=author)) for each in _CREATING]
        way, _, _ = apart(engine.ground.situation(spot.item, ()))
        keys = [plan.way_key(mask, way) for plan in plans]
        found = set[str]()
        for codes, some in self._alike(engine, plans, kind, spot, mask, categories).items():
            if all(
                plan.answers[key | code << FILED] == YES
                for plan, key, code in zip(plans, keys, codes, strict=True)
            ):
                found.update(some)
        return tuple(each for each in categories if each in found)

    def _categories_of(self, engine: Engine, kind: str) -> tuple[str, ...]:
        """The categories under which items of a kind can be filed at all."""
        found = self._categories.get(kind)
        if found is None:
            obstacle = partial(standing.filing_obstacle, engine.data.all_kinds[kind])
            found = tuple(each for each in engine.data.categories if obstacle(each) is None)
            self._categories[kind] = found
        return found

    def _alike(
        self,
        engine: Engine,
        plans: Sequence[Plan],
        kind: str,
        spot: _Spot,
        mask: int,
        categories: Sequence[str],
    ) -> Mapping[tuple[int, ...], Sequence[str]]:
        """Categories by what they say to somebody, for items of one case."""
        case, author = engine.ground.case_of(spot.item), plans[0].asked.author
        key = (kind, case, mask, author)
        found = self._alike_for.get(key)
        if found is None:
            found = {}
            for each in categories:
                number = engine.ground.filed_number((each,), case)
                codes = tuple(plan.filed_code(mask, number) for plan in plans)
                found.setdefault(codes, []).append(each)
            self._alike_for[key] = found  # whole: other threads may look
        return found

    def _pictured(self, engine: Engine, spot: _Spot, categories: tuple[str, ...]) -> _Picture:
        """A new item as it would stand there, whoever makes it."""
        found = self._pictures.get((spot, categories))
        if found is None:
            situation = engine.ground.situation
            here = situation(spot.item, spot.filed or subject.with_above(categories))
            alone = (situation(spot.item, subject.with_above([each])) for each in categories)
            found = self._pictures[spot, categories] = _Picture(here, tuple(alone))
        return found

    def _allows(self, engine: Engine, picture: _Picture, mask: int, author: bool) -> bool:
        """Whether people of some sort may create what is pictured."""
        key = picture, mask, author
        found = self._answers.get(key)
        if found is None:
            found = self._answers[key] = _allows(engine, picture, mask, author)
        return found

    def _spot(self, engine: Engine, kind: str, parent: str) -> _Spot | None:
        """Where a new item would stand; None where none of its kind can."""
        key = kind, parent
        if key not in self._spots:
            found, data = None, engine.data
            if not standing.cannot_stand(data, data.all_kinds[kind], parent):
                about = subject.pictured(data, Item("", kind, state=DRAFT), parent, engine.at)
                authors = about.authors if about.page is not None else None
                what = engine.ground.class_of(about), about.categories, authors
                found = self._spot_of.setdefault(what, _Spot(*what))
            self._spots[key] = found
        return self._spots[key]


def _allowing(engine: Engine, spots: Iterable[tuple[str, str]]) -> list[Clause]:
    """What allows creating at some places, for some kind and somebody."""
    return [each for spot in spots for each in engine.rights.at(spot, "create") if each.allow]


def _spoken_of(
    engine: Engine, some: Iterable[Clause], mask: int, of_parent: frozenset[str]
) -> frozenset[str]:
    """The kinds of which any of them may speak to people of some sort, below a parent of kinds."""
    bits, found = engine.crowd.bits, frozenset[str]()
    for each in some:
        if each.who.kind == "role" or mask & bits[each.who]:
            if each.kinds is None or not each.kinds.isdisjoint(of_parent):
                return engine.kinds
            found |= each.kinds
    return found


def _is_author(engine: Engine, login: str | None, spot: _Spot) -> bool:
    """Whether somebody would be an author of what they create: its page's are, of a part."""
    acting = engine.acting(login)
    return acting is not None if spot.authors is None else acting in spot.authors


def _allows(engine: Engine, picture: _Picture, mask: int, author: bool) -> bool:
    """Whether people of some sort may create what is pictured."""

    def says_yes(situation: Situation, asked: Asked) -> bool:
        return engine.plan(asked._replace(author=author)).answer(mask, situation) == YES

    here, filed = picture
    return (
        says_yes(here, _CREATE)
        and all(says_yes(each, _FILE) for each in filed)
        and (not filed or says_yes(here, _READ))
    )
