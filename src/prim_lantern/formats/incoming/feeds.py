"""Feeds: Atom (RFC 4287, drafts by RFC 5023) and RSS 2.0."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC
from email.utils import parsedate_to_datetime

from prim_lantern.formats.incoming.elements import Element, elements
from prim_lantern.formats.incoming.table import IncomingTable

ROOTS = ("feed", "rss")
_HEADER = ["path", "title", "authors", "categories", "state", "public_from"]


def read_feed(raw: bytes, file: str) -> IncomingTable:
    """The entries of a feed: the path of their link, title, authors, categories, when they were
    published; drafts as such, where the feed says so (`app:draft`)."""
    root, found = elements(raw, file, ("entry", "item"))
    cells = _of_entry if root == "feed" else _of_item
    rows = [(each.line, cells(each)) for each in found]
    used = [
        at for at in range(len(_HEADER)) if at == 0 or any(row[at] for _, row in rows)
    ]  # what no entry says anything of is no column
    header = [_HEADER[at] for at in used]
    return IncomingTable(file, header, [(line, [row[at] for at in used]) for line, row in rows])


def _of_entry(entry: Element) -> list[str]:
    links = {each.attributes.get("rel", "alternate"): each for each in reversed(entry.of("link"))}
    link = links.get("alternate") or links.get("self")
    address = link.attributes.get("href", "") if link is not None else entry.first("id")
    draft = any(each.first("draft") == "yes" for each in entry.of("control"))
    return [
        address,
        entry.first("title"),
        "; ".join(filter(None, (_person(each) for each in entry.of("author")))),
        "; ".join(filter(None, (each.attributes.get("term", "") for each in entry.of("category")))),
        "draft" if draft else "",
        "" if draft else entry.first("published"),
    ]


def _person(author: Element) -> str:
    return author.first("email") or author.first("name")


def _of_item(item: Element) -> list[str]:
    permalink = next(
        (e.said() for e in item.of("guid") if e.attributes.get("isPermaLink", "true") == "true"), ""
    )
    return [
        item.first("link") or permalink,
        item.first("title"),
        "; ".join(_authors(item)),
        "; ".join(filter(None, (each.said() for each in item.of("category")))),
        "",
        _day(item.first("pubDate")),
    ]


def _authors(item: Element) -> Iterator[str]:
    """Those who wrote it: `author` has an address, maybe with a name in brackets; `creator` (Dublin
    Core) has a name."""
    for each in item.of("author"):
        if each.said():
            yield each.said().partition(" (")[0]
    yield from (each.said() for each in item.of("creator") if each.said())


def _day(text: str) -> str:
    """The moment of an RSS date (RFC 822); the text itself where it is none, to be told."""
    try:
        found = parsedate_to_datetime(text)
    except ValueError:
        return text
    utc = found.replace(tzinfo=UTC) if found.tzinfo is None else found.astimezone(UTC)
    return f"{utc.replace(tzinfo=None).isoformat()}Z"
