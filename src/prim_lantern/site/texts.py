"""Which texts a site can hold: those that every store gives back as they came."""

from __future__ import annotations

import re
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Final

from prim_lantern.errors import BadValue

LONGEST: Final = 10_000  # letters of one text
LONGEST_CELL: Final = 100_000  # letters of a list that stands in one cell of a table
_CONTROL = re.compile(r"[\x00-\x08\x0b-\x1f\x7f]")
_NO_CHARACTER = re.compile(r"[\ufffe\uffff]")  # XML has no way to say them (XML 1.0, section 2.2)
_SURROGATE = re.compile(r"[\ud800-\udfff]")
_ODD = re.compile(r"[\x00-\x08\x0b-\x1f\x7f\ud800-\udfff\ufffe\uffff]")  # any of them
_HALF_A_LETTER: Final = "holds half a letter (a lone surrogate); write the text anew."


def text(value: str) -> str:
    """`value` when a site can hold it; else `BadValue`.

    It has no control characters but line breaks and tabs, no blanks around it, no half of a
    surrogate pair, neither U+FFFE nor U+FFFF, and is not longer than 10,000 letters.

    >>> text("The spring seal count")
    'The spring seal count'
    """
    if not _ODD.search(value) and len(value) <= LONGEST and value == value.strip():
        return value
    if len(value) > LONGEST:
        raise BadValue(value, f"is too long: a text has {LONGEST:,} letters at most.")
    found = _SURROGATE.search(value)
    if found:
        raise BadValue(value, _HALF_A_LETTER)
    found = _CONTROL.search(value)
    if found:
        raise BadValue(
            value, f"holds a control character (U+{ord(found[0]):04X}); write the text without it."
        )
    found = _NO_CHARACTER.search(value)
    if found:
        said = f"holds what is no character (U+{ord(found[0]):04X}); write the text without it."
        raise BadValue(value, said)
    raise BadValue(value, "begins or ends with a blank; write the text without it.")


@contextmanager
def written_whole() -> Iterator[None]:
    """While texts of a program are written: those that cannot be are `BadValue`."""
    try:
        yield
    except UnicodeEncodeError as error:
        around = error.object[max(error.start - 10, 0) : error.end + 10]
        raise BadValue(around, _HALF_A_LETTER) from None
