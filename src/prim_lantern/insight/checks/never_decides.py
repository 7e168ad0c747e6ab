"""A rule, a given role or a readership decides nothing: without it everything would be as it is.

It was proved by taking it away: nobody gains or loses anything, now or at any later moment; neither
would anybody new in the groups that it names, nor at anything new in its places. What others say at
the same place already needs no other proof. A deny that stops nobody may stand guard against what
comes, and is only told, once anybody but the owner is there.
"""

from __future__ import annotations

from collections.abc import Iterator

from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.insight.useless import MOST_WORDS, count_of_words, useless_words

NAME = "never-decides"
_TWICE = "Only what says no more than others at the same place is told."


def find(look: Look) -> Iterator[Finding]:
    """Each of them whose removal changes no answer."""
    count = count_of_words(look.data)
    if count > MOST_WORDS:
        yield Finding(
            NAME,
            NOTE,
            f"There are {count:,} rules, given roles and readerships: too many to try each without "
            f"the others (up to {MOST_WORDS} are). {_TWICE}",
        )
    elif not look.looks_ahead:
        yield Finding(
            NAME,
            NOTE,
            "There are too many later moments at which something changes by itself to try each "
            f"word without the others. {_TWICE}",
        )
    for each in useless_words(look):
        told, where = f"{each.says[:1].lower()}{each.says[1:]}.", written([each.origin])
        if each.guard and look.active:
            yield Finding(NAME, NOTE, f"Stops nobody so far: {told}", where)
        elif not each.guard:
            fix = look.tried(*each.removal)
            yield Finding(NAME, MISTAKE, f"Decides nothing: {told}", where, fix=fix)
