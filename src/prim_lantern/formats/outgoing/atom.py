"""An Atom feed (RFC 4287) of what somebody may read; drafts are marked as such (RFC 5023)."""

from __future__ import annotations

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Final
from xml.etree import ElementTree as Xml

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.lists import paths_for
from prim_lantern.formats.outgoing.addresses import address
from prim_lantern.site.content import PUBLISHED, SCHEDULED

_ATOM: Final = "http://www.w3.org/2005/Atom"
_APP: Final = "http://www.w3.org/2007/app"
_UNKNOWN: Final = datetime(1970, 1, 1, tzinfo=UTC)  # an entry has to have a moment


def as_atom(
    engine: Engine, login: str | None, base: str, changed: Mapping[str, datetime], most: int
) -> str:
    """The newest items that somebody may read, each with its title, its authors by name, and its
    categories; `most` of them.

    `changed` says when an item was changed last, as far as that is known; else it is when it became
    public. Parts of pages and links are left out; so are addresses of people.
    """
    data = engine.data
    skip = {kind.name for kind in data.all_kinds.values() if kind.part or kind.link}
    items = [data.items[path] for path in paths_for(engine, login, "read")]
    items = [each for each in items if each.kind not in skip]
    moments = {each.path: changed.get(each.path) or each.public_from or _UNKNOWN for each in items}
    items.sort(key=lambda each: moments[each.path], reverse=True)
    for prefix, space in (("", _ATOM), ("app", _APP)):
        Xml.register_namespace(prefix, space)
    feed = Xml.Element(f"{{{_ATOM}}}feed")
    _put(feed, "title", data.name)
    _put(feed, "id", address(base, "/"))
    newest = max((moments[each.path] for each in items[:most]), default=_UNKNOWN)
    _put(feed, "updated", _moment(newest))
    Xml.SubElement(feed, f"{{{_ATOM}}}link", rel="alternate", href=address(base, "/"))
    for item in items[:most]:
        entry = Xml.SubElement(feed, f"{{{_ATOM}}}entry")
        _put(entry, "title", item.title or item.path)
        _put(entry, "id", address(base, item.path))
        Xml.SubElement(entry, f"{{{_ATOM}}}link", rel="alternate", href=address(base, item.path))
        _put(entry, "updated", _moment(moments[item.path]))
        if item.public_from is not None and item.state in (PUBLISHED, SCHEDULED):
            _put(entry, "published", _moment(item.public_from))
        for author in item.authors or (data.name,):
            user = data.users.get(author)
            person = Xml.SubElement(entry, f"{{{_ATOM}}}author")
            _put(person, "name", user.called if user is not None else author)
        for category in item.categories:
            label = data.categories.get(category) or category
            Xml.SubElement(entry, f"{{{_ATOM}}}category", term=category, label=label)
        if item.state not in (PUBLISHED, SCHEDULED):
            control = Xml.SubElement(entry, f"{{{_APP}}}control")
            Xml.SubElement(control, f"{{{_APP}}}draft").text = "yes"
    Xml.indent(feed, " ")
    return Xml.tostring(feed, "unicode", xml_declaration=True) + "\n"


def _put(parent: Xml.Element, name: str, text: str) -> None:
    Xml.SubElement(parent, f"{{{_ATOM}}}{name}").text = text


def _moment(at: datetime) -> str:
    """A moment as RFC 3339 has it."""
    return at.astimezone(UTC).isoformat(timespec="seconds").replace("+00:00", "Z")
