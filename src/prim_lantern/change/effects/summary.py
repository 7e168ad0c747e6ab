"""Effects in short: who gains and loses what, the most delicate first."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Iterator, Sequence
from collections.abc import Set as AbstractSet
from typing import NamedTuple

from prim_lantern.change.effects.effects import Effect, Effects
from prim_lantern.decide.explain import words
from prim_lantern.decide.stewards import LOOK_AFTER
from prim_lantern.site.actions import NEED_MORE
from prim_lantern.site.places import section_of, way_to
from prim_lantern.site.who import Who

_MANY_PEOPLE = 10
_MANY_ITEMS = 20
_NAMED = 3
_CREATE = "create "

_Signature = tuple[tuple[str, str, bool], ...]


_VERBS = {True: ("gain", "gains"), False: ("lose", "loses"), None: ("gain or lose",) * 2}


class Line(NamedTuple):
    """One line of a summary: who, whether they gain (None: some do, and some lose, for the rest of
    whom it only says how many sorts there are), and what where, each in words."""

    who: str
    gains: bool | None
    what: str
    one: bool = False

    def __str__(self) -> str:
        return f"{self.who} {_VERBS[self.gains][self.one]} {self.what}"


def lines_of(
    effects: Effects, most: int = 12, told: AbstractSet[Effect] = frozenset()
) -> list[Line]:
    """The effects in short: guests first, then people who gain and lose the same together, most
    people first. Those that were `told` already are left out."""
    if not effects.nameable:
        return list(_by_action(effects))
    clusters: dict[_Signature, list[str | None]] = {}
    for who, theirs in effects.of_each.items():
        new = tuple(each for each in theirs if Effect(who, *each) not in told) if told else ()
        if new or not told:
            clusters.setdefault(new or tuple(theirs), []).append(who)
    every = every_action(effects)
    ordered = sorted(clusters.items(), key=lambda each: (None not in each[1], -len(each[1])))
    lines: list[Line] = []
    for number, (signature, people) in enumerate(ordered):
        rest = len(ordered) - number
        if len(lines) >= most - 1 and rest > 1:
            return [*lines, Line(f"{rest} more sorts of people", None, "something as well")]
        people_called = called(effects, people)
        for gains in (True, False):
            some = [(action, where) for action, where, gained in signature if gained == gains]
            if some:
                one = len(people) == 1 and people[0] is not None
                lines.append(Line(people_called, gains, what_of(some, every), one))
    return lines


def lines_later(
    effects: Effects, later: Iterable[tuple[str, Effects]]
) -> list[tuple[str, list[Line]]]:
    """In short what a change comes to later, without what is told of now already."""
    now = frozenset(effects) if effects.nameable else frozenset()
    found = ((when, lines_of(each, told=now)) for when, each in later)
    return [(when, lines) for when, lines in found if lines]


def every_action(effects: Effects) -> list[str]:
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
            of, many = ("a group", "groups") if action == LOOK_AFTER else ("an item", "items")
            number = items[action, gains]
            what = f"{action}, {number:,} {many}"
            yield Line(f"{pairs:,} pairs of a person and {of}", gains, what)


def called(effects: Effects, people: Sequence[str | None]) -> str:
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


def what_of(some: Iterable[tuple[str, str]], every: Sequence[str]) -> str:
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
    looked_after = by_action.pop(LOOK_AFTER, ())
    for action, wheres in by_action.items():
        by_places.setdefault((action.startswith(_CREATE), tuple(wheres)), []).append(action)
    found = [
        f"{_joined(actions, every)} {where_of(places, below=below)}"
        for (below, places), actions in by_places.items()
    ]
    if looked_after:
        many = len(looked_after) > _NAMED
        groups = f"{len(looked_after)} groups" if many else words.listed(looked_after)
        found.append(f"looking after {groups}")
    return "; ".join(found)


def _joined(actions: Sequence[str], every: Sequence[str]) -> str:
    """Actions in a row; what may be created in the same categories together."""
    others = [each for each in actions if not each.startswith(_CREATE)]
    created: dict[str, list[str]] = {}
    for each in actions:
        if each.startswith(_CREATE):
            kind, _, filed = each.removeprefix(_CREATE).partition(" in ")
            created.setdefault(f" in {filed}" if filed else "", []).append(kind)
    return words.listed([*words.in_short(others, every), *_creating(created)])


def _creating(created: dict[str, list[str]]) -> Iterator[str]:
    """Kinds that may be created, by where they may be filed: "create leaf and page (page in 4
    categories as well)"."""
    unfiled = created.pop("", [])
    as_well, alone = list[str](), list[str]()
    for end, kinds in created.items():
        if unfiled and set(kinds) <= set(unfiled):
            same = len(kinds) == len(unfiled)
            as_well.append(f"{'' if same else words.listed(kinds)}{end} as well".strip())
        else:
            alone.append(f"{_CREATE}{words.listed(kinds)}{end}")
    if unfiled:
        yield f"{_CREATE}{words.listed(unfiled)}{f' ({words.listed(as_well)})' if as_well else ''}"
    yield from alone


def where_of(places: Sequence[str], *, below: bool = False) -> str:
    """Places in a row, or how many there are in which sections."""
    at = "below" if below else "at"
    if len(places) <= _NAMED:
        return f"{at} {words.listed(places)}"
    paths = [each for each in places if each.startswith("/")]
    tops: Counter[str] = Counter(map(section_of, paths))
    if len(tops) == 1:
        top = _common(paths)
        return f"{at} {len(places)} {'places' if below else 'items'} in {top}"
    named = [f"{top} ({count})" for top, count in tops.most_common(4)]
    rest = len(tops) - 4
    more = f" and {rest} more section{'s' if rest > 1 else ''}" if rest > 0 else ""
    return f"{at} {len(places)} {'places' if below else 'items'}: {', '.join(named)}{more}"


def _common(paths: Sequence[str]) -> str:
    """The nearest path at or above all of some paths."""
    common = way_to(paths[0])
    for path in paths[1:]:
        common = tuple(
            one for one, other in zip(common, way_to(path), strict=False) if one == other
        )
    return common[-1]
