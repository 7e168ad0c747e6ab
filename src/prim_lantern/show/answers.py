"""Decisions and explanations as text for a terminal."""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.decide.explain import Explanation
from prim_lantern.show.terminal import styled, wrapped


def answer_lines(sentence: str, allowed: bool) -> Iterator[str]:
    """The sentence of an answer, its first word marked."""
    first, *more = wrapped(sentence)
    word = "Yes" if allowed else "No"
    yield styled(word, "yes" if allowed else "no") + first.removeprefix(word)
    yield from more


def explanation_lines(explanation: Explanation) -> Iterator[str]:
    """The whole explanation."""
    yield from answer_lines(explanation.sentence, explanation.allowed)
    for line in explanation.lines():
        text = line.lstrip(" ")
        indent = line[: len(line) - len(text)]
        if text.startswith("- "):
            yield from wrapped(text, indent, "  ")
        else:
            yield ""
            yield styled(text.removesuffix(":"), "strong")
