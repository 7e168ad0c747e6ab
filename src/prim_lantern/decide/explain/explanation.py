"""What an explanation holds."""

from __future__ import annotations

from collections.abc import Iterator
from typing import NamedTuple

from prim_lantern.decide.clauses import Source
from prim_lantern.decide.question import Question
from prim_lantern.site.origin import Origin


class Point(NamedTuple):
    """One thing that counted: in words, where it was written, and what lies behind it.

    `what` names the sort of thing for programs: rule, given-role, readership, membership,
    owner, four-eyes, state, page, target, obstacle, right, setting, status.
    """

    what: str
    text: str
    origin: Origin | None = None
    name: str | None = None
    behind: tuple[Point, ...] = ()
    source: Source | None = None

    def lines(self, indent: str = "  ") -> Iterator[str]:
        """The point as lines of text, what lies behind it further in."""
        written = f"  [{self.origin}]" if self.origin else ""
        yield f"{indent}- {self.text}{written}"
        for point in self.behind:
            yield from point.lines(indent + "  ")

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "what": self.what,
            "name": self.name,
            "text": self.text,
            "file": self.origin.file if self.origin else None,
            "line": self.origin.line if self.origin else None,
            "behind": [point.to_dict() for point in self.behind],
        }


_SECTIONS = {
    "because": "Because",
    "readerships": "Readerships on the way",
    "outweighed": "Outweighed",
    "from_above": "Does not reach in from above",
    "missing": "What is missing",
    "near": "What comes near",
}


class Explanation(NamedTuple):
    """An answer with what decided it.

    `sentence` is the whole answer, `short` the end of it that says why. `because` is what
    decided; for a no, the thing that settles it first. `readerships` are those met on the
    way, `outweighed` what would have said otherwise, `from_above` what is cut off,
    `missing` every key that a yes still needs, and `near` what would give the right but
    for one thing. `str()` gives the whole as text for people.
    """

    question: Question
    allowed: bool
    sentence: str
    short: str
    because: tuple[Point, ...] = ()
    readerships: tuple[Point, ...] = ()
    outweighed: tuple[Point, ...] = ()
    from_above: tuple[Point, ...] = ()
    missing: tuple[Point, ...] = ()
    near: tuple[Point, ...] = ()

    @property
    def decided_by(self) -> tuple[Source, ...]:
        """The rules and given roles among what decided, for programs to follow."""
        return tuple(point.source for point in self.because if point.source is not None)

    def sections(self) -> Iterator[tuple[str, tuple[Point, ...]]]:
        """The headings with their points, those without points left out."""
        for name, heading in _SECTIONS.items():
            points = getattr(self, name)
            if points:
                yield heading, points

    def __str__(self) -> str:
        return "\n".join([self.sentence, *self.lines()])

    def lines(self) -> Iterator[str]:
        """All below the sentence, line by line; what was said once is not said again."""
        said: set[Point] = set()
        for heading, points in self.sections():
            fresh = [point for point in points if point not in said]
            if fresh:
                yield f"{heading}:"
            for point in fresh:
                yield from point.lines()
            said.update(points)

    def to_dict(self) -> dict[str, object]:
        """The same for programs: plain dicts, lists, texts and numbers."""
        points = {name: [point.to_dict() for point in getattr(self, name)] for name in _SECTIONS}
        return {
            "question": self.question.to_dict(),
            "allowed": self.allowed,
            "sentence": self.sentence,
            "short": self.short,
            **points,
        }
