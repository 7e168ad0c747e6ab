"""The pieces that answers are told with, and the sections that they fill."""

from __future__ import annotations

from collections.abc import Iterable

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.trace import Met, Reading, Say
from prim_lantern.site.people import StandIn
from prim_lantern.site.rights import Readership
from prim_lantern.site.who import EVERYONE, Who


class Pieces:
    """What is told to one person about one answer; the sections fill as a trace is walked."""

    def __init__(self, reference: Reference, login: str | None) -> None:
        self.reference = reference
        self.data = reference.data
        self.login = login
        self.name = words.person(self.data, login)
        self.because: list[Point] = []
        self.readerships: list[Point] = []
        self.outweighed: list[Point] = []
        self.from_above: list[Point] = []
        self.near: list[Point] = []

    def by(self, clause: Clause) -> str:
        """What a clause comes from, within a sentence: "the role Keeper", "the rule x"."""
        if clause.source.given is not None:
            return f"the role {self.data.roles[clause.source.given.role].called}"
        rule = clause.source.rule
        if rule is not None and rule.id is not None:
            return f"the rule {rule.id}"
        return f"a rule for {words.who(self.data, clause.who)} {words.where(clause.place)}"

    def clause(self, clause: Clause, action: str) -> Point:
        """What a clause says about an action, and how it reaches the user."""
        given, rule = clause.source.given, clause.source.rule
        return Point(
            "given-role" if given is not None else "rule",
            words.clause(self.data, clause, action),
            clause.source.origin,
            given.role if given is not None else rule.id if rule is not None else None,
            tuple(self.belongs(clause.who)),
            clause.source,
        )

    def belongs(self, who: Who) -> Iterable[Point]:
        """How the user comes to be among a who; nothing where that goes without saying."""
        if self.login is None or self.reference.belonging.acting(self.login) is None:
            return
        if isinstance(self.data.users[self.login], StandIn):
            return
        if who.kind == "group":
            for way in self.reference.belonging.ways(self.login).get(who.name, ()):
                text = words.way(self.data, self.login, way, self.reference.at)
                yield Point("membership", text, way.origin, who.name)
        elif who.kind == "role":
            for given in self.data.given:
                if given.role == who.name and given.period.holds(self.reference.at):
                    behind = tuple(p for each in given.to for p in self.belongs(each))
                    if behind or Who("user", self.login) in given.to:
                        text = f"{words.given_name(self.data, given)} is theirs"
                        yield Point("given-role", text, given.origin, given.role, behind)

    def met(self, met: Met, subject: Subject) -> Point:
        """A readership on the way, and how it was passed or not."""
        called, at = met.readership.called, words.where(met.place)
        about = f"Readership {called} {at}: {self.name}"
        behind: tuple[Point, ...] = ()
        if met.is_in:
            readers = met.readership.readers
            reader = next(each for each in readers if self._among(each, subject))
            behind = tuple(self.belongs(reader))
            text = f"{about} is in it, as {words.who(self.data, reader)} may view"
        elif met.let_past_by is not None:
            text = f"{about} is not in it, and gets past by {self.by(met.let_past_by)}"
        else:
            text = f"{about} is not in it: {self._why_not_in(met.readership, subject)}"
            behind = tuple(self._lapsed(met.readership.readers))
        return Point("readership", text, met.origin, met.readership.name, behind)

    def open_to(self, reading: Reading) -> Point:
        """To whom an item is open, of those whom the readerships on the way name: whoever is named
        nearest to it and is not everybody."""
        found = Point("readership", "It is open to everyone", name="public")
        for met in reading.met:
            if met.is_in:
                reader = next(e for e in met.readership.readers if self._among(e, reading.subject))
                if reader != EVERYONE:
                    text = f"It is open to {words.who(self.data, reader)}"
                    behind = tuple(self.belongs(reader))
                    found = Point("readership", text, met.origin, met.readership.name, behind)
        return found

    def _lapsed(self, readers: Iterable[Who]) -> Iterable[Point]:
        """Memberships of the readers' groups that have ended or are still to come."""
        if self.login is not None:
            ways = self.reference.belonging.ways_at_other_times(self.login)
            for who in readers:
                for way in ways.get(who.name, ()) if who.kind == "group" else ():
                    text = words.way(self.data, self.login, way, self.reference.at)
                    yield Point("membership", text, way.origin, who.name)

    def _why_not_in(self, readership: Readership, about: Subject) -> str:
        kept_out = [each for each in readership.but_not if self._among(each, about)]
        if kept_out:
            return f"it is not for {self._named(kept_out)}"
        not_met = [each for each in readership.all_of if not self._among(each, about)]
        if not_met:
            return f"it asks for all of {self._named(not_met)}"
        if not readership.readers:
            return "it is for nobody"
        readers = (words.who(self.data, each) for each in readership.readers)
        return f"it is for {words.listed(readers, 'or')}"

    def _named(self, whos: Iterable[Who]) -> str:
        return words.listed(words.who(self.data, each) for each in whos)

    def _among(self, who: Who, about: Subject) -> bool:
        return self.reference.is_among(self.login, who, about)

    def tell_readerships(self, reading: Reading) -> None:
        """Note the readerships on the way, and those that do not count."""
        self.readerships += [self.met(each, reading.subject) for each in reading.met]
        for readership, place, origin in reading.set_aside:
            at = words.where(place)
            text = f"Readership {readership.called} {at} does not count: a nearer path stands alone"
            self.from_above.append(Point("readership", text, origin, readership.name))

    def tell_say(self, say: Say, action: str) -> None:
        """Note what was outweighed, and what does not reach in."""
        for weaker, stronger in say.outweighed:
            same = weaker.place.spot == stronger.place.spot
            how = "same place, but speaks to a nearer who" if same else "stands nearer"
            by = f"outweighed by {self.by(stronger)} {words.where(stronger.place)} ({how})"
            text = f"{words.clause(self.data, weaker, action)}: {by}"
            self.outweighed.append(Point("rule", text, weaker.source.origin))
        for clause in say.cut_off:
            cut = self.data.rights_cut_at[say.cut_at or ""]
            origin = cut.origin and cut.origin.of("rights_from_above")
            said = words.clause(self.data, clause, action)
            behind = (Point("setting", f"{say.cut_at} lets no rights in from above", origin),)
            self.from_above.append(Point("rule", said, clause.source.origin, None, behind))
