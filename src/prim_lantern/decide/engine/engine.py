"""The engine: the decisions of one site at one moment, fast."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime

from prim_lantern.decide import standing, subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.engine.case import Asked
from prim_lantern.decide.engine.compiler import Compiler
from prim_lantern.decide.engine.crowd import A_GUEST, SITE_CODES, Crowd, Handiwork, Person
from prim_lantern.decide.engine.ground import BITS, MASK, UNSETTLED, Ground, Situation
from prim_lantern.decide.engine.levels import NO, YES
from prim_lantern.decide.engine.plan import FILED, MORE, Plan, Shared
from prim_lantern.decide.engine.rights import Rights
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.timeline import timed_people
from prim_lantern.site.content import DRAFT, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import Place

_FURTHER = MORE - FILED
# What an engine rests on: where one of these changes, everything may.
_BASIS = ("groups", "plans", "roles", "kinds", "actions", "category_sets")


class Engine:
    """Who may do what on a site at a moment.

    `login` is that of a user or a stand-in, or None for a guest. Names are known to be
    there, as for the reference.
    """

    def __init__(self, data: SiteData, at: datetime) -> None:
        rights, belonging = Rights(data, at), Belonging(data, at)
        self._arrange(
            rights,
            Crowd(belonging, rights.whos(), Handiwork(data)),
            Ground(data, at, rights.paths(), whole=rights.needs_whole_items()),
            Shared(),
        )

    def _arrange(self, rights: Rights, crowd: Crowd, ground: Ground, shared: Shared) -> None:
        self.data = rights.data
        self.at = ground.moment
        self.rights, self.crowd, self.ground, self.shared = rights, crowd, ground, shared
        self._compiler = Compiler(rights, crowd)
        self._plans: dict[Asked, Plan] = {}
        self._by_action = _ByAction(self)
        self._at = ground.at
        kinds = self.data.all_kinds
        self.four_eyes = frozenset(name for name, kind in kinds.items() if kind.four_eyes)
        self.links = self.data.content.filled("links_to")

    # Changes --------------------------------------------------------------------------

    def after(self, data: SiteData, at: datetime) -> Engine:
        """The engine of a changed site, or of another moment; what still holds is kept.

        The cost is that of what has changed, for rules, given roles, readerships, people and
        what is said of items. Where more has changed, it is made anew.
        """
        people, rows = self._changed_people(data, at), self._changed_rows(data, at)
        same = all(getattr(data, part) is getattr(self.data, part) for part in _BASIS)
        if people is None or rows is None or not same:
            return Engine(data, at)
        rights = Rights(data, at, self.rights)
        spots = rights.differing(self.rights)
        if spots is None or rights.needs_whole_items() != self.ground.whole:
            return Engine(data, at)
        handiwork = self.crowd.handiwork
        work = [row for row in rows if _work(data, row) != _work(self.data, row)]
        if work:
            work += [row for row, page in data.pages.items() if page in work]
            handiwork = handiwork.after(self.data, data, work)
            everybody = (login for row in work for each in (self.data, data) for login in _work(each, row))
            people |= set(everybody)
        ground = self.ground.after(data, at, [*rows, *_parts_of(data, rows)])
        cut = data.rights_cut_at.keys() ^ self.data.rights_cut_at.keys()
        ground.mind(rights.paths())
        ground.cut_anew(cut)
        crowd = self.crowd.after(Belonging(data, at), rights.whos(), handiwork, people)
        found = object.__new__(Engine)
        found._arrange(rights, crowd, ground, self.shared)
        ways, filed = ground.at_spots(spots)
        for asked, plan in self._plans.items():
            found._plans[asked] = plan.after(found._compiler, ground, ways, filed)
        return found

    def _changed_people(self, data: SiteData, at: datetime) -> set[str] | None:
        """The logins of those who may have changed; None where it may be anybody."""
        rows = data.people.differing(self.data.people)
        if rows is None or data.owner != self.data.owner:
            return None
        if at != self.at:
            rows |= timed_people(data)
        return {data.people.names[row] for row in rows}

    def _changed_rows(self, data: SiteData, at: datetime) -> set[int] | None:
        """The rows of items that may have changed; None where it may be any."""
        rows = data.content.differing(self.data.content)
        if rows is None:
            return None
        kinds = ("kind", data.content, self.data.content)
        if any(kinds[1].value("kind", row) != kinds[2].value("kind", row) for row in rows):
            return None
        if at != self.at:
            content = data.content
            timed = content.filled("public_from").keys() | content.filled("public_until").keys()
            rows |= {
                row for row in timed if content.at(row).state_at(at) != content.at(row).state_at(self.at)
            }
        return rows

    # Items that are there -------------------------------------------------------------

    def allows(self, login: str | None, action: str, path: str) -> bool:
        """May they do this to the item at a path?"""
        mask, own, site = self.crowd[login]
        situation = self._at[path]
        plan = self._by_action[action]
        number, asks, key, parts = plan.way[situation & MASK]
        said = site[number]
        if not said or path in own:
            return self._carefully(login, action, path)
        some = mask & asks
        if some:
            key = parts[some]
        filed = situation >> BITS
        if filed:
            entry = plan.filed[filed & MASK]
            if entry is None:
                return self._carefully(login, action, path)
            asks, by_most, parts = entry
            some = mask & asks
            key |= parts[some] if some else by_most
            filed >>= BITS
            if filed:
                entry = plan.filed[filed]
                if entry is None:
                    return self._carefully(login, action, path)
                asks, by_most, parts = entry
                some = mask & asks
                key |= (parts[some] if some else by_most) << _FURTHER
        return plan.answers[key | said] == YES

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
        self._remember(person, plan, situation)
        if answer != YES:
            return False
        target = self.data.content.value("links_to", self.data.content.index[path])
        return target not in self._at or self.allows(login, "read", target)

    def _remember(self, person: Person, plan: Plan, situation: Situation) -> None:
        """Keep with a person what the site says to them, so that it is at hand."""
        mask, _, site = person
        program = plan.programs(situation & MASK)[0]
        code = program[mask & program.asks]
        if person is not A_GUEST and program.number < SITE_CODES - 1 and code < 256:
            site[program.number] = code

    def situation_of(self, path: str) -> Situation:
        """The situation of the item at a path."""
        if self._at[path] == UNSETTLED:
            self.ground.settle(self.data.content.index[path])
            self._grow()
        return self._at[path]

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

    def verdict(self, mask: int, asked: Asked, row: int) -> int:
        """What the words come to for a mask and a row: YES, NO or SILENT."""
        plan = self.plan(asked)
        return plan.answers[plan.key(mask, *self.classes_of(row))]

    def classes_of(self, row: int) -> tuple[int, int, int]:
        """The numbers of the class of a row and of those of its categories."""
        if not self._way_of[row]:
            self.ground.settle(row)
        return self._way_of[row], self._filed_of[row], self._more_of[row]

    def plan(self, asked: Asked) -> Plan:
        """The plan of a question, made when first asked."""
        found = self._plans.get(asked)
        if found is None:
            plan = Plan(asked, self._compiler, self.ground, self.shared)
            found = self._plans.setdefault(asked, plan)
        return found

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
        return about.target not in self._at or self.allows(login, "read", about.target)

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

    def may_create(
        self, login: str | None, kind: str, parent: str, categories: Sequence[str]
    ) -> bool:
        """May they create an item of this kind below the parent, filed so?"""
        if standing.obstacle(self.data, self.data.all_kinds[kind], parent, categories):
            return False
        acting = self.acting(login)
        authors = () if acting is None else (acting,)
        item = Item("", kind, authors=authors, state=DRAFT, categories=tuple(categories))
        return self._create_as(login, item, parent)

    def _create_as(self, login: str | None, item: Item, parent: str) -> bool:
        about = subject.pictured(self.data, item, parent, self.at)
        return (
            (parent not in self._at or self.allows(login, "read", parent))
            and self.allows_of(login, "create", about, any_state=True)
            and all(self.file(login, about, each, any_state=True) for each in item.categories)
        )

    def file(
        self, login: str | None, about: Subject, category: str, *, any_state: bool = False
    ) -> bool:
        """May they file a subject under a category? Asked as if filed under that alone."""
        alone = about._replace(categories=subject.with_above([category]))
        return (
            self.says(login, "file-under", alone) == YES
            and self.allows_of(login, "read", about, any_state=any_state)
        )

    def may_file(self, login: str | None, path: str, category: str) -> bool:
        """May they file the item under the category?"""
        item = self.data.items[path]
        if standing.filing_obstacle(self.data.all_kinds[item.kind], category):
            return False
        return self.file(login, self.subject(path), category)

    def may_move(self, login: str | None, path: str, new_parent: str) -> bool:
        """May they move the item, with all below it, under another parent?"""
        item = self.data.items[path]
        kind = self.data.all_kinds[item.kind]
        if standing.obstacle(self.data, kind, new_parent, item.categories, moved=item):
            return False
        below: Iterable[str] = (path, *self.data.tree.below(path))
        return all(self.allows(login, "edit", each) for each in below) and self._create_as(
            login, item, new_parent
        )

    def may_manage(self, login: str | None, action: str, place: Place) -> bool:
        """May they manage a place? Nothing needs to be readable for it."""
        return self.says(login, action, subject.of_place(self.data, place)) == YES

    def subject(self, path: str) -> Subject:
        """An item of the site as it is at the moment."""
        return subject.of_item(self.data, self.data.items[path], self.at)


class _ByAction(dict[str, Plan]):
    """The plans of those who did not write the item, by action."""

    def __init__(self, engine: Engine) -> None:
        super().__init__()
        self._engine = engine

    def __missing__(self, action: str) -> Plan:
        found = self[action] = self._engine.plan(Asked(action))
        return found


def _work(data: SiteData, row: int) -> tuple[str, ...]:
    """Who wrote or changed the item of a row."""
    return (*data.content.value("authors", row), *data.content.value("changed_by", row))


def _parts_of(data: SiteData, rows: set[int]) -> list[int]:
    return [part for part, page in data.pages.items() if page in rows] if rows else []
