"""Values of a wrong type, in a site that a program has put together: a text in the place of True
would be taken for it."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from typing import Any, Final, get_type_hints

from prim_lantern.hints import misfit
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.columns import Columns

_NAMES: Final[Mapping[str, Callable[[Any], str]]] = {
    **dict.fromkeys(
        ("kinds", "actions", "category_sets", "groups", "plans", "roles", "readerships"),
        lambda each: str(each.name),
    ),
    **dict.fromkeys(("users", "invitations"), lambda each: str(each.login)),
    "items": lambda each: str(each.path),
}


def check(notes: Notes) -> None:
    """Note the first value of a wrong type in each part of the site, and whatever stands under
    another name than its own."""
    for part, hint in get_type_hints(type(notes.data)).items():
        value = getattr(notes.data, part)
        if found := misfit(value, hint):
            key = f"{part}.{found.field}" if found.field else part
            notes.wrong(None, key, found.value, found.says)
        elif part in _NAMES and not isinstance(value, Columns):
            for key, each in value.items():
                if _NAMES[part](each) != key:
                    notes.wrong(None, part, key, f"leads to what is called {_NAMES[part](each)!r}.")
