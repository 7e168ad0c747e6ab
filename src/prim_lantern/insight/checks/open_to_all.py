"""Guests, or everybody who is signed in, can change something.

Whatever anybody in the world may change is open to vandals and to programs that write
advertisements. Commenting is left out: it is often meant. What anybody may do who signs in is
told where people can sign up by themselves.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import explain, words
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.question import Question, trace_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.access import changing_actions
from prim_lantern.decide.views.looking import offers_below
from prim_lantern.insight.finding import SERIOUS, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.actions import MANAGING_ACTIONS, STEPS
from prim_lantern.site.places import SITE
from prim_lantern.site.who import SIGNED_IN

NAME = "open-to-all"


def find(look: Look) -> Iterator[Finding]:
    """What guests may change; and where people sign up, what anybody who is signed in may."""
    yield from _by(look, None, "Guests, that is anybody in the world,")
    if look.data.sign_up_groups:
        yield from _by(look, login_of(SIGNED_IN), "Whoever signs up")


def _by(look: Look, login: str | None, called: str) -> Iterator[Finding]:
    engine = look.engine
    for action in changing_actions(look.data):
        if action in MANAGING_ACTIONS:
            paths = ["site"] if engine.may_manage(login, action, SITE) else []
            question = Question(login, action, look.at, place=SITE)
        elif action == "create":
            parents = list(look.data.tree.sections())
            offers = [each for at in parents for each in offers_below(engine, login, at)]
            paths = [each.parent for each in offers]
            if offers:
                filed = offers[0].categories[: offers[0].needs_category]
                question = Question(login, action, look.at, paths[0], offers[0].kind, filed)
        elif action == "comment" or (action in STEPS and login is not None):
            continue
        else:
            paths = list(paths_for(engine, login, action))
            question = Question(login, action, look.at, paths[0] if paths else None)
        if paths:
            places = list(dict.fromkeys(paths))
            reference = engine.reference_for(login)
            told = explain(reference, question, trace_of(reference, question))
            doing = words.doing(look.data, action)
            yield Finding(
                NAME,
                SERIOUS,
                f"{called} may {doing} {words.some(places)}: {told.short}.",
                written(point.origin for point in told.because),
                {"places": len(places)},
            )
