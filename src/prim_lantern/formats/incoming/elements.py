"""XML as flat records: some elements, each with what stands directly in it. Entities and document
types, by which a hostile file does harm, are refused."""

from __future__ import annotations

from collections.abc import Collection
from typing import Any, NamedTuple
from xml.sax import SAXException
from xml.sax.handler import ContentHandler

import defusedxml.sax
from defusedxml.common import DefusedXmlException

from prim_lantern.errors import BadSite
from prim_lantern.site.origin import Origin, Problem

_DEEPEST = 60


class Element(NamedTuple):
    """An element without its namespace: its attributes, its text, and what stands in it."""

    name: str
    line: int
    attributes: dict[str, str]
    text: list[str]
    inside: list[Element]

    def said(self) -> str:
        """Its text."""
        return " ".join("".join(self.text).split())

    def of(self, name: str) -> list[Element]:
        """What stands in it by a name."""
        return [each for each in self.inside if each.name == name]

    def first(self, name: str) -> str:
        """The text of the first of a name; empty where there is none."""
        return next((each.said() for each in self.of(name)), "")


class _Reader(ContentHandler):
    """Keeps the elements of some names, whole, and the name of the root."""

    def __init__(self, wanted: Collection[str]) -> None:
        super().__init__()
        self.root = ""
        self.found: list[Element] = []
        self._wanted = wanted
        self._open: list[Element] = []
        self._depth = 0
        self._line: Any = None

    def setDocumentLocator(self, locator: Any) -> None:  # noqa: N802
        self._line = locator.getLineNumber

    def startElement(self, name: str, attrs: Any) -> None:  # noqa: N802
        name = name.rpartition(":")[2]
        self.root = self.root or name
        self._depth += 1
        if self._depth > _DEEPEST:
            raise SAXException("it is nested too deeply")
        if self._open or name in self._wanted:
            made = Element(name, self._line(), dict(attrs.items()), [], [])
            if self._open:
                self._open[-1].inside.append(made)
            self._open.append(made)

    def characters(self, content: str) -> None:
        if self._open:
            self._open[-1].text.append(content)

    def endElement(self, name: str) -> None:  # noqa: ARG002, N802
        self._depth -= 1
        if self._open:
            done = self._open.pop()
            if not self._open:
                self.found.append(done)


def elements(raw: bytes, file: str, wanted: Collection[str]) -> tuple[str, list[Element]]:
    """The name of the root, and the elements of some names with what stands in them.

    Raises `BadSite` for what is no XML, and for XML that declares entities or document types.
    """
    reader = _Reader(wanted)
    try:
        defusedxml.sax.parseString(raw, reader, forbid_dtd=True)
    except DefusedXmlException:
        said = "declares a document type or entities, which no feed needs; it was not read."
        raise BadSite([Problem(None, None, file, said)], file) from None
    except SAXException as error:
        line = getattr(error, "getLineNumber", lambda: 1)() or 1
        said = f"is no proper XML: {error.getMessage()}."
        raise BadSite([Problem(Origin(file, line), None, file, said)], file) from None
    return reader.root, reader.found
