"""New items as they are pictured where they would stand, for those who ask to create them."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, NamedTuple

from prim_lantern.decide import standing, subject
from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.engine.asked import Asked, ItemClass
from prim_lantern.decide.engine.item_classes import Situation
from prim_lantern.decide.engine.levels import YES
from prim_lantern.site.content import DRAFT, Item
from prim_lantern.site.places import way_to

if TYPE_CHECKING:
    from prim_lantern.decide.engine.engine import Engine


class _Picture(NamedTuple):
    """The situations of a pictured item, and of the same filed under each category alone; its
    authors, where these are those of its page (None: whoever makes it)."""

    here: Situation
    filed: tuple[Situation, ...]
    authors: frozenset[str] | None


class _Spot(NamedTuple):
    """What a new item would be below some parent, whatever it is filed under; where it is a part,
    what its page is filed under, and its authors."""

    item: ItemClass
    filed: frozenset[str]
    authors: frozenset[str] | None


class NewItems:
    """What an engine has found out about creating, to be asked again."""

    def __init__(self) -> None:
        self._spots: dict[tuple[str, str], _Spot | None] = {}
        self._pictures: dict[tuple[_Spot, tuple[str, ...]], _Picture] = {}
        self._answers: dict[tuple[_Picture, int, bool], bool] = {}
        self._spoken: dict[str, tuple[frozenset[str], Sequence[Clause]]] = {}
        self._everywhere: tuple[int, Sequence[tuple[str, str]]] | None = None

    def could(self, engine: Engine, login: str | None, kind: str, parent: str) -> bool:
        """Whether anything speaks for creating such items there: a quick look before asking."""
        if engine.is_owner(login):
            return True
        mask, bits = engine.crowd[login][0], engine.crowd.bits
        all_access, elsewhere = self._known_everywhere(engine)
        if mask & all_access:
            return True
        of_parent, spoken = self._about(engine, parent, elsewhere)
        return any(
            (each.kinds is None or kind in each.kinds or not each.kinds.isdisjoint(of_parent))
            and (each.who.kind == "role" or mask & bits[each.who])
            for each in spoken
        )

    def _known_everywhere(self, engine: Engine) -> tuple[int, Sequence[tuple[str, str]]]:
        """The bits of all who have all access somewhere; and the places that are no paths."""
        if self._everywhere is None:
            rights = engine.rights
            given = (access.given for some in rights.all_access.values() for access in some)
            bits = engine.crowd.mask(who for each in given for who in each.to)
            self._everywhere = bits, [spot for spot in rights.spots() if spot[0] != "path"]
        return self._everywhere

    def _about(
        self, engine: Engine, parent: str, elsewhere: Sequence[tuple[str, str]]
    ) -> tuple[frozenset[str], Sequence[Clause]]:
        """The kinds of a parent, and what allows creating there, for some kind and somebody."""
        found = self._spoken.get(parent)
        if found is None:
            spots = (*elsewhere, *(("path", path) for path in way_to(parent)))
            spoken = [c for spot in spots for c in engine.rights.at(spot, "create") if c.allow]
            there = parent in engine.data.content.index
            kinds = engine.subject(parent).kinds if there else frozenset[str]()
            found = self._spoken[parent] = (kinds, spoken)
        return found

    def may(
        self, engine: Engine, login: str | None, kind: str, parent: str, categories: tuple[str, ...]
    ) -> bool:
        """May they create an item of this kind below the parent, filed so?"""
        picture = self._pictured(engine, kind, parent, categories)
        there = parent in engine.data.content.index
        if picture is None or (there and not engine.allows(login, "read", parent)):
            return False
        if engine.is_owner(login):
            return True
        mask, acting = engine.crowd[login][0], engine.acting(login)
        author = acting is not None if picture.authors is None else acting in picture.authors
        found = self._answers.get((picture, mask, author))
        if found is None:
            found = self._answers[picture, mask, author] = _allows(engine, picture, mask, author)
        return found

    def _pictured(
        self, engine: Engine, kind: str, parent: str, categories: tuple[str, ...]
    ) -> _Picture | None:
        """A new item as it would stand there, whoever makes it; None where it cannot."""
        spot = self._spot(engine, kind, parent)
        if spot is None or standing.cannot_be_filed(engine.data.all_kinds[kind], categories):
            return None
        found = self._pictures.get((spot, categories))
        if found is None:
            situation = engine.ground.situation
            here = situation(spot.item, spot.filed or subject.with_above(categories))
            alone = (situation(spot.item, subject.with_above([each])) for each in categories)
            found = self._pictures[spot, categories] = _Picture(here, tuple(alone), spot.authors)
        return found

    def _spot(self, engine: Engine, kind: str, parent: str) -> _Spot | None:
        """Where a new item would stand; None where none of its kind can."""
        key = kind, parent
        if key not in self._spots:
            found, data = None, engine.data
            if not standing.cannot_stand(data, data.all_kinds[kind], parent):
                about = subject.pictured(data, Item("", kind, state=DRAFT), parent, engine.at)
                authors = about.authors if about.page is not None else None
                found = _Spot(engine.ground.class_of(about), about.categories, authors)
            self._spots[key] = found
        return self._spots[key]


def _allows(engine: Engine, picture: _Picture, mask: int, author: bool) -> bool:
    """Whether people of some sort may create what is pictured."""

    def says_yes(situation: Situation, asked: Asked) -> bool:
        return engine.plan(asked._replace(author=author)).answer(mask, situation) == YES

    here, filed, _ = picture
    return (
        says_yes(here, Asked("create", any_state=True))
        and all(says_yes(each, Asked("file-under", reading=False)) for each in filed)
        and (not filed or says_yes(here, Asked("read", any_state=True)))
    )
