"""Items that nobody may read, or that nobody but the owner may edit.

Nobody who is there, nor anybody who came into one of the groups. What is published and read by
nobody is forgotten, or closed by mistake. What only the owner may edit stays as it is when they
are away.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from prim_lantern.decide.engine.population import Numbers
from prim_lantern.decide.explain import words
from prim_lantern.decide.lists import lists_of
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.places import SITE
from prim_lantern.site.who import Who

NAME = "nobody-may"


def find(look: Look) -> Iterator[Finding]:
    """Both, all items of each together."""
    data, engine = look.data, look.engine
    names, everything = data.content.names, np.arange(len(data.content))
    hidden = everything[~lists_of(engine).items_for(None, "read")]
    unread = [
        names[row]
        for row in of_rows(look, "read", hidden).tolist()
        if engine.subject(names[row]).state == PUBLISHED and not data.content.value("links_to", row)
    ]
    if unread:
        yield Finding(
            NAME,
            MISTAKE,
            f"Nobody but the owner may read {words.some(unread)}, though published.",
            touches={"items": len(unread)},
        )
    fixed = [names[row] for row in of_rows(look, "edit", everything).tolist()]
    if fixed and len(data.users) > 1:
        yield Finding(
            NAME,
            NOTE,
            f"Nobody but the owner may edit {words.some(fixed)}.",
            touches={"items": len(fixed)},
        )


def of_rows(look: Look, action: str, rows: Numbers) -> Numbers:
    """Those of some rows to which nobody but the owner may do this, nor anybody who comes into a
    group. Groups, and people who are named, are asked first: that leaves little to ask everybody.
    """
    lists = lists_of(look.engine)
    rows = _closed_to_groups(look, action, rows)
    for who in look.engine.rights.whos:
        if who.kind == "user" and who.name in lists.population.numbers:
            rows = rows[~lists.items_for(who.name, action, rows)]
    return rows[lists.counts(action, rows) <= 1] if len(rows) else rows


def _closed_to_groups(look: Look, action: str, rows: Numbers) -> Numbers:
    """Those of some rows to which nobody may do this for being in a group. Only one row of each
    situation is asked about, as whoever is pictured in a group wrote none of them."""
    lists = lists_of(look.engine)
    situations = lists.situations.of_row[rows]
    leads = np.isin(rows, list(look.engine.links))  # what a link leads to has a say as well
    _, first = np.unique(situations[~leads], return_index=True)
    asked = np.concatenate([np.flatnonzero(~leads)[first], np.flatnonzero(leads)])
    for name in _widest_first(look, action):
        member = login_of(Who("group", name))
        asked = asked[~lists.items_for(member, action, rows[asked])]
    closed = leads[asked]
    left = np.isin(situations, situations[asked[~closed]]) & ~leads
    left[asked[closed]] = True
    return rows[left]


def _widest_first(look: Look, action: str) -> Iterable[str]:
    """The groups, those first that are allowed something on the whole site."""
    words = look.engine.rights.at(SITE.spot, action)
    wide = {each.who.name for each in words if each.allow and each.who.kind == "group"}
    return sorted(look.data.groups, key=lambda name: name not in wide)
