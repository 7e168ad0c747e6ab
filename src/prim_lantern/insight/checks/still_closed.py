"""A section is said to be public, and a readership above it still keeps people out.

To read something one has to pass every readership on the way to it. One that is open opens nothing
below a closed one, unless those from above are said not to count there.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.change.operations.readerships import SetReadership
from prim_lantern.decide.explain import words
from prim_lantern.insight.finding import MISTAKE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.places import HERE_AND_BELOW, Place, way_to
from prim_lantern.site.rights import PlaceSetting

NAME = "still-closed"


def find(look: Look) -> Iterator[Finding]:
    """Each readership for everyone, or everybody signed in, below one that lets in fewer."""
    data = look.data
    for setting in data.readerships_at.values():
        open_here = setting.readership in ("public", "signed-in")
        if not open_here or not setting.readership_from_above or setting.place.kind != "path":
            continue
        closed = _closed_above(look, setting)
        if closed is None:
            continue
        upper, name = closed
        called, here = data.readership(setting.readership or "").called, setting.place
        reach = here.reach if here.reach != HERE_AND_BELOW else None
        alone = SetReadership(here.name, setting.readership or "", reach, alone=True)
        yield Finding(
            NAME,
            MISTAKE,
            f"The readership {called} {words.where(here)} opens nothing: the readership "
            f"{data.readership(name).called} {words.where(upper)} still has to be passed. To open "
            f"it all the same: 'prim-lantern readership set {here.name} {setting.readership} "
            f"{f'--reach {reach} ' if reach else ''}--alone'.",
            written([setting.origin]),
            fix=look.tried(*_taken_away(look, setting)) or look.tried(alone),
        )


def _taken_away(look: Look, setting: PlaceSetting) -> Iterator[SetReadership]:
    """What says the same as the one above, where nothing else would."""
    closed = _closed_above(look, setting)
    if closed is not None:
        yield SetReadership(setting.place.name, closed[1])


def _closed_above(look: Look, setting: PlaceSetting) -> tuple[Place, str] | None:
    """The nearest readership above a place, here and below, that lets in fewer."""
    data = look.data
    wider = {"public"} if setting.readership == "public" else {"public", "signed-in"}
    for path in reversed(way_to(setting.place.name)[:-1]):
        upper = data.readerships_at.get(("path", path))
        if upper is None or upper.place.reach == "only-here":
            continue
        if upper.readership not in wider:
            return upper.place, upper.readership or ""
        if not upper.readership_from_above:
            return None
    name = data.default_readership
    return (Place("site", "site"), name) if name not in wider else None
