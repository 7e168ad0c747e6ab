"""Effects in short: who gains and loses what, the most delicate first; and what to think of."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from collections.abc import Set as AbstractSet
from typing import NamedTuple

from prim_lantern.change.effects import Effect, Effects
from prim_lantern.change.pieces import Piece
from prim_lantern.decide.clauses import rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.promises import speaks_of
from prim_lantern.site.actions import NEED_MORE, RISKY_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import INVITED
from prim_lantern.site.places import way_to
from prim_lantern.site.rights import Given, Promise, Rule
from prim_lantern.site.who import AUDIENCES, EVERYONE, GUESTS, SIGNED_IN, Who

_MANY_PEOPLE = 10
_MANY_ITEMS = 20
_NAMED = 3
_CREATE = "create "

_Signature = tuple[tuple[str, str, bool], ...]


class Line(NamedTuple):
    """One line of a summary: who, whether they gain, and what where, each in words."""

    who: str
    gains: bool
    what: str
    one: bool = False

    def __str__(self) -> str:
        verb = "gain" if self.gains else "lose"
        return f"{self.who} {verb}{'s' if self.one else ''} {self.what}"


def lines_of(
    effects: Effects, most: int = 12, told: AbstractSet[Effect] = frozenset()
) -> list[Line]:
    """The effects in short: guests first, then people who gain and lose the same together, most
    people first. Those that were `told` already are left out."""
    if not effects.nameable:
        return list(_by_action(effects))
    clusters: dict[_Signature, list[str | None]] = {}
    each_ones: dict[str | None, list[tuple[str, str, bool]]] = {}
    for who, action, where, gained in effects:
        if Effect(who, action, where, gained) in told:
            continue
        each_ones.setdefault(who, []).append((action, where, gained))
    for who, theirs in each_ones.items():
        clusters.setdefault(tuple(theirs), []).append(who)
    every = _every(effects)
    ordered = sorted(clusters.items(), key=lambda each: (None not in each[1], -len(each[1])))
    lines = []
    for signature, people in ordered:
        called = _called(effects, people)
        for gains in (True, False):
            some = [(action, where) for action, where, gained in signature if gained == gains]
            if some:
                one = len(people) == 1 and people[0] is not None
                lines.append(Line(called, gains, _what(some, every), one))
    if len(lines) > most:
        rest = len(lines) - most + 1
        lines = [*lines[: most - 1], Line(f"{rest} more sorts of people", True, "--list has all")]
    return lines


def lines_later(
    effects: Effects, later: Iterable[tuple[str, Effects]]
) -> list[tuple[str, list[Line]]]:
    """In short what a change comes to later, without what is told of now already."""
    now = frozenset(effects) if effects.nameable else frozenset()
    found = ((when, lines_of(each, told=now)) for when, each in later)
    return [(when, lines) for when, lines in found if lines]


def _every(effects: Effects) -> list[str]:
    """All actions on an item that is there."""
    return [each for each in effects.after.data.item_actions if each not in NEED_MORE]


def _by_action(effects: Effects) -> Iterator[Line]:
    """How much of each action, where there is too much to name everybody."""
    gained: Counter[str] = Counter()
    lost: Counter[str] = Counter()
    items: Counter[tuple[str, bool]] = Counter()
    for each in effects.changed:
        if each.guests:
            yield Line("Guests", each.guests > 0, f"{each.action} at {each.where}")
        for count, gains, into in ((each.gained, True, gained), (each.lost, False, lost)):
            if count:
                into[each.action] += count
                items[each.action, gains] += 1
    for into, gains in ((gained, True), (lost, False)):
        for action, pairs in into.items():
            number = items[action, gains]
            yield Line(
                f"{pairs:,} pairs of a person and an item", gains, f"{action}, {number:,} items"
            )


def _called(effects: Effects, people: Sequence[str | None]) -> str:
    """Some people in words: their names, or the group that they are in."""
    data = effects.after.data
    logins = [login for login in people if login is not None]
    guests = ["Guests"] if len(logins) < len(people) else []
    if not logins:
        return "Guests"
    if len(logins) <= _NAMED:
        names = [_name(effects, login) for login in logins]
        return words.listed([*guests, *names])
    group = _smallest_group(effects, logins)
    if group is None:
        active = sum(1 for each in data.users.values() if each.status == "active")
        if len(logins) == active:
            return "Everybody" if guests else f"All {active} people signed in"
        return words.listed([*guests, f"{len(logins)} people"])
    name, size = group
    of = f"{'all' if guests else 'All'} {size}" if size == len(logins) else f"{len(logins)}"
    return words.listed([*guests, f"{of} in group {data.groups[name].called}"])


def _name(effects: Effects, login: str) -> str:
    for engine in (effects.after, effects.before):
        if login in engine.data.users:
            return engine.data.users[login].called
    return login


def _smallest_group(effects: Effects, logins: Sequence[str]) -> tuple[str, int] | None:
    """The smallest group, after or before the change, that all of some people are in."""
    for engine in (effects.after, effects.before):
        belonging, data = engine.crowd.belonging, engine.data
        if any(login not in data.users for login in logins):
            continue
        common = set[str].intersection(*(set(belonging.ways(login)) for login in logins))
        common &= effects.after.data.groups.keys()
        if common:
            sizes = {name: len(engine.crowd.members(Who("group", name))) for name in common}
            name = min(common, key=lambda each: (sizes[each], each))
            return name, sizes[name]
    return None


def _what(some: Iterable[tuple[str, str]], every: Sequence[str]) -> str:
    """Actions and where: actions at the same places together; `every` action is "everything"."""
    filed: dict[tuple[str, str], list[str]] = {}  # "create post" by parent: the categories
    by_action: dict[str, list[str]] = {}
    for action, where in some:
        bare, _, category = action.partition(" in ")
        if category:
            filed.setdefault((bare, where), []).append(category)
        else:
            by_action.setdefault(action, []).append(where)
    for (bare, where), categories in filed.items():
        in_some = categories[0] if len(categories) == 1 else f"{len(categories)} categories"
        by_action.setdefault(f"{bare} in {in_some}", []).append(where)
    by_places: dict[tuple[bool, tuple[str, ...]], list[str]] = {}
    for action, wheres in by_action.items():
        by_places.setdefault((action.startswith(_CREATE), tuple(wheres)), []).append(action)
    return "; ".join(
        f"{_joined(actions, every)} {_where(places, below=below)}"
        for (below, places), actions in by_places.items()
    )


def _joined(actions: Sequence[str], every: Sequence[str]) -> str:
    """Actions in a row; what may be created in the same categories together."""
    others = [each for each in actions if not each.startswith(_CREATE)]
    created: dict[str, list[str]] = {}
    for each in actions:
        if each.startswith(_CREATE):
            kind, _, filed = each.removeprefix(_CREATE).partition(" in ")
            created.setdefault(f" in {filed}" if filed else "", []).append(kind)
    creating = [f"{_CREATE}{words.listed(kinds)}{end}" for end, kinds in created.items()]
    return words.listed([*words.in_short(others, every), *creating])


def _where(places: Sequence[str], *, below: bool = False) -> str:
    at = "below" if below else "at"
    if len(places) <= _NAMED:
        return f"{at} {words.listed(places)}"
    paths = [each for each in places if each.startswith("/")]
    tops: Counter[str] = Counter(way_to(path)[1] if path != "/" else "/" for path in paths)
    if len(tops) == 1:
        top = _common(paths)
        return f"{at} {len(places)} {'places' if below else 'items'} in {top}"
    named = [f"{top} ({count})" for top, count in tops.most_common(4)]
    more = f" and {len(tops) - 4} more sections" if len(tops) > 4 else ""
    return f"{at} {len(places)} {'places' if below else 'items'}: {', '.join(named)}{more}"


def _common(paths: Sequence[str]) -> str:
    """The nearest path at or above all of some paths."""
    common = way_to(paths[0])
    for path in paths[1:]:
        common = tuple(
            one for one, other in zip(common, way_to(path), strict=False) if one == other
        )
    return common[-1]


# What to think of before it is made ------------------------------------------------------------


def cautions_of(effects: Effects, pieces: Sequence[Piece]) -> list[str]:
    """Why a change is worth a second thought, the gravest first; none for everyday ones."""
    return list(dict.fromkeys(_cautions(effects, pieces)))


def _cautions(effects: Effects, pieces: Sequence[Piece]) -> Iterator[str]:
    before, after = effects.before.data, effects.after.data
    content_only = all(piece.part == "items" for piece in pieces)
    for piece in pieces:
        if piece.part == "site" and piece.name == "owner":
            yield f"{words.person(after, piece.after)} becomes the owner of the site."
    yield from _all_access(after, pieces)
    yield from _broken_promises(effects)
    yield from _risky(after, pieces)
    if not content_only:
        yield from _opened_to_guests(effects)
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


def _risky(after: SiteData, pieces: Sequence[Piece]) -> Iterator[str]:
    """Risky actions that come to a broad audience."""
    risky = {*RISKY_ACTIONS, *(each.name for each in after.actions.values() if each.risky)}
    broad = {EVERYONE, GUESTS, SIGNED_IN, *(Who("group", each) for each in after.sign_up_groups)}
    for who, actions in _given_now(after, pieces):
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
        what = _what([(each.action, each.where) for each in opened], _every(effects))
        yield f"Guests, that is everybody in the world, gain {what}."


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
        where = _where([each.name for each in items]).removeprefix("at ")
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
    people = {who for who, *_ in effects if who is not None}
    if len(people) >= _MANY_PEOPLE:
        at = "one place" if len(items) == 1 else f"{len(items):,} places"
        yield f"It touches {len(people):,} people, at {at}."
