"""`kind` and `action`: which kinds of items a site has, and what can be done with them."""

from __future__ import annotations

from collections import Counter

import click

from prim_lantern.cli.common import opened
from prim_lantern.cli.listing import As, list_of_site, show_list
from prim_lantern.site.actions import BUILT_IN_ACTIONS, MANAGING_ACTIONS, RISKY_ACTIONS, brought_by

_MEANS = {
    "read": "see it, once it is public",
    "see-drafts": "see it before it is public, and after",
    "create": "add one below a parent",
    "file-under": "file it under a category",
    "edit": "change it",
    "delete": "remove it",
    "comment": "comment on it",
    "upload": "upload files to it",
    "submit": "send a draft for review",
    "send-back": "send it back to its author",
    "publish": "make it public, or set when it becomes so",
    "withdraw": "make a draft of it again",
    "archive": "take it out of sight, and keep it",
    "see-versions": "see its earlier versions",
    "restore-version": "bring an earlier version back",
    "manage-rights": "say who may do what at a place and below",
    "manage-people": "add and change people, groups and plans",
    "manage-roles": "define what roles can do",
    "look-as": "see the site as somebody else",
}


@click.group(short_help="Kinds of items.")
def kind() -> None:
    """The kinds of items: pages, posts, parts of pages, menu links, screens and the site's own."""


@kind.command("list")
@list_of_site
def list_kinds(where: str, shown: As) -> None:
    """All kinds, what is special about each, and how many items there are of it."""
    from prim_lantern.show.records import Column

    data = opened(where).data
    count = Counter(data.content.values_of("kind"))
    records = [
        {
            "kind": each.name,
            "label": each.called,
            "sort": "part of a page" if each.part else "menu link" if each.link else "",
            "four_eyes": each.four_eyes,
            "filed_under": list(each.filed_under or ()),
            "must_be_filed": each.must_be_filed,
            "items": count[each.name],
            "built_in": each.name not in data.kinds,
        }
        for each in data.all_kinds.values()
    ]
    columns = [
        Column("kind", "Kind", whole=True),
        Column("label", "Called", shed=3),
        Column("sort", "Sort", shed=2),
        Column("four_eyes", "Four eyes"),
        Column("filed_under", "Filed under", shed=1),
        Column("must_be_filed", "Must be filed"),
        Column("items", "Items"),
    ]
    show_list(shown, columns, records, "")


@click.group(short_help="What can be done with items and at places.")
def action() -> None:
    """The actions: what can be done with items and at places, the site's own too."""


@action.command("list")
@list_of_site
def list_actions(where: str, shown: As) -> None:
    """All actions: what each means, what it cannot do without and so brings along, and which are
    risky to give to many."""
    from prim_lantern.show.records import Column

    data = opened(where).data
    records = [
        {
            "action": name,
            "means": _MEANS.get(name) or data.actions[name].label,
            "brings": sorted(brought_by(name, data.actions))
            if name not in MANAGING_ACTIONS
            else [],
            "risky": name in RISKY_ACTIONS or (name in data.actions and data.actions[name].risky),
            "asked_of": "a place" if name in MANAGING_ACTIONS else "an item",
            "built_in": name in BUILT_IN_ACTIONS or name in MANAGING_ACTIONS,
        }
        for name in (*data.item_actions, *MANAGING_ACTIONS)
    ]
    columns = [
        Column("action", "Action", whole=True),
        Column("means", "Means"),
        Column("brings", "Brings", shed=2),
        Column("risky", "Risky"),
        Column("asked_of", "Asked of", shed=1),
    ]
    show_list(shown, columns, records, "")


COMMANDS = {"kind": kind, "action": action}
