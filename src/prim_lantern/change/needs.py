"""Who may make a change: what each step asks of the one who makes it.

What is asked follows from what differs before and after, so that no way of saying a thing gets
round it: "nobody gives what they do not hold" holds for a rule, a role that gets a capability, a
group that goes, and for what is taken back from the history alike.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Mapping
from dataclasses import replace
from datetime import datetime
from functools import cached_property
from typing import Any, Final

from prim_lantern.change.operations.base import Made
from prim_lantern.change.pieces import Piece
from prim_lantern.change.renames import Renames, renamed
from prim_lantern.decide import subject
from prim_lantern.decide.belonging import Belonging
from prim_lantern.decide.clauses import Clause, beyond, clauses_of
from prim_lantern.decide.handing_on import HandingOn
from prim_lantern.decide.reference import Reference
from prim_lantern.site.actions import STEPS
from prim_lantern.site.content import DRAFT, Item, state_after
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Group, User
from prim_lantern.site.places import (
    SITE,
    Place,
    category_and_above,
    is_above,
    parent_of,
    place,
)
from prim_lantern.site.rights import Given, PlaceSetting, Readership
from prim_lantern.site.who import EVERYONE, SIGNED_IN, Who

_WORDS = frozenset({"rules", "given", "roles", "actions", "kinds"})
_PEOPLE = frozenset({"users", "groups", "plans", "given", "roles"})
_TOP = "this is for the owner and for all-access people of the whole site"


def missing_for(
    before: SiteData,
    after: SiteData,
    renames: Renames,
    pieces: Iterable[Piece],
    made: Made,
    *,
    undoing: bool = False,
) -> list[str]:
    """What the one who makes a step lacks for it; nothing, where they may.

    `pieces` are what differs between the site before, with `renames` done, and after. `undoing`
    says that a change of before is taken back.
    """
    step = _Step(before, after, renames, tuple(pieces), made, undoing=undoing)
    return list(dict.fromkeys(each for each in step.missing() if each is not None))


class _Step:
    def __init__(
        self,
        before: SiteData,
        after: SiteData,
        renames: Renames,
        pieces: tuple[Piece, ...],
        made: Made,
        *,
        undoing: bool,
    ) -> None:
        self.before, self.after, self.undoing = before, after, undoing
        self.renames, self.pieces, self.made = renames, pieces, made
        self.parts = {piece.part for piece in pieces}

    @cached_property
    def base(self) -> SiteData:
        """The site before, with what moves moved."""
        moving = self.renames.paths or self.renames.groups
        return renamed(self.before, self.renames) if moving else self.before

    @cached_property
    def reference(self) -> Reference:
        return Reference(self.base, self.made.at)

    @cached_property
    def reference_after(self) -> Reference:
        return Reference(self.after, self.made.at)

    @cached_property
    def handing_on(self) -> HandingOn:
        return HandingOn(self.reference, self.made.by)

    def missing(self) -> Iterator[str | None]:
        yield from self._moves()
        if self.renames.groups:
            yield self._manages("manage-people")
        for piece in self.pieces:
            if piece.part == "items":
                yield from self._item(piece)
        if self.reference.is_owner(self.made.by):
            return  # everything else is theirs
        yield from self._site()
        if self.parts & _WORDS:
            yield from self._words()
        if self.parts & _PEOPLE:
            yield from self._all_access()
        for piece in self.pieces:
            asks = _ASKS.get(piece.part)
            if asks is not None:
                yield from asks(self, piece)

    # Managing -------------------------------------------------------------------------

    def _manages(self, action: str) -> str | None:
        if self.reference.may_manage(self.made.by, action, SITE).allowed:
            return None
        return f"they have no right to {action}"

    def _manages_people(self, _: Piece) -> Iterator[str | None]:
        yield self._manages("manage-people")

    def _manages_roles(self, _: Piece) -> Iterator[str | None]:
        yield self._manages("manage-roles")

    def _manages_there(self, piece: Piece) -> Iterator[str | None]:
        where = (piece.before or piece.after).where
        yield self._manages_at(where if isinstance(where, Place) else place(where))

    def _manages_at(self, where: Place) -> str | None:
        if self.reference.may_manage(self.made.by, "manage-rights", where).allowed:
            return None
        return f"they may not manage rights at {where}"

    def _from_the_top(self, what: str) -> str | None:
        return None if self.handing_on.over_everything() else f"{what}: {_TOP}"

    def _site(self) -> Iterator[str | None]:
        for piece in self.pieces:
            if piece.part != "site":
                continue
            match piece.name:
                case "owner":
                    yield "only the owner hands over the ownership"
                case "default_readership":
                    yield self._loosened(self.base.readership(piece.before), SITE)
                case "sign_up_groups" | "attributes":
                    yield self._manages("manage-people")
                case _:
                    yield self._manages_at(SITE)

    def _kind(self, piece: Piece) -> Iterator[str | None]:
        yield self._manages_at(SITE)
        had, has = (getattr(each, "four_eyes", False) for each in (piece.before, piece.after))
        if had and not has:
            yield self._from_the_top("four eyes bind everybody")

    # Words ----------------------------------------------------------------------------

    def _words(self) -> Iterator[str | None]:
        """Nobody gives what they do not hold: all new allows, all denies that go."""
        named_missing = False
        for clause in sorted(beyond(self.after, self.base), key=lambda each: each.brought):
            if clause.allow:
                missing = None if clause.brought and named_missing else self._may_give(clause)
                named_missing = named_missing or missing is not None
                yield missing
            elif clause.no_exceptions:
                yield self._from_the_top("a deny without exceptions")
            else:
                yield self._manages_at(clause.place)
        for clause in beyond(self.base, self.after):
            if clause.allow:
                yield self._manages_at(clause.place)
            else:
                yield self._may_give(clause)

    def _with_the_role(self, given: Given, *, gained: bool) -> Iterator[str | None]:
        """What else comes with having a role: the words about whoever has it, and the readerships
        that name it. With losing it, what kept those away who have it.
        """
        role = Who("role", given.role)
        for where in given.within_any:
            for clause in clauses_of(self.base):
                inside = _overlap(where, clause.place)
                if clause.who == role and clause.allow == gained and inside is not None:
                    yield self._may_give(replace(clause, place=inside))
            for setting in self.base.readerships_at.values():
                readership = self.base.readership(setting.readership or "")
                named = (*readership.readers, *readership.all_of) if gained else readership.but_not
                if role in named and _overlap(where, setting.place) is not None:
                    yield self._loosened(readership, setting.place)

    def _may_give(self, clause: Clause) -> str | None:
        return self.handing_on.allow(clause)

    def _given(self, piece: Piece) -> Iterator[str | None]:
        for given, gained in ((piece.before, False), (piece.after, True)):
            if given is not None and given.role in self.base.roles:
                yield from self._with_the_role(given, gained=gained)

    def _all_access(self) -> Iterator[str | None]:
        if _all_access(self.after, self.pieces, self.made.at) - _all_access(
            self.base, self.pieces, self.made.at
        ):
            yield self._from_the_top("it gives all access")

    # People -----------------------------------------------------------------------------

    def _user(self, piece: Piece) -> Iterator[str | None]:
        before: User | None = piece.before
        after: User | None = piece.after
        if before is None or after is None:
            yield self._manages("manage-people")
            return
        bare = replace(before, memberships=(), enrolments=(), origin=None)
        if bare != replace(after, memberships=(), enrolments=(), origin=None):
            yield self._manages("manage-people")
        was, now = (self._joined(data, user) for data, user in self._both(before, after))
        for group in sorted({group for group, _ in was ^ now}):
            gains = any(each[0] == group for each in now - was)
            yield self._changes_members(group, [after.login] if gains else [])

    def _both(self, before: User, after: User) -> tuple[tuple[SiteData, User], ...]:
        return (self.base, before), (self.after, after)

    @staticmethod
    def _joined(data: SiteData, user: User) -> set[tuple[str, Any]]:
        """The groups that somebody is in by hand or by enrolment, each with the time."""
        found: set[tuple[str, Any]] = set(user.memberships)
        for enrolment in user.enrolments:
            plan = data.plans[enrolment.plan]
            found |= {(group, plan.period_from(enrolment.since)) for group in plan.groups}
        return found

    def _changes_members(self, group: str, added: list[str]) -> str | None:
        if group not in self.base.groups:
            return self._manages("manage-people")
        missing = self.handing_on.members(group, added)
        return missing and f"for the members of group {group}: {missing}"

    def _group(self, piece: Piece) -> Iterator[str | None]:
        before: Group | None = piece.before
        after: Group | None = piece.after
        if before and after and replace(before, members=after.members) == after:
            gained = [each for each in after.members if each not in before.members]
            yield self._changes_members(after.name, gained)
        else:
            yield self._manages("manage-people")

    # Readerships ------------------------------------------------------------------------

    def _loosened(self, readership: Readership, where: Place) -> str | None:
        return self.handing_on.widening(readership, where)

    def _readership(self, piece: Piece) -> Iterator[str | None]:
        before: Readership | None = piece.before
        after: Readership | None = piece.after
        settings = [e for e in self.base.readerships_at.values() if e.readership == piece.name]
        stands = [each.place for each in settings]
        if self.base.default_readership == piece.name:
            stands.append(SITE)
        if before is None or after is None or not stands:
            yield self._manages_somewhere()
            return
        if before.no_exceptions != after.no_exceptions:
            yield self._from_the_top("a readership without exceptions")
        for where in stands:
            yield self._manages_at(where)
            if not _narrower(after, before):
                yield self._loosened(before, where)

    def _manages_somewhere(self) -> str | None:
        """A definition opens nothing by itself; whoever may set rights anywhere may make one."""
        spots = {each.place for each in clauses_of(self.base) if "manage-rights" in each.actions}
        spots |= {each for given in self.base.given for each in given.within_any}
        allowed = (self._manages_at(each) is None for each in (SITE, *spots))
        return None if any(allowed) else "they may not manage rights anywhere"

    def _setting(self, piece: Piece) -> Iterator[str | None]:
        before: PlaceSetting | None = piece.before
        after: PlaceSetting | None = piece.after
        where = (after or before or PlaceSetting(SITE)).place
        yield self._manages_at(where)
        yield from self._readership_at(where)
        cut = before is not None and not before.rights_from_above
        if cut and (after is None or after.rights_from_above):
            yield from self._lets_in(where)

    def _readership_at(self, where: Place) -> Iterator[str | None]:
        was, now = (data.readerships_at.get(where.spot) for data in (self.base, self.after))
        stood = self.base.readership(was.readership) if was and was.readership else None
        stands = self.after.readership(now.readership) if now and now.readership else None
        if stands and stands.no_exceptions and stands != stood:
            yield self._from_the_top("a readership without exceptions")
        same_reach = bool(was and now) and was.place == now.place  # type: ignore[union-attr]
        if was and stood and (stood != stands or not same_reach):
            yield self._loosened(stood, was.place)
        if now and not now.readership_from_above and (was is None or was.readership_from_above):
            about = subject.of_place(self.base, where)
            met, _ = self.reference.readerships_met(about)
            for each in met:
                stays = each.place.spot == where.spot or each.readership.no_exceptions
                if not stays and not self.reference.is_in(self.made.by, each.readership, about):
                    yield f"they are not in the readership {each.readership.called} themselves"

    def _lets_in(self, where: Place) -> Iterator[str | None]:
        """Letting rights in from above allows at a place what is allowed above it."""
        about = subject.of_place(self.after, where)
        for clause in clauses_of(self.base):
            outside = clause.place.name != where.name and about.is_held_by(clause.place)
            if clause.allow and outside:
                yield self._may_give(replace(clause, place=where))

    # Content ------------------------------------------------------------------------------

    def _moves(self) -> Iterator[str | None]:
        reference = Reference(self.before, self.made.at)
        for old, new in self.renames.paths.items():
            parent = parent_of(new) or "/"
            if parent == parent_of(old):
                below = (old, *self.before.tree.below(old))
                edits = (reference.may(self.made.by, "edit", each) for each in below)
                allowed = all(each.allowed for each in edits)
            else:
                allowed = reference.may_move(self.made.by, old, parent).allowed
            yield None if allowed else f"they may not move {old} to {new}"

    def _may(self, action: str, path: str) -> str | None:
        if self.reference.may(self.made.by, action, path).allowed:
            return None
        return f"they may not {action} {path}"

    def _item(self, piece: Piece) -> Iterator[str | None]:
        if piece.before is None:
            yield from self._new_item(piece.after)
        elif piece.after is None:
            yield self._may("delete", piece.name)
        else:
            yield from self._changed_item(piece.before, piece.after)

    def _new_item(self, item: Item) -> Iterator[str | None]:
        by, parent = self.made.by, parent_of(item.path)
        fresh = parent is not None and parent in self.after.items and parent not in self.base.items
        reference = self.reference_after if fresh else self.reference
        if parent is not None:
            found = reference.may_create(by, item.kind, parent, item.categories)
            if not found.allowed:
                filed = f", filed under {' and '.join(item.categories)}," if item.categories else ""
                because = f" ({found.obstacle})" if found.obstacle and not fresh else ""
                yield f"they may not create a {item.kind}{filed} below {parent}{because}"
        else:
            yield self._manages_at(SITE)
        if item.authors not in ((), (by,)) or item.readership:
            yield self._manages_at(place(item.path))
        kind = self.after.all_kinds[item.kind]
        if not (kind.part or kind.link) and (item.state != DRAFT or item.public_from):
            about = subject.of_item(self.after, item, self.made.at)
            if not self.reference_after.do(by, "publish", about, any_state=True).allowed:
                yield f"they may not publish {item.path}"

    def _changed_item(self, before: Item, after: Item) -> Iterator[str | None]:
        path, where = before.path, place(before.path)
        changed = {
            name
            for name in Item.__dataclass_fields__
            if name != "origin" and getattr(before, name) != getattr(after, name)
        }
        if changed & {"title", "links_to", "kind", "categories"}:
            yield self._may("edit", path)
        if "kind" in changed and parent_of(path) is not None:
            again = replace(after, path=path)
            yield from self._new_item(replace(again, state=DRAFT, authors=(), readership=None))
        for category in sorted(set(before.categories) ^ set(after.categories)):
            if not self.reference.may_file(self.made.by, path, category).allowed:
                yield f"they may not file {path} under {category}, or take it out"
        if "authors" in changed:
            yield self._manages_at(where)
        if "readership" in changed:
            yield self._manages_at(where)
            yield from self._readership_at(where)
        if "state" in changed:
            yield self._takes_step(before, after)
        if changed & {"public_from", "public_until"}:
            yield self._may("publish", path)
        kept = set(before.changed_by) <= set(after.changed_by)
        if not (kept or "state" in changed or self.undoing):
            yield self._from_the_top("who changed an item is kept for four eyes")

    def _takes_step(self, before: Item, after: Item) -> str | None:
        own = self.made.by in before.authors
        timed = replace(before, public_from=after.public_from, public_until=after.public_until)
        steps = [
            step
            for step in STEPS
            for item in (before, timed)
            if state_after(step, item, self.made.at, own=own) == after.state
        ]
        if not steps and self.undoing:  # whoever may take a step may take it back
            then = replace(after, public_from=before.public_from, public_until=before.public_until)
            steps = [
                step
                for step in STEPS
                for item in (after, then)
                if state_after(step, item, self.made.at, own=True) == before.state
            ]
        for step in steps:
            if self._may(step, before.path) is None:
                return None
        if not steps:
            return f"no step leads {before.path} from {before.state} to {after.state}"
        return f"they may not {' or '.join(dict.fromkeys(steps))} {before.path}"


def _overlap(one: Place, other: Place) -> Place | None:
    """The narrower of two places that may hold the same items; None where none is in both."""
    if one.kind == "site":
        return other
    if other.kind == "site" or one.kind != other.kind:
        return one
    if one.kind == "path":
        apart = one.name != other.name and not (
            is_above(one.name, other.name) or is_above(other.name, one.name)
        )
        return None if apart else max(one, other, key=lambda each: len(each.name))
    within = category_and_above(one.name), category_and_above(other.name)
    if one.name in within[1]:
        return other
    return one if other.name in within[0] else None


def _narrower(after: Readership, before: Readership) -> bool:
    """Whether surely nobody is in the readership after who was not in it before."""
    return (
        set(after.readers) <= set(before.readers)
        and set(after.all_of) >= set(before.all_of)
        and set(after.but_not) >= set(before.but_not)
    )


def _all_access(data: SiteData, pieces: Iterable[Piece], at: datetime) -> set[tuple[str, Given]]:
    """Who comes to which all-access role, now or at any other time.

    Where only some users have changed, only they are looked at.
    """
    given = [each for each in data.given if data.roles[each.role].all_access]
    if not given:
        return set()
    parts = {piece.part for piece in pieces}
    some = {piece.name for piece in pieces} if parts == {"users"} else data.users
    users = [data.users[login] for login in some if login in data.users]
    belonging = Belonging(data, at)
    found = set()
    for user in users:
        groups = {
            group for way in belonging.direct_ways(user) for group in _with_upper(data, way.group)
        }
        whos = {Who("user", user.login), EVERYONE, SIGNED_IN, *(Who("group", g) for g in groups)}
        found |= {(user.login, each) for each in given if not whos.isdisjoint(each.to)}
    return found


def _with_upper(data: SiteData, group: str) -> set[str]:
    found, waiting = {group}, [group]
    while waiting:
        for upper in data.groups[waiting.pop()].counts_in:
            if upper not in found:
                found.add(upper)
                waiting.append(upper)
    return found


# What a piece of each part asks; items are asked about even of the owner, for four eyes.
_ASKS: Final[Mapping[str, Callable[[_Step, Piece], Iterator[str | None]]]] = {
    "users": _Step._user,
    "groups": _Step._group,
    "plans": _Step._manages_people,
    "invitations": _Step._manages_people,
    "roles": _Step._manages_roles,
    "kinds": _Step._kind,
    "actions": _Step._kind,
    "category_sets": _Step._kind,
    "given": _Step._given,
    "readerships": _Step._readership,
    "places": _Step._setting,
    "limits": _Step._manages_there,
    "promises": _Step._manages_there,
}
