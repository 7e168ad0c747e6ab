"""How messages show values and near names."""

from __future__ import annotations

from collections.abc import Sequence


def did_you_mean(suggestions: Sequence[str]) -> str:
    """The closing words of a message about an unknown name, or nothing."""
    if not suggestions:
        return ""
    *first, last = suggestions
    return f" Did you mean {', '.join(first)}{' or ' if first else ''}{last}?"


def shortened(value: object, longest: int = 60) -> str:
    """A value as a message shows it: quoted, on one line, cut where it is very long."""
    text = repr(value) if isinstance(value, str) else str(value)
    return text if len(text) <= longest else f"{text[: longest - 1]}…"


def with_article(noun: str) -> str:
    """A noun with its article: "a page", "an event"."""
    return f"{'an' if noun[:1].lower() in 'aeiou' else 'a'} {noun}"
