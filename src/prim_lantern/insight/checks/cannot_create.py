"""Somebody may create things of a kind, and there is nowhere where they can.

The kind has to be filed, and they may file it under nothing; or what they may create cannot stand
where the right is given.
"""

from __future__ import annotations

from collections.abc import Iterator
from functools import cache
from itertools import product

from prim_lantern.decide.clauses import clauses_of
from prim_lantern.decide.explain import words
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.decide.views.pages import parents_for
from prim_lantern.insight.classes import parents_among_classes
from prim_lantern.insight.finding import MISTAKE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.places import Place
from prim_lantern.site.who import Who
from prim_lantern.wording import with_article

NAME = "cannot-create"
_SOME = 50  # who are asked about the place itself before anybody is about the whole site


def find(look: Look) -> Iterator[Finding]:
    """Each rule or given role that names create with kinds, of none of which any can be made."""
    data, engine = look.data, look.engine
    told: set[tuple[int, str]] = set()

    @cache
    def can_at(login: str | None, kind: str, top: str | None) -> bool:
        anywhere = parents_among_classes(engine, login, kind) if top is None else ()
        return any(True for _ in anywhere) or bool(parents_for(engine, login, kind, top, 1))

    for clause in clauses_of(data):
        word = clause.source.rule or clause.source.given
        names = "create" in clause.named and clause.allow and clause.period.holds(look.at)
        if not names or clause.kinds is None or clause.who.kind not in ("user", "group"):
            continue
        if not _stands(look, clause.place) or (id(word), str(clause.who)) in told:
            continue
        people = _people(look, clause.who)
        near = clause.place.name if clause.place.kind == "path" else None
        asked = list(product(people, sorted(clause.kinds)))
        at_once = asked[:_SOME] if near is not None else []
        if any(can_at(*each, near) for each in at_once) or any(can_at(*e, None) for e in asked):
            continue  # mostly somebody can where it is given: there is less to look at
        told.add((id(word), str(clause.who)))
        kinds = sorted(clause.kinds)
        called = with_article(words.listed((data.kind(each).called for each in kinds), "or"))
        filed = [each for each in kinds if data.kind(each).must_be_filed]
        because = (
            "it must be filed, and they may file it under nothing there"
            if filed
            else "it can stand nowhere that they may add to"
        )
        who = words.who(data, clause.who)
        yield Finding(
            NAME,
            MISTAKE,
            f"{who[:1].upper()}{who[1:]} may create {called} {words.where(clause.place)}, and "
            f"cannot: {because}.",
            written([clause.source.origin]),
            {"people": len(people)},
        )


def _people(look: Look, who: Who) -> list[str | None]:
    """Those who have the right: somebody pictured, and everybody who is there."""
    pictured = [login_of(who)] if who.kind == "group" else []
    return [*pictured, *sorted(look.among([who]) - {None}, key=str)]


def _stands(look: Look, where: Place) -> bool:
    """Whether anything is at a place to which something could be added."""
    return where.kind != "path" or look.data.tree.holds(where.name)
