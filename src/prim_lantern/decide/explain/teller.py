"""From a trace to an explanation."""

from __future__ import annotations

from collections.abc import Iterable
from typing import NamedTuple

from prim_lantern.decide.clauses import Clause, Source
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Explanation, Point
from prim_lantern.decide.explain.near import near_misses
from prim_lantern.decide.question import Question
from prim_lantern.decide.reference import Reference
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.trace import (
    NO,
    SILENT,
    AllAccess,
    Creating,
    Doing,
    Filing,
    Managing,
    Met,
    Moving,
    Reading,
    Say,
    Trace,
)
from prim_lantern.site.content import PUBLISHED
from prim_lantern.site.origin import Origin
from prim_lantern.site.places import Place
from prim_lantern.site.rights import Readership
from prim_lantern.site.who import Who


class Lack(NamedTuple):
    """One thing that stands between somebody and a yes.

    `short` ends the sentence of the answer, `because` is what decided, `missing` the key.
    """

    short: str
    because: tuple[Point, ...]
    missing: Point


def explain(reference: Reference, question: Question, trace: Trace) -> Explanation:
    """The explanation of an answer, from the trace of how it was come to."""
    return _Teller(reference, question).tell(trace)


class _Teller:
    """Tells one answer; the sections fill as the trace is walked."""

    def __init__(self, reference: Reference, question: Question) -> None:
        self.reference = reference
        self.data = reference.data
        self.question = question
        self.login = question.who
        self.name = words.person(self.data, question.who)
        self.because: list[Point] = []
        self.readerships: list[Point] = []
        self.outweighed: list[Point] = []
        self.from_above: list[Point] = []
        self.near: list[Point] = []

    def tell(self, trace: Trace) -> Explanation:
        """The whole explanation."""
        if trace.allowed:
            short = self._reasons(trace)
            missing: tuple[Point, ...] = ()
        else:
            lacks = self._lacks(trace)
            short = lacks[0].short
            self.because += lacks[0].because
            missing = tuple({lack.missing.text: lack.missing for lack in lacks}.values())
        self._acts_as_guest()
        return Explanation(
            question=self.question,
            allowed=trace.allowed,
            sentence=self._sentence(trace.allowed, short),
            short=short,
            because=_once(self.because),
            readerships=_once(self.readerships),
            outweighed=_once(self.outweighed),
            from_above=_once(self.from_above),
            missing=missing,
            near=_once(self.near),
        )

    # The sentence -------------------------------------------------------------------

    def _sentence(self, allowed: bool, short: str) -> str:
        name = words.opening(self.data, self.login)
        verdict = f"Yes: {name} may" if allowed else f"No: {name} may not"
        return f"{verdict} {self._what()}: {short}."

    def _what(self) -> str:
        asked = self.question
        if asked.place is not None:
            return f"{words.doing(self.data, asked.action)} {_place_asked(asked.place)}"
        path = asked.path or "/"
        if asked.kind is not None:
            filed = f", filed under {words.listed(asked.categories)}" if asked.categories else ""
            return f"create a {self.data.all_kinds[asked.kind].called} below {path}{filed}"
        item = self.data.items[path]
        called = f"“{item.title}” ({path})" if item.title else path
        if asked.category is not None:
            return f"file {called} under {asked.category}"
        if asked.new_parent is not None:
            return f"move {called} below {asked.new_parent}"
        return f"{words.doing(self.data, asked.action)} {called}"

    def _acts_as_guest(self) -> None:
        if self.login is not None and self.reference.belonging.acting(self.login) is None:
            user = self.data.users[self.login]
            what = "a byline without an account" if user.status == "byline" else user.status
            text = f"{self.name} is {what} and counts as a guest"
            self.because.append(Point("status", text, user.origin))

    # A yes ------------------------------------------------------------------------------

    def _reasons(self, trace: Trace) -> str:
        """Fill the sections for a yes; what comes back ends the sentence."""
        match trace:
            case Reading():
                return self._reasons_to_read(trace)
            case Doing() | Managing():
                return self._reasons_to_do(trace)
            case Filing(doing=Doing() as doing):
                return self._reasons(doing)
            case Creating(doing=Doing() as doing):
                short = self._reasons(doing)
                for _, filing in trace.filing:
                    self._reasons(filing)
                return short
            case Moving(creating=Creating() as creating):
                for _, editing in trace.editing[:1]:
                    self._reasons(editing)
                return self._reasons(creating)
        raise TypeError(trace)

    def _reasons_to_read(self, reading: Reading) -> str:
        if reading.owner:
            return self._owner()
        self._tell_readerships(reading)
        if reading.all_access is not None:
            return self._all_access(reading.all_access)
        self._tell_say(reading.say, "read")
        short = f"it is {reading.subject.state}"
        past = [each.let_past_by for each in reading.met if each.let_past_by is not None]
        self.because += [self._clause(each, "read") for each in past]
        if not past:
            self.because.append(Point("readership", f"{self.name} is among its readers"))
        if reading.subject.state == PUBLISHED:
            self.because.append(Point("state", "It is published"))
        elif reading.author:
            short = f"{short}, and they are an author"
            self.because.append(
                Point("state", f"It is {reading.subject.state}; {self.name} is an author")
            )
        else:
            short = f"{short}, and they may see drafts"
            self._tell_say(reading.drafts, "see-drafts")
            self.because += [self._clause(each, "see-drafts") for each in reading.drafts.left]
        for other, said in ((reading.of_page, "page"), (reading.of_target, "target")):
            if other is not None:
                self._reasons_to_read(other)
                self.because.append(Point(said, f"{self.name} may read its {said}, {_at(other)}"))
        if past:
            return f"{short}, and {self._by(past[0])} lets them past the readership"
        return f"{short}, and they are among its readers"

    def _reasons_to_do(self, doing: Doing | Managing) -> str:
        if doing.owner:
            return self._owner()
        if isinstance(doing, Doing) and doing.reading is not None:
            self._tell_readerships(doing.reading)
        if doing.all_access is not None:
            return self._all_access(doing.all_access)
        self._tell_say(doing.say, doing.action)
        self.because += [self._clause(each, doing.action) for each in doing.say.left]
        first = doing.say.left[0]
        joining = {"group": ", through ", "audience": ", as "}.get(first.who.kind)
        through = joining + words.who(self.data, first.who) if joining else ""
        return f"by {self._by(first)}{through}"

    def _owner(self) -> str:
        origin = self.data.origin and self.data.origin.of("owner")
        self.because.append(Point("owner", f"{self.name} is the owner of the site", origin))
        return "they are the owner of the site, who may do everything"

    def _all_access(self, access: AllAccess) -> str:
        role = self.data.roles[access.given.role].called
        self.because.append(self._given_all_access(access))
        return f"their role {role} has all access {words.where(access.place)}"

    def _given_all_access(self, access: AllAccess) -> Point:
        given = access.given
        text = f"{words.given_name(self.data, given)} has all access there"
        behind = tuple(point for who in given.to for point in self._belongs(who))
        source = Source(given=given, row_of=given.role)
        return Point("given-role", text, given.origin, given.role, behind, source)

    # A no -------------------------------------------------------------------------------

    def _lacks(self, trace: Trace) -> list[Lack]:
        """Everything that stands in the way, what settles it first."""
        match trace:
            case Reading():
                return self._lacks_to_read(trace)
            case Doing():
                return self._lacks_to_do(trace)
            case Managing():
                return self._lacks_of_right(trace)
            case Filing(doing=doing, obstacle=obstacle):
                return self._obstacle(obstacle) or (self._lacks(doing) if doing else [])
            case Creating():
                return self._lacks_to_create(trace)
            case Moving():
                return self._lacks_to_move(trace)

    def _obstacle(self, obstacle: str | None) -> list[Lack]:
        if obstacle is None:
            return []
        text = obstacle[:1].upper() + obstacle[1:]
        missing = Point("obstacle", "It cannot stand there, whoever asks")
        return [Lack(obstacle, (Point("obstacle", text),), missing)]

    def _lacks_to_create(self, creating: Creating) -> list[Lack]:
        lacks = self._obstacle(creating.obstacle)
        if creating.parent is not None and not creating.parent.allowed:
            lacks += [
                lack._replace(short=f"they cannot read {_at(creating.parent)}: {lack.short}")
                for lack in self._lacks_to_read(creating.parent)
            ]
        if creating.doing is not None and not creating.doing.allowed:
            lacks += self._lacks_to_do(creating.doing)
        for category, filing in creating.filing:
            if not filing.allowed:
                lacks += [
                    lack._replace(short=f"they may not file it under {category}: {lack.short}")
                    for lack in self._lacks_to_do(filing)
                ]
        return lacks

    def _lacks_to_move(self, moving: Moving) -> list[Lack]:
        lacks = self._obstacle(moving.obstacle)
        for path, editing in moving.editing:
            if not editing.allowed:
                lacks += [
                    lack._replace(short=f"they may not edit {path}: {lack.short}")
                    for lack in self._lacks_to_do(editing)
                ]
                break  # one is enough; there may be thousands
        if moving.creating is not None and not moving.creating.allowed:
            lacks += [
                lack._replace(short=f"they may not create it there: {lack.short}")
                for lack in self._lacks_to_create(moving.creating)
            ]
        return lacks

    def _lacks_to_do(self, doing: Doing) -> list[Lack]:
        if doing.own_work:
            short = "it asks for four eyes, and they wrote or changed it"
            kinds = [k for k in sorted(doing.subject.kinds) if self.data.all_kinds[k].four_eyes]
            because = tuple(
                Point(
                    "four-eyes",
                    f"A {self.data.all_kinds[kind].called} asks for four eyes: nobody publishes "
                    f"what they wrote or changed, and {self.name} did",
                    self._kind_origin(kind),
                    kind,
                )
                for kind in kinds
            )
            missing = Point("four-eyes", "Somebody else who may publish it")
            lack = Lack(short, because, missing)
            return [lack, *self._beside_four_eyes(doing)]
        lacks = []
        if doing.reading is not None and not doing.reading.allowed:
            lacks = [
                lack._replace(short=f"they cannot read it, as {lack.short}")
                for lack in self._lacks_to_read(doing.reading)
            ]
        elif doing.reading is not None:
            self._tell_readerships(doing.reading)
        right = self._lacks_of_right(doing)
        if not lacks and doing.final_deny is None and doing.action not in ("create", "file-under"):
            right = [lack._replace(short=f"they may read it, but {lack.short}") for lack in right]
        if doing.final_deny is not None:
            return right + lacks
        return lacks + right

    def _beside_four_eyes(self, doing: Doing) -> list[Lack]:
        """What would be missing as well if somebody else had written it."""
        if doing.owner:
            return []
        say = self.reference.say(self.login, doing.action, doing.subject)
        access = self.reference.all_access(self.login, doing.subject)
        final_deny = self.reference.final_deny(self.login, doing.action, doing.subject)
        beside = Doing(
            False, doing.action, doing.subject, final_deny=final_deny, all_access=access, say=say
        )
        return self._lacks_of_right(beside)

    def _kind_origin(self, kind: str) -> Origin | None:
        origin = self.data.all_kinds[kind].origin
        return origin and origin.of("four_eyes")

    def _lacks_of_right(self, doing: Doing | Managing) -> list[Lack]:
        """What is missing of the right itself, reading aside."""
        if doing.final_deny is not None:
            return [self._final_deny(doing.final_deny, doing.action)]
        if doing.all_access is not None:
            return []
        self._tell_say(doing.say, doing.action)
        right = words.right(doing.action)
        if doing.say.answer == NO:
            return [self._denied(doing.say, doing.action)]
        if doing.say.answer == SILENT:
            self.near += near_misses(self.reference, self.login, doing.action, doing.subject)
            because = Point("right", f"Nobody has spoken: nothing gives {self.name} {right}")
            missing = Point("right", f"{right[:1].upper()}{right[1:]}", None, doing.action)
            return [Lack(f"nothing gives them {right}", (because,), missing)]
        return []

    def _lacks_to_read(self, reading: Reading) -> list[Lack]:
        lacks = []
        self._tell_readerships(reading)
        if reading.final_deny is not None:
            action = "read" if "read" in reading.final_deny.actions else "see-drafts"
            lacks.append(self._final_deny(reading.final_deny, action))
        final = [each for each in reading.met if each.readership.no_exceptions and not each.is_in]
        lacks += [self._not_passed(each, reading.subject) for each in final]
        if reading.all_access is None:
            self._tell_say(reading.say, "read")
            if reading.say.answer == NO:
                lacks.append(self._denied(reading.say, "read"))
            others = [each for each in reading.met if not each.passed and each not in final]
            lacks += [self._not_passed(each, reading.subject) for each in others]
            if not reading.state_passed:
                lacks.append(self._not_public(reading))
        for other, said in ((reading.of_page, "page"), (reading.of_target, "target")):
            if other is not None and not other.allowed:
                lacks += [
                    lack._replace(short=f"they cannot read its {said} {_at(other)}: {lack.short}")
                    for lack in self._lacks_to_read(other)
                ]
        return lacks

    def _final_deny(self, clause: Clause, action: str) -> Lack:
        short = f"{self._by(clause)} forbids it without exceptions"
        missing = Point("rule", "Nothing helps while that rule stands: it has no exceptions")
        return Lack(short, (self._clause(clause, action),), missing)

    def _denied(self, say: Say, action: str) -> Lack:
        denies = [each for each in say.left if not each.allow]
        if action == "see-drafts":
            missing = Point("right", "A word that outweighs that deny of seeing drafts")
        else:
            missing = Point("rule", f"A word that outweighs that deny of {action}")
        tied = [each for each in say.left if each.allow]
        equal = [
            Point(
                "rule",
                f"Equally near, so no beats yes: {words.clause(self.data, each, action)}",
                each.source.origin,
            )
            for each in tied
        ]
        self.outweighed += equal
        short = f"{self._by(denies[0])} takes that away"
        return Lack(short, tuple(self._clause(each, action) for each in denies), missing)

    def _not_passed(self, met: Met, about: Subject) -> Lack:
        called, at = met.readership.called, words.where(met.place)
        final = met.readership.no_exceptions
        short = f"they are not in the readership {called} {at}"
        other = "" if final else f", or a yes to read {_at_place(met.place)} or nearer"
        missing = Point(
            "readership",
            f"Being in the readership {called}{other}{' (it has no exceptions)' if final else ''}",
            None,
            met.readership.name,
        )
        return Lack(short, (self._met(met, about),), missing)

    def _not_public(self, reading: Reading) -> Lack:
        state = reading.subject.state
        self._tell_say(reading.drafts, "see-drafts")
        if reading.drafts.answer == NO:
            return self._denied(reading.drafts, "see-drafts")
        text = f"It is {state}; {self.name} is no author and may not see drafts here"
        needed = f"The right to see drafts here, or that it is published (now: {state})"
        missing = Point("right", needed, None, "see-drafts")
        return Lack(f"it is {state}, and they may not see drafts", (Point("state", text),), missing)

    # Pieces ----------------------------------------------------------------------------

    def _by(self, clause: Clause) -> str:
        if clause.source.given is not None:
            return f"the role {self.data.roles[clause.source.given.role].called}"
        rule = clause.source.rule
        if rule is not None and rule.id is not None:
            return f"the rule {rule.id}"
        return f"a rule for {words.who(self.data, clause.who)} {words.where(clause.place)}"

    def _clause(self, clause: Clause, action: str) -> Point:
        given, rule = clause.source.given, clause.source.rule
        return Point(
            "given-role" if given is not None else "rule",
            words.clause(self.data, clause, action),
            clause.source.origin,
            given.role if given is not None else rule.id if rule is not None else None,
            tuple(self._belongs(clause.who)),
            clause.source,
        )

    def _belongs(self, who: Who) -> Iterable[Point]:
        """How the user comes to be among a who; nothing where that goes without saying."""
        if self.login is None or self.reference.belonging.acting(self.login) is None:
            return
        if who.kind == "group":
            for way in self.reference.belonging.ways(self.login).get(who.name, ()):
                text = words.way(self.data, self.login, way, self.reference.at)
                yield Point("membership", text, way.origin, who.name)
        elif who.kind == "role":
            for given in self.data.given:
                if given.role == who.name and given.period.holds(self.reference.at):
                    behind = tuple(p for each in given.to for p in self._belongs(each))
                    if behind or Who("user", self.login) in given.to:
                        text = f"{words.given_name(self.data, given)} is theirs"
                        yield Point("given-role", text, given.origin, given.role, behind)

    def _met(self, met: Met, subject: Subject) -> Point:
        called, at = met.readership.called, words.where(met.place)
        about = f"Readership {called} {at}: {self.name}"
        behind: tuple[Point, ...] = ()
        if met.is_in:
            readers = met.readership.readers
            reader = next(each for each in readers if self._among(each, subject))
            behind = tuple(self._belongs(reader))
            text = f"{about} is in it, as {words.who(self.data, reader)} may view"
        elif met.let_past_by is not None:
            text = f"{about} is not in it, and gets past by {self._by(met.let_past_by)}"
        else:
            text = f"{about} is not in it: {self._why_not_in(met.readership, subject)}"
            behind = tuple(self._lapsed(met.readership.readers))
        return Point("readership", text, met.origin, met.readership.name, behind)

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

    # Sections -------------------------------------------------------------------------

    def _tell_readerships(self, reading: Reading) -> None:
        self.readerships += [self._met(each, reading.subject) for each in reading.met]
        for readership, place, origin in reading.set_aside:
            at = words.where(place)
            text = f"Readership {readership.called} {at} does not count: a nearer path stands alone"
            self.from_above.append(Point("readership", text, origin, readership.name))

    def _tell_say(self, say: Say, action: str) -> None:
        for weaker, stronger in say.outweighed:
            same = weaker.place.spot == stronger.place.spot
            how = "same place, but speaks to a nearer who" if same else "stands nearer"
            by = f"outweighed by {self._by(stronger)} {words.where(stronger.place)} ({how})"
            text = f"{words.clause(self.data, weaker, action)}: {by}"
            self.outweighed.append(Point("rule", text, weaker.source.origin))
        for clause in say.cut_off:
            cut = self.data.rights_cut_at[say.cut_at or ""]
            origin = cut.origin and cut.origin.of("rights_from_above")
            said = words.clause(self.data, clause, action)
            behind = (Point("setting", f"{say.cut_at} lets no rights in from above", origin),)
            self.from_above.append(Point("rule", said, clause.source.origin, None, behind))


def _place_asked(place: Place) -> str:
    return "the site" if place.kind == "site" else place.name


def _at_place(place: Place) -> str:
    return {"site": "on the site", "category": f"in {place.name}"}.get(
        place.kind, f"at {place.name}"
    )


def _at(reading: Reading) -> str:
    return reading.subject.way[-1]


def _once(points: Iterable[Point]) -> tuple[Point, ...]:
    """The points without repetition, in order."""
    return tuple({(point.text, point.origin): point for point in points}.values())
