"""`may` and `why WHO ACTION PATH` in their plain form, without the command line and the engine.

It is for a folder that can be kept at hand (see `store.at_hand`), and decides step by step, as
reasons are told. Whatever is unusual, or would be an error, is left to the command line, so that
there is one place that explains it.
"""

from __future__ import annotations

import os
from collections.abc import Sequence

_COMMANDS = ("may", "why")
_WHERE = "PRIM_LANTERN_SITE"
_COMPLETES = "_PRIM_LANTERN_COMPLETE"  # set by a shell that wants words completed


def answered(arguments: Sequence[str]) -> int | None:
    """Print the answer, if it can be had so; the exit code, or None where nothing was printed."""
    asked = _asked(arguments)
    if asked is None or _COMPLETES in os.environ:
        return None
    command, where, who, action, path = asked

    from prim_lantern.errors import PrimLanternError
    from prim_lantern.store import at_hand

    try:
        data = at_hand.site_in(where)
        if data is None:
            return None

        from prim_lantern.decide.explain.plainly import answer_of, leads_on
        from prim_lantern.show.answers import answer_lines, explanation_lines

        answer = answer_of(data, who, action, path)
        if answer is None:
            return None
        if command == "why":
            lines, code = explanation_lines(answer), 0
        elif answer.allowed and not leads_on(data, answer.question):
            return None  # more is said then
        else:
            lines, code = answer_lines(answer.sentence, answer.allowed), 1 - answer.allowed
        print("\n".join(lines), flush=True)
    except (PrimLanternError, UnicodeError):
        return None
    return code


def _asked(arguments: Sequence[str]) -> tuple[str, str, str, str, str] | None:
    """The command, the site, who, the action and the path, where nothing else is said."""
    if not arguments or arguments[0] not in _COMMANDS:
        return None
    where, words = os.environ.get(_WHERE) or "site", []
    rest = iter(arguments[1:])
    for word in rest:
        if word == "--site":
            where = next(rest, "")
        elif word.startswith("-"):
            return None
        else:
            words.append(word)
    if len(words) != 3 or not where or "://" in where:
        return None
    who, action, path = words
    return arguments[0], where, who, action, path
