"""Places: where a rule, a given role, a readership or a setting stands."""

from __future__ import annotations

from functools import lru_cache
from typing import Final, NamedTuple

from prim_lantern.errors import BadValue
from prim_lantern.site import names

HERE_AND_BELOW: Final = "here-and-below"
ONLY_HERE: Final = "only-here"
ONLY_BELOW: Final = "only-below"
REACHES: Final = (HERE_AND_BELOW, ONLY_HERE, ONLY_BELOW)


class Place(NamedTuple):
    """The site, a path with a reach, or a category.

    `kind` is "site", "path" or "category". Two words at one path are at one
    place whatever their reach: compare places by their `spot`.
    """

    kind: str
    name: str
    reach: str = HERE_AND_BELOW

    @property
    def spot(self) -> tuple[str, str]:
        """The place without its reach."""
        return (self.kind, self.name)

    def __str__(self) -> str:
        return self.name


SITE = Place("site", "site")


def place(text: str, reach: str | None = None) -> Place:
    """Read `site`, a path such as `/log`, or a category such as `topic:wildlife`.

    The path `/` is the home page alone, whatever is below it. Raises `BadValue` for
    anything else, and for a reach where none is possible.

    >>> place("/log", "only-here").reach
    'only-here'
    """
    if reach is not None and reach not in REACHES:
        raise BadValue(reach, f"is no reach: use {', '.join(REACHES[:-1])} or {REACHES[-1]}.")
    if text == "/":
        if reach not in (None, ONLY_HERE):
            raise BadValue(
                reach,
                "cannot be the reach of '/': it is always only-here. For everything write site.",
            )
        return Place("path", "/", ONLY_HERE)
    if text.startswith("/"):
        return Place("path", names.path(text), reach or HERE_AND_BELOW)
    if reach not in (None, HERE_AND_BELOW):
        raise BadValue(reach, f"is a reach, and only a path has one; {text} is none.")
    if text == "site":
        return SITE
    category_set, colon, category = text.partition(":")
    if not colon or not category_set or not category:
        raise BadValue(text, "is no place: write site, a path (/log) or a category (topic:press).")
    return Place("category", text)


def way_to(path: str) -> tuple[str, ...]:
    """The path and all above it, from the root down.

    >>> way_to("/stations/fennick")
    ('/', '/stations', '/stations/fennick')
    """
    if path == "/":
        return ("/",)
    ends = [at for at, letter in enumerate(path) if letter == "/" and at]
    return ("/", *(path[:end] for end in ends), path)


def section_of(path: str) -> str:
    """The path right below the root that a path is at or below; the root is by itself.

    >>> section_of("/stations/fennick"), section_of("/")
    ('/stations', '/')
    """
    end = path.find("/", 1)
    return path if end < 0 else path[:end]


def parent_of(path: str) -> str | None:
    """The path one step above, or None for the root."""
    if path == "/":
        return None
    return path[: path.rindex("/")] or "/"


def is_above(upper: str, lower: str) -> bool:
    """Whether one path is above another (and not the same)."""
    return lower != upper and (upper == "/" or lower.startswith(upper + "/"))


@lru_cache(maxsize=20_000)
def category_and_above(category: str) -> tuple[str, ...]:
    """A category and those above it, from the top down.

    >>> category_and_above("topic:wildlife/seabirds")
    ('topic:wildlife', 'topic:wildlife/seabirds')
    """
    ends = [at for at, letter in enumerate(category) if letter == "/"]
    return (*(category[:end] for end in ends), category)


def tree_order(path: str) -> tuple[str, ...]:
    """A sort key that puts each path right before what is below it."""
    return tuple(path.split("/")) if path != "/" else ("",)


def is_at_or_below(place: Place, path: str | None) -> bool:
    """Whether a place is this path or a path below it (always, where no path cuts off)."""
    if path is None:
        return True
    return place.kind == "path" and (place.name == path or is_above(path, place.name))
