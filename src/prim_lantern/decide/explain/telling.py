"""From a trace to an explanation."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Explanation, Point
from prim_lantern.decide.explain.missing import Lacks
from prim_lantern.decide.explain.points import Pieces
from prim_lantern.decide.explain.reasons import Reasons
from prim_lantern.decide.question import Question
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.trace import Trace
from prim_lantern.site.data import SiteData
from prim_lantern.wording import with_article


def explain(reference: Reference, question: Question, trace: Trace) -> Explanation:
    """The explanation of an answer, from the trace of how it was come to."""
    pieces = Pieces(reference, question.who)
    missing: tuple[Point, ...] = ()
    if trace.allowed:
        short = Reasons(pieces).of(trace)
    else:
        lacks = Lacks(pieces).of(trace)
        short = lacks[0].short
        pieces.because += lacks[0].because
        missing = tuple({lack.missing.text: lack.missing for lack in lacks}.values())
    pieces.because += _acts_as_guest(pieces)
    return Explanation(
        question=question,
        allowed=trace.allowed,
        sentence=_sentence(reference.data, question, trace.allowed, short),
        short=short,
        because=_once(pieces.because),
        readerships=_once(pieces.readerships),
        outweighed=_once(pieces.outweighed),
        from_above=_once(pieces.from_above),
        missing=missing,
        near=_once(pieces.near),
    )


def _sentence(data: SiteData, question: Question, allowed: bool, short: str) -> str:
    name = words.opening(data, question.who)
    verdict = f"Yes: {name} may" if allowed else f"No: {name} may not"
    return f"{verdict} {_what(data, question)}: {short}."


def _what(data: SiteData, asked: Question) -> str:
    """What was asked, behind "may": "edit “Prices” (/visit/prices)"."""
    if asked.place is not None:
        where = "the site" if asked.place.kind == "site" else asked.place.name
        return f"{words.doing(data, asked.action)} {where}"
    path = asked.path or "/"
    if asked.kind is not None:
        filed = f", filed under {words.listed(asked.categories)}" if asked.categories else ""
        return f"create {with_article(data.all_kinds[asked.kind].called)} below {path}{filed}"
    item = data.items[path]
    called = f"“{item.title}” ({path})" if item.title else path
    if asked.category is not None:
        return f"file {called} under {asked.category}"
    if asked.new_parent is not None:
        return f"move {called} below {asked.new_parent}"
    return f"{words.doing(data, asked.action)} {called}"


def _acts_as_guest(pieces: Pieces) -> list[Point]:
    """That somebody counts as a guest, where they have a login and are not active."""
    if pieces.login is None or pieces.reference.belonging.acting(pieces.login) is not None:
        return []
    user = pieces.data.users[pieces.login]
    what = "a byline without an account" if user.status == "byline" else user.status
    return [Point("status", f"{pieces.name} is {what} and counts as a guest", user.origin)]


def _once(points: Iterable[Point]) -> tuple[Point, ...]:
    """The points without repetition, in order."""
    return tuple({(point.text, point.origin): point for point in points}.values())
