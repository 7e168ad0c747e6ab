"""The engine: the decisions of one site at one moment, fast."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from datetime import datetime
from functools import cached_property
from typing import NamedTuple, TypeVar, cast
from weakref import ref

from prim_lantern.decide import standing, subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.engine.asked import Asked
from prim_lantern.decide.engine.compiler import Compiler
from prim_lantern.decide.engine.differences import differences
from prim_lantern.decide.engine.item_classes import BITS, MASK, UNSETTLED, Ground, Situation
from prim_lantern.decide.engine.levels import NO, YES
from prim_lantern.decide.engine.new_items import NewItems
from prim_lantern.decide.engine.people import A_GUEST, Crowd, Handiwork
from prim_lantern.decide.engine.plan import Plan, Renewed
from prim_lantern.decide.engine.programs import FILED, MORE, Shared
from prim_lantern.decide.engine.rights import Rights
from prim_lantern.decide.question import reference_about
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import Somebody
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place

_T = TypeVar("_T")
_FURTHER = MORE - FILED


class Basis(NamedTuple):
    """What an answer can be explained by later: the site that was asked, and what answered, for as
    long as that is there for other reasons."""

    data: SiteData
    engine: ref[Engine]


class Engine:
    """Who may do what on a site at a moment.

    `login` is that of a user or a stand-in, or None for a guest. Names are known to be
    there, as for the reference.
    """

    def __init__(self, data: SiteData, at: datetime, handiwork: Handiwork | None = None) -> None:
        """Take a site and a moment, and who had a hand in what, where it is known."""
        rights, belonging = Rights(data, at), Belonging(data, at)
        self._arrange(
            rights,
            Crowd(belonging, rights.whos, handiwork or Handiwork(data)),
            Ground(data, at, _paths(rights.spots()), whole=rights.needs_whole_items()),
            Shared(),
        )

    def _arrange(self, rights: Rights, crowd: Crowd, ground: Ground, shared: Shared) -> None:
        self.data = rights.data
        self.basis = Basis(self.data, ref(self))
        self.at = ground.moment
        self.rights, self.crowd, self.ground, self.shared = rights, crowd, ground, shared
        self._compiler = Compiler(rights, crowd, shared)
        self._plans: dict[Asked, Plan] = {}
        self._inherited: dict[Asked, tuple[Plan, Renewed]] = {}
        self._before: Callable[[], Engine | None] = _nothing
        self._by_action = _ByAction(self)
        self._beside: dict[Callable[[Engine], object], object] = {}
        self._at, self._index = ground.at, self.data.content.index
        kinds = self.data.all_kinds
        self.kinds = frozenset(kinds)
        self.four_eyes = frozenset(name for name, kind in kinds.items() if kind.four_eyes)
        self.renewed: Renewed | None = None
        self._since = Renewed(set(), set(), 0, 0, True, None)
        self.spots: set[tuple[str, str]] | None = None  # where a change said something else
        self.links = self.data.content.filled("links_to")
        self._new_items = NewItems()

    # Changes --------------------------------------------------------------------------

    def after(self, data: SiteData, at: datetime) -> Engine:
        """The engine of a changed site, or of another moment; what still holds is kept.

        The cost is that of what has changed, for rules, given roles, readerships, people and
        what is said of items. Where more has changed, it is made anew.
        """
        differs = differences(self.data, self.at, data, at)
        if differs is None:
            return Engine(data, at)
        handiwork = self.crowd.handiwork
        if differs.work:
            handiwork = handiwork.after(self.data, data, differs.work)
        rights, spots = self.rights.after(data, at)
        if spots is None or rights.needs_whole_items() != self.ground.whole:
            return Engine(data, at, handiwork)
        cut = data.rights_cut_at.keys() ^ self.data.rights_cut_at.keys()
        ground = self.ground.after(data, at, differs.rows, differs.moved, _paths(spots), cut)
        whos = rights.whos - self.rights.whos
        crowd = self.crowd.after(Belonging(data, at), whos, handiwork, differs.people)
        found = object.__new__(Engine)
        found._arrange(rights, crowd, ground, self.shared)
        renewed = Renewed(*ground.at_spots(spots), SITE.spot in spots, rights.news)
        for asked, (plan, earlier) in list(self._inherited.items()):
            found._inherited[asked] = plan, earlier.and_then(renewed)
        for asked, plan in list(self._plans.items()):
            found._inherited[asked] = plan, renewed
        found._before, found._since = ref(self), renewed
        if not (cut or differs.rows or differs.people) and differs.moved.same:
            found.renewed = renewed
        found.spots = spots
        return found

    def later(self, at: datetime) -> Engine:
        """The same engine, asked at a moment until which nothing has changed by itself; whatever
        one of the two finds out the other knows."""
        if at == self.at:
            return self
        found = object.__new__(Engine)
        found.__dict__.update(self.__dict__)
        found.at = at
        found.basis = Basis(self.data, ref(found))
        return found

    # Items that are there -------------------------------------------------------------

    def allows(self, login: str | None, action: str, path: str) -> bool:
        """May they do this to the item at a path?"""
        mask, own, site = self.crowd[login]
        situation = self._at[self._index[path]]
        plan = self._by_action[action]
        if login is None and (answer := plan.guests.get(situation)) is not None:
            return answer
        try:
            number, asks, key, parts = plan.way[situation & MASK]
            said = site[number]
            if not said or path in own:
                return self._once_more(login, action, path, plan, situation)
            some = mask & asks
            if some:
                key = parts[some]
            filed = situation >> BITS
            if filed:
                entry = plan.filed[filed & MASK]
                if entry is None:
                    return self._once_more(login, action, path, plan, situation)
                asks, by_most, parts = entry
                some = mask & asks
                key |= parts[some] if some else by_most
                filed >>= BITS
                if filed:
                    entry = plan.filed[filed]
                    if entry is None:
                        return self._once_more(login, action, path, plan, situation)
                    asks, by_most, parts = entry
                    some = mask & asks
                    key |= (parts[some] if some else by_most) << _FURTHER
            return plan.answers[key | said] == YES
        except IndexError:  # a class that was found by somebody else meanwhile
            self._grow()
            return self._carefully(login, action, path)

    def _once_more(
        self, login: str | None, action: str, path: str, plan: Plan, situation: Situation
    ) -> bool:
        """The same about an item of a class that is not at hand: mostly one of others."""
        person = self.crowd[login]
        if situation == UNSETTLED or path in person[1] or self._index[path] in self.links:
            return self._carefully(login, action, path)
        if self.is_owner(login):
            return True
        known = plan.said.get((login, situation))
        if known is None:
            known = plan.answer(person[0], situation) == YES
            plan.remember(login, person, situation, known)
        return known

    def _carefully(self, login: str | None, action: str, path: str) -> bool:
        """The same with all that is rare: the owner, own work, links, what is met first."""
        person, owner = self.crowd[login], self.is_owner(login)
        own = path in person[1]
        if own and action == "publish" and self._own_work(login, self.subject(path)):
            return False
        if owner:
            return True
        author = own and login in self.authors(path)
        plan = self.plan(Asked(action, author=author))
        situation = self.situation_of(path)
        answer = plan.answer(person[0], situation)
        target = self.data.content.value("links_to", self._index[path])
        if target is None and not own:
            plan.remember(login, person, situation, answer == YES)
        if answer != YES:
            return False
        return target not in self._index or self.allows(login, "read", target)

    def situation_of(self, path: str) -> Situation:
        """The situation of the item at a path."""
        row = self._index[path]
        if self._at[row] == UNSETTLED:
            self.ground.settle(row)
            self._grow()
        return self._at[row]

    def settle_all(self) -> None:
        """Find the situation of every item, so that all can be looked at together."""
        self.ground.settle_all()
        self._grow()

    def _grow(self) -> None:
        for plan in list(self._plans.values()):
            plan.grow()

    def handiwork_on(self, path: str) -> tuple[str, ...]:
        """Who wrote or changed the item at a path: of a part, its page."""
        page = self.data.items[self.data.page_of(path)]
        return (*page.authors, *page.changed_by)

    def authors(self, path: str) -> Sequence[str]:
        """The authors of the item at a path: of a part, those of its page."""
        found: Sequence[str] = self.data.items[self.data.page_of(path)].authors
        return found

    def plan(self, asked: Asked) -> Plan:
        """The plan of a question, made when first asked."""
        found = self._plans.get(asked)
        if found is None:
            inherited = self._inherited.get(asked) or self._made_meanwhile(asked)
            if inherited is None:
                plan = Plan(asked, self._compiler, self.ground, self.shared)
            else:
                before, renewed = inherited
                plan = before.after(self._compiler, self.ground, renewed)
            found = self._plans.setdefault(asked, plan)
            self._inherited.pop(asked, None)
        return found

    def _made_meanwhile(self, asked: Asked) -> tuple[Plan, Renewed] | None:
        """A plan that the engine before has made since, where it is still there."""
        before = self._before()
        plan = before._plans.get(asked) if before is not None else None
        return (plan, self._since) if plan is not None else None

    def beside(self, make: Callable[[Engine], _T]) -> _T:
        """What is made of the engine, once, and kept with it."""
        found = self._beside.get(make)
        if found is None:
            found = self._beside[make] = make(self)
        return cast(_T, found)

    # Reasons --------------------------------------------------------------------------

    @cached_property
    def reference(self) -> Reference:
        """What tells step by step how an answer is come to."""
        return Reference(self.data, self.at)

    def reference_for(self, login: str | None) -> Reference:
        """The same for a question about somebody, who may be a stand-in."""
        if not isinstance(login, Somebody):
            return self.reference
        return reference_about(self.data, self.at, login)

    # Subjects, whether they stand there or are pictured ---------------------------------

    def acting(self, login: str | None) -> str | None:
        """The login of somebody active; None for everybody else, who is a guest."""
        return None if self.crowd[login] is A_GUEST else login

    def is_owner(self, login: str | None) -> bool:
        """Whether this is the owner, who is an active user."""
        return login is not None and login == self.data.owner

    def allows_of(
        self, login: str | None, action: str, about: Subject, *, any_state: bool = False
    ) -> bool:
        """May they do this to a subject? `any_state` skips the test of the state."""
        if action == "publish" and self._own_work(login, about):
            return False
        if self.is_owner(login):
            return True
        if self._ask(login, about, Asked(action, any_state=any_state)) != YES:
            return False
        target = about.target
        return target is None or target not in self._index or self.allows(login, "read", target)

    def says(self, login: str | None, action: str, about: Subject) -> int:
        """Whether the words let them do just this, reading aside: YES, NO or SILENT."""
        if self.is_owner(login):
            return YES
        return self._ask(login, about, Asked(action, reading=False))

    def silent(self, login: str | None, action: str, about: Subject) -> bool:
        """Whether all that keeps them from it is that nobody has spoken."""
        if action == "publish" and self._own_work(login, about):
            return False
        return action != "read" and self.says(login, action, about) not in (YES, NO)

    def _ask(self, login: str | None, about: Subject, asked: Asked) -> int:
        plan = self.plan(asked._replace(author=self.acting(login) in about.authors))
        return plan.answer(self.crowd[login][0], self.ground.of_subject(about))

    def _own_work(self, login: str | None, about: Subject) -> bool:
        """Four eyes: whether the kind asks for them and the user wrote or changed it."""
        if self.four_eyes.isdisjoint(about.kinds):
            return False
        return self.acting(login) in about.authors | about.changed_by

    # Creating, filing, moving, managing --------------------------------------------------

    def perhaps_creates(self, login: str | None, parent: str) -> frozenset[str]:
        """The kinds of which anything lets them create some there: a quick look before asking."""
        return self._new_items.perhaps(self, login, parent)

    def may_create(
        self, login: str | None, kind: str, parent: str, categories: Sequence[str]
    ) -> bool:
        """May they create an item of this kind below the parent, filed so?"""
        return self._new_items.may(self, login, kind, parent, tuple(categories))

    def filings(self, login: str | None, kind: str, parent: str) -> tuple[str, ...]:
        """The categories under each of which alone they may create an item of this kind below the
        parent."""
        return self._new_items.filings(self, login, kind, parent)

    def _create_as(self, login: str | None, item: Item, parent: str) -> bool:
        about = subject.pictured(self.data, item, parent, self.at)
        return (
            (parent not in self._index or self.allows(login, "read", parent))
            and self.allows_of(login, "create", about, any_state=True)
            and all(self.file(login, about, each, any_state=True) for each in item.categories)
        )

    def file(
        self, login: str | None, about: Subject, category: str, *, any_state: bool = False
    ) -> bool:
        """May they file a subject under a category? Asked as if filed under that alone."""
        alone = about._replace(categories=subject.with_above([category]))
        return self.says(login, "file-under", alone) == YES and self.allows_of(
            login, "read", about, any_state=any_state
        )

    def may_file(self, login: str | None, path: str, category: str) -> bool:
        """May they file the item under the category?"""
        item = self.data.items[path]
        if standing.filing_obstacle(self.data.all_kinds[item.kind], category):
            return False
        return self.file(login, self.subject(path), category)

    def may_move(self, login: str | None, path: str, new_parent: str) -> bool:
        """May they move the item, with all below it, under another parent?"""
        if standing.cannot_move(self.data, path, new_parent):
            return False
        return self.may_stand(login, path, new_parent) and self.may_take_along(login, path)

    def may_take_along(self, login: str | None, path: str) -> bool:
        """May they edit the item and all below it, as whoever moves it must?"""
        below = (path, *self.data.tree.below(path))
        return all(self.allows(login, "edit", each) for each in below)

    def may_stand(self, login: str | None, path: str, new_parent: str) -> bool:
        """May they create the item, as it is, under another parent?"""
        return self._create_as(login, self.data.items[path], new_parent)

    def may_manage(self, login: str | None, action: str, place: Place) -> bool:
        """May they manage a place? Nothing needs to be readable for it."""
        return self.says(login, action, subject.of_place(self.data, place)) == YES

    def subject(self, path: str) -> Subject:
        """An item of the site as it is at the moment."""
        return subject.of_item(self.data, self.data.items[path], self.at)


class _ByAction(dict[str, Plan]):
    """The plans of those who did not write the item, by action.

    Actions that cannot be asked of an item alone have none.
    """

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self._engine = engine

    def __missing__(self, action: str) -> Plan:
        if action in NEED_MORE or action not in self._engine.data.item_actions:
            raise KeyError(action)
        found = self[action] = self._engine.plan(Asked(action))
        return found


def _nothing() -> None:
    """What an engine that follows no other knows of the one before."""


def _paths(spots: Iterable[tuple[str, str]]) -> set[str]:
    return {name for kind, name in spots if kind == "path"}
