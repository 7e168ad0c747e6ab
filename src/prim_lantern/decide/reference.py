"""How access is decided, written plainly: the specification in code.

It is to be read beside docs/how-access-is-decided.md, part by part. It is right, and
slow; whatever is made to be fast is tested against it.
"""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import datetime

from prim_lantern.decide import standing, subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.clauses import Clause, Clauses, outweighs
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.trace import (
    NO,
    SILENT,
    YES,
    AllAccess,
    Creating,
    Doing,
    Filing,
    Managing,
    Met,
    Moving,
    Reading,
    Say,
    Standing,
)
from prim_lantern.site.content import DRAFT, PUBLISHED, Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place, is_above, is_at_or_below
from prim_lantern.site.rights import OTHERS, OWN, PlaceSetting, Readership
from prim_lantern.site.who import Who

_READINGS_KEPT = 20_000


class Reference:
    """The decisions of one site at one moment.

    `login` is that of a user of the site, or None for a guest. Paths, kinds, actions and
    categories are known to be there; asking about others is for the caller to refuse.
    """

    def __init__(self, data: SiteData, at: datetime, like: Reference | None = None) -> None:
        """Take a site and a moment; `like`, that of a site that differs little, saves work."""
        self.data, self.at = data, at
        self.belonging = Belonging(data, at)
        self._clauses: Clauses = Clauses(data, like._clauses if like is not None else None)
        self._in_force = [each for each in self._clauses if each.period.holds(at)]
        self.given = [each for each in data.given if each.period.holds(at)]
        self._speaking: dict[tuple[str | None, str], list[Clause]] = {}
        self._subjects: dict[str, Subject] = {}
        self._readings: dict[tuple[str | None, str], Reading] = {}

    # People -------------------------------------------------------------------

    def is_owner(self, login: str | None) -> bool:
        """Whether this is the owner, who is an active user."""
        return login is not None and login == self.data.owner

    def is_among(self, login: str | None, who: Who, about: Subject) -> bool:
        """Whether the user is among a who, for the subject asked about."""
        if who.kind == "role":
            return self.holds_role(login, who.name, about)
        if who.kind == "authors":
            return self.is_author(login, about)
        return who in self.belonging.whos(self.belonging.acting(login))

    def holds_role(self, login: str | None, role: str, about: Subject) -> bool:
        """Whether exactly this role is given to the user within a place that holds it."""
        return any(
            given.role == role
            and any(self.is_among(login, who, about) for who in given.to)
            and any(map(about.is_held_by, given.within_any))
            for given in self.given
        )

    def is_author(self, login: str | None, about: Subject) -> bool:
        """Whether the user is an author of it; a guest never is."""
        return self.belonging.acting(login) in about.authors

    def all_access(self, login: str | None, about: Subject) -> AllAccess | None:
        """An all-access role that is given to the user and holds it."""
        for given in self.given:
            if self.data.roles[given.role].all_access and any(
                self.is_among(login, who, about) for who in given.to
            ):
                for place in given.within_any:
                    if about.is_held_by(place):
                        return AllAccess(given, place)
        return None

    # Clauses ------------------------------------------------------------------

    def matching(self, login: str | None, action: str, about: Subject) -> list[Clause]:
        """The clauses that match, those without exceptions among them."""
        return [each for each in self.spoken(login, action) if self._fits(each, login, about)]

    def spoken(self, login: str | None, action: str) -> list[Clause]:
        """Those about the action that may speak to the user (a role depends on the item)."""
        acting = self.belonging.acting(login)
        found = self._speaking.get((acting, action))
        if found is None:
            whos = self.belonging.whos(acting)
            found = self._speaking[acting, action] = [
                each
                for each in self._in_force
                if action in each.actions and (each.who.kind == "role" or each.who in whos)
            ]
        return found

    def _fits(self, clause: Clause, login: str | None, about: Subject) -> bool:
        return (
            about.is_held_by(clause.place)
            and (clause.kinds is None or not clause.kinds.isdisjoint(about.kinds))
            and (clause.states is None or about.state in clause.states)
            and (clause.whose != OWN or self.is_author(login, about))
            and (clause.whose != OTHERS or not self.is_author(login, about))
            and self.is_among(login, clause.who, about)
        )

    def final_deny(self, login: str | None, action: str, about: Subject) -> Clause | None:
        """A matching deny without exceptions, if there is one."""
        matching = self.matching(login, action, about)
        return next((each for each in matching if each.no_exceptions), None)

    def say(self, login: str | None, action: str, about: Subject) -> Say:
        """What the clauses come to for a user, an action and a subject."""
        matching = [each for each in self.matching(login, action, about) if not each.no_exceptions]
        cut_at = self.rights_cut_at(about)
        cut_off = [
            each for each in matching if each.allow and not is_at_or_below(each.place, cut_at)
        ]
        speaking = [each for each in matching if each not in cut_off]
        left: list[Clause] = []
        outweighed: list[tuple[Clause, Clause]] = []
        for clause in speaking:
            by = [each for each in speaking if outweighs(each, clause, about)]
            if by:
                outweighed.append((clause, by[0]))
            else:
                left.append(clause)
        answer = NO if any(not each.allow for each in left) else YES if left else SILENT
        return Say(answer, tuple(left), tuple(outweighed), tuple(cut_off), cut_at)

    # What comes from above ------------------------------------------------------

    def rights_cut_at(self, about: Subject) -> str | None:
        """The nearest path on the way that lets no rights in from above."""
        cuts = [path for path in about.way if path in self.data.rights_cut_at]
        return cuts[-1] if cuts else None

    def readerships_met(self, about: Subject) -> tuple[list[Standing], list[Standing]]:
        """The readerships that the subject meets, the site's first, the nearest path last;
        and those that a path nearer to it keeps away.
        """
        at_paths = [
            each
            for path in about.way
            if (each := self.data.readerships_at.get(("path", path)))
            and about.is_held_by(each.place)
        ]
        if about.page is not None:  # a part: the rest its page has met
            page = about.page
            at_paths = [each for each in at_paths if is_above(page, each.place.name)]
            elsewhere = []
        else:
            origin = self.data.origin and self.data.origin.of("default_readership")
            site_wide = PlaceSetting(SITE, self.data.default_readership, origin=origin)
            at_categories = (
                self.data.readerships_at.get(("category", each))
                for each in sorted(about.categories)
            )
            elsewhere = [site_wide, *filter(None, at_categories)]
        met = [
            Standing(self.data.readership(each.readership or ""), each.place, each.origin)
            for each in (*elsewhere, *at_paths)
        ]
        cutting = [each.place.name for each in at_paths if not each.readership_from_above]
        if not cutting:
            return met, []
        nearest, own = cutting[-1], cutting[-1] in about.own_paths
        counts = [
            each.readership.no_exceptions
            or is_at_or_below(each.place, nearest)
            or (each.place.kind == "category" and not own)
            for each in met
        ]
        return (
            [each for each, does in zip(met, counts, strict=True) if does],
            [each for each, does in zip(met, counts, strict=True) if not does],
        )

    # Reading ----------------------------------------------------------------------

    def is_in(self, login: str | None, readership: Readership, about: Subject) -> bool:
        """Whether the user is in a readership: any reader, each of all_of, none of but_not."""
        return (
            any(self.is_among(login, who, about) for who in readership.readers)
            and all(self.is_among(login, who, about) for who in readership.all_of)
            and not any(self.is_among(login, who, about) for who in readership.but_not)
        )

    def _met(self, login: str | None, about: Subject, standing: Standing, say: Say) -> Met:
        is_in = self.is_in(login, standing.readership, about)
        past = None
        if not is_in and not standing.readership.no_exceptions and say.answer == YES:
            at = standing.place
            past = next((each for each in say.left if about.at_or_nearer(each.place, at)), None)
        return Met(*standing, is_in, past)

    def read(self, login: str | None, about: Subject, *, any_state: bool = False) -> Reading:
        """May the user read it? `any_state` skips the test of the state (a pictured item)."""
        if self.is_owner(login):
            return Reading(True, about, owner=True)
        final_deny = self.final_deny(login, "read", about)
        if final_deny is None and about.state != PUBLISHED:
            final_deny = self.final_deny(login, "see-drafts", about)
        say = self.say(login, "read", about)
        standing_here, set_aside = self.readerships_met(about)
        met = tuple(self._met(login, about, each, say) for each in standing_here)
        all_access = self.all_access(login, about)
        author = self.is_author(login, about)
        drafts = self.say(login, "see-drafts", about)
        state_passed = any_state or about.state == PUBLISHED or author or drafts.answer == YES
        of_page = self._read_page(login, about) if about.page is not None else None
        target = about.target if about.target in self.data.items else None
        of_target = self.read_item(login, target) if target is not None else None
        by_themselves = say.answer != NO and all(each.passed for each in met) and state_passed
        allowed = (
            final_deny is None
            and all(each.is_in for each in met if each.readership.no_exceptions)
            and (all_access is not None or by_themselves)
            and (of_page is None or of_page.allowed)
            and (of_target is None or of_target.allowed)
        )
        return Reading(
            allowed=allowed,
            subject=about,
            final_deny=final_deny,
            met=met,
            set_aside=tuple(set_aside),
            all_access=all_access,
            say=say,
            state_passed=state_passed,
            author=author,
            drafts=drafts,
            of_page=of_page,
            of_target=of_target,
        )

    def _read_page(self, login: str | None, about: Subject) -> Reading:
        """May the user read the page of a part, which may be pictured as well?"""
        page = about.of_page
        stands = page.way[-1] in self.data.items and self.subject(page.way[-1]) == page
        return self.read_item(login, page.way[-1]) if stands else self.read(login, page)

    def subject(self, path: str) -> Subject:
        """An item of the site as it is at the moment."""
        found = self._subjects.get(path)
        if found is None:
            item = self.data.items[path]
            found = self._subjects[path] = subject.of_item(self.data, item, self.at)
        return found

    def read_item(self, login: str | None, path: str) -> Reading:
        """May the user read the item at a path?"""
        found = self._readings.get((login, path))
        if found is None:
            if len(self._readings) >= _READINGS_KEPT:
                self._readings.clear()
            found = self._readings[login, path] = self.read(login, self.subject(path))
        return found

    # Any other action ------------------------------------------------------------

    def do(
        self,
        login: str | None,
        action: str,
        about: Subject,
        *,
        asked_of: Subject | None = None,
        any_state: bool = False,
    ) -> Doing:
        """May the user do it? `asked_of` is what the action itself is asked of, where that
        differs from what has to be read (filing under one category)."""
        asked_of = asked_of or about
        own_work = action == "publish" and self._own_work(login, about)
        if own_work:
            return Doing(False, action, about, own_work=True, owner=self.is_owner(login))
        if self.is_owner(login):
            return Doing(True, action, about, owner=True)
        final_deny = self.final_deny(login, action, asked_of)
        reading = self.read(login, about, any_state=any_state)
        all_access = self.all_access(login, asked_of)
        say = self.say(login, action, asked_of)
        allowed = (
            final_deny is None and reading.allowed and (all_access is not None or say.answer == YES)
        )
        return Doing(
            allowed=allowed,
            action=action,
            subject=asked_of,
            final_deny=final_deny,
            reading=reading,
            all_access=all_access,
            say=say,
        )

    def _own_work(self, login: str | None, about: Subject) -> bool:
        """Four eyes: whether the kind asks for them and the user wrote or changed it."""
        acting = self.belonging.acting(login)
        asked = any(self.data.all_kinds[kind].four_eyes for kind in about.kinds)
        return asked and acting is not None and acting in about.authors | about.changed_by

    def may(self, login: str | None, action: str, path: str) -> Reading | Doing:
        """May the user do this to the item at a path?"""
        if action == "read":
            return self.read_item(login, path)
        return self.do(login, action, self.subject(path))

    # Creating, filing, moving --------------------------------------------------------

    def may_create(
        self, login: str | None, kind: str, parent: str, categories: Sequence[str]
    ) -> Creating:
        """May the user create an item of this kind below the parent, filed so?"""
        obstacle = standing.obstacle(self.data, self.data.all_kinds[kind], parent, categories)
        if obstacle:
            return Creating(False, obstacle)
        acting = self.belonging.acting(login)
        authors = (acting,) if acting is not None else ()
        item = Item("", kind, authors=authors, state=DRAFT, categories=tuple(categories))
        return self._create_as(login, item, parent)

    def _create_as(self, login: str | None, item: Item, parent: str) -> Creating:
        about = subject.pictured(self.data, item, parent, self.at)
        of_parent = self.read_item(login, parent) if parent in self.data.items else None
        doing = self.do(login, "create", about, any_state=True)
        filing = tuple(
            (category, self.file(login, about, category, any_state=True))
            for category in item.categories
        )
        allowed = (
            (of_parent is None or of_parent.allowed)
            and doing.allowed
            and all(each.allowed for _, each in filing)
        )
        return Creating(allowed, None, of_parent, doing, filing)

    def file(
        self, login: str | None, about: Subject, category: str, *, any_state: bool = False
    ) -> Doing:
        """May the user file a subject under a category? Asked as if filed under that alone."""
        alone = about._replace(categories=subject.with_above([category]))
        return self.do(login, "file-under", about, asked_of=alone, any_state=any_state)

    def may_file(self, login: str | None, path: str, category: str) -> Filing:
        """May the user file the item under the category?"""
        kind = self.data.all_kinds[self.data.items[path].kind]
        obstacle = standing.filing_obstacle(kind, category)
        if obstacle:
            return Filing(False, obstacle)
        doing = self.file(login, self.subject(path), category)
        return Filing(doing.allowed, None, doing)

    def may_move(self, login: str | None, path: str, new_parent: str) -> Moving:
        """May the user move the item, with all below it, under another parent?"""
        item = self.data.items[path]
        kind = self.data.all_kinds[item.kind]
        obstacle = standing.obstacle(self.data, kind, new_parent, item.categories, moved=item)
        if obstacle:
            return Moving(False, obstacle)
        with_all_below: Iterable[Item] = (item, *self.data.below(path))
        editing = tuple((each.path, self._edit(login, each.path)) for each in with_all_below)
        creating = self._create_as(login, item, new_parent)
        allowed = creating.allowed and all(each.allowed for _, each in editing)
        return Moving(allowed, None, editing, creating)

    def _edit(self, login: str | None, path: str) -> Doing:
        return self.do(login, "edit", self.subject(path))

    # Managing -----------------------------------------------------------------------

    def may_manage(self, login: str | None, action: str, place: Place) -> Managing:
        """May the user manage at a place? Nothing needs to be readable for it."""
        about = subject.of_place(self.data, place)
        if self.is_owner(login):
            return Managing(True, action, about, owner=True)
        final_deny = self.final_deny(login, action, about)
        all_access = self.all_access(login, about)
        say = self.say(login, action, about)
        allowed = final_deny is None and (all_access is not None or say.answer == YES)
        return Managing(
            allowed, action, about, final_deny=final_deny, all_access=all_access, say=say
        )
