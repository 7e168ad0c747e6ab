"""A plain question about an item as somebody types it, answered now, step by step."""

from __future__ import annotations

from prim_lantern.decide.explain import Explanation, explain
from prim_lantern.decide.question import Question, reference_about, trace_of
from prim_lantern.site.actions import NEED_MORE, STEPS
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import now, told_in
from prim_lantern.site.names import folded
from prim_lantern.site.search import people_called
from prim_lantern.site.who import GUEST_WORDS, SIGNED_IN


def answer_of(data: SiteData, who: str, action: str, path: str) -> Explanation | None:
    """May who do this to the item at the path, and by what; None where that is no plain question:
    for whom or what is not known, or needs more to be asked."""
    if action not in data.item_actions or action in NEED_MORE or path not in data.items:
        return None
    login = None
    if folded(who) not in GUEST_WORDS:
        named = who.removeprefix("user:")
        if ":" in named or who == SIGNED_IN.name:
            return None
        found = people_called(data.people, named)
        if len(found) != 1:
            return None
        login = found[0].login
    question = Question(login, action, told_in(now(), data.zone), path)
    reference = reference_about(data, question.at, login)
    return explain(reference, question, trace_of(reference, question))


def leads_on(data: SiteData, asked: Question) -> bool:
    """Whether the item is surely in a state from which a step leads; what is no step always is."""
    step = STEPS.get(asked.action)
    if step is None:
        return True
    path = asked.path or ""
    state = data.items[path].state_at(asked.at)
    return state in step.from_states and state not in step.own_only_from and not data.is_part(path)
