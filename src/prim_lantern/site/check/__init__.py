"""Does a site make sense as a whole? All that is wrong, at once."""

from __future__ import annotations

from prim_lantern.site.check import content, people, rights
from prim_lantern.site.check.notes import Notes
from prim_lantern.site.data import SiteData
from prim_lantern.site.origin import Problem


def problems_in(data: SiteData) -> list[Problem]:
    """Everything that is wrong with a site: unknown names, circles, impossible values.

    The list is empty when the site can be used. It is in the order of the parts of a
    site, people first; each problem says where it stands and what was expected.

    >>> problems_in(SiteData("Harbour", owner="nobody.here"))[0].value
    'nobody.here'
    """
    notes = Notes(data)
    people.check(notes)
    content.check(notes)
    rights.check(notes)
    return notes.problems
