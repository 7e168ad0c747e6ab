"""Whether somebody may make a change: all that is missing for it."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from itertools import islice

from prim_lantern.change.gate import asks, top
from prim_lantern.change.gate.gains import Gains
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.missing import Missing, from_the_top
from prim_lantern.change.gate.telling import freed_of, gained
from prim_lantern.change.operations.base import Made
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS
from prim_lantern.site.people import ACTIVE
from prim_lantern.site.places import SITE, Place


def missing_for(judged: Judged) -> list[Missing]:
    """What the one who makes a change lacks for it; nothing, where they may."""
    return list({each.says: each for each in _missing(judged)}.values())


def _missing(judged: Judged) -> Iterator[Missing]:
    status = judged.before.users[judged.by].status
    if status != ACTIVE:
        yield Missing(f"they are {status}: only somebody active changes a site", top=True)
        return
    found = False
    for each in asks.missing(judged):
        found = True
        yield each
    if judged.is_top or found:
        return  # nothing else binds the top; and to anybody else the first reasons are enough
    yield from top.all_access(judged)
    yield from top.freed_people(judged)
    yield from top.freed_by_items(judged)
    yield from _by_effects(judged)


def _by_effects(judged: Judged) -> Iterator[Missing]:
    """What is gained that may not be, and who is freed that may not be: the first of each."""
    gains = Gains(judged)
    words = "words" in judged.sorts and not (judged.only_narrows and "people" not in judged.sorts)
    if words or judged.new_authors:
        yield from (gained(judged, each) for each in islice(gains.by_words(), 1))
    if "people" in judged.sorts:
        yield from (gained(judged, each) for each in islice(gains.by_people(), 1))
    if judged.sorts & {"words", "people"}:
        for each in gains.freed():
            yield from_the_top(freed_of(judged, each))
            break


# Who else could, and what one gives away ------------------------------------------------------

_TRIED_AT_MOST = 4
_ASKED_AT_MOST = 2_000


def whom_to_ask(judged: Judged, missing: Sequence[Missing]) -> list[str]:
    """Some who could make the change that somebody may not: tried, the nearest first."""
    data, engine = judged.before, judged.engine
    if any(each.owner for each in missing):
        return [data.owner]
    wanted = [(each.action, each.where) for each in missing if each.action and each.where]
    others = [login for login in data.users if login not in (judged.by, data.owner)]
    near = [
        login
        for login in others[:_ASKED_AT_MOST]
        if wanted
        and engine.acting(login)
        and all(judged.manages(action, where, login) for action, where in wanted if action)
    ]
    tops = [login for login in others[:_ASKED_AT_MOST] if login not in near and judged.top(login)]
    tried = [each for each in (*near[: _TRIED_AT_MOST - 1], *tops[:2]) if _could(judged, each)]
    owner = [data.owner] if data.owner != judged.by and _could(judged, data.owner) else []
    return [*tried[:3], *owner]


def _could(judged: Judged, login: str) -> bool:
    made = Made(login, judged.made.at, judged.made.brings_in)
    return not missing_for(
        Judged(judged.engine, judged.after, judged.renames, made, taking_back=judged.taking_back)
    )


def lost_by(judged: Judged, login: str) -> list[str]:
    """What somebody loses by their own change of what they need to take it back."""
    if judged.is_owner:
        return []
    after = judged.engine.after(judged.after, judged.made.at)
    later = Judged(after, judged.after, (), judged.made)
    if judged.is_top and not later.top(login):
        return ["By this you lose all access yourself, and could not take it back."]
    lost = [
        f"{action} {'for the whole site' if where == SITE else f'at {where}'}"
        for action in MANAGING_ACTIONS
        for where in _spoken_places(judged)
        if (where == SITE or action not in SITE_WIDE_ACTIONS)
        and judged.manages(action, judged.earlier_place(where))
        and not later.manages(action, where)
    ]
    if not lost:
        return []
    return [f"By this you lose the right to {lost[0]} yourself, and could not take it back."]


def _spoken_places(judged: Judged) -> list[Place]:
    """The places at which rights are changed, and the site."""
    places = {SITE: None}
    for part in ("rules", "given"):
        for some in judged.gone_and_come(part):
            for each in some:
                places |= dict.fromkeys(each.within_any if part == "given" else (each.place,))
    for pair in judged.settings:
        places |= {each.place: None for each in pair if each is not None}
    return list(places)
