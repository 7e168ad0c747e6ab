"""Answers: yes or no with its reason on demand, and who may."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import UTC, datetime

from prim_lantern.decide.engine import Engine
from prim_lantern.decide.explain import Explanation, explain
from prim_lantern.decide.question import Question, trace_of

_Asked = tuple[str | None, str, str, float]  # who, action, path, and when (seconds of the clock)


class Decision:
    """The answer to a question: true or false in a condition, with its reason on demand.

    >>> import prim_lantern as pl
    >>> decision = pl.open_demo().may(None, "read", "/visit")
    >>> bool(decision), decision.allowed
    (True, True)
    """

    __slots__ = ("_asked", "_engine", "allowed")

    def __init__(self, allowed: bool, engine: Engine, asked: Question | _Asked) -> None:
        self.allowed = allowed
        self._engine = engine
        self._asked = asked

    def __bool__(self) -> bool:
        return self.allowed

    @property
    def question(self) -> Question:
        """What was asked."""
        asked = self._asked
        if isinstance(asked, Question):
            return asked
        login, action, path, seconds = asked
        return Question(login, action, datetime.fromtimestamp(seconds, UTC), path)

    @property
    def explanation(self) -> Explanation:
        """The answer with all that decided it."""
        question = self.question
        reference = self._engine.reference_for(question.who)
        return explain(reference, question, trace_of(reference, question))

    @property
    def reason(self) -> str:
        """The answer and what decided it, in one sentence."""
        return self.explanation.sentence

    def __repr__(self) -> str:
        return f"<Decision {'yes' if self.allowed else 'no'}: {self.question.to_dict()}>"


@dataclass(frozen=True, slots=True)
class WhoMay:
    """Who may do something: the logins, sorted, and whether guests may as well.

    It counts, iterates and compares as the list of its logins.
    """

    logins: tuple[str, ...]
    guests: bool

    def __iter__(self) -> Iterator[str]:
        return iter(self.logins)

    def __len__(self) -> int:
        return len(self.logins)

    def __contains__(self, login: object) -> bool:
        return login in self.logins
