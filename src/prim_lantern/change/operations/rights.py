"""Rights: roles given within places, single rules, what comes from above, limits."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import ClassVar

from prim_lantern.change.operations.base import Made, Operation, Texts, When, period, row, times
from prim_lantern.change.operations.entries import named, place_in, whos_in
from prim_lantern.change.operations.readerships import with_setting
from prim_lantern.errors import AlreadyThere, BadChange
from prim_lantern.site import names
from prim_lantern.site.actions import EVERY_ACTION
from prim_lantern.site.data import SiteData
from prim_lantern.site.moments import Period
from prim_lantern.site.places import SITE
from prim_lantern.site.rights import ANY, Given, Limit, Promise, Rule
from prim_lantern.site.rule_names import rule_called, rule_names
from prim_lantern.site.who import Who
from prim_lantern.values import replace
from prim_lantern.wording import did_you_mean

_TO = "user group audience"


@dataclass(frozen=True)
class Give(Operation):
    """Give a role to people, within any of some places (the site when left out), maybe for a
    time."""

    do: ClassVar[str] = "give"
    role: str
    to: Texts
    within_any: Texts = ()
    since: When = None
    until: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        given = Given(
            named(data, "roles", self.role).name,
            whos_in(data, self.to, _TO),
            tuple(dict.fromkeys(place_in(data, each) for each in self.within_any)) or (SITE,),
            period(self.since, self.until, data.zone),
        )
        if given in data.given:
            raise BadChange(f"{self.role} is given so already; nothing would change.")
        return data.with_parts(given=(*data.given, given))

    def said(self) -> str:
        within = f" within {row(self.within_any)}" if self.within_any else ""
        return f"give {self.role} to {row(self.to)}{within}{times(self.since, self.until)}"


@dataclass(frozen=True)
class TakeBack(Operation):
    """Take a role back from people: everywhere, or within just some of the places it was
    given for; and whenever, or only what was given from or until some moment."""

    do: ClassVar[str] = "take-back"
    role: str
    to: Texts
    within_any: Texts = ()
    since: When = None
    until: When = None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        role, to = named(data, "roles", self.role).name, whos_in(data, self.to, _TO)
        spots = {place_in(data, each).spot for each in self.within_any}
        meant = period(self.since, self.until, data.zone)
        left: list[Given] = []
        for given in data.given:
            this = given.role == role and _given_so(given, meant)
            left += _left(given, to, spots) if this else [given]
        if tuple(left) == data.given:
            raise BadChange(
                f"{role} is not given to {row(map(str, to))}{self._where_and_when}: 'role show "
                f"{role}' tells to whom it is given, and 'user show' by which way somebody has it."
            )
        return data.with_parts(given=tuple(left))

    def said(self) -> str:
        return f"take {self.role} back from {row(self.to)}{self._where_and_when}"

    @property
    def _where_and_when(self) -> str:
        within = f" within {row(self.within_any)}" if self.within_any else ""
        when = times(self.since, self.until).lstrip(", ")
        return f"{within}{f' (given {when})' if when else ''}"


def _given_so(given: Given, meant: Period) -> bool:
    """Whether a role is given from and until just these moments, where they are said."""
    pairs = zip(given.period, meant, strict=True)
    return all(wanted is None or has == wanted for has, wanted in pairs)


def _left(given: Given, whos: Sequence[Who], spots: set[tuple[str, str]]) -> list[Given]:
    """What is left of a given role: for the others, and for these in the other places."""
    others = tuple(who for who in given.to if who not in whos)
    these = tuple(who for who in given.to if who in whos)
    elsewhere = tuple(place for place in given.within_any if place.spot not in spots)
    if not these or (spots and len(elsewhere) == len(given.within_any)):
        return [given]
    found = [replace(given, to=others)] if others else []
    if spots and elsewhere:
        found.append(replace(given, to=these, within_any=elsewhere))
    return found


@dataclass(frozen=True)
class _Word(Operation):
    """What an allow and a deny have in common."""

    actions: Texts
    to: Texts
    where: str = "site"
    reach: str | None = None
    kinds: Texts = ()
    whose: str = ANY
    in_state: Texts = ()
    since: When = None
    until: When = None
    id: str | None = None
    note: str = ""

    def _with_rule(self, data: SiteData, *, allow: bool, no_exceptions: bool = False) -> SiteData:
        if not self.actions:
            raise BadChange("A rule needs at least one action, as in 'edit'.")
        actions = [a if a == EVERY_ACTION else data.action(a) for a in self.actions]
        rule = Rule(
            allow=allow,
            actions=tuple(dict.fromkeys(actions)),
            to=whos_in(data, self.to),
            place=place_in(data, self.where, self.reach),
            kinds=tuple(data.kind(each).name for each in self.kinds),
            whose=self.whose,
            in_state=tuple(self.in_state),
            period=period(self.since, self.until, data.zone),
            no_exceptions=no_exceptions,
            id=names.key(self.id) if self.id else None,
            note=self.note,
        )
        if rule.id and any(each.id == rule.id for each in data.rules):
            raise AlreadyThere("rule", rule.id)
        if any(replace(each, id=rule.id, note=rule.note) == rule for each in data.rules):
            raise BadChange("A rule that says just this is there already; nothing would change.")
        return data.with_parts(rules=(*data.rules, rule))

    def _said(self, verb: str) -> str:
        at = f" at {self.where}" if self.where != "site" else ""
        return f"{verb} {row(self.actions)} to {row(self.to)}{at}{times(self.since, self.until)}"


@dataclass(frozen=True)
class Allow(_Word):
    """Allow actions to people at a place: one rule."""

    do: ClassVar[str] = "allow"

    def apply(self, data: SiteData, made: Made) -> SiteData:
        return self._with_rule(data, allow=True)

    def said(self) -> str:
        return self._said("allow")


@dataclass(frozen=True)
class Deny(_Word):
    """Deny actions to people at a place: one rule. With `no_exceptions` nothing nearer lifts
    it, and it binds all but the owner."""

    do: ClassVar[str] = "deny"
    no_exceptions: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        return self._with_rule(data, allow=False, no_exceptions=self.no_exceptions)

    def said(self) -> str:
        return self._said("deny") + (", without exceptions" if self.no_exceptions else "")


@dataclass(frozen=True)
class AddPromise(Operation):
    """Promise that people may, or may not (`may` false), do something at a place and below. A
    promise gives and takes nothing: it is checked."""

    do: ClassVar[str] = "add-promise"
    who: Texts
    actions: Texts
    where: str = "site"
    may: bool = False
    note: str = ""

    def apply(self, data: SiteData, made: Made) -> SiteData:
        promise = replace(_promise(data, self), note=self.note)
        if any(replace(each, note=promise.note) == promise for each in data.promises):
            raise BadChange("This was promised already; nothing would change.")
        return data.with_parts(promises=(*data.promises, promise))

    def said(self) -> str:
        return f"promise that {_promised(self)}"


@dataclass(frozen=True)
class RemovePromise(Operation):
    """Take back a promise, told by what it says."""

    do: ClassVar[str] = "remove-promise"
    who: Texts
    actions: Texts
    where: str = "site"
    may: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        promise = _promise(data, self)
        left = tuple(each for each in data.promises if replace(each, note="") != promise)
        if left == data.promises:
            raise BadChange("Nothing of the kind was promised; nothing would change.")
        return data.with_parts(promises=left)

    def said(self) -> str:
        return f"no longer promise that {_promised(self)}"


def _promise(data: SiteData, said: AddPromise | RemovePromise) -> Promise:
    if not said.actions:
        raise BadChange("A promise needs at least one action, as in 'read'.")
    actions = tuple(a if a == EVERY_ACTION else data.action(a) for a in said.actions)
    who = whos_in(data, said.who, f"{_TO} role")
    return Promise(who, said.may, tuple(dict.fromkeys(actions)), place_in(data, said.where))


def _promised(said: AddPromise | RemovePromise) -> str:
    at = f" at {said.where}" if said.where != "site" else ""
    return f"{row(said.who)} may {'' if said.may else 'not '}{row(said.actions)}{at}"


@dataclass(frozen=True)
class RemoveRule(Operation):
    """Remove a rule by its name: its id, or what 'rule list' calls it where it has none."""

    do: ClassVar[str] = "remove-rule"
    rule: str

    def apply(self, data: SiteData, made: Made) -> SiteData:
        number = _rule_at(data, self.rule)
        return data.with_parts(rules=(*data.rules[:number], *data.rules[number + 1 :]))

    def said(self) -> str:
        return f"remove the rule {self.rule}"


def _rule_at(data: SiteData, name: str) -> int:
    """Where the rule of a name is among all."""
    found = rule_called(data.rules, name)
    if found is None:
        near = names.nearest(name, rule_names(data.rules))
        raise BadChange(f"There is no rule {name!r}.{did_you_mean(near)} 'rule list' has them all.")
    return found


@dataclass(frozen=True)
class StopFromAbove(Operation):
    """Stop at a path what is allowed above it from reaching in; `off` lets it in again."""

    do: ClassVar[str] = "stop-from-above"
    where: str
    off: bool = False

    def apply(self, data: SiteData, made: Made) -> SiteData:
        where = place_in(data, self.where)
        if where.kind != "path" or where.name == "/":
            raise BadChange(f"{where} has nothing above it that could be stopped; name a path.")
        if (where.name in data.rights_cut_at) != self.off:
            raise BadChange(f"That is so at {where} already; nothing would change.")
        return with_setting(data, where, rights_from_above=self.off)

    def said(self) -> str:
        verb = "let rights from above in at" if self.off else "stop rights from above at"
        return f"{verb} {self.where}"


@dataclass(frozen=True)
class SetLimit(Operation):
    """Say how many items of a kind may stand directly below a path; None takes the limit away."""

    do: ClassVar[str] = "set-limit"
    kind: str
    where: str
    at_most: int | None

    def apply(self, data: SiteData, made: Made) -> SiteData:
        kind, where = data.kind(self.kind).name, place_in(data, self.where)
        if where.kind != "path":
            raise BadChange(f"A limit stands at a path, not at {where}.")
        there = [each for each in data.limits if (each.kind, each.where) == (kind, where.name)]
        left = tuple(each for each in data.limits if each not in there)
        if self.at_most is None:
            if not there:
                raise BadChange(f"There is no limit for {kind} below {where}.")
            return data.with_parts(limits=left)
        return data.with_parts(limits=(*left, Limit(kind, where.name, self.at_most)))

    def said(self) -> str:
        if self.at_most is None:
            return f"take away the limit of {self.kind} below {self.where}"
        return f"limit {self.kind} below {self.where} to {self.at_most}"
