"""What is around some words: of the people to whom they speak, and of what they hold, one of each
sort. That is enough to see whether they decide anything, on a site of any size.
"""

from __future__ import annotations

from collections.abc import Collection, Iterable, Sequence
from collections.abc import Set as AbstractSet
from functools import reduce
from operator import or_
from typing import Final

from prim_lantern.decide.engine.people import ANYBODY, GUEST
from prim_lantern.insight.nearby import Near, Nearby, Said, Spot
from prim_lantern.insight.sorts import Items, People, Telling
from prim_lantern.site.places import SITE, Place, category_and_above, way_to
from prim_lantern.site.who import Who

MOST_ITEMS: Final = 2_000  # of different sorts: more are not looked at together
MOST_PAIRS: Final = 40_000  # of a person and an item
A_FEW: Final = 12  # of each, for a first look


class Around:
    """Of the people to whom some words speak, and of what they hold, the sorts that anything tells
    apart; and the words that say something to these people."""

    def __init__(
        self,
        nearby: Nearby,
        whos: Collection[Who],
        places: Sequence[Place],
        actions: Collection[str],
    ) -> None:
        self._nearby, self._places = nearby, places
        among = nearby.people(whos)
        masks = {GUEST, ANYBODY}.union(*map(nearby.masks_of, among), nearby.masks_of_new(whos))
        heard = reduce(or_, masks)
        near, beside = list[Said](), set[int]()
        for said in nearby.words:
            if said.spoken.speaks_to(heard, among):
                near.append(said)
            else:
                beside.add(id(said.word))
        self._beside = frozenset(beside)
        self._held = set(nearby.held(places).tolist())
        rows = nearby.held([*places, *nearby.filed_there(near, places, actions)])
        apart = {each.spot for each in places}
        telling = Telling(nearby, near, apart, among, masks, kinds="file-under" in actions)
        self._items = Items(nearby, rows, telling)
        spots = telling.met | apart | {SITE.spot}
        for each in places:  # what is new there may stand where nothing stands yet
            spots |= {("path", path) for path in way_to(each.name if each.kind == "path" else "/")}
        self._categories = self._telling_categories(telling.told_of | spots)
        if any(each.creates and not each.spots.isdisjoint(spots) for each in near):
            spots |= {("category", name) for name in nearby.data.categories}
        spoken = [each.spoken for each in near if not each.spots.isdisjoint(spots)]
        readers = (nearby.readers[spot] for spot in nearby.readers.keys() & spots)
        self._people = People(nearby, among, [*spoken, *readers])

    def _telling_categories(self, spots: AbstractSet[Spot]) -> set[str]:
        """The categories at which anything is told apart, and of each set one at which nothing is:
        that stands for the others."""
        found = {name for kind, name in spots if kind == "category"}
        plain: dict[str, str] = {}
        for name in self._nearby.data.categories:
            if found.isdisjoint(category_and_above(name)):
                plain.setdefault(name.partition(":")[0], name)
        return found | set(plain.values())

    @property
    def some(self) -> Near:
        """A few of these: enough to see of most words that they decide something."""
        rows = [row for row in self._items.first_of_each if row in self._held]
        some = rows[:: len(rows) // A_FEW + 1]
        logins = self._people.first_of_each[:A_FEW]
        for login in logins:
            some += [row for row in self._items.own_rows(login) if row in self._held][:1]
        return self._near(some, logins)

    @property
    def whole(self) -> Near | None:
        """One of each sort; None where there are too many."""
        rows = dict.fromkeys(self._items.first_of_each)
        logins = dict.fromkeys(self._people.first_of_each)
        if len(rows) > MOST_ITEMS or (len(rows) + A_FEW) * (len(logins) + A_FEW) > MOST_PAIRS:
            return None
        self._add_own_work(rows, logins)
        return self._near(rows, [*logins])

    @property
    def groups(self) -> list[Who]:
        """The groups of which anything near speaks."""
        return self._nearby.groups_with(self._people.bits)

    def _near(self, rows: Iterable[int], logins: Sequence[str]) -> Near:
        names = self._nearby.data.content.names
        places = (each.name for each in self._places if each.kind == "path")
        return Near(
            [*(names[row] for row in rows), *places], logins, self._categories, self._beside
        )

    def _add_own_work(self, rows: dict[int, None], logins: dict[str, None]) -> None:
        """Add of each sort of people one who wrote or changed an item of each sort, as they did;
        and one who did not, where somebody did not."""
        items, people, met = self._items, self._people, set[object]()
        for login in people.logins:
            for row in items.own_rows(login):
                wrote = self._nearby.wrote(login, row)
                pair = people.sort_of(login), items.sort_of(row), wrote
                if pair not in met:
                    met.add(pair)
                    rows[row] = logins[login] = None
        waiting = [*logins]
        while waiting:
            login = waiting.pop()
            own = set(items.own_rows(login))
            for sort in {items.sort_of(row) for row in own}:
                alike = items.rows_of(sort)
                if any(row in rows and row not in own for row in alike):
                    continue
                other = next((row for row in alike if row not in own), None)
                if other is not None:
                    rows[other] = None
                    continue
                for each in people.like(login):
                    theirs = set(items.own_rows(each))
                    if each not in logins and any(row not in theirs for row in alike):
                        logins[each] = None
                        waiting.append(each)
                        break
