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
from prim_lantern.insight.useless import MOST_WORDS, Tried, tries_each

NAME = "never-decides"


def find(look: Look) -> Iterator[Finding]:
    """Each of them whose removal changes no answer."""
    tried = Tried(look)
    for each in tried:
        told, where = f"{each.says[:1].lower()}{each.says[1:]}.", written([each.origin])
        if each.guard and look.active:
            yield Finding(NAME, NOTE, f"Stops nobody so far: {told}", where)
        elif not each.guard:
            fix = look.tried(*each.removal)
            yield Finding(NAME, MISTAKE, f"Decides nothing: {told}", where, fix=fix)
    if not tries_each(look):
        yield Finding(
            NAME,
            NOTE,
            f"{len(tried.left):,} rules, given roles and readerships are too many to try each "
            f"without the others (up to {MOST_WORDS} are, and all with --each-word). Only what "
            "says no more than others at the same place is told.",
        )
    elif tried.left:
        some = "One word speaks" if len(tried.left) == 1 else f"{len(tried.left):,} words speak"
        yield Finding(
            NAME,
            NOTE,
            f"{some} to too many people about too much, at too many later moments, to be tried "
            "without the others.",
            written(each.origin for each in tried.left),
        )
