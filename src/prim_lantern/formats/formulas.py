"""Texts that a spreadsheet would take for a formula, and run."""

from __future__ import annotations

from typing import Final

_STARTS: Final = ("=", "+", "-", "@", "\t", "\r")


def harmless(text: str) -> str:
    """A text with an apostrophe before it where it would be taken for a formula.

    >>> harmless("=1+1"), harmless("one")
    ("'=1+1", 'one')
    """
    return f"'{text}" if text.startswith(_STARTS) else text


def meant(text: str) -> str:
    """What such a text says.

    >>> meant("'=1+1"), meant("'tis")
    ('=1+1', "'tis")
    """
    return text[1:] if text.startswith("'") and text[1:].startswith(_STARTS) else text
