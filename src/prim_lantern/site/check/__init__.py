"""Does a site make sense as a whole? All that is wrong, at once."""

from __future__ import annotations

from prim_lantern.site.check import content, people, rights, texts, types
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Problem


def problems_in(
    data: SiteData, sound: SiteData | None = None, *, typed: bool = False
) -> list[Problem]:
    """Everything that is wrong with a site: unknown names, circles, impossible values.

    The list is empty when the site can be used. It is in the order of the parts of a
    site, people first; each problem says where it stands and what was expected. `sound` is
    the site before a change, known to be in order: what rests on parts that it shares is not
    looked at again. `typed` says that all is of the type that it should be, as readers make it.

    >>> problems_in(SiteData("Harbour", owner="nobody.here"))[0].value
    'nobody.here'
    """
    notes = Notes(data)
    if sound is None and not typed and (misfits := misfits_in(data)):
        return misfits  # all else counts on the types
    if not _share(data, sound, _FOR_PEOPLE):
        people.check(notes, sound)
    if not _share(data, sound, _FOR_CONTENT):
        content.check(notes, sound)
    rights.check(notes, sound)
    if sound is not None:
        texts.check(notes, sound)
    return notes.problems


def misfits_in(data: SiteData) -> list[Problem]:
    """The values of a wrong type in a site that comes from a program: the first in each part."""
    notes = Notes(data)
    types.check(notes)
    return notes.problems


_FOR_PEOPLE = ("users", "groups", "plans", "invitations", "owner", "sign_up_groups", "attributes")
_FOR_CONTENT = ("items", "users", "kinds", "actions", "category_sets", "readerships")


def _share(data: SiteData, sound: SiteData | None, parts: tuple[str, ...]) -> bool:
    return sound is not None and all(getattr(data, e) is getattr(sound, e) for e in parts)
