"""The same decisions with fewer words: what decides nothing goes, what is said twice is joined."""

from __future__ import annotations

from typing import Any, NamedTuple

from prim_lantern.change.operations.base import Operation
from prim_lantern.decide.engine import Engine
from prim_lantern.insight.tidying.gone import over, useless
from prim_lantern.insight.tidying.joined import joined_given, joined_rules
from prim_lantern.insight.tidying.proposed import groups, roles
from prim_lantern.insight.tidying.work import Step, Work
from prim_lantern.site.data import SiteData


class Count(NamedTuple):
    """How many words there are: rules, given roles and readerships that stand somewhere; and how
    many names of people and places they hold."""

    rules: int
    given: int
    readerships: int
    names: int

    @property
    def words(self) -> int:
        """All of them together."""
        return self.rules + self.given + self.readerships


class Tidied(NamedTuple):
    """A site said with fewer words: the steps to it, and how many words there are `before` and
    `after`. Everybody may do the same to everything: `today_only` says whether that was asked of
    what is there alone, and not of people and items to come. `tried_each` is False where there are
    too many words to try each without the others, or some speak to too many about too much: of
    these, only what others at the same place say already is dropped or joined."""

    steps: tuple[Step, ...]
    before: Count
    after: Count
    today_only: bool
    data: SiteData
    tried_each: bool = True

    @property
    def operations(self) -> tuple[Operation, ...]:
        """All operations, in order: one change."""
        return tuple(each for step in self.steps for each in step.operations)

    def to_dict(self) -> dict[str, Any]:
        """The same for programs."""
        return {
            "steps": [
                {
                    "says": each.says,
                    "operations": [one.to_dict() for one in each.operations],
                    "commands": list(each.commands),
                }
                for each in self.steps
            ],
            "before": self.before._asdict(),
            "after": self.after._asdict(),
            "today_only": self.today_only,
            "tried_each": self.tried_each,
        }


def tidy(engine: Engine, *, today_only: bool = False, each_word: bool = False) -> Tidied:
    """Fewer words by which everybody may do the very same to everything, at every moment: also
    anybody new in the groups, and anything new in the places, unless `today_only`. With `each_word`
    each word is tried without the others, however many there are."""
    work = Work(engine, today_only=today_only, each_word=each_word)
    for find in (useless, over):
        work.each_of(find)
    for find in (joined_rules, joined_given, *((groups,) if work.tries_each else ()), roles):
        work.all_of(find)
    before, after = _count(engine.data), _count(work.data)
    return Tidied(tuple(work.steps), before, after, today_only, work.data, work.tried_each)


def _count(data: SiteData) -> Count:
    names = sum(len(each.to) for each in data.rules)
    names += sum(len(each.to) + len(each.within_any) for each in data.given)
    standing = sum(1 for each in data.places if each.readership is not None)
    return Count(len(data.rules), len(data.given), standing, names)
