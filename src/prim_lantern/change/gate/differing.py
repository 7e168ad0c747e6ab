"""Which words differ in a change, and what they can speak of."""

from __future__ import annotations

from collections.abc import Iterable
from functools import cached_property

from prim_lantern.change.effects.touched import all_access
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.people import Stretch
from prim_lantern.decide.clauses import Clause, beyond
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.subject import Subject, with_above
from prim_lantern.site.places import Place


class Differing:
    """The words that a change brings or takes away, at whatever time they are in force."""

    def __init__(self, judged: Judged) -> None:
        self.judged = judged

    @cached_property
    def clauses(self) -> tuple[Clause, ...]:
        """Each of them, with one action."""
        base, after = self.judged.base, self.judged.after
        return (*beyond(base, after), *beyond(after, base))

    @cached_property
    def only_clauses_and_settings(self) -> bool:
        """Whether nothing else differs that decides: no people, no all access, no actions or kinds,
        nothing that is cut off."""
        base, after = self.judged.base, self.judged.after
        grants = {frozenset(all_access(data)) for data in (base, after)}
        return (
            "people" not in self.judged.sorts
            and len(grants) == 1
            and all(getattr(base, p) == getattr(after, p) for p in ("actions", "kinds"))
            and base.rights_cut_at.keys() == after.rights_cut_at.keys()
        )

    def actions(self, before: Engine, after: Engine) -> frozenset[str] | None:
        """The actions that they are about; None where it may be any."""
        if not self.only_clauses_and_settings:
            return None
        about_roles = self.about_roles(before, after)
        if about_roles is None:
            return None
        return frozenset(
            action for clause in (*self.clauses, *about_roles) for action in clause.actions
        )

    def about_roles(self, before: Engine, after: Engine) -> list[Clause] | None:
        """The words about whoever has a role that is newly given, or no more; None where a
        readership speaks of them."""
        gone, come = self.judged.gone_and_come("given")
        roles = {given.role for given in (*gone, *come)}
        rights = [engine.rights for engine in (before, after)]
        if any(not roles.isdisjoint(each.roles_of_readers()) for each in rights):
            return None
        return [clause for each in rights for clause in each.words_about(roles)]

    def read_first(self, stretch: Stretch, action: str) -> bool:
        """Whether whoever gains an action has come to read as well, since no words about the action
        itself differ: what the maker may not read shows there."""
        actions = self.actions(stretch.before, stretch.after)
        return actions is not None and action not in {*actions, "read"}


class Scope:
    """What the words that differ can speak of at one time, of items that are pictured."""

    def __init__(self, differing: Differing, stretch: Stretch) -> None:
        before, after = stretch.before, stretch.after
        about_roles = differing.about_roles(before, after) or []
        self.everything = after.spots is None or differing.actions(before, after) is None
        """Whether it may be anything."""
        self.clauses = [each for each in differing.clauses if each.period.holds(stretch.start)]
        self.clauses += about_roles
        settings = after.rights.other_settings(before.rights)
        self._places = [Place("site" if k == "site" else k, name) for k, name in settings]

    def concerns(self, actions: Iterable[str]) -> bool:
        """Whether it can be about one of some actions at all."""
        return self.everything or bool(self._places) or bool(self._about(actions))

    def _about(self, actions: Iterable[str]) -> list[Clause]:
        some = frozenset(actions)
        return [each for each in self.clauses if not some.isdisjoint(each.actions)]

    def way(self, about: Subject, actions: Iterable[str]) -> bool:
        """Whether something that differs about some actions, at the site or on the way, can speak
        of an item."""
        return self.everything or self._speaks(about, actions, ("site", "path"))

    def filed(self, about: Subject, filing: Iterable[str], actions: Iterable[str]) -> bool:
        """Whether something that differs at some categories can, were it filed so."""
        filed = about._replace(categories=with_above(filing))
        return self.everything or self._speaks(filed, actions, ("category",))

    def _speaks(self, about: Subject, actions: Iterable[str], where: tuple[str, ...]) -> bool:
        some = [about] if about.page is None else [about, about.of_page]
        return any(
            place.kind in where and subject.is_held_by(place)
            for place in self._places
            for subject in some
        ) or any(
            clause.place.kind in where
            and subject.is_held_by(clause.place)
            and (clause.kinds is None or not clause.kinds.isdisjoint(subject.kinds))
            and (clause.states is None or subject.state in clause.states)
            for clause in self._about(actions)
            for subject in some
        )
