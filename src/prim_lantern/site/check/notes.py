"""What the checks share: noting a problem, and looking names up."""

from __future__ import annotations

from collections.abc import Callable, Collection, Iterable, Mapping
from graphlib import CycleError, TopologicalSorter

from prim_lantern.errors import BadValue
from prim_lantern.site import names
from prim_lantern.site.actions import EVERY_ACTION, MANAGING_ACTIONS
from prim_lantern.site.content import STATES
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period, written
from prim_lantern.site.origin import Origin, Problem
from prim_lantern.site.places import Place
from prim_lantern.site.places import place as read_place
from prim_lantern.site.rights import BUILT_IN_READERSHIPS
from prim_lantern.site.who import AUDIENCES, AUTHORS, Who

_BUILT_IN = {"audience": AUDIENCES, "authors": (AUTHORS.name,)}
_SUGGESTED_AT_MOST = 50  # looking for near names is slow, and nobody reads that many


class Notes:
    """The problems of one site, as they are found."""

    def __init__(self, data: SiteData) -> None:
        self.data = data
        self.problems: list[Problem] = []

    def wrong(
        self,
        origin: Origin | None,
        key: str | None,
        value: object,
        expected: str,
        known: Collection[str] = (),
    ) -> None:
        """Note a problem with one value; the nearest of the `known` names are suggested."""
        near: tuple[str, ...] = ()
        if known and isinstance(value, str) and len(self.problems) < _SUGGESTED_AT_MOST:
            near = names.nearest(value, known)
        place = origin.of(key) if origin and key else origin
        self.problems.append(Problem(place, key, value, expected, near))

    def among(
        self,
        origin: Origin | None,
        key: str,
        values: Iterable[str],
        known: Collection[str],
        what: str,
    ) -> None:
        """Note each value that is not among the known ones."""
        for value in values:
            if value not in known:
                self.wrong(origin, key, value, f"is no {what} of this site.", known)

    def one_of(self, origin: Origin | None, key: str, value: str, choices: Collection[str]) -> None:
        """Note a value that is none of a few fixed words."""
        if value not in choices:
            expected = f"is not possible here: use one of {', '.join(choices)}."
            self.wrong(origin, key, value, expected, choices)

    def spelled(self, origin: Origin | None, name: str, rule: Callable[[str], str]) -> None:
        """Note a name that is not spelled as names of its sort are."""
        try:
            rule(name)
        except BadValue as error:
            self.wrong(origin, None, error.value, error.expected)

    def users(self, origin: Origin | None, key: str, logins: Iterable[str]) -> None:
        """Note each login that no user has."""
        self.among(origin, key, logins, self.data.users, "user")

    def groups(self, origin: Origin | None, key: str, groups: Iterable[str]) -> None:
        """Note each group that is not there."""
        self.among(origin, key, groups, self.data.groups, "group")

    def states(self, origin: Origin | None, key: str, states: Iterable[str]) -> None:
        """Note each word that is no state."""
        for state in states:
            self.one_of(origin, key, state, STATES)

    def kinds(self, origin: Origin | None, key: str, kinds: Iterable[str]) -> None:
        """Note each kind that is not there."""
        self.among(origin, key, kinds, self.data.all_kinds, "kind")

    def readership(self, origin: Origin | None, key: str, name: str) -> None:
        """Note a readership that is not there."""
        known = {**BUILT_IN_READERSHIPS, **self.data.readerships}
        self.among(origin, key, [name], known, "readership")

    def actions(
        self, origin: Origin | None, key: str, actions: Iterable[str], *, managing: bool = True
    ) -> None:
        """Note each action that is not there ("all" always is)."""
        known = (*self.data.item_actions, *(MANAGING_ACTIONS if managing else ()))
        self.among(origin, key, actions, (*known, EVERY_ACTION), "action")

    def whos(self, origin: Origin | None, key: str, whos: Iterable[Who], kinds: str) -> None:
        """Note each who that is not there, or is of a kind that cannot stand here."""
        known: dict[str, Collection[str]] = {
            "user": self.data.users,
            "group": self.data.groups,
            "role": self.data.roles,
        }
        for who in whos:
            if who.kind not in kinds.split():
                allowed = ", ".join("an audience" if k == "audience" else k for k in kinds.split())
                self.wrong(origin, key, str(who), f"cannot stand here, only: {allowed}.")
            elif who.kind in known and who.name not in known[who.kind]:
                near = [f"{who.kind}:{each}" for each in known[who.kind]]
                self.wrong(origin, key, str(who), f"is no {who.kind} of this site.", near)
            elif who.kind in _BUILT_IN and who.name not in _BUILT_IN[who.kind]:
                built_in = ", ".join(_BUILT_IN[who.kind])
                self.wrong(origin, key, str(who), f"is nobody: write {built_in}.")

    def place(self, origin: Origin | None, key: str, place: Place) -> None:
        """Note what is no place, and a category that is not there."""
        try:
            read = read_place(place.name, place.reach)
        except BadValue as error:
            self.wrong(origin, key, error.value, error.expected)
            return
        if read != place:
            self.wrong(origin, key, place.kind, f"is no place where {place.name} is: {read.kind}.")
        elif place.kind == "category":
            self.among(origin, key, [place.name], self.data.categories, "category")

    def period(self, origin: Origin | None, period: Period) -> None:
        """Note a period in which no moment lies."""
        if period.empty and period.since and period.until:
            self.wrong(
                origin,
                "until",
                written(period.until),
                f"is not after the start, {written(period.since)}: the period would never be.",
            )

    def circles(
        self,
        graph: Mapping[str, Iterable[str]],
        origin_of: Callable[[str], Origin | None],
        key: str,
        says: str,
    ) -> None:
        """Note each circle in a graph of names, once."""
        edges = {name: {each for each in to if each in graph} for name, to in graph.items()}
        while True:
            try:
                TopologicalSorter(edges).prepare()
            except CycleError as error:
                circle: list[str] = list(reversed(error.args[1]))
                edges[circle[0]].discard(circle[1])
                expected = f"leads round in a circle ({says})."
                self.wrong(origin_of(circle[0]), key, " → ".join(circle), expected)
            else:
                return
