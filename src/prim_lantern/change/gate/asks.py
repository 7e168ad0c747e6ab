"""What each thing that comes, goes or differs asks of whoever makes a change."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from typing import Any, Final

from prim_lantern.change.gate import content
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.missing import Missing, from_the_top, to_manage
from prim_lantern.change.pieces import Piece
from prim_lantern.decide.clauses import clauses_of
from prim_lantern.site.content import CategorySet, Kind
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import Group, User
from prim_lantern.site.places import SITE, Place, category_and_above, place
from prim_lantern.values import names_of, replace

FINAL: Final = "it sets, changes or lifts something without exceptions"
_OWN: Final = frozenset({"name", "email"})  # what everybody changes of themselves
_OF_THE_OWNER: Final = frozenset({"login", "name", "email", "status"})


def missing(judged: Judged) -> Iterator[Missing]:
    """What the one who makes a change lacks by the table of what each thing asks; the top lacks
    only what concerns the owner, and what four eyes forbid."""
    yield from _owner(judged)
    yield from content.own_work(judged)
    if judged.is_top:
        return
    if any(piece.name == "timezone" for piece in judged.of("site")):
        yield from_the_top("it moves every day and time of the site")
        return  # what differs in items follows from that
    yield from content.missing(judged)
    for asks in (_site, _listed, _settings, _readerships, _roles, _kinds, _categories):
        yield from asks(judged)
    for asks in (_users, _groups, _plans_and_invitations):
        yield from asks(judged)


def _owner(judged: Judged) -> Iterator[Missing]:
    if judged.is_owner:
        return
    if judged.before.owner != judged.after.owner:
        yield Missing("only the owner hands over the ownership", owner=True)
    owner = judged.before.owner
    was, now = judged.before.users[owner], judged.after.users.get(owner)
    if now is None or any(getattr(was, each) != getattr(now, each) for each in _OF_THE_OWNER):
        yield Missing("the owner alone changes their login, name, e-mail and state", owner=True)


def _manages(judged: Judged, action: str) -> Iterator[Missing]:
    if not judged.manages(action):
        yield to_manage(action, SITE)


def _manages_rights(judged: Judged, where: Place) -> Iterator[Missing]:
    """`where` is a place as it is called after."""
    if not judged.manages_rights(where):
        yield to_manage("manage-rights", judged.earlier_place(where))


# Words ------------------------------------------------------------------------------------


def _site(judged: Judged) -> Iterator[Missing]:
    for piece in judged.of("site"):
        match piece.name:
            case "owner" | "timezone":
                pass  # told apart from all else
            case "sign_up_groups" | "attributes":
                yield from _manages(judged, "manage-people")
            case "default_readership":
                yield from _manages_rights(judged, SITE)
                sites = (judged.base, judged.after)
                if any(data.readership(data.default_readership).no_exceptions for data in sites):
                    yield from_the_top(FINAL)
            case _:
                yield from _manages_rights(judged, SITE)


def _places_of(part: str, each: Any) -> Iterable[Place]:
    match part:
        case "given":
            places: Iterable[Place] = each.within_any
        case "limits":
            places = (place(each.where),)
        case "promises":
            places = (each.where,)
        case "accepted":
            places = (SITE,)
        case _:
            places = (each.place,)
    return places


def _listed(judged: Judged) -> Iterator[Missing]:
    """Rules, given roles, limits, promises and accepted findings: each at every place where it
    stands, a finding at the site."""
    for part in ("rules", "given", "limits", "promises", "accepted"):
        if getattr(judged.base, part) is getattr(judged.after, part):
            continue
        gone, come = judged.gone_and_come(part)
        for each in (*gone, *come):
            for where in _places_of(part, each):
                yield from _manages_rights(judged, where)
            if part == "rules" and each.no_exceptions:
                yield from_the_top(FINAL)
        if not (gone or come) and getattr(judged.base, part) != getattr(judged.after, part):
            yield from _manages_rights(judged, SITE)  # put into another order


def _settings(judged: Judged) -> Iterator[Missing]:
    for was, now in judged.settings:
        for data, setting in ((judged.base, was), (judged.after, now)):
            if setting is not None:
                yield from _manages_rights(judged, setting.place)
                if setting.readership and data.readership(setting.readership).no_exceptions:
                    yield from_the_top(FINAL)


def _readerships(judged: Judged) -> Iterator[Missing]:
    for piece in judged.of("readerships"):
        if any(each is not None and each.no_exceptions for each in (piece.before, piece.after)):
            yield from_the_top(FINAL)
        stands = [
            where for data in (judged.base, judged.after) for where in _stands(data, piece.name)
        ]
        for where in dict.fromkeys(stands):
            yield from _manages_rights(judged, where)
        if not stands and not manages_somewhere(judged):
            yield Missing("they may not manage rights anywhere")


def _stands(data: SiteData, readership: str) -> Iterator[Place]:
    if data.default_readership == readership:
        yield SITE
    for setting in data.readerships_at.values():
        if setting.readership == readership:
            yield setting.place


def manages_somewhere(judged: Judged) -> bool:
    """Whether they may manage rights at any place at all."""
    data = judged.before
    spots = {each.place: None for each in clauses_of(data) if "manage-rights" in each.actions}
    spots |= {each: None for given in data.given for each in given.within_any}
    return any(judged.manages("manage-rights", each) for each in (SITE, *spots))


def _roles(judged: Judged) -> Iterator[Missing]:
    if judged.of("roles"):
        yield from _manages(judged, "manage-roles")


def _kinds(judged: Judged) -> Iterator[Missing]:
    if judged.of("kinds") or judged.of("actions"):
        yield from _manages_rights(judged, SITE)
    for piece in judged.of("kinds"):
        had, has = (_kind(data, piece.name) for data in (judged.base, judged.after))
        if had and had.four_eyes and not (has and has.four_eyes):
            yield from_the_top("it asks for four eyes no more")


def _kind(data: SiteData, name: str) -> Kind | None:
    return data.all_kinds.get(name)


def _categories(judged: Judged) -> Iterator[Missing]:
    for piece in judged.of("category_sets"):
        was, now = (_labels(each) for each in (piece.before, piece.after))
        differing = [key for key in {**was, **now} if was.get(key) != now.get(key)]
        for key in differing or [""]:
            yield from _category(judged, piece.name, key)


def _labels(each: CategorySet | None) -> Mapping[str, str]:
    return each.categories if each else {}


def _category(judged: Judged, set_name: str, key: str) -> Iterator[Missing]:
    """The one above it, or the site, has to be theirs to manage."""
    above = category_and_above(f"{set_name}:{key}")[:-1]
    known = [each for each in above if each in judged.before.categories]
    where = Place("category", known[-1]) if known else SITE
    if not judged.manages("manage-rights", where) and not judged.manages("manage-rights"):
        yield to_manage("manage-rights", where)


# People -------------------------------------------------------------------------------------


def _users(judged: Judged) -> Iterator[Missing]:
    for login in sorted(judged.people_gone):
        yield from _manages(judged, "manage-people")
        yield from _of_the_top(judged, login)
    for piece in judged.of("users"):
        if piece.before is None or piece.after is None:
            yield from _manages(judged, "manage-people")
        else:
            yield from _changed_user(judged, piece.before, piece.after)


def _of_the_top(judged: Judged, login: str) -> Iterator[Missing]:
    if judged.top(login):
        yield from_the_top(f"it changes {login}, who has all access to the whole site")


def _changed_user(judged: Judged, before: User, after: User) -> Iterator[Missing]:
    fields = {
        name
        for name in names_of(User)
        if name not in ("origin", "memberships", "enrolments")
        and getattr(before, name) != getattr(after, name)
    }
    if fields and not (after.login == judged.by and fields <= _OWN):
        yield from _manages(judged, "manage-people")
        yield from _of_the_top(judged, after.login)
    was, now = set(before.memberships), set(after.memberships)
    groups = {each.group for each in was ^ now}
    for enrolment in set(before.enrolments) ^ set(after.enrolments):
        plans = [data.plans.get(enrolment.plan) for data in (judged.base, judged.after)]
        found = {group for plan in plans if plan for group in plan.groups}
        groups |= found
        if not found:
            yield from _manages(judged, "manage-people")
    if before.memberships != after.memberships and not was ^ now:
        yield from _manages(judged, "manage-people")  # put into another order, or twice
    for group in sorted(groups):
        yield from _members(judged, group)


def _members(judged: Judged, group: str) -> Iterator[Missing]:
    earlier = group
    for each in reversed(judged.renames):
        earlier = each.inverse.group(earlier)
    if not judged.manages("manage-people") and not judged.is_steward(earlier):
        yield Missing(
            f"they are no steward of the group {earlier}, and may not manage people",
            "manage-people",
            SITE,
        )


def _groups(judged: Judged) -> Iterator[Missing]:
    if any(each.groups for each in judged.renames):
        yield from _manages(judged, "manage-people")
    for piece in judged.of("groups"):
        before: Group | None = piece.before
        after: Group | None = piece.after
        if before and after and replace(before, members=after.members) == after:
            yield from _members(judged, after.name)
        else:
            yield from _manages(judged, "manage-people")


def _plans_and_invitations(judged: Judged) -> Iterator[Missing]:
    pieces: list[Piece] = [*judged.of("plans"), *judged.of("invitations")]
    if pieces:
        yield from _manages(judged, "manage-people")
