"""What stands between somebody and a yes."""

from __future__ import annotations

from typing import NamedTuple

from prim_lantern.decide.clauses import Clause
from prim_lantern.decide.explain import words
from prim_lantern.decide.explain.explanation import Point
from prim_lantern.decide.explain.near_misses import near_misses
from prim_lantern.decide.explain.points import Pieces
from prim_lantern.decide.subject import Subject
from prim_lantern.decide.trace import (
    NO,
    SILENT,
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
from prim_lantern.site.places import Place
from prim_lantern.wording import with_article


class Lack(NamedTuple):
    """One thing that stands between somebody and a yes.

    `short` ends the sentence of the answer, `because` is what decided, `missing` the key.
    """

    short: str
    because: tuple[Point, ...]
    missing: Point


class Lacks:
    """Tells what a no lacks, what settles it first."""

    def __init__(self, pieces: Pieces) -> None:
        self.pieces = pieces

    def of(self, trace: Trace) -> list[Lack]:
        """Everything that stands in the way, what settles it first."""
        match trace:
            case Reading():
                return self._lacks_to_read(trace)
            case Doing():
                return self._lacks_to_do(trace)
            case Managing():
                return self._lacks_of_right(trace)
            case Filing(doing=doing, obstacle=obstacle):
                return self._obstacle(obstacle) or (self.of(doing) if doing else [])
            case Creating():
                return self._lacks_to_create(trace)
            case Moving():
                return self._lacks_to_move(trace)

    def _obstacle(self, obstacle: str | None) -> list[Lack]:
        if obstacle is None:
            return []
        missing = Point("obstacle", "It cannot stand there, whoever asks")
        return [Lack(obstacle, (Point("obstacle", _opening(obstacle)),), missing)]

    def _lacks_to_create(self, creating: Creating) -> list[Lack]:
        lacks = self._obstacle(creating.obstacle)
        if creating.parent is not None and not creating.parent.allowed:
            lacks += [
                lack._replace(
                    short=f"they cannot read {creating.parent.subject.way[-1]}: {lack.short}"
                )
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
            return [self._four_eyes(doing), *self._beside_four_eyes(doing)]
        lacks = []
        if doing.reading is not None and not doing.reading.allowed:
            lacks = [
                lack._replace(short=f"they cannot read it, as {lack.short}")
                for lack in self._lacks_to_read(doing.reading)
            ]
        elif doing.reading is not None:
            self.pieces.tell_readerships(doing.reading)
        right = self._lacks_of_right(doing)
        if not lacks and doing.final_deny is None and doing.action not in ("create", "file-under"):
            right = [lack._replace(short=f"they may read it, but {lack.short}") for lack in right]
        if doing.final_deny is not None:
            return right + lacks
        return lacks + right

    def _four_eyes(self, doing: Doing) -> Lack:
        kinds = (self.pieces.data.all_kinds[each] for each in sorted(doing.subject.kinds))
        because = tuple(
            Point(
                "four-eyes",
                f"{_opening(with_article(kind.called))} asks for four eyes: nobody publishes "
                f"what they wrote or changed, and {self.pieces.name} did",
                kind.origin and kind.origin.of("four_eyes"),
                kind.name,
            )
            for kind in kinds
            if kind.four_eyes
        )
        missing = Point("four-eyes", "Somebody else who may publish it")
        return Lack("it asks for four eyes, and they wrote or changed it", because, missing)

    def _beside_four_eyes(self, doing: Doing) -> list[Lack]:
        """What would be missing as well if somebody else had written it."""
        if doing.owner:
            return []
        say = self.pieces.reference.say(self.pieces.login, doing.action, doing.subject)
        access = self.pieces.reference.all_access(self.pieces.login, doing.subject)
        final_deny = self.pieces.reference.final_deny(
            self.pieces.login, doing.action, doing.subject
        )
        beside = Doing(
            False, doing.action, doing.subject, final_deny=final_deny, all_access=access, say=say
        )
        return self._lacks_of_right(beside)

    def _lacks_of_right(self, doing: Doing | Managing) -> list[Lack]:
        """What is missing of the right itself, reading aside."""
        if doing.final_deny is not None:
            return [self._final_deny(doing.final_deny, doing.action)]
        if doing.all_access is not None:
            return []
        self.pieces.tell_say(doing.say, doing.action)
        right = words.right(doing.action)
        if doing.say.answer == NO:
            return [self._denied(doing.say, doing.action)]
        if doing.say.answer == SILENT:
            self.pieces.near += near_misses(
                self.pieces.reference, self.pieces.login, doing.action, doing.subject
            )
            because = Point("right", f"Nobody has spoken: nothing gives {self.pieces.name} {right}")
            missing = Point("right", _opening(right), None, doing.action)
            return [Lack(f"nothing gives them {right}", (because,), missing)]
        return []

    def _lacks_to_read(self, reading: Reading) -> list[Lack]:
        lacks = []
        self.pieces.tell_readerships(reading)
        if reading.final_deny is not None:
            action = "read" if "read" in reading.final_deny.actions else "see-drafts"
            lacks.append(self._final_deny(reading.final_deny, action))
        final = [each for each in reading.met if each.readership.no_exceptions and not each.is_in]
        lacks += [self._not_passed(each, reading.subject) for each in final]
        if reading.all_access is None:
            self.pieces.tell_say(reading.say, "read")
            if reading.say.answer == NO:
                lacks.append(self._denied(reading.say, "read"))
            others = [each for each in reading.met if not each.passed and each not in final]
            lacks += [self._not_passed(each, reading.subject) for each in others]
            if not reading.state_passed:
                lacks.append(self._not_public(reading))
        for other, said in ((reading.of_page, "page"), (reading.of_target, "target")):
            if other is not None and not other.allowed:
                lacks += [
                    lack._replace(
                        short=f"they cannot read its {said} {other.subject.way[-1]}: {lack.short}"
                    )
                    for lack in self._lacks_to_read(other)
                ]
        return lacks

    def _final_deny(self, clause: Clause, action: str) -> Lack:
        short = f"{self.pieces.by(clause)} forbids it without exceptions"
        missing = Point("rule", "Nothing helps while that rule stands: it has no exceptions")
        return Lack(short, (self.pieces.clause(clause, action),), missing)

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
                f"Equally near, so no beats yes: {words.clause(self.pieces.data, each, action)}",
                each.source.origin,
            )
            for each in tied
        ]
        self.pieces.outweighed += equal
        short = f"{self.pieces.by(denies[0])} takes that away"
        return Lack(short, tuple(self.pieces.clause(each, action) for each in denies), missing)

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
        return Lack(short, (self.pieces.met(met, about),), missing)

    def _not_public(self, reading: Reading) -> Lack:
        now = reading.subject.state
        state = words.in_state(now)
        self.pieces.tell_say(reading.drafts, "see-drafts")
        if reading.drafts.answer == NO:
            return self._denied(reading.drafts, "see-drafts")
        text = f"It is {state}; {self.pieces.name} is no author and may not see drafts here"
        needed = f"The right to see drafts here, or that it is published (now: {now})"
        missing = Point("right", needed, None, "see-drafts")
        return Lack(f"it is {state}, and they may not see drafts", (Point("state", text),), missing)


def _opening(text: str) -> str:
    """A text as the opening of a sentence."""
    return text[:1].upper() + text[1:]


def _at_place(place: Place) -> str:
    return {"site": "on the site", "category": f"in {place.name}"}.get(
        place.kind, f"at {place.name}"
    )
