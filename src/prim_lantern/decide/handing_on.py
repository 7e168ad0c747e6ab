"""Who may hand on rights: nobody gives what they do not hold."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.decide import subject
from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.trace import YES
from prim_lantern.site.actions import MANAGING_ACTIONS
from prim_lantern.site.content import STATES
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.rights import OTHERS, OWN, Given, Readership
from prim_lantern.site.who import Who


class HandingOn:
    """What one user may hand on at one moment. Each answer is None for "may", or what is missing.

    `login` is that of a user, or None for a guest.
    """

    def __init__(self, reference: Reference, login: str | None) -> None:
        self.reference = reference
        self.login = login

    def over_everything(self) -> bool:
        """Whether they are the owner, or all-access on the whole site."""
        everywhere = self.reference.all_access(self.login, subject.of_place(self._data, SITE))
        return self.reference.is_owner(self.login) or everywhere is not None

    def members(self, group: str, added: Iterable[str] = ()) -> str | None:
        """May they change the members of a group, `added` being the logins of new ones?"""
        if self.reference.may_manage(self.login, "manage-people", SITE).allowed:
            return None
        acting = self.reference.belonging.acting(self.login)
        stewards = self._data.groups[group].stewards
        if not any(self.reference.is_among(self.login, who, Subject()) for who in stewards):
            return "they are no steward of the group and may not manage people"
        if acting in set(added):
            return "a steward cannot add themselves"
        if self._reaches_all_access(group):
            return "the group reaches a role with all access"
        return None

    def allow(self, clause: Clause) -> str | None:
        """May they make this allow, or lift a deny of the same words?"""
        if clause.no_exceptions:
            return self._only_from_the_top("what has no exceptions")
        return self._manages(clause.place) or self._holds(clause)

    def role(self, given: Given, clauses: Iterable[Clause]) -> str | None:
        """May they give this role, which comes to these clauses?"""
        if self._data.roles[given.role].all_access:
            return self._only_from_the_top("a role with all access")
        answers = (self._manages(place) for place in given.within_any)
        missing = next(filter(None, answers), None)
        return missing or next(filter(None, map(self._holds, clauses)), None)

    def widening(self, readership: Readership, place: Place) -> str | None:
        """May they widen this readership where it stands?"""
        if readership.no_exceptions:
            return self._only_from_the_top("what has no exceptions")
        missing = self._manages(place)
        about = subject.of_place(self._data, place)
        if missing or self.reference.is_owner(self.login):
            return missing
        if not self.reference.is_in(self.login, readership, about):
            return f"they are not in the readership {readership.called} themselves"
        return None

    @property
    def _data(self) -> SiteData:
        return self.reference.data

    def _only_from_the_top(self, what: str) -> str | None:
        if self.over_everything():
            return None
        return f"{what} is for the owner and for all-access people of the whole site"

    def _manages(self, place: Place) -> str | None:
        if self.reference.may_manage(self.login, "manage-rights", place).allowed:
            return None
        return f"they may not manage rights at {place}"

    def _holds(self, clause: Clause) -> str | None:
        """For each action, kind and state, an allow of their own for the whole period."""
        if self.reference.is_owner(self.login):
            return None
        data, place = self._data, subject.of_place(self._data, clause.place)
        since = max(filter(None, (clause.period.since, self.reference.at)))
        period = Period(since, clause.period.until)
        all_access = self.reference.all_access(self.login, place)
        if all_access is not None and all_access.given.period.covers(period):
            return None
        for action in sorted(clause.actions):
            if action in MANAGING_ACTIONS:
                if not self._says_yes(action, place, period):
                    return f"they do not hold {action} at {clause.place} for all that time"
                continue
            for kind in sorted(clause.kinds or data.all_kinds):
                for state in STATES if clause.states is None else sorted(clause.states):
                    about = place._replace(kinds=frozenset({kind}), state=state)
                    cases = (about._replace(authors=each) for each in self._authors(clause.whose))
                    if not all(self._says_yes(action, each, period) for each in cases):
                        return (
                            f"they do not hold {action} at {clause.place} themselves, for "
                            f"{kind} in the state {state} and for all that time"
                        )
        return None

    def _authors(self, whose: str) -> list[frozenset[str]]:
        """The cases that a clause speaks of: an item of their own, somebody else's, or both."""
        own, others = frozenset({self.login or ""}), frozenset[str]()
        return {OWN: [own], OTHERS: [others]}.get(whose, [own, others])

    def _says_yes(self, action: str, about: Subject, period: Period) -> bool:
        say = self.reference.say(self.login, action, about)
        return say.answer == YES and any(each.period.covers(period) for each in say.left)

    def _reaches_all_access(self, group: str) -> bool:
        reached, waiting = {group}, [group]
        while waiting:
            for upper in self._data.groups[waiting.pop()].counts_in:
                if upper not in reached:
                    reached.add(upper)
                    waiting.append(upper)
        groups = {Who("group", name) for name in reached}
        return any(
            self._data.roles[given.role].all_access and not groups.isdisjoint(given.to)
            for given in self._data.given
        )
