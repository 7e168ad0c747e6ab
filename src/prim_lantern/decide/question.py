"""A question about access, and the decision on it."""

from __future__ import annotations

from datetime import datetime
from typing import NamedTuple

from prim_lantern.decide.reference import Reference
from prim_lantern.decide.stand_ins import Beside, Somebody, stand_in, told
from prim_lantern.decide.trace import Trace
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import written
from prim_lantern.site.places import Place


class Question(NamedTuple):
    """May this person do this there? `who` is a login (a stand-in's too), or None for a guest.

    `path` is the item, or the parent of one to be created. `kind` and `categories` belong
    to creating, `category` to filing, `new_parent` to moving, `place` to managing.
    """

    who: str | None
    action: str
    at: datetime
    path: str | None = None
    kind: str | None = None
    categories: tuple[str, ...] = ()
    category: str | None = None
    new_parent: str | None = None
    place: Place | None = None

    def to_dict(self) -> dict[str, object]:
        """What was asked, for programs."""
        asked: dict[str, object] = {"who": told(self.who), "action": self.action}
        for key in ("path", "kind", "categories", "category", "new_parent"):
            value = getattr(self, key)
            if value:
                asked[key] = list(value) if isinstance(value, tuple) else value
        if self.place is not None:
            asked["place"] = str(self.place)
        return {**asked, "at": written(self.at)}


def reference_about(data: SiteData, at: datetime, who: str | None) -> Reference:
    """What decides a question about somebody, who may be a stand-in, step by step."""
    if isinstance(who, Somebody):
        data = data.with_parts(users=Beside(data.users, stand_in(data, who)))
    return Reference(data, at)


def trace_of(reference: Reference, asked: Question) -> Trace:
    """How the reference comes to the answer of a question, step by step."""
    if asked.place is not None:
        return reference.may_manage(asked.who, asked.action, asked.place)
    path = asked.path or "/"
    if asked.kind is not None:
        return reference.may_create(asked.who, asked.kind, path, asked.categories)
    if asked.category is not None:
        return reference.may_file(asked.who, path, asked.category)
    if asked.new_parent is not None:
        return reference.may_move(asked.who, path, asked.new_parent)
    return reference.may(asked.who, asked.action, path)
