"""The site as one person sees it."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from functools import cached_property
from typing import NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import paths_for
from prim_lantern.decide.stand_ins import name_of
from prim_lantern.decide.views.pages import menu_of, parts_of
from prim_lantern.site.actions import NEED_MORE, STEPS
from prim_lantern.site.content import Item, state_after
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import tree_order


class Seen(NamedTuple):
    """An item that can be read, and what else may be done to it, of all that is `possible` in its
    state."""

    item: Item
    state: str
    may: tuple[str, ...]
    own: bool
    possible: tuple[str, ...]


class Offer(NamedTuple):
    """A kind that may be created below a parent; `categories` may be filed under.

    `needs_category` says that it may be created only with one of them.
    """

    parent: str
    kind: str
    categories: tuple[str, ...]
    needs_category: bool


class LookingAs:
    """What one person sees and may do, at one moment: `who` they are (None: a guest) and how they
    are `called`. Each part is worked out when it is asked for."""

    def __init__(self, engine: Engine, login: str | None) -> None:
        """Take what decides, and a user (a stand-in too) or a guest (None)."""
        self._engine = engine
        self.who = login
        self.called = name_of(engine.data, login)

    def __repr__(self) -> str:
        return f"<LookingAs {self.called} at {self._engine.at:%Y-%m-%d %H:%M}>"

    @cached_property
    def items(self) -> tuple[Seen, ...]:
        """All they can read, in tree order, with what else they may do."""
        return tuple(_seen(self._engine, self.who))

    @cached_property
    def menu(self) -> tuple[Item, ...]:
        """The links they can follow, in tree order."""
        return tuple(menu_of(self._engine, self.who))

    @cached_property
    def home_parts(self) -> tuple[Item, ...]:
        """The parts of the home page that they see."""
        return tuple(parts_of(self._engine, self.who, "/"))

    @cached_property
    def offers(self) -> tuple[Offer, ...]:
        """What they may create where, in tree order of the parents."""
        return tuple(offers(self._engine, self.who))

    @property
    def paths(self) -> tuple[str, ...]:
        """The paths of all they can read, in tree order."""
        return tuple(each.item.path for each in self.items)

    @property
    def parents(self) -> tuple[str, ...]:
        """The paths below which they may create something, in tree order."""
        return tuple(sorted({offer.parent for offer in self.offers}, key=tree_order))

    @property
    def categories(self) -> tuple[str, ...]:
        """The categories under which they may file something new, sorted."""
        return tuple(sorted({each for offer in self.offers for each in offer.categories}))

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "who": self.who,
            "called": self.called,
            "items": [
                {
                    "path": seen.item.path,
                    "title": seen.item.title,
                    "kind": seen.item.kind,
                    "state": seen.state,
                    "own": seen.own,
                    "may": list(seen.may),
                }
                for seen in self.items
            ],
            "menu": [
                {"path": each.path, "title": each.title, "links_to": each.links_to}
                for each in self.menu
            ],
            "home_parts": [{"path": each.path, "title": each.title} for each in self.home_parts],
            "offers": [
                {
                    "parent": offer.parent,
                    "kind": offer.kind,
                    "categories": list(offer.categories),
                    "needs_category": offer.needs_category,
                }
                for offer in self.offers
            ],
        }


def actions_beside_reading(data: SiteData) -> list[str]:
    """The actions that are told of an item that can be read."""
    return [each for each in data.item_actions if each not in (*NEED_MORE, "read", "see-drafts")]


def _seen(engine: Engine, login: str | None) -> Iterator[Seen]:
    actions = actions_beside_reading(engine.data)
    may = {action: set(paths_for(engine, login, action)) for action in actions}
    acting = engine.acting(login)
    for path in paths_for(engine, login, "read"):
        about = engine.subject(path)
        possible = tuple(each for each in actions if is_possible(engine, login, each, path))
        told = tuple(action for action in possible if path in may[action])
        own = acting in about.authors
        yield Seen(engine.data.items[path], about.state, told, own, possible)


def is_possible(engine: Engine, login: str | None, action: str, path: str) -> bool:
    """Whether an item is in a state in which an action can be done to it, whoever may: steps lead
    from some states alone, and a part goes with its page."""
    if action not in STEPS:
        return True
    if engine.data.is_part(path):
        return False
    own = engine.acting(login) in engine.authors(path)
    return state_after(action, engine.data.items[path], engine.at, own=own) is not None


def offers(engine: Engine, login: str | None) -> Iterator[Offer]:
    """What may be created where, in tree order of the parents."""
    for parent in engine.data.tree.sections():
        yield from offers_below(engine, login, parent)


def offers_below(
    engine: Engine, login: str | None, parent: str, kinds: Collection[str] | None = None
) -> Iterator[Offer]:
    """What may be created directly below one parent; of just some kinds, where they are named."""
    data, perhaps = engine.data, engine.perhaps_creates(login, parent)
    if not perhaps or (parent in data.items and not engine.allows(login, "read", parent)):
        return
    for kind in data.all_kinds.values():
        if kind.name not in perhaps or (kinds is not None and kind.name not in kinds):
            continue
        fitting = engine.filings(login, kind.name, parent)
        unfiled = engine.may_create(login, kind.name, parent, ())
        if unfiled or fitting:
            yield Offer(parent, kind.name, fitting, not unfiled)
