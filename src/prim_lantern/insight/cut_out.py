"""As little of a site as one question needs, so that it can be asked over and over."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.site.columns import Columns
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from prim_lantern.site.people import User
from prim_lantern.site.places import SITE, category_and_above, way_to
from prim_lantern.site.rights import Given, Rule
from prim_lantern.site.rule_names import rule_names
from prim_lantern.values import replace


def cut_out(
    data: SiteData,
    paths: Iterable[str],
    logins: Iterable[str],
    categories: Iterable[str] = (),
    *,
    named: bool = False,
) -> SiteData:
    """The site with nothing but some items, all above them and all they link to, and with some
    people and the owner; with the words that hold at any of these, or in some `categories`. With
    `named`, each rule has for an id what it is called in the whole site."""
    index = data.content.index
    kept: dict[str, None] = {}
    paths = list(paths)
    waiting = list(paths)
    while waiting:
        for path in way_to(waiting.pop()):
            if path in index and path not in kept:
                kept[path] = None
                target = data.items[path].links_to
                waiting += [target] if target else []
    people = dict.fromkeys((data.owner, *logins))
    rules, given = _words(data, (*paths, *kept), categories)
    if named:
        names = dict(zip(map(id, data.rules), rule_names(data.rules), strict=True))
        rules = tuple(replace(rule, id=names[id(rule)]) for rule in rules)
    return data.with_parts(
        items=Columns.of(Item, map(data.items.__getitem__, sorted(kept, key=index.__getitem__))),
        users=Columns.of(User, (data.users[each] for each in people if each in data.users)),
        rules=rules,
        given=given,
        invitations={},
    )


def _words(
    data: SiteData, paths: Iterable[str], categories: Iterable[str]
) -> tuple[tuple[Rule, ...], tuple[Given, ...]]:
    """The rules and given roles that hold at some items, or in some categories."""
    spots = {SITE.spot}
    filed = [*categories]
    for path in paths:
        spots |= {("path", each) for each in way_to(path)}
        if path in data.content.index:
            filed += data.items[path].categories
    spots |= {("category", upper) for each in filed for upper in category_and_above(each)}
    rules = tuple(rule for rule in data.rules if rule.place.spot in spots)
    given = tuple(
        each for each in data.given if any(place.spot in spots for place in each.within_any)
    )
    return rules, given
