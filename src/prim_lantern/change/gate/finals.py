"""What has no exceptions: whether a site has any, and whether it keeps somebody from something."""

from __future__ import annotations

from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.site.actions import EVERY_ACTION
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.data import SiteData
from prim_lantern.site.rights import Readership
from prim_lantern.site.who import Who


def has_finals(data: SiteData) -> bool:
    """Whether a rule has no exceptions, or a readership that stands somewhere."""
    return any(rule.no_exceptions for rule in data.rules) or any(
        each.no_exceptions for each in _standing(data)
    )


def final_roles(data: SiteData) -> set[str]:
    """The roles of which rules without exceptions, or such readerships, speak."""
    rules = (who for rule in data.rules if rule.no_exceptions for who in rule.to)
    readerships = (
        who
        for each in _standing(data)
        if each.no_exceptions
        for who in (*each.readers, *each.all_of, *each.but_not)
    )
    return {who.name for who in (*rules, *readerships) if who.kind == "role"}


def final_whos(data: SiteData) -> frozenset[Who]:
    """All whom rules without exceptions deny something, or such readerships leave out by name."""
    rules = (who for rule in data.rules if rule.no_exceptions for who in rule.to)
    left_out = (who for each in _standing(data) if each.no_exceptions for who in each.but_not)
    found = {*rules, *left_out}
    roles = {who.name for who in found if who.kind == "role"}
    found |= {who for given in data.given if given.role in roles for who in given.to}
    return frozenset(found)


def _standing(data: SiteData) -> list[Readership]:
    """The readerships that stand somewhere."""
    named = {each.readership or "" for each in data.readerships_at.values()}
    return [data.readership(name) for name in sorted({*named, data.default_readership})]


def final_actions(data: SiteData) -> list[str]:
    """The actions that a rule without exceptions denies; and reading, for readerships."""
    named = {action for rule in data.rules if rule.no_exceptions for action in rule.actions}
    return [
        each
        for each in data.item_actions
        if each in named or EVERY_ACTION in named or each == "read"
    ]


def kept(reference: Reference, login: str | None, action: str, about: Subject) -> bool:
    """Whether something without exceptions keeps somebody from it, whatever else is said."""
    if reference.is_owner(login):
        return False
    asked = {action, "read"} | ({"see-drafts"} if about.state != PUBLISHED else set())
    if any(reference.final_deny(login, each, about) for each in asked):
        return True
    met, _ = reference.readerships_met(about)
    if any(
        each.readership.no_exceptions and not reference.is_in(login, each.readership, about)
        for each in met
    ):
        return True
    if about.page is not None and kept(reference, login, "read", about.of_page):
        return True
    target = about.target
    return target in reference.data.items and kept(
        reference, login, "read", reference.subject(target or "/")
    )
