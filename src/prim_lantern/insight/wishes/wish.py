"""A wish: that somebody may, or may no longer, do something at a place."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import datetime
from typing import NamedTuple

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import words
from prim_lantern.decide.question import Question
from prim_lantern.decide.stand_ins import login_of
from prim_lantern.errors import BadQuestion
from prim_lantern.site.actions import MANAGING_ACTIONS, SITE_WIDE_ACTIONS
from prim_lantern.site.data import SiteData
from prim_lantern.site.places import SITE, Place
from prim_lantern.site.places import place as read_place
from prim_lantern.site.who import EVERYONE, GUESTS, SIGNED_IN, Who
from prim_lantern.wording import with_article


class Wish(NamedTuple):
    """What is wished: that `who` may (or may not, where `may` is false) do an action.

    `place` is that of an item; of all below it as well with `below`, and always for a category, the
    site and a section without a page. For create it is the parent, and `kind` and `categories` are
    those of what would be new; file-under takes the one category; for the actions of managing it is
    any place. `aside` are paths that are left aside with all below them. `in_general` says that it
    is about whoever is in just the group, and not about everybody who is in it now.
    """

    who: Who
    action: str
    place: Place
    may: bool = True
    below: bool = False
    kind: str | None = None
    categories: tuple[str, ...] = ()
    aside: tuple[str, ...] = ()
    in_general: bool = False

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "who": str(self.who),
            "action": self.action,
            "place": str(self.place),
            "may": self.may,
            "below": self.below,
            "kind": self.kind,
            "categories": list(self.categories),
            "aside": list(self.aside),
            "in_general": self.in_general,
        }


def wish(
    data: SiteData,
    who: Who,
    action: str,
    place: str,
    *,
    may: bool = True,
    below: bool = False,
    kind: str | None = None,
    categories: tuple[str, ...] = (),
) -> Wish:
    """A wish that makes sense on a site; raises the error of an unknown name, and `BadQuestion`."""
    if action == "move":
        raise BadQuestion("To move is to edit, and to create at the new place: wish for these.")
    action, where = data.action(action), _place(data, place)
    categories = tuple(map(data.category, categories))
    if who.kind == "user" and data.login(who.name) == data.owner:
        raise BadQuestion("The owner may do everything; nobody gives or takes that.")
    if (kind is not None) != (action == "create"):
        raise BadQuestion("A kind belongs to create, and create needs one, as in kind='page'.")
    if categories and action not in ("create", "file-under"):
        raise BadQuestion(f"Categories belong to create and file-under, not to {action!r}.")
    if action in SITE_WIDE_ACTIONS and where != SITE:
        raise BadQuestion(f"{action!r} is asked of the whole site: leave the place out.")
    kind = data.kind(kind).name if kind is not None else None
    found = Wish(who, action, where, may, below, kind, categories)
    return found if action in MANAGING_ACTIONS else _of_items(data, found)


def _of_items(data: SiteData, wish: Wish) -> Wish:
    """A wish about items that are there, or about a new one."""
    where = wish.place
    if wish.action == "create":
        if where.kind != "path" or wish.below:
            raise BadQuestion("'create' is wished for below one parent: name its path.")
        return wish
    if wish.action == "file-under":
        if len(wish.categories) != 1 or where.name not in data.items:
            raise BadQuestion("'file-under' is wished for with an item's path and one category.")
        return wish
    below = wish.below or where.kind != "path" or where.name not in data.items
    found = wish._replace(below=below)
    if not paths_of(data, found):
        raise BadQuestion(f"There is nothing at {where} yet for which that could be wished.")
    return found


def _place(data: SiteData, text: str) -> Place:
    found = read_place(text)
    if found.kind == "category":
        data.category(found.name)
    if found.kind == "path" and not data.tree.holds(found.name):
        data.item(found.name)  # says that it is not known, and what is near
    return found


def says(data: SiteData, wish: Wish) -> str:
    """What is wished, in words: "Sam Whitlock may edit /log/terns"."""
    who = words.who(data, wish.who)
    subject = f"{who[:1].upper()}{who[1:]} {'may' if wish.may else 'may not'}"
    if wish.action == "create":
        filed = f" filed under {words.listed(wish.categories)}" if wish.categories else ""
        new = with_article(data.kind(wish.kind or "").called)
        return f"{subject} create {new}{filed} below {wish.place.name}"
    if wish.action == "file-under":
        return f"{subject} file {wish.place.name} under {wish.categories[0]}"
    doing = words.doing(data, wish.action)
    if wish.action in MANAGING_ACTIONS:
        return f"{subject} {doing.removesuffix(' at')} {words.where(wish.place)}"
    if not wish.below:
        return f"{subject} {doing} {wish.place.name}"
    return f"{subject} {doing} everything {words.where(wish.place)}"


def meant(engine: Engine, wish: Wish) -> list[str | None]:
    """Those for whom a wish has to come true."""
    if not wish.in_general:
        return people(engine, wish.who)
    if wish.who == EVERYONE:
        return [None, login_of(SIGNED_IN)]
    return [None if wish.who == GUESTS else login_of(wish.who)]


def people(engine: Engine, who: Who) -> list[str | None]:
    """Somebody; or somebody pictured, and everybody who is among them."""
    if who == GUESTS:
        return [None]
    if who == EVERYONE:
        return [None, login_of(SIGNED_IN), *_active(engine)]
    if who == SIGNED_IN:
        return [login_of(SIGNED_IN), *_active(engine)]
    if who.kind == "group":
        return [login_of(who), *engine.crowd.members(who)]
    return [login_of(who)]


def _active(engine: Engine) -> list[str]:
    return [each for each in engine.data.users if engine.acting(each) is not None]


def questions(
    data: SiteData, wish: Wish, logins: list[str | None], at: datetime
) -> Iterator[Question]:
    """Every question that has to have the wished answer."""
    for login in logins:
        asked = Question(login, wish.action, at)
        if wish.action in MANAGING_ACTIONS:
            yield asked._replace(place=wish.place)
        elif wish.action == "create":
            yield asked._replace(path=wish.place.name, kind=wish.kind, categories=wish.categories)
        elif wish.action == "file-under":
            yield asked._replace(path=wish.place.name, category=wish.categories[0])
        else:
            for path in paths_of(data, wish):
                yield asked._replace(path=path)


def paths_of(data: SiteData, wish: Wish) -> list[str]:
    """The items at which it is wished for."""
    found = _paths_at(data, wish)
    if not wish.aside:
        return found
    below = tuple(f"{each.rstrip('/')}/" for each in wish.aside if each != "/")
    return [each for each in found if each not in wish.aside and not each.startswith(below)]


def _paths_at(data: SiteData, wish: Wish) -> list[str]:
    where = wish.place
    if where.kind == "site":
        return [*data.tree]
    if where.kind == "path":
        here = [where.name] if where.name in data.items else []
        return [*here, *data.tree.below(where.name)] if wish.below else here
    return [
        path
        for path in data.tree
        if any(
            each == where.name or each.startswith(f"{where.name}/")
            for each in data.items[data.page_of(path)].categories
        )
    ]


def answer(engine: Engine, asked: Question) -> bool:
    """What an engine says to a question."""
    if asked.place is not None:
        return engine.may_manage(asked.who, asked.action, asked.place)
    path = asked.path or "/"
    if asked.kind is not None:
        return engine.may_create(asked.who, asked.kind, path, asked.categories)
    if asked.category is not None:
        return engine.may_file(asked.who, path, asked.category)
    return engine.allows(asked.who, asked.action, path)


def is_true(engine: Engine, wish: Wish) -> bool:
    """Whether a wish has come true: for everybody whom it is about, everywhere."""
    logins = [each for each in meant(engine, wish) if each != engine.data.owner]
    asked = questions(engine.data, wish, logins, engine.at)
    return all(answer(engine, each) == wish.may for each in asked)
