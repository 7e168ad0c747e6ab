"""Where a piece of a site was written, and what is wrong there."""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

from prim_lantern.values import field, value
from prim_lantern.wording import did_you_mean, shortened


@value
class Origin:
    """The file and line of a piece of a site, and the lines of its keys.

    Without a file, `line` is the number of the change that made it so.

    >>> str(Origin("site.toml", 12, {"to": 14}).of("to"))
    'site.toml, line 14'
    """

    file: str
    line: int
    key_lines: Mapping[str, int] = field(default_factory=dict, compare=False)

    def of(self, key: str) -> Origin:
        """The origin of a key of this piece, or of one entry of its list (`capabilities[1]`).

        It is the line of the piece itself where the key has none.
        """
        line = self.key_lines.get(key) or self.key_lines.get(key.partition("[")[0])
        return Origin(self.file, line or self.line)

    def __str__(self) -> str:
        if not self.file:
            return f"change {self.line}" if self.line else "from the start"
        return f"{self.file}, line {self.line}"


class Problem(NamedTuple):
    """One mistake in a site: where it is, the value, what was expected, the nearest names."""

    origin: Origin | None
    column: str | None
    value: object
    expected: str
    suggestions: tuple[str, ...] = ()

    def __str__(self) -> str:
        where = [str(self.origin)] if self.origin else []
        if self.column:
            where.append(self.column)
        value = "it" if self.value is None else shortened(self.value)
        said = f"{value} {self.expected}{did_you_mean(self.suggestions)}"
        return f"{', '.join(where)}: {said}" if where else said

    def to_dict(self) -> dict[str, object]:
        """The same for programs."""
        return {
            "file": self.origin.file if self.origin else None,
            "line": self.origin.line if self.origin else None,
            "column": self.column,
            "value": shortened(self.value, 200) if self.value is not None else None,
            "expected": self.expected,
            "suggestions": list(self.suggestions),
        }
