"""The test of gains, written plainly: for one person, one thing and one moment.

It is to be read beside docs/who-may-change-what.md. The gate finds by classes (`gains.py`) what
this says pair by pair, and is held against it by the tests.
"""

from __future__ import annotations

from datetime import datetime

from prim_lantern.change.gate.finals import kept
from prim_lantern.change.gate.judged import Judged
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import Somebody, stand_in
from prim_lantern.decide.subject import Subject, with_above
from prim_lantern.decide.trace import YES
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, User
from prim_lantern.site.places import Place
from prim_lantern.site.who import SIGNED_IN, Who
from prim_lantern.values import replace


class Plain:
    """A change, asked about one thing after another at one moment."""

    def __init__(self, judged: Judged, at: datetime) -> None:
        self.judged = judged
        groups = {*judged.base.groups, *judged.after.groups}
        self.before = Reference(_with_everybody(judged.base, groups), at)
        self.after = Reference(_with_everybody(judged.after, groups), at)
        then = judged.then
        self.then = Reference(_with_everybody(then, groups), at) if then is not None else None

    def gains(
        self, who: str | None, action: str, about: Subject | Place, category: str | None = None
    ) -> bool:
        """Whether somebody may do it after, and may not before; nor could they before a change of
        one's own that is taken back."""
        earlier = [each for each in (self.before, self.then) if each is not None]
        return may(self.after, who, action, about, category) and not any(
            may(each, who, action, about, category) for each in earlier
        )

    def holds(self, action: str, about: Subject | Place, category: str | None = None) -> bool:
        """Whether the one who makes the change could do it before; before a change of their own
        that they take back counts too."""
        by = self.judged.by
        return any(
            reference is not None and may(reference, by, action, about, category)
            for reference in (self.before, self.then)
        )

    def opens(
        self, who: str | None, action: str, about: Subject | Place, category: str | None = None
    ) -> bool:
        """Whether somebody gains what the one who makes the change could not do to the same: to
        what would be somebody's own, as their own."""
        if not self.gains(who, action, about, category):
            return False
        theirs = about
        if isinstance(about, Subject) and who is not None and who in about.authors:
            theirs = about._replace(authors=frozenset({self.judged.by}))
        return not self.holds(action, theirs, category)

    def frees(self, who: str | None, action: str, about: Subject) -> bool:
        """Whether something without exceptions keeps somebody from it before, and not after; to
        come into groups is free, so that it counts as done before."""
        if any(
            who is not None and who not in each.data.users for each in (self.before, self.after)
        ):
            return False
        before = _Joined(self.before, self.after)
        return kept(before, who, action, about) and not kept(self.after, who, action, about)


class _Joined(Reference):
    """A site at which somebody is also in the groups in which they are on another one."""

    def __init__(self, before: Reference, after: Reference) -> None:
        super().__init__(before.data, before.at)
        self._after = after

    def is_among(self, login: str | None, who: Who, about: Subject) -> bool:
        if super().is_among(login, who, about) or who.kind in ("role", "authors"):
            return super().is_among(login, who, about)
        return self._after.is_among(login, who, about)


def may(
    reference: Reference,
    who: str | None,
    action: str,
    about: Subject | Place,
    category: str | None = None,
) -> bool:
    """Whether somebody may do it, four eyes aside, which are about whose work it is."""
    if who is not None and who not in reference.data.users:
        who = None
    if isinstance(about, Place):
        return reference.may_manage(who, action, about).allowed
    if category is not None:
        return reference.file(who, about, category).allowed
    if action == "read":
        return reference.read(who, about).allowed
    if action == "create":
        under = [] if about.page else [each for each in about.categories if _lowest(each, about)]
        return reference.do(who, action, about, any_state=True).allowed and all(
            reference.file(who, about, each, any_state=True).allowed for each in under
        )
    if reference.is_owner(who):
        return True
    final = reference.final_deny(who, action, about)
    allowed = reference.all_access(who, about) or reference.say(who, action, about).answer == YES
    return final is None and bool(allowed) and reference.read(who, about).allowed


def _lowest(category: str, about: Subject) -> bool:
    """Whether it is filed under a category by itself, and not only under one below it."""
    below = (each for each in about.categories if each.startswith(f"{category}/"))
    return not any(below)


def _with_everybody(data: SiteData, groups: set[str]) -> SiteData:
    """The site with everybody acting, and the pictured people beside them."""
    users: dict[str, User] = {
        login: replace(user, status=ACTIVE) for login, user in data.users.items()
    }
    for who in (SIGNED_IN, *(Who("group", name) for name in groups)):
        somebody = Somebody(who)
        users[somebody] = stand_in(data, somebody)
    return data.with_parts(users=users)


def filed(about: Subject, *categories: str) -> Subject:
    """An item filed under some categories."""
    return about._replace(categories=with_above(categories))
