"""What would give a right, but for one thing."""

from __future__ import annotations

from prim_lantern.decide.clauses import Clause, clauses_of
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.site.moments import written
from prim_lantern.wording import with_article

_SHOWN_AT_MOST = 3


def near_misses(
    reference: Reference, login: str | None, action: str, about: Subject
) -> tuple[Point, ...]:
    """The allows of this action that fail in exactly one respect, the telling ones first."""
    found: dict[int, tuple[int, Point]] = {}
    for clause in clauses_of(reference.data):
        if clause.allow and action in clause.actions:
            failing = _failing(reference, login, clause, about)
            if len(failing) == 1:
                order, because = failing[0]
                text = f"{words.clause(reference.data, clause, action)}: {because}"
                point = Point("near", text, clause.source.origin)
                key = id(clause.source.rule or clause.source.given)
                if key not in found or order < found[key][0]:
                    found[key] = (order, point)
    best = sorted(found.values(), key=lambda each: each[0])
    return tuple(point for _, point in best[:_SHOWN_AT_MOST])


def _failing(
    reference: Reference, login: str | None, clause: Clause, about: Subject
) -> list[tuple[int, str]]:
    """Why the clause does not match, each with how telling it is (0 the most)."""
    name = words.person(reference.data, login)
    why = []
    if not clause.period.holds(reference.at):
        since, until = clause.period
        over = until is not None and until <= reference.at
        end = until if over else since
        why.append((0, f"that {'ended' if over else 'starts'} on {written(end)}" if end else ""))
    if clause.states is not None and about.state not in clause.states:
        why.append((1, f"now it is {words.in_state(about.state)}"))
    author = reference.is_author(login, about)
    if (clause.whose == "own" and not author) or (clause.whose == "others" and author):
        why.append((2, f"{name} is {'an author' if author else 'no author'} of it"))
    if clause.kinds is not None and clause.kinds.isdisjoint(about.kinds):
        why.append((3, f"this is {with_article(words.listed(sorted(about.kinds)))}"))
    if not about.is_held_by(clause.place):
        why.append((4, "this stands elsewhere"))
    if not reference.is_among(login, clause.who, about):
        speaks_of = words.who(reference.data, clause.who)
        is_one = f"is not {speaks_of}" if clause.who.kind == "user" else f"is not in {speaks_of}"
        why.append((5, f"{name} {is_one}"))
    return why
