"""What a change would open, in words."""

from __future__ import annotations

from prim_lantern.change.gate.gained import Gain
from prim_lantern.change.gate.judged import Judged
from prim_lantern.change.gate.missing import Missing, from_the_top
from prim_lantern.decide.stand_ins import Somebody, stand_in
from prim_lantern.decide.subject import FRESH, Subject
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.moments import written
from prim_lantern.site.places import SITE, Place
from prim_lantern.wording import with_article


def gained(judged: Judged, gain: Gain) -> Missing:
    """Why somebody may not let another do something."""
    what = f"{_action(gain)} {_about(judged, gain)}"
    if gain.unsure:
        return from_the_top(
            f"somebody may come to {what} and the like, which they may not do themselves in every "
            "case; to find out whether anybody does would take too long"
        )
    since = f", from {written(gain.at)} on" if gain.at > judged.made.at else ""
    if gain.who == judged.by or ("words" not in judged.sorts and not judged.new_authors):
        whom = "they" if gain.who == judged.by else _called(judged, gain.who)
        return Missing(
            f"{whom} would come to {what}{since}: nobody gives themselves more than they have"
        )
    return Missing(
        f"{_called(judged, gain.who)} would come to {what}{since}, which they may not do themselves"
    )


def freed_of(judged: Judged, gain: Gain) -> str:
    """Whom a change would free of something without exceptions."""
    since = f", from {written(gain.at)} on" if gain.at > judged.made.at else ""
    return (
        f"{_called(judged, gain.who)} is kept from {_action(gain)} without exceptions at "
        f"{_about(judged, gain)}, and would be no more{since}"
    )


def _called(judged: Judged, login: str | None) -> str:
    if login is None:
        return "guests"
    if isinstance(login, Somebody):
        for data in (judged.after, judged.base):
            if login.who.kind != "group" or login.who.name in data.groups:
                return stand_in(data, login).called
        return login.told
    for data in (judged.after, judged.before):
        if login in data.users:
            return data.users[login].called
    return login


def _action(gain: Gain) -> str:
    return f"file under {gain.category}" if gain.category else gain.action


def _about(judged: Judged, gain: Gain) -> str:
    about = gain.about
    if isinstance(about, Place):
        return "for the whole site" if about == SITE else f"at {about}"
    data = judged.after
    kinds = sorted(about.kinds - about.page_kinds) or sorted(about.kinds)
    known = data.all_kinds.get(kinds[0])
    noun = with_article(known.called if known else kinds[0])
    whose = " of their own" if gain.own and gain.who is not None else ""
    state = f" ({about.state})" if about.state != PUBLISHED else ""
    return f"{noun}{whose}{state} {_where(about)}"


def _where(about: Subject) -> str:
    path = about.way[-1] if about.way else "/"
    bare = path.replace(f"/{FRESH}", "") or "/"
    at = f"at {bare}" if FRESH not in path else "anywhere" if bare == "/" else f"below {bare}"
    filed = sorted(
        each
        for each in about.categories
        if not any(other.startswith(f"{each}/") for other in about.categories)
    )
    return f"{at}, filed under {' and '.join(filed)}" if filed else at
