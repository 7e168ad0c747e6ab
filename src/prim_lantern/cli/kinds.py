"""`kind` and `action`: which kinds of items a site has, and what can be done with them."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable
from typing import Any

import click

from prim_lantern.cli.changing import How, carry_out, changing
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


def _of_kind(command: Callable[..., int]) -> Callable[..., int]:
    """The options that say what is special about a kind."""
    for option in (
        click.option("--label", help="The name that people see."),
        click.option(
            "--four-eyes/--no-four-eyes",
            default=None,
            help="Whether nobody publishes what they wrote or changed.",
        ),
        click.option("--sets", metavar="SETS", help="The category sets it takes; 'any'."),
        click.option(
            "--must-be-filed/--may-be-unfiled", default=None, help="Whether it needs a category."
        ),
    ):
        command = option(command)
    return command


@kind.command("add")
@click.argument("name")
@click.option("--part", is_flag=True, help="A part of a page.")
@click.option("--link", is_flag=True, help="A menu link.")
@_of_kind
@changing
def add_kind(name: str, part: bool, link: bool, how: How, **said: Any) -> int:
    """Define a kind of items."""
    values = {"part": part, "link": link, **_kind_values(**said)}
    return carry_out(how, lambda change: change.add_kind(name, **values))


@kind.command("change")
@click.argument("name")
@_of_kind
@changing
def change_kind(name: str, how: How, **said: Any) -> int:
    """Change a kind, a built-in one too."""
    return carry_out(how, lambda change: change.change_kind(name, **_kind_values(**said)))


def _kind_values(sets: str | None, **said: Any) -> dict[str, Any]:
    """What was said, as the operations take it."""
    if sets is not None:
        said["filed_under"] = () if sets == "any" else tuple(sets.split(","))
    return {key: each for key, each in said.items() if each is not None}


@kind.command("remove")
@click.argument("name")
@changing
def remove_kind(name: str, how: How) -> int:
    """Remove a kind that nothing is of; of a built-in one, what the site says of it."""
    return carry_out(how, lambda change: change.remove_kind(name))


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


def _of_action(command: Callable[..., int]) -> Callable[..., int]:
    """The options that say what an action is."""
    for option in (
        click.option("--label", help="The name that people see."),
        click.option("--brings", metavar="ACTIONS", help="What it cannot do without; with commas."),
        click.option(
            "--risky/--not-risky", default=None, help="Whether giving it to many is risky."
        ),
    ):
        command = option(command)
    return command


@action.command("add")
@click.argument("name")
@_of_action
@changing
def add_action(name: str, how: How, **said: Any) -> int:
    """Define an action of the site's own."""
    return carry_out(how, lambda change: change.add_action(name, **_action_values(**said)))


@action.command("change")
@click.argument("name")
@_of_action
@changing
def change_action(name: str, how: How, **said: Any) -> int:
    """Change an action of the site's own."""
    return carry_out(how, lambda change: change.change_action(name, **_action_values(**said)))


def _action_values(brings: str | None, **said: Any) -> dict[str, Any]:
    """What was said, as the operations take it."""
    if brings is not None:
        said["brings"] = tuple(filter(None, brings.split(",")))
    return {key: each for key, each in said.items() if each is not None}


@action.command("remove")
@click.argument("name")
@changing
def remove_action(name: str, how: How) -> int:
    """Remove an action of the site's own that no rule or role names."""
    return carry_out(how, lambda change: change.remove_action(name))


COMMANDS = {"kind": kind, "action": action}
