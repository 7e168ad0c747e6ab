"""People who are away, as if they acted: whoever is suspended may come back, whoever is invited may
accept, and what is said of them decides again."""

from __future__ import annotations

from collections.abc import Sequence

from prim_lantern.site.data import SiteData
from prim_lantern.site.people import ACTIVE, INVITED, SUSPENDED, User
from prim_lantern.values import replace


def with_all_back(data: SiteData, like: tuple[SiteData, SiteData] | None = None) -> SiteData:
    """A site on which everybody acts who is suspended or invited so far. `like` are a site and the
    same with all back: where the people are the same, they come back as the same."""
    if like is not None and data.users is like[0].users:
        return data.with_parts(users=like[1].users, invitations=like[1].invitations)
    away = [each for each in data.users.values() if each.status in (SUSPENDED, INVITED)]
    return with_back(data, away) if away else data


def with_back(data: SiteData, away: Sequence[User]) -> SiteData:
    """A site on which some act who are suspended or invited so far."""
    logins = {each.login for each in away}
    waiting = {login: each for login, each in data.invitations.items() if login not in logins}
    back = [replace(each, status=ACTIVE) for each in away]
    return data.with_parts(users=data.people.revised(back), invitations=waiting)
