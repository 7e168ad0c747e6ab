"""What to think of before a change is made."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from prim_lantern.change.effects.effects import Effects
from prim_lantern.change.effects.summary import called, every_action, what_of, where_of
from prim_lantern.change.pieces import Piece
from prim_lantern.decide.clauses import rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.joining import anybody, comes_with, open_groups
from prim_lantern.decide.views.promises import check_promises, speaks_of
from prim_lantern.site.actions import MANAGING_ACTIONS, RISKY_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import INVITED
from prim_lantern.site.places import SITE
from prim_lantern.site.rights import Given, Promise, Rule
from prim_lantern.site.who import AUDIENCES, EVERYONE, GUESTS, SIGNED_IN, Who
from prim_lantern.wording import with_article

_MANY_PEOPLE = 10
_MANY_ITEMS = 20
_NAMED = 3
_SIGNING_UP = ("site", "sign_up_groups")


def cautions_of(effects: Effects, pieces: Sequence[Piece]) -> list[str]:
    """Why a change is worth a second thought, the gravest first; none for everyday ones."""
    return list(dict.fromkeys(_cautions(effects, pieces)))


def _cautions(effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    before, after = effects.before.data, effects.after.data
    content_only = all(piece.part == "items" for piece in pieces)
    for piece in pieces:
        if piece.part == "site" and piece.name == "owner":
            yield f"{words.person(after, piece.after)} becomes the owner of the site."
        if piece.part == "site" and piece.name == "timezone":
            yield f"Every day and time is meant in the zone {piece.after or 'UTC'} from now on."
    yield from _all_access(after, pieces)
    yield from _broken_promises(effects)
    yield from _new_promises(effects, pieces)
    yield from _no_four_eyes(before, after, pieces)
    yield from _open_to_join(effects, pieces)
    yield from _risky(effects, pieces)
    yield from _rights_over_others(effects, pieces)
    if not content_only:
        yield from _opened_to_guests(effects)
    yield from _enrolled_twice(after, pieces)
    yield from _removed(before, effects, pieces)
    yield from _many(effects, content_only=content_only)


def _all_access(after: SiteData, pieces: Sequence[Piece]) -> Iterator[str]:
    for piece in pieces:
        if piece.part == "given" and piece.after and after.roles[piece.after.role].all_access:
            to = words.listed(words.who(after, each) for each in piece.after.to)
            within = words.listed(map(words.where, piece.after.within_any), "or")
            yield f"{to} gets all access {within}: everything there, whatever any rule says."


def _broken_promises(effects: Effects) -> Iterator[str]:
    """The promises that hold at some item, and would not any more."""
    after = effects.after.data
    for promise in after.promises:
        for each in effects.changed:
            there = each.where.startswith("/") and speaks_of(after, promise, each.where)
            if there and each.action in promise.actions:
                who = _who_breaks(effects, promise, each.action, each.where)
                if who and _held(effects.before, promise, each.action, each.where):
                    to = words.listed(words.who(after, one) for one in promise.who)
                    verb = "must be able to" if promise.may else "must never"
                    what = words.listed(promise.actions, "or")
                    now = "would no longer" if promise.may else "would"
                    yield (
                        f"It breaks a promise: {to} {verb} {what} {words.where(promise.where)}; "
                        f"{who} {now} {each.action} {each.where}."
                    )
                    break


def _held(engine: Engine, promise: Promise, action: str, path: str) -> bool:
    """Whether a promise held at an item before. Of one that was not there, only reading counts:
    all else follows from rights that are there already."""
    data, whos = engine.data, set(promise.who)
    if path not in data.items:
        return action == "read"
    if whos & {EVERYONE, GUESTS} and not promise.may and engine.allows(None, action, path):
        return False
    if whos & {EVERYONE, GUESTS} and promise.may and not engine.allows(None, action, path):
        return False
    belonging = engine.crowd.belonging
    people = (login for login in data.users if engine.acting(login) and login != data.owner)
    spoken_of = (login for login in people if not whos.isdisjoint(belonging.whos(login)))
    return all(engine.allows(login, action, path) == promise.may for login in spoken_of)


def _who_breaks(effects: Effects, promise: Promise, action: str, where: str) -> str | None:
    """One of those of whom the promise speaks and who would break it."""
    gained, lost = effects.people(action, where)
    people = lost if promise.may else gained
    row = next(e for e in effects.changed if (e.action, e.where) == (action, where))
    guests = row.guests < 0 if promise.may else row.guests > 0
    if guests and {EVERYONE, GUESTS} & set(promise.who):
        return "guests"
    belonging = effects.after.crowd.belonging
    reference = effects.after.reference
    for login in people:
        if login in effects.after.data.users and login != effects.after.data.owner:
            about = effects.after.subject(where) if where in effects.after.data.items else None
            whos = belonging.whos(belonging.acting(login))
            for who in promise.who:
                holds = who.kind == "role" and about and reference.is_among(login, who, about)
                if who in whos or holds:
                    return words.person(effects.after.data, login)
    return None


def _new_promises(effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    """Promises that do not hold from the start."""
    come = [piece.after for piece in pieces if piece.part == "promises" and piece.after]
    for check in check_promises(effects.after, come):
        if not check.kept:
            what = f"{check.says}: that does not hold as things are"
            yield f"{what}, in {check.broken:,} case{'s' if check.broken > 1 else ''}."


def _no_four_eyes(before: SiteData, after: SiteData, pieces: Sequence[Piece]) -> Iterator[str]:
    """Kinds of which nobody else needs to look any more before they are public."""
    for piece in pieces:
        if piece.part == "kinds" and piece.before is not None and piece.before.four_eyes:
            kind = after.all_kinds.get(piece.name)
            if kind is not None and not kind.four_eyes:
                called = with_article(before.all_kinds[piece.name].called)
                yield f"Four eyes are asked for no more: who wrote {called} may publish it as well."


def _open_to_join(effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    """What anybody comes to who signs up, and did not before."""
    if not any(p.part == "groups" or (p.part, p.name) == _SIGNING_UP for p in pieces):
        return
    before, after = effects.before.data, effects.after.data
    was_open = open_groups(before, effects.before.at)
    for name in open_groups(after, effects.after.at):
        had = {*comes_with(before, name)} if name in was_open else set[str]()
        some = [each for each in dict.fromkeys(comes_with(after, name)) if each not in had]
        if some:
            more = [f"{len(some) - _NAMED} more"] if len(some) > _NAMED else []
            what = words.listed([*some[:_NAMED], *more])
            yield f"Anybody could join group {after.groups[name].called}, and come to {what}."


def _rights_over_others(effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    """Who comes to change what others may do, or to look as somebody else, but for whoever comes to
    everything."""
    if any(_all_access(effects.after.data, pieces)) or any(
        piece.name == "owner" for piece in pieces
    ):
        return
    by_people: dict[tuple[str, ...], list[str]] = {}
    for each in effects.changed:
        if each.action in MANAGING_ACTIONS and each.gained:
            where = "on the whole site" if each.where == SITE.name else f"at {each.where}"
            logins = tuple(effects.people(each.action, each.where)[0])
            by_people.setdefault(logins, []).append(f"{each.action} {where}")
    for logins, what in by_people.items():
        gain = "gain" if len(logins) > 1 else "gains"
        yield f"Rights over others: {called(effects, logins)} {gain} {words.listed(what)}."


def _risky(effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    """Risky actions that come to a broad audience."""
    after = effects.after.data
    risky = {*RISKY_ACTIONS, *(each.name for each in after.actions.values() if each.risky)}
    given_now = list(_given_now(after, pieces))
    broad = {EVERYONE, GUESTS, SIGNED_IN}
    if given_now:
        broad |= anybody(after, effects.after.at)
    for who, actions in given_now:
        some = [each for each in actions if each in risky or each == "all"]
        if who in broad and some:
            called = words.who(after, who)
            join = "" if who.name in AUDIENCES else ", which anybody can join"
            yield f"Risky: {words.listed(some)} would come to {called}{join}."


def _given_now(after: SiteData, pieces: Sequence[Piece]) -> Iterator[tuple[Who, list[str]]]:
    changed = {piece.name for piece in pieces if piece.part == "roles" and piece.after}
    for piece in pieces:
        if piece.part == "rules" and piece.after and piece.after.allow:
            yield from ((who, list(piece.after.actions)) for who in piece.after.to)
    fresh = [piece.after for piece in pieces if piece.part == "given" and piece.after]
    fresh += [each for each in after.given if each.role in changed]
    for given in fresh:
        rows = [row for _, row in rows_of(after, given.role)]
        actions = dict.fromkeys(action for row in rows for action in (*row.can, *row.own))
        yield from ((who, list(actions)) for who in given.to)


def _opened_to_guests(effects: Effects) -> Iterator[str]:
    opened = [each for each in effects.changed if each.guests > 0]
    if opened:
        what = what_of([(each.action, each.where) for each in opened], every_action(effects))
        yield f"Guests, that is everybody in the world, gain {what}."


def _enrolled_twice(after: SiteData, pieces: Sequence[Piece]) -> Iterator[str]:
    """Enrolments that overlap with others of the same person in the same plan."""
    for piece in pieces:
        if piece.part != "users" or piece.after is None:
            continue
        new = set(piece.after.enrolments) - set(getattr(piece.before, "enrolments", ()))
        for one in new:
            plan = after.plans[one.plan]
            for other in piece.after.enrolments:
                if other != one and other.plan == one.plan:
                    both = plan.period_of(one), plan.period_of(other)
                    if both[0].meets(both[1]):
                        yield (
                            f"{piece.after.called} is enrolled in {plan.called} {both[1]} already; "
                            "'plan renew' begins where that ends."
                        )


def _removed(before: SiteData, effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    crowd = effects.before.crowd
    for piece in pieces:
        if piece.after is not None:
            continue
        if piece.part == "groups":
            count = len(crowd.members(Who("group", piece.name)))
            spoken = sum(Who("group", piece.name) in each.to for each in _words(before))
            if count or spoken:
                called = before.groups[piece.name].called
                uses = f"{_number(count, 'member')}, {_number(spoken, 'word')} about it"
                yield f"The group {called} is in use: {uses}."
        elif piece.part == "roles":
            given = [each for each in before.given if each.role == piece.name]
            if given:
                to = words.listed(words.who(before, who) for each in given for who in each.to)
                yield f"The role {before.roles[piece.name].called} is in use: it is given to {to}."
        elif piece.part == "users" and piece.before.status != INVITED:
            yield f"{piece.before.called} goes with all they had; to suspend them would keep it."
    items = [piece for piece in pieces if piece.part == "items" and piece.after is None]
    if len(items) > 1:
        where = where_of([each.name for each in items]).removeprefix("at ")
        yield f"{len(items)} items are removed: {where}."


def _number(count: int, what: str) -> str:
    return f"{count:,} {what}{'s' if count != 1 else ''}"


def _words(data: SiteData) -> Iterator[Rule | Given]:
    yield from data.rules
    yield from data.given


def _many(effects: Effects, *, content_only: bool) -> Iterator[str]:
    items = {each.where for each in effects.changed}
    if content_only:
        if len(items) >= _MANY_ITEMS:
            yield f"It touches {len(items):,} items."
        return
    if not effects.nameable:
        yield f"It touches {effects.size:,} pairs of a person and what they may do somewhere."
        return
    people = effects.of_each.keys() - {None}
    if len(people) >= _MANY_PEOPLE:
        at = "one place" if len(items) == 1 else f"{len(items):,} places"
        yield f"It touches {len(people):,} people, at {at}."
