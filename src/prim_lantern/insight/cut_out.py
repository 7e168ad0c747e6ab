"""As little of a site as one question needs, so that it can be asked over and over."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.site.data import SiteData
from prim_lantern.site.places import way_to


def cut_out(data: SiteData, paths: Iterable[str], logins: Iterable[str]) -> SiteData:
    """The site with nothing but some items, all above them and all they link to, and with some
    people and the owner. Words, groups and roles are all there."""
    index = data.content.index
    kept: dict[str, None] = {}
    waiting = list(paths)
    while waiting:
        for path in way_to(waiting.pop()):
            if path in index and path not in kept:
                kept[path] = None
                target = data.items[path].links_to
                waiting += [target] if target else []
    people = dict.fromkeys((data.owner, *logins))
    return data.with_parts(
        items={path: data.items[path] for path in sorted(kept, key=index.__getitem__)},
        users={login: data.users[login] for login in people if login in data.users},
        invitations={},
    )
