"""Why a change comes to nothing: a nearer word, somebody who may already, a group without
members."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from itertools import islice, product
from typing import Final

from prim_lantern.change.pieces import Piece
from prim_lantern.decide.clauses import actions_named, rows_of
from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import explain, words
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import MANAGING_ACTIONS, NEED_MORE
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import Place
from prim_lantern.site.rights import Given, PlaceSetting, Rule
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who

_TRIED: Final = 200  # pairs of a person and an item that are looked at
_TOLD: Final = 3  # reasons that are told


def why_nothing(before: Engine, after: Engine, pieces: Sequence[Piece]) -> list[str]:
    """Why the words that a change adds or takes away change nothing at this moment, a sentence
    each; none where there is nothing to explain."""
    found: dict[str, None] = {}
    for piece in pieces:
        for sentence in islice(_of_piece(before, after, piece), 1):
            found[sentence] = None
    return list(found)[:_TOLD]


def _of_piece(before: Engine, after: Engine, piece: Piece) -> Iterator[str]:
    thing = piece.after if piece.after is not None else piece.before
    comes = piece.after is not None
    engine = after if comes else before
    if isinstance(thing, PlaceSetting) and comes and thing.readership:
        yield from _of_readership(after, thing)
    if not isinstance(thing, Rule | Given):
        return
    if not thing.period.holds(engine.at):
        over = thing.period.until is not None and thing.period.until <= engine.at
        yield f"It {'ended' if over else 'begins'} at another time: {thing.period}."
        return
    data = engine.data
    people = list(_people(engine, thing.to))
    if not people:
        yield f"Nobody who acts here is among {_named(data, thing.to)} now."
        return
    places = thing.within_any if isinstance(thing, Given) else (thing.place,)
    items = [path for path in data.tree if _speaks_of(engine.subject(path), thing, places)]
    if not items:
        where = words.listed(map(words.where, places), "or")
        yield f"There is nothing {where} that it speaks of now."
        return
    allow = isinstance(thing, Given) or thing.allow
    actions = _actions(data, thing)
    for login, path, action in islice(product(people, items, actions), _TRIED):
        yield _one(before, after, login, path, action, gives=allow == comes)


def _speaks_of(about: Subject, thing: Rule | Given, places: Iterable[Place]) -> bool:
    """Whether a word speaks of an item as it is now."""
    if not any(about.is_held_by(each) for each in places):
        return False
    if isinstance(thing, Given):
        return True
    kinds = not thing.kinds or not about.kinds.isdisjoint(thing.kinds)
    return kinds and (not thing.in_state or about.state in thing.in_state)


def _one(
    before: Engine, after: Engine, login: str | None, path: str, action: str, *, gives: bool
) -> str:
    """Why one person may, or may not, do one thing before and after alike."""
    may = after.allows(login, action, path)
    engine = before if may == gives else after
    question = Question(login, action, engine.at, path)
    reference = engine.reference_for(login)
    told = explain(reference, question, trace_of(reference, question))
    name = words.opening(engine.data, login)
    doing = f"{words.doing(engine.data, action)} {path}"
    if gives and may:
        return f"{name} may {doing} without it: {told.short}."
    if gives:
        return f"{name} may not {doing} all the same: {told.short}.{_nearer(told.outweighed)}"
    if may:
        return f"{name} may {doing} all the same: {told.short}."
    return f"{name} may not {doing} anyway: {told.short}."


def _nearer(outweighed: Sequence[object]) -> str:
    return " A nearer word, or one for a person by name, would weigh more." if outweighed else ""


def _of_readership(after: Engine, setting: PlaceSetting) -> Iterator[str]:
    """A readership that keeps nobody out."""
    data = after.data
    readership = data.readership(setting.readership or "")
    if EVERYONE in readership.readers and not readership.all_of and not readership.but_not:
        yield f"The readership {readership.called} is for everyone: it closes nothing."
        return
    at = words.where(setting.place)
    yield f"Whoever may read {at} may do so all the same, and nobody else comes to it."


def _people(engine: Engine, to: Iterable[Who]) -> Iterator[str | None]:
    """Those of whom a word speaks: guests first, then active users."""
    whos = set(to)
    if whos & {EVERYONE, GUESTS}:
        yield None
    belonging = engine.crowd.belonging
    roles = {each.name for each in whos if each.kind == "role"}
    given = [each for each in engine.data.given if each.role in roles]
    whos |= {who for each in given if each.period.holds(engine.at) for who in each.to}
    if SIGNED_IN in whos:
        whos.add(EVERYONE)
    for login in engine.data.users:
        if engine.acting(login) is not None and not whos.isdisjoint(belonging.whos(login)):
            yield login


def _actions(data: SiteData, thing: Rule | Given) -> list[str]:
    """The actions on items that a word names; those of a role's capabilities."""
    if isinstance(thing, Rule):
        named = actions_named(data, thing.actions)
    elif data.roles[thing.role].all_access:
        named = frozenset(data.item_actions)
    else:
        rows = [row for _, row in rows_of(data, thing.role)]
        named = frozenset[str]().union(*(actions_named(data, (*r.can, *r.own)) for r in rows))
    return [a for a in data.item_actions if a in named and a not in (*NEED_MORE, *MANAGING_ACTIONS)]


def _named(data: SiteData, to: Iterable[Who]) -> str:
    return words.listed((words.who(data, each) for each in to), "or")
