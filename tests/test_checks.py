"""A site is checked after a change by what the change touched: nothing is missed by that."""

from __future__ import annotations

from dataclasses import replace
from random import Random

from hypothesis import given
from hypothesis import strategies as st

from prim_lantern.site.check import problems_in
from prim_lantern.site.columns import Columns
from prim_lantern.site.content import Item
from prim_lantern.site.data import SiteData
from sites import LOGINS, Maker, sites

seeds = st.integers(0, 2**32).map(Random)


def clumsily_changed(site: SiteData, rng: Random) -> SiteData:
    """A few changes that somebody might try, most of which leave the site with mistakes."""
    maker, items = Maker(rng), site.content
    for _ in range(rng.randrange(4)):
        if items.names:
            items = one_item_changed(items, maker)
    if maker.maybe(0.2):
        site = site.with_parts(users=site.people.revised([maker.user("newcomer")]))
    if maker.maybe(0.1):
        site = site.with_parts(users=site.people.revised(gone={rng.choice(LOGINS[1:])}))
    if site.groups and maker.maybe(0.3):
        gone = rng.choice([None, *site.groups])
        left = {name: group for name, group in site.groups.items() if name != gone}
        site = site.with_parts(groups={**left, "fresh": replace(left[min(left)], name="fresh")})
    if site.plans and maker.maybe(0.2):
        site = site.with_parts(plans=dict(list(site.plans.items())[1:]))
    return words_changed(site.with_parts(items=items), maker)


def words_changed(site: SiteData, maker: Maker) -> SiteData:
    rng = maker.rng
    if site.groups and maker.maybe(0.2):
        name = rng.choice([*site.groups])
        part = rng.choice([{"counts_in": (name,)}, {"members": ("nobody.here",)}])
        site = site.with_parts(groups={**site.groups, name: replace(site.groups[name], **part)})
    if site.attributes and maker.maybe(0.2):
        site = site.with_parts(attributes=())
    if site.roles and maker.maybe(0.2):
        site = site.with_parts(roles=dict(list(site.roles.items())[1:]))
    if site.promises and maker.maybe(0.2):
        wrong = replace(site.promises[0], actions=("juggle",))
        site = site.with_parts(promises=(wrong, *site.promises[1:]))
    return site


def one_item_changed(items: Columns[Item], maker: Maker) -> Columns[Item]:
    rng = maker.rng
    path = rng.choice(items.names)
    match rng.randrange(8):
        case 0:
            return items.revised(gone={path})
        case 1:
            return items.revised([maker.item(path, True, maker.maybe(), [])])
        case 2:
            new = f"{path.rstrip('/')}/{rng.choice(['new', 'a b', '..', 'é'])}"
            item = maker.item(new, True, maker.maybe(0.3), [])
            return items.revised([replace(item, kind="nothing") if maker.maybe(0.2) else item])
        case 3:
            kind = rng.choice(["page", "panel", "link", "post", "nothing"])
            return items.revised([replace(items[path], kind=kind)])
        case 4:
            hand = rng.choice([*LOGINS, "nobody.here"])
            return items.revised([replace(items[path], authors=(hand,), state="drafty")])
        case 5:
            filed = rng.choice([("topic:sea",), ("topic:nowhere",), ("series:talks",)])
            return items.revised([replace(items[path], categories=filed)])
        case 6:
            items = items.revised([Item("/loop", "link", "", links_to=path)])
            return items.revised([replace(items[path], kind="link", links_to="/loop")])
        case _:
            return items.revised([replace(items[path], readership="nobody-at-all")])


@given(sites(), seeds)
def test_after_a_change_the_same_mistakes_are_found_as_on_opening(site, rng):
    sound = replace(site, items=site.content, users=site.people)
    assert not problems_in(sound)
    _ = sound.tree, sound.pages  # so that what follows is derived of them
    after = clumsily_changed(sound, rng)
    whole = {str(each) for each in problems_in(after)}
    assert whole <= {str(each) for each in problems_in(after, sound)}
    anew = replace(after, items=dict(after.items), users=dict(after.users))
    assert whole == {str(each) for each in problems_in(anew)}


def test_words_are_looked_at_again_where_what_they_name_is_gone(make_site):
    word = '[[rules]]\nallow = ["edit"]\nto = ["group:crew"]\n'
    sound = make_site(f"[groups.crew]\n[groups.desk]\n{word}").data
    (wrong,) = problems_in(sound.with_parts(groups={"desk": sound.groups["desk"]}), sound)
    assert wrong.value == "group:crew"
