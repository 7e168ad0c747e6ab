"""Guests, or everybody who is signed in, can change something.

Whatever anybody in the world may change is open to vandals and to programs that write
advertisements. Commenting is left out: it is often meant. What anybody may do who signs in is
told where people can sign up by themselves.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice
from typing import NamedTuple

from prim_lantern.decide.clauses import clauses_of
from prim_lantern.decide.explain import explain, words
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.access import changing_actions
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.insight.finding import SERIOUS, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS, STEPS
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who

NAME = "open-to-all"
_ENOUGH = 100  # parents of what could be created


class _Open(NamedTuple):
    places: list[str]
    question: Question
    more: bool = False  # than these places


def find(look: Look) -> Iterator[Finding]:
    """What guests may change; and where people sign up, what anybody who is signed in may."""
    yield from _by(look, None, "Guests, that is anybody in the world,")
    if look.data.sign_up_groups:
        yield from _by(look, login_of(SIGNED_IN), "Whoever signs up")


def _spoken_of(look: Look, whos: Sequence[Who]) -> dict[str, list[Place]]:
    """The places at which something is allowed to some audiences, by action."""
    found: dict[str, list[Place]] = {}
    for clause in clauses_of(look.data):
        if clause.allow and (clause.who in whos or clause.who.kind == "role"):
            for action in clause.actions:
                found.setdefault(action, []).append(clause.place)
    given = [each for some in look.engine.rights.all_access.values() for each in some]
    for each in given:
        if not set(whos).isdisjoint(each.given.to):
            for action in changing_actions(look.data):
                found.setdefault(action, []).extend(each.given.within_any)
    return found


def _sections(look: Look, places: Sequence[Place]) -> Iterator[str]:
    """The sections at or below some places."""
    data = look.data
    if any(each.kind != "path" for each in places):
        yield from data.tree.sections()
        return
    tops = [each.name for each in places if data.tree.holds(each.name)]
    yield from dict.fromkeys(each for top in tops for each in data.sections_from(top))


def _open(look: Look, login: str | None, action: str, at: Sequence[Place]) -> _Open | None:
    """Where somebody may do something of which words at some places speak, and a question that has
    a yes; None: nowhere."""
    engine = look.engine
    if action in MANAGING_ACTIONS:
        spots = at if action not in SITE_WIDE_ACTIONS else [SITE]
        managed = [each for each in spots if engine.may_manage(login, action, each)]
        if not managed:
            return None
        question = Question(login, action, look.at, place=managed[0])
        return _Open([str(Place(each.kind, each.name)) for each in managed], question)
    if action == "create":
        sections = _sections(look, at)
        found = (each for parent in sections for each in offers_below(engine, login, parent))
        offers = list(islice(found, _ENOUGH + 1))
        if not offers:
            return None
        first = offers[0]
        filed = first.categories[: first.needs_category]
        question = Question(login, action, look.at, first.parent, first.kind, filed)
        parents = [each.parent for each in offers[:_ENOUGH]]
        return _Open(parents, question, more=len(offers) > _ENOUGH)
    paths = list(paths_for(engine, login, action))
    return _Open(paths, Question(login, action, look.at, paths[0])) if paths else None


def _by(look: Look, login: str | None, called: str) -> Iterator[Finding]:
    places = _spoken_of(look, (EVERYONE, GUESTS) if login is None else (EVERYONE, SIGNED_IN))
    for action in changing_actions(look.data):
        if action == "comment" or (action in STEPS and login is not None):
            continue
        found = _open(look, login, action, places[action]) if action in places else None
        if found is not None:
            reference = look.engine.reference_for(login)
            told = explain(reference, found.question, trace_of(reference, found.question))
            where = list(dict.fromkeys(found.places))
            below = action == "create"  # which is told for the parent
            doing = "create something below" if below else words.doing(look.data, action)
            some = words.listed([*where[:4], "many more"]) if found.more else words.some(where)
            yield Finding(
                NAME,
                SERIOUS,
                f"{called} may {doing} {some}: {told.short}.",
                written(point.origin for point in told.because),
                {"places": len(where)},
            )
