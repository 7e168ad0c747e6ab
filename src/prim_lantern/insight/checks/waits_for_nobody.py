"""What waits for review, and nobody can publish it.

Where a kind asks for four eyes, whoever had a hand in an item may not publish it. If all who may
are among those, it waits for ever. The owner counts as somebody.
"""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from prim_lantern.decide.explain import words
from prim_lantern.decide.lists import lists_of
from prim_lantern.insight.finding import MISTAKE, NOTE, Finding
from prim_lantern.insight.look import Look, written
from prim_lantern.site.content import IN_REVIEW

NAME = "waits-for-nobody"


def find(look: Look) -> Iterator[Finding]:
    """Each item in review that nobody, or only the owner, may publish."""
    data, engine, lists = look.data, look.engine, lists_of(look.engine)
    states = data.content.values_of("state")
    waiting = np.array([row for row, state in enumerate(states) if state == IN_REVIEW], np.int64)
    if len(waiting):
        waiting = waiting[lists.counts("publish", waiting) <= 1]
    for row in waiting.tolist():
        path = data.content.names[row]
        publishers = lists.who_may("publish", path)
        if set(publishers) <= {data.owner}:
            item = data.items[path]
            hands = sorted({*engine.authors(path), *item.changed_by})
            eyes = data.all_kinds[item.kind].four_eyes and hands
            called = words.listed(words.person(data, each) for each in hands)
            because = f" Four eyes keep {called} from it, who had a hand in it." if eyes else ""
            who = "nobody but the owner may" if publishers else "nobody may"
            yield Finding(
                NAME,
                NOTE if publishers else MISTAKE,
                f"{path} “{item.title}” waits for review, and {who} publish it.{because}",
                written([item.origin]),
                {"items": 1},
            )
