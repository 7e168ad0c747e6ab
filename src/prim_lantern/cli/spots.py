"""What is told of actions and the places where they may be done."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from prim_lantern.change.effects.summary import where_of
from prim_lantern.decide.explain import words
from prim_lantern.insight.folding import Spot, Spots

_CREATE = "create "
_SPOTS = 6  # places named for one action
_NAMED = 3  # categories named for one


def lines_of_spots(
    some: Iterable[tuple[str, Spots]], *, everything: bool
) -> list[tuple[tuple[str, ...], str]]:
    """A line for all actions at the same places: which actions, and the words of it."""
    alike: dict[tuple[Spots, bool], list[str]] = {}
    for action, spots in some:
        alike.setdefault((spots, action.startswith(_CREATE)), []).append(action)
    return [
        (
            tuple(actions),
            f"{_actions(actions)}: {_where(spots, everything=everything, below=below)}",
        )
        for (spots, below), actions in alike.items()
    ]


def _actions(actions: Sequence[str]) -> str:
    """Actions in a row, "create" said once, and what is filed in the same categories together."""
    filed: dict[str, list[str]] = {}
    for each in actions:
        bare, _, category = each.removeprefix(_CREATE).partition(" in ")
        filed.setdefault(bare, []).append(category)
    together: dict[str, list[str]] = {}
    for bare, categories in filed.items():
        together.setdefault(in_categories(categories), []).append(bare)
    told = (words.listed(bares) + where for where, bares in together.items())
    return (_CREATE if actions[0].startswith(_CREATE) else "") + "; ".join(told)


def in_categories(categories: Sequence[str]) -> str:
    """ " in" some categories, or in how many; "" among them is for not filed at all."""
    filed = [each for each in categories if each]
    if not filed:
        return ""
    told = f"{len(filed)} categories" if len(filed) > _NAMED else words.listed(filed)
    return f" in {told}" if len(filed) == len(categories) else f" (in {told} as well)"


def _where(spots: Sequence[Spot], *, everything: bool, below: bool) -> str:
    if below:
        return where_of([each.where for each in spots], below=True)
    some = spots if everything else spots[:_SPOTS]
    left = sum(each.items for each in spots[len(some) :])
    return ", ".join(map(str, some)) + (f" and {left:,} more (--all)" if left else "")
