"""Why a yes is a yes."""

from __future__ import annotations

from prim_lantern.decide.clauses import Source
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.explain.points import Pieces
from prim_lantern.decide.trace import (
    AllAccess,
    Creating,
    Doing,
    Filing,
    Managing,
    Moving,
    Reading,
    Trace,
)
from prim_lantern.site.content import PUBLISHED


class Reasons:
    """Tells what a yes rests on."""

    def __init__(self, pieces: Pieces) -> None:
        self.pieces = pieces

    def of(self, trace: Trace) -> str:
        """Fill the sections for a yes; what comes back ends the sentence."""
        match trace:
            case Reading():
                return self._reasons_to_read(trace)
            case Doing() | Managing():
                return self._reasons_to_do(trace)
            case Filing(doing=Doing() as doing):
                return self.of(doing)
            case Creating(doing=Doing() as doing):
                short = self.of(doing)
                for _, filing in trace.filing:
                    self.of(filing)
                return short
            case Moving(creating=Creating() as creating):
                for _, editing in trace.editing[:1]:
                    self.of(editing)
                return self.of(creating)
        raise TypeError(trace)

    def _reasons_to_read(self, reading: Reading) -> str:
        if reading.owner:
            return self._owner()
        self.pieces.tell_readerships(reading)
        if reading.all_access is not None:
            return self._all_access(reading.all_access)
        self.pieces.tell_say(reading.say, "read")
        state = words.in_state(reading.subject.state)
        short = f"it is {state}"
        past = [each.let_past_by for each in reading.met if each.let_past_by is not None]
        self.pieces.because += [self.pieces.clause(each, "read") for each in past]
        open_to = self.pieces.open_to(reading)
        if not past:
            self.pieces.because.append(open_to)
        if reading.subject.state == PUBLISHED:
            self.pieces.because.append(Point("state", "It is published"))
        elif reading.author:
            short = f"{short}, and they are an author"
            self.pieces.because.append(
                Point("state", f"It is {state}; {self.pieces.name} is an author")
            )
        else:
            short = f"{short}, and they may see drafts"
            self.pieces.tell_say(reading.drafts, "see-drafts")
            self.pieces.because += [
                self.pieces.clause(each, "see-drafts") for each in reading.drafts.left
            ]
        for other, said in ((reading.of_page, "page"), (reading.of_target, "target")):
            if other is not None:
                self._reasons_to_read(other)
                self.pieces.because.append(
                    Point(said, f"{self.pieces.name} may read its {said}, {other.subject.way[-1]}")
                )
        if past:
            return f"{short}, and {self.pieces.by(past[0])} lets them past the readership"
        return f"{short}, and {open_to.text.removeprefix('It is ')}"

    def _reasons_to_do(self, doing: Doing | Managing) -> str:
        if doing.owner:
            return self._owner()
        if isinstance(doing, Doing) and doing.reading is not None:
            self.pieces.tell_readerships(doing.reading)
        if doing.all_access is not None:
            return self._all_access(doing.all_access)
        self.pieces.tell_say(doing.say, doing.action)
        self.pieces.because += [self.pieces.clause(each, doing.action) for each in doing.say.left]
        first = doing.say.left[0]
        joining = {"group": ", through ", "audience": ", as "}.get(first.who.kind)
        through = joining + words.who(self.pieces.data, first.who) if joining else ""
        return f"by {self.pieces.by(first)}{through}"

    def _owner(self) -> str:
        origin = self.pieces.data.origin and self.pieces.data.origin.of("owner")
        self.pieces.because.append(
            Point("owner", f"{self.pieces.name} is the owner of the site", origin)
        )
        return "they are the owner of the site, who may do everything"

    def _all_access(self, access: AllAccess) -> str:
        role = self.pieces.data.roles[access.given.role].called
        self.pieces.because.append(self._given_all_access(access))
        return f"their role {role} has all access {words.where(access.place)}"

    def _given_all_access(self, access: AllAccess) -> Point:
        given = access.given
        text = f"{words.given_name(self.pieces.data, given)} has all access there"
        behind = tuple(point for who in given.to for point in self.pieces.belongs(who))
        source = Source(given=given, row_of=given.role)
        return Point("given-role", text, given.origin, given.role, behind, source)
