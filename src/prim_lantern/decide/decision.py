"""Answers: yes or no with its reason on demand, and who may."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import UTC, datetime
from typing import Any

from prim_lantern.decide.engine import Basis, Engine
from prim_lantern.decide.explain import Explanation, explain
from prim_lantern.decide.question import Question, reference_about, trace_of
from prim_lantern.site.moments import told_in
from prim_lantern.values import value

_Asked = tuple[str | None, str, str, float]  # who, action, path, and when (seconds of the clock)


class Decision:
    """The answer to a question: true or false in a condition, with its reason on demand.

    It never changes, compares by what was asked (the moment included) and answered, and can be
    pickled, for which its reason is worked out. It keeps the site's data of that moment, and
    nothing that answers.

    >>> import prim_lantern as pl
    >>> decision = pl.open_demo().may(None, "read", "/visit")
    >>> bool(decision), decision.allowed
    (True, True)
    """

    __slots__ = ("_allowed", "_asked", "_explained_by")

    def __init__(self, allowed: bool, by: Engine | Explanation, asked: Question | _Asked) -> None:
        """Take the answer, what gave it (or its explanation), and the question."""
        self._allowed = allowed
        self._asked = asked
        self._explained_by: Basis | Explanation = by.basis if isinstance(by, Engine) else by

    def __bool__(self) -> bool:
        return self._allowed

    @property
    def allowed(self) -> bool:
        """Whether it is a yes."""
        return self._allowed

    @property
    def question(self) -> Question:
        """What was asked."""
        asked = self._asked
        if isinstance(asked, Question):
            return asked
        login, action, path, seconds = asked
        by = self._explained_by
        zone = by.data.zone if not isinstance(by, Explanation) else None
        at = told_in(datetime.fromtimestamp(seconds, UTC), zone)
        return Question(login, action, at, path)

    @property
    def explanation(self) -> Explanation:
        """The answer with all that decided it."""
        by = self._explained_by
        if isinstance(by, Explanation):
            return by
        question, engine = self.question, by.engine()
        reference = (
            engine.reference_for(question.who)
            if engine is not None
            else reference_about(by.data, question.at, question.who)
        )
        return explain(reference, question, trace_of(reference, question))

    @property
    def reason(self) -> str:
        """The answer and what decided it, in one sentence."""
        return self.explanation.sentence

    def to_dict(self) -> dict[str, object]:
        """The answer, what was asked, and the reason, for programs."""
        explained = self.explanation
        return {
            "allowed": self._allowed,
            "question": self.question.to_dict(),
            "reason": explained.sentence,
        }

    def __eq__(self, other: object) -> bool:
        if not isinstance(other, Decision):
            return NotImplemented
        return self._allowed == other._allowed and self.question == other.question

    def __hash__(self) -> int:
        return hash((self._allowed, self.question))

    def __reduce__(self) -> tuple[Any, ...]:
        return Decision, (self._allowed, self.explanation, self.question)

    def __repr__(self) -> str:
        asked = self.question.to_dict()
        told = " ".join(f"{key}={value!r}" for key, value in asked.items())
        return f"<Decision {'yes' if self._allowed else 'no'}: {told}>"


@value
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
