"""Content: kinds, categories and items."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import datetime
from typing import Final

from prim_lantern.site.actions import STEPS
from prim_lantern.site.origin import Origin
from prim_lantern.values import field, value

DRAFT: Final = "draft"
IN_REVIEW: Final = "in-review"
SCHEDULED: Final = "scheduled"
PUBLISHED: Final = "published"
ARCHIVED: Final = "archived"
STATES: Final = (DRAFT, IN_REVIEW, SCHEDULED, PUBLISHED, ARCHIVED)


@value
class Kind:
    """A kind of item. A part is a panel on a page; a link is a menu entry."""

    name: str
    label: str = ""
    part: bool = False
    link: bool = False
    four_eyes: bool = False
    filed_under: tuple[str, ...] = ()
    must_be_filed: bool = False
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The label, or the name where there is none."""
        return self.label or self.name

    def takes(self, category: str) -> bool:
        """Whether items of this kind may be filed under the category."""
        category_set = category.partition(":")[0]
        return not self.part and (not self.filed_under or category_set in self.filed_under)


BUILT_IN_KINDS: Final[Mapping[str, Kind]] = {
    kind.name: kind
    for kind in (
        *map(Kind, ("page", "post", "event", "file", "screen")),
        Kind("panel", part=True),
        Kind("link", link=True),
    )
}


@value
class CategorySet:
    """A set of categories: keys such as "wildlife/seabirds", each with a label."""

    name: str
    categories: Mapping[str, str] = field(default_factory=dict)
    origin: Origin | None = field(default=None, compare=False, repr=False)


@value
class Item:
    """Something that is published: a page, a post, a panel, a menu link, a screen …

    State, authors, categories and times of a part are its page's; its own stay empty.
    """

    path: str
    kind: str
    title: str = ""
    authors: tuple[str, ...] = ()
    changed_by: tuple[str, ...] = ()
    state: str = PUBLISHED
    categories: tuple[str, ...] = ()
    readership: str | None = None
    public_from: datetime | None = None
    public_until: datetime | None = None
    links_to: str | None = None
    origin: Origin | None = field(default=None, compare=False, repr=False)

    @property
    def called(self) -> str:
        """The title, or the path where there is none."""
        return self.title or self.path

    def state_at(self, at: datetime) -> str:
        """The state in effect at a moment.

        >>> from prim_lantern.site.moments import moment
        >>> item = Item("/fair", "event", public_from=moment("2027-05-01"))
        >>> item.state_at(moment("2027-04-30"))
        'scheduled'
        """
        if self.state not in (SCHEDULED, PUBLISHED):
            return self.state
        if self.public_until is not None and at >= self.public_until:
            return ARCHIVED
        if self.public_from is not None and at < self.public_from:
            return SCHEDULED
        return PUBLISHED


def state_after(action: str, item: Item, at: datetime, *, own: bool) -> str | None:
    """The state an item has after a step, or None where the step cannot be made from here.

    `own` says whether the one who makes the step is an author of the item. Who may make
    the step is another question.
    """
    step = STEPS.get(action)
    now = item.state_at(at)
    if step is None or now not in step.from_states or (now in step.own_only_from and not own):
        return None
    if action == "publish":
        later = item.public_from is not None and at < item.public_from
        return SCHEDULED if later else PUBLISHED
    return {"submit": IN_REVIEW, "archive": ARCHIVED}.get(action, DRAFT)
